"""A comparison for people: whose change each line is by letter and sign, changed words marked below; as a table; as patches."""

from __future__ import annotations

import re
from collections.abc import Iterator
from difflib import SequenceMatcher
from typing import Any

from protypon.core.check.sides import OneText, Sides
from protypon.core.merge.regions import Region, RegionLine
from protypon.core.model.evidence import comparison_of
from protypon.core.model.paths import quote_path
from protypon.core.store.proposals import path_of
from protypon.render.commands import command, sentence
from protypon.render.plain import printable
from protypon.render.text import STYLES, Page, count

LETTERS = {"parent": "P", "child": "Y", "both": "B", "": " "}
COLOURS = {"parent": "magenta", "child": "cyan", "both": "green", "": ""}
TWO_COLUMNS = 120
ALIKE = 0.4
"""From here on two lines are one line that was changed, and its words are compared."""
MEETS = {
    "": "",
    "apart": "both changed something here, in other lines",
    "same": "both changed the same thing alike",
    "conflict": "both changed lines that touch",
    "merges": "both changed lines that touch, and they merge all the same",
}
LONG = 2_000
"""Characters of a line from which on its words are not compared."""
_WORD = re.compile(r"\w+|\s+|[^\w\s]")


def render(page: Page, sides: Sides) -> None:
    """Print all of it, in a pager where it is long and there is a terminal."""
    with page.pager():
        _head(page, sides)
        found = sides.regions
        for region in found:
            page.gap()
            _region(page, sides, region)
        if not found:
            page.gap()
            page.line(f"  {_nothing(sides)}")


def _nothing(sides: Sides) -> str:
    """Why no lines can be shown."""
    if sides.binary:
        return "these are no texts; see them side by side in a program of their kind"
    if sides.ours is None:
        return "this override does something and copies no text: what it does is above"
    return "neither side changed a line"


def _head(page: Page, sides: Sides) -> None:
    verdict = sides.verdict
    page.line((verdict.unit.address, "bold"), "  ", (verdict.verdict, STYLES[verdict.weight]))
    page.paragraph(sentence(verdict.because), 2)
    taken = verdict.subject.base is not None
    page.line(f"  taken from {sides.base.label}" if taken else "  no record: held against what is there now")
    for who, side in (("parent", sides.theirs), ("child", sides.ours)):
        if side is not None:
            out, came = _count_changes(sides.base, side, sides, who)
            where = f"{side.label} ({side.file})" if side.file != side.label else side.label
            page.line("  ", (LETTERS[who], COLOURS[who]), f"  {where}: {out} out, {came} in")
    if any(row.who == "both" for region in sides.regions for row in region.rows):
        page.line("  ", (LETTERS["both"], COLOURS["both"]), "  both alike")
    page.next(command(verdict.next), 2)


def _count_changes(base: OneText, side: OneText, sides: Sides, who: str) -> tuple[str, int]:
    changes = [c for r in sides.regions for c in (r.parent if who == "parent" else r.child)]
    return count(sum(c.count for c in changes), "line"), sum(c.new_count for c in changes)


def _region(page: Page, sides: Sides, region: Region) -> None:
    lines = f"lines {region.first}-{region.last}" if region.last > region.first else f"line {region.first}"
    place = region.place
    clean = comparison_of(sides.verdict.evidence).merge == "clean"
    how = "merges" if clean and region.meets == "conflict" else region.meets
    meets, style = MEETS[how], STYLES["error"] if how == "conflict" else ""
    page.line((f"{lines}{f', in {place}' if place else ''}", "bold"), (f": {meets}" if meets else "", style))
    if page.width >= TWO_COLUMNS:
        _beside(page, region)
    else:
        for row in region.rows:
            _row(page, row, region)


def _row(page: Page, row: RegionLine, region: Region) -> None:
    head = f"{LETTERS[row.who]}{row.sign or ' '}{row.base or ''!s:>5}  "
    style = COLOURS[row.who]
    width = page.width - len(head)
    marks = _marks(row, region)
    text = _visible_text(row.text)
    for at in range(0, max(len(text), 1), width):
        page.line((head if at == 0 else " " * len(head), style), (text[at : at + width], style))
        below = "".join(
            "^" if any(a <= n < b for a, b in marks) else " " for n in range(at, min(at + width, len(text)))
        )
        if "^" in below:
            page.line(" " * len(head) + below.rstrip())


def _visible_text(text: str) -> str:
    return printable(text.expandtabs(4))


def _beside(page: Page, region: Region) -> None:
    """The parent's changes on the left, the child's on the right."""
    wide = (page.width - 3) // 2
    left: list[tuple[str, str]] = []
    right: list[tuple[str, str]] = []
    for row in region.rows:
        if row.base is not None:
            _even(left, right)
        if row.base is not None or row.who == "both":
            left += _cells(row, region, wide, row.who in ("parent", "both"))
            right += _cells(row, region, wide, row.who in ("child", "both"))
        else:
            (left if row.who == "parent" else right).extend(_cells(row, region, wide, True))
    _even(left, right)
    for (one, colour), (other, other_colour) in zip(left, right, strict=True):
        page.line((one.ljust(wide), colour), " | ", (other.rstrip(), other_colour))


def _even(left: list[tuple[str, str]], right: list[tuple[str, str]]) -> None:
    for cells, others in ((left, right), (right, left)):
        cells += [("", "")] * (len(others) - len(cells))


def _cells(row: RegionLine, region: Region, wide: int, own: bool) -> Iterator[tuple[str, str]]:
    """The lines of one cell; a line of the base that the other side takes away is only a line here."""
    letter = f"{LETTERS[row.who]}{row.sign}" if own else "  "
    head = f"{letter:<2}{row.base or ''!s:>5}  "
    marks = _marks(row, region) if own else []
    text = _visible_text(row.text)
    width = wide - len(head)
    for at in range(0, max(len(text), 1), width):
        colour = COLOURS[row.who] if own else ""
        yield (head if at == 0 else " " * len(head)) + text[at : at + width], colour
        below = "".join(
            "^" if any(a <= n < b for a, b in marks) else " " for n in range(at, min(at + width, len(text)))
        )
        if "^" in below:
            yield " " * len(head) + below.rstrip(), ""


def _marks(row: RegionLine, region: Region) -> list[tuple[int, int]]:
    """Of a line that came in the place of one that is like it, where its words differ."""
    if row.sign != "+":
        return []
    own = _visible_text(row.text)
    gone = [_visible_text(r.text) for r in region.rows if r.sign == "-" and r.who in (row.who, "both")]
    scored = [
        (SequenceMatcher(None, text, own, autojunk=False).ratio(), text) for text in gone[:50] if len(text) < LONG
    ]
    best = max(scored, default=(0.0, ""))
    if best[0] < ALIKE or len(own) >= LONG:
        return []
    old, new = _WORD.findall(best[1]), _WORD.findall(own)
    starts = [0]
    for word in new:
        starts.append(starts[-1] + len(word))
    changes = SequenceMatcher(None, old, new, autojunk=False).get_opcodes()
    return [(starts[j1], starts[j2]) for how, _, _, j1, j2 in changes if how in ("replace", "insert")]


def table(sides: Sides) -> dict[str, Any]:
    """All of it as ``protypon.compare/1``."""
    verdict = sides.verdict
    return {
        "unit": verdict.unit.address,
        "verdict": verdict.verdict,
        "because": sentence(verdict.because),
        "next": command(verdict.next),
        "base": _side(sides.base),
        "parent": _side(sides.theirs),
        "child": _side(sides.ours),
        "regions": [
            {
                "first": region.first,
                "last": region.last,
                "place": region.place,
                "meets": region.meets or None,
                "rows": [
                    {"who": r.who or None, "sign": r.sign or None, "line": r.base, "text": r.text} for r in region.rows
                ],
            }
            for region in sides.regions
        ],
    }


def _side(side: OneText | None) -> dict[str, Any] | None:
    if side is None:
        return None
    return {"label": side.label, "file": side.file, "text": side.text.decode("utf-8", "replace")}


def patches(sides: Sides) -> str:
    """What the parent changed and what the child changed, as two unified diffs of one text (POSIX, diff -u)."""
    from protypon.core.store.git import patch_text

    o = sides.verdict.subject
    path = quote_path(path_of(sides.verdict.unit, o.file, o.inside))
    found = ""
    for words, side in (
        (f"what {sides.theirs.label if sides.theirs else 'the parent'} changed", sides.theirs),
        ("what you changed", sides.ours),
    ):
        if side is not None and side.text != sides.base.text:
            found += f"{words} since {sides.base.label}\n"
            found += patch_text(sides.base.text, side.text, path).decode("utf-8", "surrogateescape")
    return found
