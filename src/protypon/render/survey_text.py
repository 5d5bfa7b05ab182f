"""A survey for people: a tree of themes, parents above their children."""

from __future__ import annotations

from typing import Any

from protypon.render.text import STYLES, Page, count, not_too_many

Table = dict[str, Any]
NOUNS = {"code": "code file", "setting": "settings file", "text": "text file"}


def render(page: Page, table: Table) -> None:
    """Print what a survey found."""
    themes = table["themes"]
    page.line((table["path"], "bold"), f": {count(len(themes), 'theme')} for {table['platform']}")
    known = {t["slug"] for t in themes}
    shown: set[int] = set()
    for theme in themes:
        if not any(parent in known and parent != theme["slug"] for parent in theme["parents"]):
            _branch(page, theme, themes, 0, shown)
    for theme in themes:
        if id(theme) not in shown:
            _branch(page, theme, themes, 0, shown)
    if table["findings"]:
        page.gap()
        for finding in not_too_many(table["findings"], "code"):
            if isinstance(finding, tuple):
                page.line("  ", f"and {finding[1]:,} more of the code {finding[0]}; all are in --format json")
                continue
            page.line("  ", (finding["weight"].ljust(9), STYLES[finding["weight"]]), (finding["code"], "bold"))
            page.paragraph(finding["because"], 11)


def _branch(page: Page, theme: Table, themes: list[Table], depth: int, shown: set[int]) -> None:
    if id(theme) in shown:
        return
    shown.add(id(theme))
    page.gap()
    _theme(page, theme, 2 + 4 * depth)
    for other in themes:
        if theme["slug"] in other["parents"]:
            _branch(page, other, themes, depth + 1, shown)


def _theme(page: Page, theme: Table, indent: int) -> None:
    pad = " " * indent
    release = f" {theme['release']}" if theme["release"] else ""
    title = f'  "{theme["title"]}"' if theme["title"] != theme["slug"] else ""
    page.line(pad, (theme["slug"], "bold"), release, title, "  (yours)" if theme["yours"] else "")
    inner = indent + 4
    page.line(" " * inner, f"in {theme['folder'] or '.'}" + (f", {theme['depth']} deep" if theme["depth"] > 1 else ""))
    if theme["parents"]:
        gone = f", and {theme['missing']} is not here" if theme["missing"] else ""
        page.line(" " * inner, f"lineage: {' < '.join(theme['lineage'])}{gone}")
    for role in theme["roles"]:
        page.paragraph(f"{role['role']}: {role['because']}", inner)
    units = ", ".join(count(number, NOUNS.get(kind, kind)) for kind, number in theme["units"].items())
    page.paragraph(f"{units or 'nothing to override'}; {count(theme['files'], 'file')} in all", inner)
    offers = ", ".join(count(len(names), kind.removesuffix("s")) for kind, names in theme["offers"].items())
    if offers:
        page.paragraph(f"its code: {offers}", inner)
    if theme["summary"]:
        page.paragraph(theme["summary"], inner, "dim")
    for address in theme.get("addresses", ()):
        page.line(" " * inner, address)
