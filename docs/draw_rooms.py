"""Draw docs/rooms.svg anew from the imports of the program: which room asks which others.

    python docs/draw_rooms.py            writes it; needs grimp
    python docs/draw_rooms.py --check    ends with 1 where it is not what it would draw

A row is a room, a column a room that it imports; the larger the dot, the more of its modules do. What is above the diagonal would be an import upwards.
"""

from __future__ import annotations

import sys
from collections import Counter
from html import escape
from pathlib import Path

import grimp

TARGET = Path(__file__).parent.resolve() / "rooms.svg"
ROOMS = {
    "cli": "one module a command: parse, call the core, render",
    "render": "text, JSON, commands as they are typed",
    "actions": "one module a command that plans something",
    "trial": "code run apart, and held against the analysis",
    "check": "evidence -> verdicts, findings, reports",
    "units": "one folder a kind of unit: find, write, remove, explain",
    "analysis": "what code does and what pages reach, without running it",
    "themes": "folders -> themes and lineages; which file wins",
    "store": "releases, journal, ledger, proposals; plans -> disk",
    "merge": "three texts -> one, or the places for a person",
    "platform": "the platform file, and manifests",
    "languages": "one folder a language: what a file says",
    "files": "bytes in and out, safely",
    "model": "the nouns",
}
"""Every room with what it is for, the highest first."""
SIZES = ((30, 9.0), (10, 7.0), (3, 5.0), (1, 3.0))
"""From so many modules on, a dot of this radius."""
ROW, LEFT, TOP = 34, 560, 96


def imports() -> tuple[Counter[tuple[str, str]], Counter[str]]:
    """How many modules of one room import another, and how many modules each has."""
    graph = grimp.build_graph("protypon", cache_dir=None)
    asking = {
        (module, _room(module), _room(other))
        for module in graph.modules
        for other in graph.find_modules_directly_imported_by(module)
    }
    pairs = Counter((room, other) for _, room, other in asking if room and other and room != other)
    return pairs, Counter(filter(None, map(_room, graph.modules)))


def _room(module: str) -> str:
    parts = module.split(".")[1:]
    name = parts[1] if len(parts) > 1 and parts[0] == "core" else parts[0] if parts else ""
    return name if name in ROOMS else ""


def drawn() -> str:
    """The picture as SVG."""
    pairs, sizes = imports()
    names = list(ROOMS)
    width, height = LEFT + ROW * len(names) + 24, TOP + ROW * len(names) + 20
    rows = [
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {width} {height}" width="{width}" height="{height}" font-family="sans-serif" font-size="15">',
        f'<rect width="{width}" height="{height}" fill="#fcfbf7"/>',
    ]
    for number, name in enumerate(names):
        y = TOP + ROW * number
        x = LEFT + ROW * number + ROW / 2
        shade = "#e9eef0" if number % 2 == 0 else "#fcfbf7"
        rows.append(f'<rect x="12" y="{y}" width="{width - 24}" height="{ROW}" fill="{shade}"/>')
        rows.append(f'<text x="22" y="{y + 22}" font-weight="bold" fill="#12303c">{name}</text>')
        rows.append(f'<text x="112" y="{y + 22}" fill="#33454c">{escape(ROOMS[name])}</text>')
        rows.append(f'<text transform="translate({x + 5},{TOP - 10}) rotate(-60)" fill="#12303c">{name}</text>')
        rows.append(f'<rect x="{x - ROW / 2 + 3}" y="{y + 3}" width="{ROW - 6}" height="{ROW - 6}" fill="#c9d6da"/>')
        for column, other in enumerate(names):
            count = pairs[name, other]
            if count:
                radius = next(size for least, size in SIZES if count >= least)
                colour = "#1f6f8b" if column > number else "#c0392b"
                at = LEFT + ROW * column + ROW / 2
                rows.append(f'<circle cx="{at}" cy="{y + ROW / 2}" r="{radius}" fill="{colour}"><title>{name} imports {other}</title></circle>')
    assert set(sizes) == set(names), "a room without modules"
    return "\n".join([*rows, "</svg>"]) + "\n"


def main() -> int:
    """Write the picture, or say that it is not as it would be."""
    text = drawn()
    if "--check" in sys.argv:
        same = TARGET.is_file() and TARGET.read_text("utf-8") == text
        if not same:
            print("docs/rooms.svg is not what the imports say now: python docs/draw_rooms.py")
        return int(not same)
    TARGET.write_text(text, "utf-8")
    return 0


if __name__ == "__main__":
    sys.exit(main())
