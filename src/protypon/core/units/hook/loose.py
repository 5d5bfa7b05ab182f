"""Detachments without a record that match nothing: what would match is written into them."""

from __future__ import annotations

from protypon.core.analysis.state import Callback
from protypon.core.model.actions import Explain, Points
from protypon.core.model.errors import ProtyponError
from protypon.core.model.nouns import Record, Unit
from protypon.core.units.coder import coder, put
from protypon.core.units.draft import Draft
from protypon.core.units.hook import remove, write
from protypon.core.units.hook.findings import Match, matches
from protypon.core.units.mending import changed_calls
from protypon.core.units.taking_out import out_of


def mend_draft(draft: Draft, unit: Unit | None, code: str) -> tuple[Draft, str]:
    """Mend the detachment of one unit, or all: the draft, and what was done. ``code`` is the finding's.

    Raises ProtyponError where nothing would match for certain.
    """
    found = [
        m
        for m in matches(draft.world)
        if unit is None or (m.point, m.label.lower()) == (unit.path, (unit.name or "").lower())
    ]
    if not found:
        raise ProtyponError(f"{code}: nothing would match it for certain", Points(child=draft.child.slug))
    said = []
    for match in found:
        draft, words = _match_detachment(draft, match)
        said.append(words)
    return draft, "; ".join(said)


def _match_detachment(draft: Draft, match: Match) -> tuple[Draft, str]:
    to = match.to
    change: dict[str, object] = {"point": to.point, "callback": to.label}
    if isinstance(to.order, int) and match.order is not None:
        change["order"] = to.order
    made = changed_calls(draft, match.path, {"detach": change}, match.point, match.label)
    if not write.is_off(made.world, to):
        made = _at_another_moment(draft, match, to)
    said = [
        f"{what} is {new}, was {old}"
        for what, new, old in (("the point", to.point, match.point), ("the callback", to.label, match.label), ("the order", to.order, match.order))
        if new != old and not (what == "the order" and match.order is None)
    ]  # fmt: skip
    return made, f"{match.path} line {match.line}: {'; '.join(said) or 'it waits until the callback is there'}"


def _at_another_moment(draft: Draft, match: Match, to: Callback) -> Draft:
    unit = Unit("hook", match.point, match.label)
    out = out_of(draft, Record(unit, "detach", "", None, ""), [], remove)
    code, _ = coder(out)
    try:
        off = write.taken_off(out, to, code)
    except LookupError as error:
        raise ProtyponError(f"{unit.address}: {error}", Explain(f"hook:{match.point}")) from error
    made, _, _ = put(out, [off.text], match.path)
    return made
