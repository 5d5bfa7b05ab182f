"""One child's check as the plain table that ``--format json`` prints (``protypon.check/1``) and that is kept between runs."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable
from typing import Any

from protypon.core.check.judge import merge_of, source_of
from protypon.core.check.weights import VERDICTS, WEIGHTS
from protypon.core.model.actions import packed
from protypon.core.model.nouns import Finding, Lineage, Theme, Verdict
from protypon.core.model.paths import quote_path

Report = dict[str, Any]
ORDER = list(VERDICTS)


def child_report(
    lineage: Lineage, verdicts: Iterable[Verdict], findings: Iterable[Finding], order: dict[str, int]
) -> Report:
    """Put one child's results into the shape of the contract; heaviest first.

    ``order`` gives the age of each release label, so that the oldest of several can be told.
    """
    rows = sorted(verdicts, key=lambda v: (-WEIGHTS.index(v.weight), ORDER.index(v.verdict), v.unit.address))
    return {
        "child": lineage.child.slug,
        "lineage": [*lineage.slugs, *([lineage.root] if lineage.root else [])],
        "parents": [_parent(theme, rows, order) for theme in lineage.themes[1:]],
        "summary": dict(sorted(Counter(v.verdict for v in rows).items())),
        "overrides": [_override(v) for v in rows],
        "findings": heaviest_first(finding_rows(findings)),
    }


def heaviest_first(rows: Iterable[Report]) -> list[Report]:
    return sorted(rows, key=lambda row: -WEIGHTS.index(row["weight"]))


def finding_rows(findings: Iterable[Finding]) -> list[Report]:
    """Findings as the report has them."""
    return [_finding(f) for f in findings]


def _parent(theme: Theme, rows: list[Verdict], order: dict[str, int]) -> Report:
    taken = {v.facts.taken for v in rows if v.facts.origin == theme.slug and v.facts.taken}
    oldest = min(taken, key=lambda label: order.get(f"{theme.slug} {label}", -1), default=None)
    return {"theme": theme.slug, "taken": oldest, "now": theme.release}


def _override(v: Verdict) -> Report:
    f = v.facts
    moved = f.moved[0] if f.moved else None
    comparison = f.comparison
    line = f.line or next((span[0] for span in (comparison.own_lines if comparison else ())), None)
    row: Report = {
        "unit": v.unit.address,
        "verdict": v.verdict,
        "weight": v.weight,
        "listed": f.listed,
        "how": f.how,
        "reach": f.reach,
        "source": source_of(f),
        "merge": merge_of(f),
        "layout_only": comparison.layout_only if comparison else False,
        "from": f.origin,
        "taken": f.taken,
        "now": f.now,
        "to": quote_path(moved.path) if moved else None,
        "alike": moved.alike if moved else None,
        "file": quote_path(f.file),
        "line": line,
        "because": packed(v.because),
        "next": packed(v.next),
    }
    if len(f.moved) > 1:
        row["ties"] = [{"theme": c.theme, "to": quote_path(c.path), "alike": c.alike} for c in f.moved]
    if f.sure:
        row["sure"] = f.sure
    if f.blocks:
        row["parts"] = list(f.blocks)
    if comparison is not None and comparison.places:
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
        "next": packed(f.next),
    }
