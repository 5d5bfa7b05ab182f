"""One child's check as the plain table that ``--format json`` prints (``protypon.check/1``) and that is kept between runs."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable
from typing import Any

from protypon.core.check.judge import source_of
from protypon.core.check.weights import RESTS_ON_BASE, VERDICTS, WEIGHTS
from protypon.core.model.actions import pack_words
from protypon.core.model.evidence import Present, Verdict, comparison_of, moved_to, own_of, reach_of
from protypon.core.model.nouns import Finding, Lineage, Theme
from protypon.core.model.paths import quote_path

Report = dict[str, Any]
ORDER = list(VERDICTS)


def child_report(
    lineage: Lineage, verdicts: Iterable[Verdict], findings: Iterable[Finding], order: dict[str, int]
) -> Report:
    """Put one child's results into the shape of the contract; heaviest first.

    ``order`` gives the age of each release label, so that the oldest of several can be told.
    """
    found = list(verdicts)
    return {
        "child": lineage.child.slug,
        "lineage": [*lineage.slugs, *([lineage.root] if lineage.root else [])],
        "parents": [_parent(theme, found, order) for theme in lineage.themes[1:]],
        **_table(map(override_row, found)),
        "findings": heaviest_first(finding_rows(findings)),
    }


def with_rows(report: Report, rows: Iterable[Report]) -> Report:
    """A report with the rows of some overrides in the place of those that it has."""
    found = {row["unit"]: row for row in report["overrides"]} | {row["unit"]: row for row in rows}
    return {**report, **_table(found.values())}


def _table(rows: Iterable[Report]) -> Report:
    ordered = sorted(rows, key=lambda row: (-WEIGHTS.index(row["weight"]), ORDER.index(row["verdict"]), row["unit"]))
    return {"summary": dict(sorted(Counter(row["verdict"] for row in ordered).items())), "overrides": ordered}


def heaviest_first(rows: Iterable[Report]) -> list[Report]:
    """Rows by their weight, the heaviest first; else as they were.

    >>> heaviest_first([{"weight": "note"}, {"weight": "error"}])
    [{'weight': 'error'}, {'weight': 'note'}]
    """
    return sorted(rows, key=lambda row: -WEIGHTS.index(row["weight"]))


def finding_rows(findings: Iterable[Finding]) -> list[Report]:
    """Findings as the report has them."""
    return [_finding(f) for f in findings]


def _parent(theme: Theme, rows: list[Verdict], order: dict[str, int]) -> Report:
    taken = {v.subject.taken for v in rows if v.subject.origin == theme.slug and v.subject.taken}
    oldest = min(taken, key=lambda label: order.get(f"{theme.slug} {label}", -1), default=None)
    return {"theme": theme.slug, "taken": oldest, "now": theme.release}


def override_row(v: Verdict) -> Report:
    """The row of one override."""
    o, comparison, moved, own = v.subject, comparison_of(v.evidence), moved_to(v.evidence), own_of(v.evidence)
    row: Report = {
        "unit": v.unit.address,
        "verdict": v.verdict,
        "weight": v.weight,
        "listed": o.listed,
        "how": "rewrite" if comparison.merge == "rewrite" else o.how,
        "reach": reach_of(v.evidence),
        "source": source_of(v.evidence),
        "merge": comparison.merge,
        "layout_only": comparison.layout_only,
        "from": o.origin,
        "taken": o.taken,
        "now": o.now,
        "to": quote_path(moved[0].path) if moved else None,
        "alike": moved[0].alike if moved else None,
        "file": quote_path(o.file),
        "line": o.line or next((span[0] for span in comparison.own_lines), None),
        "because": pack_words(v.because),
        "next": pack_words(v.next),
    }
    if v.look is not None:
        row["look"] = pack_words(v.look)
    if len(moved) > 1:
        row["ties"] = [{"theme": c.theme, "to": quote_path(c.path), "alike": c.alike} for c in moved]
    if o.sure:
        row["sure"] = o.sure
        row["guess"] = o.sure == "guess" and v.verdict in RESTS_ON_BASE
    if isinstance(v.evidence, Present) and v.evidence.unedited:
        row["edited"] = False
    if own is not None and own.adds:
        row["parts"] = list(own.adds)
    if comparison.places:
        row["places"] = [{"ours": list(p.ours), "theirs": list(p.theirs)} for p in comparison.places]
    return row


def _finding(f: Finding) -> Report:
    return {
        "code": f.code,
        "weight": f.weight,
        "theme": f.theme,
        "file": quote_path(f.file),
        "line": f.line,
        "because": f.because,
        "next": pack_words(f.next),
    }
