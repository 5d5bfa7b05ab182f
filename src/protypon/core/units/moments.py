"""A call of the child's own, tried at once and at each moment of the platform, and what came of it."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass

from protypon.core.analysis.state import Callback
from protypon.core.units import run_differences
from protypon.core.units.coder import Coder, put
from protypon.core.units.draft import Draft


@dataclass(frozen=True, slots=True)
class Hooked:
    """What was written for one point."""

    draft: Draft
    file: str
    callback: Callback | None
    brought: tuple[str, ...]
    why: str
    called: str = ""
    notes: tuple[str, ...] = ()


def try_moments(
    draft: Draft, code: Coder, words: str, expression: str, file: str
) -> Iterator[tuple[Draft, str, tuple[str, ...], str]]:
    """An expression written to be done at once, and at each moment of the platform."""
    yield *put(draft, [f"{words}\n{code.writer.statement(expression)}"], file), "at once"
    if code.has("attach"):
        for moment in code.rules.moments:
            yield *put(draft, [f"{words}\n{code.at_moment(moment, expression)}"], file), f"at {moment}"
        for moment in code.rules.moments:
            numbers = [
                c.order for c in draft.world.behaviour.state.callbacks if c.point == moment and isinstance(c.order, int)
            ]
            last = min(numbers, default=0) - 10 if code.rules.numbers == "descending" else max(numbers, default=0) + 10
            yield *put(draft, [f"{words}\n{code.at_moment(moment, expression, last)}"], file), f"at {moment}"


def beside(before: Draft, after: Draft, what: str, own: str = "") -> Iterator[str]:
    """Callbacks that come or go with something, because it attaches them, or code asks about it; ``own`` names the one that was meant."""
    moments = set(after.world.behaviour.platform.code.moments)
    was, now = (run_differences.rows(d.world.behaviour, {}, moments) for d in (before, after))
    told = set[str]()
    for old, new in zip(was, now, strict=False):
        for point in sorted({*old, *new}):
            one, other = (Counter(name.split(" of ")[0] for name, _ in rows.get(point, [])) for rows in (old, new))
            told |= {f"{name} at {point} does not run any more either: it hangs on {what}" for name in one - other}
            told |= {f"{name} at {point} runs then: it hangs on {what}" for name in other - one}
    yield from sorted(words for words in told if not own or not words.lower().startswith(own.lower()))
