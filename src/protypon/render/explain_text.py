"""One unit explained, for people."""

from __future__ import annotations

from typing import Any

from protypon.core.model.actions import unpack_words
from protypon.render.commands import sentence
from protypon.render.points_text import at, point
from protypon.render.text import STYLES, Page

Table = dict[str, Any]
INDENT = 14
LABELS = {"region": "printed in", "item": "set in", "value": "set in", "variable": "provided in", "page": "made by"}


def render(page: Page, table: Table) -> None:
    """Print what is known of one unit, the one in force first."""
    page.line((table["unit"], "bold"), f"  as {table['theme']} sees it: {' < '.join(table['lineage'])}")
    if table["unknown"]:
        _row(page, "unknown", table["unknown"], STYLES["warning"])
    if table["kind"] == "styles":
        _sheets(page, table)
        return
    if table["kind"] == "hook":
        point(page, table["in_force"], True)
        _change(page, table)
        return
    if table["in_force"] is None:
        _row(page, "in force", "nothing", STYLES["warning"])
    else:
        _row(page, LABELS.get(table["kind"], "in force"), _what(table["in_force"]), STYLES["ok"])
    for hidden in table["hidden"]:
        _row(page, "hides", _what(hidden) + (f"  ({hidden['how']})" if hidden["file"] else ""))
    if table["without"]:
        _row(page, "without it", _what(table["without"]))
    for note in table["notes"]:
        _row(page, "", note)
    for row in table.get("declarations", ()):
        _declaration(page, row)
    _rules(page, table.get("rules", ()))
    _variables(page, table.get("variables", ()))
    if table["comment"]:
        page.gap()
        for line in table["comment"].split("\n")[:12]:
            page.paragraph(line, INDENT, "dim")
    _change(page, table)


def _sheets(page: Page, table: Table) -> None:
    """What loads, in order, each with its theme."""
    for title, wanted in (
        ("style sheets of the site", ("style", "site")), ("of the editor", ("style", "editor")), ("in print", ("style", "print")),
        ("scripts", ("script", "")),
    ):  # fmt: skip
        found = [row for row in table["sheets"] if row["kind"] == wanted[0] and wanted[1] in (row["surface"], "")]
        if not found:
            continue
        page.gap()
        page.line((f"  {title}, in the order in which they load", "dim"))
        for number, row in enumerate(found, 1):
            page.line(f"  {number:>3}  ", (f"{row['theme']}/{row['file']}", "bold"))
            words = [row["by"], row["conditions"], f"in doubt: {row['doubt']}" if row["doubt"] else ""]
            page.paragraph("; ".join(word for word in words if word), 7)
    if not table["sheets"]:
        page.line("  nothing is registered")
    for note in table["notes"]:
        page.paragraph(note, 2)


SIGNS = {
    "yes": ("wins", "ok"),
    "no": ("loses", "error"),
    "sometimes": ("depends", "warning"),
    "unknown": ("unknown", "warning"),
}
"""What becomes of a declaration: the word for it, and its colour."""
BY = {
    "important": "it is important", "layer": "by its layer", "specificity": "its selector counts more", "order": "it comes later",
}  # fmt: skip
MOST_RIVALS = 3
"""Declarations that compete with one, of which so many are shown."""


def _declaration(page: Page, row: Table) -> None:
    """One declaration of a rule, and what competes with it."""
    word, style = SIGNS[row["wins"]]
    _row(
        page,
        word,
        f"{row['name']}: {row['value']}{'  ' if row['conditions'] else ''}{row['conditions']}",
        STYLES[style],
    )
    if row["why"]:
        page.paragraph(row["why"], INDENT + 2)
    rivals = [each for each in row["rivals"] if each["wins"]]
    for each in rivals[:MOST_RIVALS]:
        where = f"{each['theme']}/{each['file']} line {each['line']}"
        when = f", {each['conditions']}" if each["conditions"] else ""
        how = BY[each["by"]]
        always = (
            ""
            if each["always"] and each["taken"]
            else ", if browsers take it"
            if each["always"]
            else ", where both apply"
        )
        page.paragraph(
            f"{each['selector']} {{ {each['name']}: {each['value']} }} ({where}{when}): {how}{always}", INDENT + 2
        )
    if len(rivals) > MOST_RIVALS:
        page.paragraph(f"and {len(rivals) - MOST_RIVALS} more", INDENT + 2)
    if row["apart"] and row["wins"] == "yes":
        many = f"{row['apart']} other rule{'s' if row['apart'] > 1 else ''}"
        page.paragraph(f"{many} would win where an element is of theirs too", INDENT + 2)


MOST_RULES = 40
"""Rules of a sheet that are named."""


def _rules(page: Page, rows: list[Table]) -> None:
    """The selectors of a sheet, as addresses of rules name them."""
    if rows:
        left = f" and {len(rows) - MOST_RULES} more (--format json has all)" if len(rows) > MOST_RULES else ""
        _row(page, "rules for", "; ".join(row["selector"] for row in rows[:MOST_RULES]) + left)


def _variables(page: Page, rows: list[Table]) -> None:
    """What a template gets: those that it uses, each with who set it last, then the names of the others."""
    used = [row for row in rows if row["used"]]
    for number, row in enumerate(used):
        where = f"handed in {at(row)}" if row["handed"] else at(row) if row["file"] else f"from {row['theme']}"
        about = f"  {row['about']}" if row["about"] else ""
        _row(page, "" if number else "uses", f"{row['name']}  {where}{about}")
    others = ", ".join(row["name"] for row in rows if not row["used"])
    if others:
        _row(page, "gets too" if used else "gets", others)


def _change(page: Page, table: Table) -> None:
    """How it is taken over."""
    if table["next"]:
        page.line("  to change it: ", (sentence(unpack_words(table["next"])), "bold"))


def _row(page: Page, label: str, words: str, style: str = "") -> None:
    page.labelled_line("  " + label.ljust(INDENT - 2), words, style)


def _what(place: Table) -> str:
    value = f" = {place['value']!r}" if "value" in place else ""
    return (at(place) if place["file"] else str(place.get("how", place["theme"]))) + value
