"""What could print some words, for people."""

from __future__ import annotations

from typing import Any

from protypon.core.model.actions import unpack_words
from protypon.render.text import STYLES, Page, count

Table = dict[str, Any]
INDENT = 4
MOST_PAGES = 5


def render(page: Page, table: Table) -> None:
    """Print the places, the likeliest first, each with the ways to change it."""
    asked = table["words"] if table["as"] == "selector" else table["asked"]
    found = len(table["found"]) + table["more"]
    as_words = "" if table["as"] == "words" else ", as a selector"
    page.line((f"{asked!r}", "bold"), f"{as_words}: {count(found, 'unit')} of {' < '.join(table['lineage'])}")
    if table["unknown"]:
        page.paragraph(f"unknown: {table['unknown']}", 2, STYLES["warning"])
    for number, row in enumerate(table["found"], 1):
        page.gap()
        _row(page, number, row, table["as"])
    if table["more"]:
        page.gap()
        page.paragraph(f"and {count(table['more'], 'unit')} more: --all", 2, "dim")
    for row in table["named"]:
        page.line("  ", (row["unit"], "bold"), "  is called so")
        page.next(unpack_words(row["next"]), INDENT, "")
    if not table["named"]:
        _content(page, table)
    if table["next"] and not any(row["ways"] for row in table["found"]):
        page.gap()
        page.next(unpack_words(table["next"]), 2)


def _row(page: Page, number: int, row: Table, asked_as: str) -> None:
    lines = row["lines"]
    where = f"{row['theme']}/{row['file']}" + (
        f" line{'s' * (len(lines) > 1)} {', '.join(map(str, lines))}" if lines else ""
    )
    page.line(f"{number:>2}  ", (row["unit"], "bold"), f"  {where}")
    if row["shown"]:
        page.paragraph(row["shown"], INDENT, "dim")
    for words, style in _notes(row, asked_as):
        page.paragraph(words, INDENT, style)
    for way in row["ways"]:
        page.paragraph(f"{way['what']}:", INDENT)
        page.next(unpack_words(way["next"]), INDENT + 2, "")


def _notes(row: Table, asked_as: str) -> list[tuple[str, str]]:
    found: list[tuple[str, str]] = []
    if row["used"] != "yes":
        word = "not used" if row["used"] == "no" else "whether it is used is not known"
        found.append((f"{word}: {row['because']}", STYLES["warning"]))
    if not row["whole_words"]:
        found.append(("inside of a longer word", ""))
    elif row["share"] < 1 and asked_as == "selector":
        found.append(("it may be for it: what stands around it, or a part of its attributes, is filled in", ""))
    elif row["share"] < 1:
        found.append((f"has {row['share']:.0%} of it; the rest is filled in at run time", ""))
    places = [f"{p['theme']}/{p['file']}" + (f" line {p['line']}" if p["line"] else "") for p in row["printed_in"]]
    if places:
        more = f" and {len(places) - 3} more" if len(places) > 3 else ""
        found.append((f"printed in {', '.join(places[:3])}{more}", ""))
    if row["pages"]:
        kinds = row["pages"]
        more = f" and {len(kinds) - MOST_PAGES} more" if len(kinds) > MOST_PAGES else ""
        found.append((f"on pages of the kind {', '.join(kinds[:MOST_PAGES])}{more}", ""))
    if row["yours"]:
        found.append(("yours already: edit it there", STYLES["ok"]))
    return found


def _content(page: Page, table: Table) -> None:
    """Where the site's own content comes out, if that may be what was seen."""
    if table["as"] != "words" or (table["found"] and not table["content"]):
        return
    page.gap()
    unused = table["found"] and all(row["used"] == "no" for row in table["found"])
    some = (
        "if it is seen all the same, it"
        if unused
        else "what is left of it"
        if table["found"]
        else "no text of the lineage has these words: what was seen"
    )
    page.paragraph(f"{some} is the site's own content, or made at run time{':' if table['content'] else ''}", 2)
    places = [(row["what"], f"{row['theme']}/{row['file']} line {row['line']}") for row in table["content"]]
    page.columns(places, 4)
