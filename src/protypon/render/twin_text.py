"""A theme under a new name, for people."""

from __future__ import annotations

from collections.abc import Iterable

from protypon.core.actions.twin import Twin
from protypon.core.model.paths import quote_path
from protypon.core.themes.renaming.occurrences import Occurrence
from protypon.render.commands import command_line
from protypon.render.text import STYLES, Page, count

MOST = 8
"""Places of one kind that are shown at once."""


def render(page: Page, old: str, twin: Twin, everything: bool, for_real: str) -> None:
    """Print what was renamed by kind, what was left, and whether the twin does the same."""
    slug = twin.theme.slug
    page.line((slug, "bold"), f" {'would be' if for_real else 'is'} made from {old}: {count(len(twin.files), 'file')}")
    renaming = twin.renaming
    rows = [(quote_path(was), f"is {quote_path(now)} then") for was, now in renaming.moved.items()]
    if rows:
        page.gap()
        page.line((f"  files with another name ({len(rows)})", "dim"))
        page.columns(rows if everything else rows[:MOST], 4)
    for kind, places in _by_kind(renaming.sure):
        page.gap()
        page.line((f"  {kind} ({len(places)})", "dim"))
        _places(page, [(e.old, f"-> {renaming.name_of(e)}", e) for e in places], everything)
    if twin.unsure:
        page.gap()
        page.line(("  not changed, for it is not sure to be the name", STYLES["warning"]), f" ({len(twin.unsure)})")
        _places(page, [(e.old, e.why, e) for e in twin.unsure], everything)
    page.gap()
    _proof(page, old, twin)
    page.next(for_real or command_line("check", slug), 2)


def _by_kind(places: Iterable[Occurrence]) -> list[tuple[str, list[Occurrence]]]:
    found: dict[str, list[Occurrence]] = {}
    for each in places:
        found.setdefault(each.kind, []).append(each)
    return sorted(found.items())


def _places(page: Page, places: list[tuple[str, str, Occurrence]], everything: bool) -> None:
    """Each name once, with what becomes of it and where it stands."""
    rows: dict[tuple[str, str], dict[str, list[int]]] = {}
    for name, then, each in places:
        rows.setdefault((name, then), {}).setdefault(each.path, []).append(each.line)
    shown = list(rows.items())
    for (name, then), where in shown if everything else shown[:MOST]:
        files = [f"{quote_path(path)} {', '.join(map(str, dict.fromkeys(lines)))}" for path, lines in where.items()]
        more = f" and {count(len(files) - 3, 'more file')}" if len(files) > 3 else ""
        page.columns([(f"{name} {then}", f"{'; '.join(files[:3])}{more}")], 4)
    if not everything and len(shown) > MOST:
        page.line(f"    and {len(shown) - MOST} more names: --all")


def _proof(page: Page, old: str, twin: Twin) -> None:
    if twin.left:
        places = ", ".join(f"{quote_path(each.path)} line {each.line}" for each in twin.left[:MOST])
        page.paragraph(f"the old name still counts in {places}", 2, STYLES["error"])
    else:
        page.paragraph("no old name is left where one counts", 2, STYLES["ok"])
    if twin.unknown:
        page.paragraph(f"whether it does the same can't be told: {twin.unknown}", 2, STYLES["warning"])
    elif twin.differs:
        page.paragraph(f"it does not do the same as {old}: {twin.differs}", 2, STYLES["error"])
    else:
        page.paragraph(f"followed side by side, it does what {old} does", 2, STYLES["ok"])
