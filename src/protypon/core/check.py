"""The check: for each child, what every override claims and what the platform will really do.

A check of what was checked before reads reports that are kept, and imports nothing that it would take to make one.
"""

from __future__ import annotations

from collections.abc import Iterable
from typing import TYPE_CHECKING, Any, NamedTuple

from protypon.core.bench import Bench
from protypon.core.kept import KeptReports

if TYPE_CHECKING:
    from protypon.core.model import Theme

Report = dict[str, Any]


class Against(NamedTuple):
    """A release that is not in the bench, to be looked at as if it were."""

    theme: Theme
    path: str
    """As it was typed."""


def check(bench: Bench, slugs: Iterable[str] = (), against: Against | None = None) -> list[Report]:
    """Check the named children, or all; nothing but caches is written.

    Raises Unknown for a name that is no child, BadInput for a ledger that can't be read.
    """
    kept = KeptReports(bench, against)
    wanted = list(slugs)
    children = kept.children()
    if children is None or not set(wanted) <= set(children):
        children = {t.slug: kept.lineage_folders(t) for t in bench.children}
        for slug in wanted:
            bench.child(slug)
        kept.put_children(children)
    names = wanted or sorted(children)
    reports = {slug: kept.report(slug, children[slug], len(children)) for slug in names}
    fresh = [slug for slug, report in reports.items() if report is None]
    if fresh:
        from protypon.core.examine import check_children

        for slug, made in check_children(bench, fresh, against, len(children) == 1):
            reports[slug] = made
            kept.put_report(slug, children[slug], len(children), made)
    return [report for slug in names if (report := reports[slug]) is not None]
