"""How many conflicts merging code files by unit saves, against ``git merge-file``: on real modules, edited at random on both sides.

python benchmarks/merges.py [CASES]
"""

from __future__ import annotations

import ast
import random
import subprocess
import sys
import sysconfig
import tempfile
from collections import Counter
from pathlib import Path

from protypon.core.languages.registry import language
from protypon.core.languages.writers import writer
from protypon.core.merge import by_unit as unit_merge
from protypon.core.merge.three_way import Triple, merge_all
from protypon.core.store.git import merge_files

LIBRARY = Path(sysconfig.get_paths()["stdlib"])
MODULES = (
    "bisect",
    "calendar",
    "cmd",
    "csv",
    "heapq",
    "queue",
    "shlex",
    "tabnanny",
    "textwrap",
    "fnmatch",
    "glob",
    "stat",
    "colorsys",
    "keyword",
)


def edited(rng: random.Random, text: str, side: str, leave: set[str]) -> tuple[str, set[str], set[str]]:
    """One side: some functions changed or taken away, and others added next to them; what was changed, and what came."""
    lines = text.split("\n")
    functions = [n for n in ast.parse(text).body if isinstance(n, ast.FunctionDef) and n.name not in leave]
    changed, added = set[str](), set[str]()
    for node in sorted(rng.sample(functions, min(len(functions), rng.randint(0, 3))), key=lambda n: -n.lineno):
        first = node.body[0].lineno - 1
        start = min([node.lineno, *(d.lineno for d in node.decorator_list)]) - 1
        if rng.random() < 0.2:
            lines[start : node.end_lineno] = []
        else:
            lines.insert(first, " " * node.body[0].col_offset + f"{side} = {rng.randint(0, 9)}")
        changed.add(node.name)
        if rng.random() < 0.5:
            name = f"{side}_{rng.randint(0, 99)}"
            lines[start:start] = [f"def {name}(v):", f"    return v + {rng.randint(0, 9)}", "", ""]
            added.add(name)
    if rng.random() < 0.5:
        name = f"{side}_last"
        lines += [f"def {name}(v):", "    return v", ""]
        added.add(name)
    return "\n".join(lines), changed, added


def names(text: bytes) -> Counter[str] | None:
    try:
        return Counter(n.name for n in ast.parse(text).body if isinstance(n, ast.FunctionDef | ast.ClassDef))
    except (SyntaxError, ValueError):
        return None


def git_merge(triple: Triple, folder: Path) -> bytes | None:
    for name, data in zip(("base", "ours", "theirs"), triple, strict=True):
        (folder / name).write_bytes(data)
    done = subprocess.run(["git", "merge-file", "-p", "ours", "base", "theirs"], cwd=folder, capture_output=True)
    return done.stdout if done.returncode == 0 else None


def parses(data: bytes) -> bool:
    return not language("python").problems(data.decode(), "")


def main() -> None:
    cases = int(sys.argv[1]) if len(sys.argv) > 1 else 400
    rng = random.Random(4)
    count: Counter[str] = Counter()
    with tempfile.TemporaryDirectory() as folder:
        for _ in range(cases):
            base = (LIBRARY / f"{rng.choice(MODULES)}.py").read_text("utf-8")
            ours, changed, _ = edited(rng, base, "ours", set())
            theirs, _, _ = edited(rng, base, "theirs", changed)
            triple = (base.encode(), ours.encode(), theirs.encode())
            b, o, t = (names(text) or Counter() for text in triple)
            wanted = Counter({n: max(o[n], t[n]) for n in b | o | t if (n in o and n in t) or (n not in b)})
            git, mine = (
                git_merge(triple, Path(folder)),
                unit_merge.merge(
                    triple, merge_all([triple], merge_files)[0], writer("python").split, parses, merge_files
                ),
            )
            for who, text in (("git merge-file", git), ("by unit", mine.text)):
                count[f"{who}: conflicts"] += text is None
                count[f"{who}: clean, but a unit lost or doubled"] += text is not None and names(text) != wanted
    print(f"{cases} pairs of sides that change different functions of real modules")
    for what, number in sorted(count.items()):
        print(f"  {what:55} {number:5}")
    print(f"  {'conflicts saved':55} {count['git merge-file: conflicts'] - count['by unit: conflicts']:5}")


if __name__ == "__main__":
    main()
