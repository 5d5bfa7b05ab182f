"""What ``var()`` stands for (CSS Custom Properties for Cascading Variables 1, section 3)."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import Any

from protypon.core.languages.css.rules import token_text

MOST_LETTERS = 100_000
"""Of a value with all put in: variables can multiply without end."""


class NoValue(Exception):
    """A value in which a variable has none, and no fallback: it is invalid at computed-value time."""


def substitute_variables(value: str, lookup: Callable[[str], str | None]) -> str:
    """A value with each ``var()`` put in; ``lookup`` gives a custom property's own value, or None. Raises NoValue, also for a circle."""
    import tinycss2

    return token_text(_put_in(tinycss2.parse_component_value_list(value), lookup, (), [MOST_LETTERS]))


def _put_in(
    tokens: Iterable[Any], lookup: Callable[[str], str | None], above: tuple[str, ...], left: list[int]
) -> list[Any]:
    import tinycss2

    out: list[Any] = []
    for token in tokens:
        if token.type == "function" and token.lower_name == "var":
            out += _variable(token, lookup, above, left)
        elif token.type == "function":
            token = tinycss2.ast.FunctionBlock(
                token.source_line, token.source_column, token.name, _put_in(token.arguments, lookup, above, left)
            )
            out.append(token)
        else:
            out.append(token)
    return out


def _variable(token: Any, lookup: Callable[[str], str | None], above: tuple[str, ...], left: list[int]) -> list[Any]:
    import tinycss2

    arguments = [a for a in token.arguments if a.type != "comment"]
    comma = next((n for n, a in enumerate(arguments) if a.type == "literal" and a.value == ","), None)
    name = token_text(arguments[:comma])
    value = lookup(name) if name not in above else None
    if name in above:
        raise NoValue(name)
    try:
        if value is not None:
            left[0] -= len(value)
            if left[0] < 0:
                raise NoValue(name)
            return _put_in(tinycss2.parse_component_value_list(value), lookup, (*above, name), left)
    except NoValue:
        if comma is None or left[0] < 0:
            raise
    if comma is None:
        raise NoValue(name)
    return _put_in(arguments[comma + 1 :], lookup, above, left)
