"""The arguments of a call that means something: which role each has, also inside arrays, and what stands there in code."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from dataclasses import dataclass

from protypon.core.languages.code import Expression, Invoke, Items, Lit, Op, spreads
from protypon.core.languages.values import Unknown, join_texts


class NotASignature(Exception):
    """A text that no call can be described by; the message says where it ends."""


@dataclass(frozen=True, slots=True)
class Argument:
    """One place in the arguments of a call: its role, the name it can be given by, and what it is if left out."""

    role: str
    keyword: str
    default: str | int | None = None
    entries: tuple[Argument, ...] = ()
    """For an array: the roles of its entries; ``keyword`` of each is the key, with dots where it lies deeper."""
    each: bool = False
    """For an array of such arrays: the call does its work once for each."""

    @classmethod
    def read(cls, text: str) -> Argument:
        """Read ``role``, ``role=default``, ``role:keyword=default``, ``{role:key, role}`` or ``[{role:key}]``; raises NotASignature.

        >>> Argument.read("order:at=10")
        Argument(role='order', keyword='at', default=10, entries=(), each=False)
        >>> Argument.read("{name:key}:given").entries[0].keyword
        'key'
        """
        array = re.fullmatch(
            r"(\[\s*)?\{(?P<entries>.*)\}(?(1)\s*\])\s*(:\s*(?P<keyword>[\w.-]+))?", text.strip(), re.S
        )
        if array is not None:
            entries = tuple(cls.read(part) for part in split_arguments(array["entries"]))
            return cls("", array["keyword"] or "", None, entries, bool(array[1]))
        head, _, default = text.strip().partition("=")
        role, _, keyword = head.strip().partition(":")
        if not re.fullmatch(r"-|[a-z]+", role) or (keyword and not re.fullmatch(r"[\w.-]+", keyword.strip())):
            raise NotASignature(text.strip())
        number = re.fullmatch(r"-?\d+", default.strip())
        return cls(role, keyword.strip() or role, int(default) if number else default.strip() or None)

    def roles(self) -> Iterator[Argument]:
        """The argument itself, or every entry of its array."""
        if self.entries:
            for entry in self.entries:
                yield from entry.roles()
        else:
            yield self


def split_arguments(text: str) -> list[str]:
    """A list of arguments, divided at the commas that stand in no array."""
    parts, depth = [""], 0
    for char in text:
        depth += (char in "{[") - (char in "}]")
        if char == "," and depth == 0:
            parts.append("")
        else:
            parts[-1] += char
    return [] if parts == [""] or not text.strip() else parts


def read_signature(text: str) -> tuple[str, list[str] | None]:
    """Divide ``name(role, role=default)`` into the name and its arguments; None where nothing stands behind the name.

    >>> read_signature("hang(point, {name:key, caption})")
    ('hang', ['point', '{name:key, caption}'])
    """
    found = re.fullmatch(r"\s*([^\s(){}\[\],=]+)\s*(?:\((.*)\))?\s*", text, re.S)
    if found is None:
        raise NotASignature(text)
    return found[1], None if found[2] is None else [part.strip() for part in split_arguments(found[2])]


def said_of(node: Invoke, arguments: tuple[Argument, ...]) -> list[dict[str, Expression | None]]:
    """What stands in a call for each role, as code: one table, or one for each array of a list; None where that is made at run time."""
    given, named = list(node.arguments), dict(node.named)
    tables: list[dict[str, Expression | None]] = [{}]
    for argument in arguments:
        part = named.get(argument.keyword)
        spread = part is None and any(spreads(other) for other in given[:1])
        if part is None and given and not spread:
            part = given.pop(0)
        if not argument.entries:
            tables = [table | _plain(argument, part, spread) for table in tables]
        elif argument.each:
            rows = [item for _, item in part.pairs] if isinstance(part, Items) else [None]
            tables = [table | _entries(argument, row) for table in tables for row in rows]
        else:
            tables = [table | _entries(argument, part) for table in tables]
    return tables


def _plain(argument: Argument, part: Expression | None, spread: bool) -> dict[str, Expression | None]:
    if part is not None:
        return {argument.role: part}
    if spread:
        return {argument.role: None}
    return {argument.role: Lit(argument.default)} if argument.default is not None else {}


def _entries(argument: Argument, array: Expression | None) -> dict[str, Expression | None]:
    """The roles of an array's entries."""
    found: dict[str, Expression | None] = {}
    for entry in argument.entries:
        here: Expression | None = array
        for key in entry.keyword.split("."):
            here = _at(here, key) if isinstance(here, Items) else None
        known = isinstance(array, Items) and all(isinstance(key, Lit) for key, _ in array.pairs)
        if here is not None or not known:
            found[entry.role] = here
        elif entry.default is not None:
            found[entry.role] = Lit(entry.default)
    return found


def _at(items: Items, key: str) -> Expression | None:
    return next((value for name, value in items.pairs if isinstance(name, Lit) and str(name.value) == key), None)


def text_of(part: Expression | None) -> str | Unknown:
    """The text that a piece of code stands for, as far as it is written out."""
    if isinstance(part, Lit) and isinstance(part.value, str | int) and not isinstance(part.value, bool):
        return str(part.value)
    if isinstance(part, Op) and part.op in _JOINS:
        made = join_texts([text_of(each) for each in part.parts])
        return made if isinstance(made, str | Unknown) else Unknown()
    return Unknown()


_JOINS = (".", "+", "~", "format")
"""Operations that put texts together."""


def literal_text(found: Mapping[str, Expression | None], role: str) -> str | None:
    """The text that a role is given by; None where it is not written out."""
    part = found.get(role)
    return part.value if isinstance(part, Lit) and isinstance(part.value, str) else None
