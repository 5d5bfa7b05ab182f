"""Checks of several children together: who needs most, what is common to them, how many there are."""

from __future__ import annotations

from collections import Counter
from typing import Any

from protypon.core.check.weights import SAYS, VERDICTS, WEIGHTS
from protypon.render.text import Page, count

MOST_NAMED = 5
"""Children that are named in a line of the overview."""
MOST_SHARED = 12
"""Troubles common to several children that are named."""
Row = dict[str, Any]
_BY_WEIGHT = sorted(VERDICTS, key=lambda name: -WEIGHTS.index(VERDICTS[name]))


def heaviest_label(row: Row) -> str:
    """What a row is told by: the verdict of an override, the code of a finding."""
    label: str = row.get("verdict") or row["code"]
    return label


def is_calm(report: Row) -> bool:
    """Whether all of a child holds, and nothing else is said of it."""
    return not report["findings"] and set(report["summary"]) <= {"holds"}


def overview(page: Page, reports: list[Row]) -> None:
    """Print the children by the heaviest that is said of each, and what is said of several."""
    by_label: dict[str, list[Row]] = {}
    for report in sorted(reports, key=lambda r: -weight_of(_heaviest(r))):
        heaviest = _heaviest(report)
        by_label.setdefault(heaviest_label(heaviest) if heaviest else "holds", []).append(report)
    page.line((count(len(reports), "child", "children"), "bold"), ", by the heaviest that is said of each")
    page.columns(
        [
            (label, str(len(children)), _said_of(label, [report["child"] for report in children]))
            for label, children in by_label.items()
        ]
    )
    _common(page, reports)


def _common(page: Page, reports: list[Row]) -> None:
    """What stands in several children, once."""
    places: dict[tuple[str, str], list[str]] = {}
    for report in reports:
        for label, what in dict.fromkeys(map(_trouble, _loud(report))):
            places.setdefault((label, what), []).append(report["child"])
    several = [(key, children) for key, children in places.items() if len(children) > 1]
    several.sort(key=lambda row: -len(row[1]))
    if not several:
        return
    page.gap()
    for (label, what), children in several[:MOST_SHARED]:
        page.line("  ", (f"{len(children)} children", "bold"), f": {label} {what}")
    if len(several) > MOST_SHARED:
        page.line(f"  and {len(several) - MOST_SHARED} more that several share")
    for finding in shared_findings(reports):
        page.gap()
        page.paragraph(f"{finding['code']} ({finding['theme']}): {finding['because']}", 2)
        page.next(finding["next"], 2)


def shared_findings(reports: list[Row]) -> list[Row]:
    """Findings that are said of several children in the same words: of a parent, or of the bench."""
    seen: list[Row] = []
    common: list[Row] = []
    for report in reports:
        for finding in report["findings"]:
            if finding not in seen:
                seen.append(finding)
            elif finding not in common:
                common.append(finding)
    return common


def summary(report: Row) -> str:
    """One child in figures."""
    return _figures([report]) or "no overrides"


def total(reports: list[Row]) -> str:
    """All children in figures."""
    return f"{count(len(reports), 'child', 'children')}, {_figures(reports) or 'no overrides'}"


def _figures(reports: list[Row]) -> str:
    """Overrides by verdict, and how many findings: of several children, one in the same words counts once."""
    verdicts = Counter(row["verdict"] for report in reports for row in report["overrides"])
    findings: list[Row] = []
    for report in reports:
        findings += [row for row in report["findings"] if row not in findings]
    parts = ", ".join(f"{verdicts[name]} {name}" for name in _BY_WEIGHT if verdicts[name])
    overrides = f"{count(verdicts.total(), 'override')}: {parts}" if parts else ""
    found = count(len(findings), "finding") if findings else ""
    return f"{overrides}; {found}" if overrides and found else overrides or (f"no overrides, {found}" if found else "")


def _loud(report: Row) -> list[Row]:
    """What is said of a child and is not that it holds."""
    return [row for row in (*report["overrides"], *report["findings"]) if row["weight"] != "ok"]


def _trouble(row: Row) -> tuple[str, str]:
    return heaviest_label(row), row["unit"] if "unit" in row else f"({row['weight']})"


def _heaviest(report: Row) -> Row | None:
    return max(_loud(report), key=weight_of, default=None)


def weight_of(row: Row | None) -> int:
    """How heavy a row is; the lightest is that nothing is said."""
    return WEIGHTS.index(row["weight"]) if row else 0


def _said_of(label: str, slugs: list[str]) -> str:
    meaning = f"{SAYS[label]}: " if label in SAYS else ""
    return f"{meaning}{_names(slugs)}"


def _names(slugs: list[str]) -> str:
    more = f" and {len(slugs) - MOST_NAMED} more" if len(slugs) > MOST_NAMED else ""
    return ", ".join(slugs[:MOST_NAMED]) + more
