"""List all modules in docs/built/modules.md, room by room, each with the first sentence of its docstring.

    python docs/list_modules.py            writes it
    python docs/list_modules.py --check    ends with 1 where it is not what it would write
"""

from __future__ import annotations

import ast
import sys
from pathlib import Path

ROOT = Path(__file__).parent.parent.resolve()
SOURCE = ROOT / "src/protypon"
TARGET = ROOT / "docs/built/modules.md"
ROOMS = ("model", "files", "languages", "platform", "merge", "store", "themes", "analysis", "units", "check", "trial", "actions")
OTHERS = ("cli", "render", "standin", "demo")


def first_sentence(path: Path) -> str:
    """The first line of a module's docstring; empty where it has none."""
    lines = (ast.get_docstring(ast.parse(path.read_bytes())) or "").split("\n\n")[0].split("\n")
    return " ".join(lines).replace("|", "\\|").replace("<", "&lt;")


def listed() -> str:
    """The page."""
    rows = [
        "# All modules",
        "",
        "Made from their docstrings by `python docs/list_modules.py`, the lowest room first. The map is [architecture.md](../architecture.md).",
    ]
    for folder in (*(SOURCE / "core" / room for room in ROOMS), *(SOURCE / room for room in OTHERS)):
        rows += ["", f"## {folder.relative_to(SOURCE)}", "", "| module | |", "|---|---|"]
        for path in sorted(folder.rglob("*.py"), key=lambda path: (len(path.relative_to(folder).parts) > 1, path)):
            said = first_sentence(path)
            if said and "themes/" not in str(path.relative_to(SOURCE)).replace("core/themes/", ""):
                rows.append(f"| `{path.relative_to(folder)}` | {said} |")
    return "\n".join(rows) + "\n"


def main() -> int:
    """Write the page, or say that it is not as it would be."""
    text = listed()
    if "--check" in sys.argv:
        same = TARGET.is_file() and TARGET.read_text("utf-8") == text
        if not same:
            print("docs/built/modules.md is not what the docstrings say now: python docs/list_modules.py")
        return int(not same)
    TARGET.write_text(text, "utf-8")
    return 0


if __name__ == "__main__":
    sys.exit(main())
