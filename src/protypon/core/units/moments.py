"""An expression of the child, tried at once and at each moment of the platform."""

from __future__ import annotations

from collections.abc import Iterator

from protypon.core.units.coder import Coder, put
from protypon.core.units.draft import Draft


def tried(
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
