"""The check: for each child, what every override claims and what the platform will really do.

A check of what was checked before reads reports that are kept, and imports nothing that it would take to make one.
"""

from __future__ import annotations

from collections.abc import Iterable
from typing import TYPE_CHECKING, Any, NamedTuple

from protypon.core.check.report_cache import ReportCache
from protypon.core.themes.bench import Bench

if TYPE_CHECKING:
    from protypon.core.check.against import Against

Report = dict[str, Any]


class Checked(NamedTuple):
    """What a check found: a report a child, the platform's name, and the label of the release that was checked against."""

    reports: list[Report]
    platform: str
    against: str | None


def check(bench: Bench, slugs: Iterable[str] = (), against: Against | None = None, jobs: int = 1) -> Checked:
    """Check the named children, or all, in up to ``jobs`` processes; nothing but caches is written.

    Raises UnknownName for a name that is no child, BadInput for a ledger that can't be read.
    """
    kept = ReportCache(bench, against)
    wanted = list(slugs)
    known = kept.bench_row()
    if known is None or not set(wanted) <= set(known["children"]):
        children = {t.slug: kept.lineage_folders(t) for t in bench.children}
        for slug in wanted:
            bench.child(slug)
        label = against.theme.label if against else None
        known = {"children": children, "platform": bench.platform.name, "against": label}
        kept.put_bench_row(known)
    children = known["children"]
    names = wanted or sorted(children)
    reports = {slug: kept.report(slug, children[slug], len(children)) for slug in names}
    fresh = [slug for slug, report in reports.items() if report is None]
    if fresh:
        from protypon.core.check.reuse import Reuse

        reuse = Reuse(bench, kept, len(children))
        reports |= {slug: reuse.report(slug, children[slug]) for slug in fresh} if against is None else {}
        fresh = [slug for slug in fresh if reports[slug] is None]
    if fresh:
        from protypon.core.check.examine import check_children

        found, whole = check_children(bench, fresh, against, len(children) == 1, jobs)
        for made in found:
            reports[made.slug] = made.report
            kept.put_report(made.slug, children[made.slug], len(children), made.report)
            if against is None and whole:
                reuse.put(made, children[made.slug])
    told = [report for slug in names if (report := reports[slug]) is not None]
    return Checked(told, known["platform"], known["against"])
