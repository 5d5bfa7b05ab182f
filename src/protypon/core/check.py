"""The check: for each child, what every override claims and what the platform will really do.

A check of what was checked before reads reports that are kept, and imports nothing that it would take to make one.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from functools import cached_property
from typing import TYPE_CHECKING, Any, NamedTuple

from protypon.core.bench import Bench
from protypon.core.files.listing import look
from protypon.core.kept import KeptReports

if TYPE_CHECKING:
    from protypon.core.files.archives import Intake
    from protypon.core.model import Theme

Report = dict[str, Any]


class Against:
    """A release that is not in the bench, to be looked at as if it were; what it is, is read when it is asked for.

    ``path`` is as it was typed, ``known_by`` all that tells one such release from another.
    """

    def __init__(self, path: str, known_by: tuple[str, ...], read: Callable[[], Theme]) -> None:
        self.path, self.known_by, self._read = path, known_by, read

    @cached_property
    def theme(self) -> Theme:
        return self._read()


def look_at(bench: Bench, intake: Intake) -> Against:
    """What is in a folder or archive, as a release of one of the bench's themes. ``theme`` raises BadInput where it is none."""
    cache = None if intake.archive else bench.cache.file("listings/looked at.listing")
    listing = look(intake.folder, cache, bench.progress)

    def read() -> Theme:
        from protypon.core.actions.keep import against_theme

        return against_theme(bench, intake, listing)

    return Against(intake.origin, (listing.found, intake.name, intake.release or ""), read)


class Checked(NamedTuple):
    """What a check found: a report a child, the platform's name, and the label of the release that was checked against."""

    reports: list[Report]
    platform: str
    against: str | None


def check(bench: Bench, slugs: Iterable[str] = (), against: Against | None = None) -> Checked:
    """Check the named children, or all; nothing but caches is written.

    Raises Unknown for a name that is no child, BadInput for a ledger that can't be read.
    """
    kept = KeptReports(bench, against)
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
        from protypon.core.examine import check_children

        for slug, made in check_children(bench, fresh, against, len(children) == 1):
            reports[slug] = made
            kept.put_report(slug, children[slug], len(children), made)
    found = [report for slug in names if (report := reports[slug]) is not None]
    return Checked(found, known["platform"], known["against"])
