"""Calls and marks of a platform written as code: what the platform file says they mean, in the style of the child's file."""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any

from protypon.core.languages.text_edits import Style, append_block
from protypon.core.languages.writers import Writer
from protypon.core.platform.arguments import Argument
from protypon.core.platform.meanings import CodeRules, Meaning
from protypon.core.units.draft import Draft, open_code


@dataclass(frozen=True, slots=True)
class Coder:
    """One language, one platform, one style."""

    rules: CodeRules
    writer: Writer
    style: Style

    def literal(self, value: Any) -> str:
        """A value as it is written in code. Raises ValueError for one that has no plain form."""
        return self.writer.literal(value, self.style.quote)

    def has(self, does: str, form: str = "call") -> bool:
        """Whether the platform has a call or mark that does this."""
        return self._meaning(does, form) is not None

    def _meaning(self, does: str, form: str) -> Meaning | None:
        return next((m for m in self.rules.meanings if m.does == does and form in m.form), None)

    def takes(self, does: str, role: str) -> bool:
        """Whether calls of a meaning have an argument of some role."""
        meaning = self._meaning(does, "call") or self._meaning(does, "mark")
        return meaning is not None and meaning.takes(role)

    def default(self, does: str, role: str) -> str | int | None:
        """What calls of a meaning take for a role that is left out."""
        meaning = self._meaning(does, "call") or self._meaning(does, "mark")
        return meaning.default(role) if meaning is not None else None

    def call(self, does: str, **roles: str | None) -> str:
        """A call of a meaning; each role is a piece of code. Raises LookupError where the platform has none."""
        meaning = self._meaning(does, "call")
        if meaning is None:
            raise LookupError(does)
        return self._write_call(meaning, roles, False)

    def mark(self, does: str, **roles: str | None) -> str:
        """An attribute or decorator that does something. Raises LookupError where the platform has none."""
        meaning = self._meaning(does, "mark")
        if meaning is None:
            raise LookupError(does)
        return self.writer.mark(self._write_call(meaning, roles, True))

    def _write_call(self, meaning: Meaning, roles: dict[str, str | None], mark: bool) -> str:
        """A call: what is left out before the last argument is written as what it is then; where nobody knows that, those behind it go by name."""
        arguments = [a for a in meaning.arguments if not (mark and a.role == "callback")]
        values = [self._array(a, roles) if a.entries else roles.get(a.role) for a in arguments]
        while values and values[-1] is None:
            values.pop()
        given: list[str] = []
        gap = False
        for number, (argument, value) in enumerate(zip(arguments, values, strict=False)):
            if value is None and argument.default is not None and not gap and not mark:
                value = self.literal(argument.default)
            if value is None:
                gap = True
            elif gap or (mark and (number or argument.keyword != argument.role)):
                given.append(self.writer.named_argument(argument.keyword, value))
            else:
                given.append(value)
        return f"{meaning.name[0]}({', '.join(given)})"

    def _array(self, argument: Argument, roles: dict[str, str | None]) -> str | None:
        """The array of an argument whose entries have roles; None where no role has a value."""
        table: dict[str, Any] = {}
        for entry in argument.entries:
            value = roles.get(entry.role)
            if value is None:
                continue
            *above, last = entry.keyword.split(".")
            inside = table
            for key in above:
                inside = inside.setdefault(key, {})
            inside[last] = value
        if not table:
            return None
        made = self._pairs(table)
        return self.writer.array([(None, made)]) if argument.each else made

    def _pairs(self, table: dict[str, Any]) -> str:
        pairs = [(self.literal(k), self._pairs(v) if isinstance(v, dict) else v) for k, v in table.items()]
        return self.writer.array(pairs)

    def address(self, path: str) -> str:
        """The address of a file of the child as its own code writes it; on a platform that knows no addresses, its path."""
        found = [m for m in self.rules.meanings if m.does == "address" and m.of != "parent" and "call" in m.form]
        return f"{found[0].name[0]}(){self.writer.JOIN}{self.literal('/' + path)}" if found else self.literal(path)

    def order(self, number: int | None, does: str = "attach") -> str | None:
        """An order number as an argument; None where calls of that kind take none."""
        return None if number is None or not self.takes(does, "order") else self.literal(number)

    def at_moment(self, moment: str, expression: str, order: int | None = None) -> str:
        """A statement that does something when a point is fired."""
        inner = self.writer.closure(expression, self.style.indent)
        if self.has("attach"):
            attach = self.call("attach", point=self.literal(moment), callback=inner, order=self.order(order))
            return self.writer.statement(attach)
        raise LookupError("attach")

    def statement(self, does: str, **roles: str | None) -> str:
        """A call that does something, as a statement. Raises LookupError where the platform has none."""
        return self.writer.statement(self.call(does, **roles))

    @property
    def module(self) -> str:
        """A name that calls of this platform begin with."""
        return next((m.name[0] for m in self.rules.meanings if m.does == "attach"), "")


def coder(draft: Draft, file: str = "") -> tuple[Coder, str]:
    """How the child's code is written, and the file that something new goes into."""
    path, _, made, style, _ = open_code(draft, file)
    return Coder(draft.start.platform.code, made, style), path


def put(
    draft: Draft, blocks: Iterable[str], file: str = "", imports: Iterable[str] = ()
) -> tuple[Draft, str, tuple[str, ...]]:
    """Put blocks behind all code of the child's file, and lines at its top: the draft with them, the file, and what else came in."""
    path, data, made, style, new = open_code(draft, file)
    brought: list[str] = ["file"] if new else []
    module = Coder(draft.start.platform.code, made, style).module
    texts = list(blocks)
    needs = made.needs(module, data) if any(module.partition(".")[0] + "." in text for text in texts) else ""
    for line in [*imports, *([needs] if needs else [])]:
        brought.append(line)
        data = _with_line(data, line, made.after_head(data), style.newline)
    for text in texts:
        data = append_block(data, text.encode("utf-8", "surrogateescape"), made, style.newline)
    return draft.with_file(path, data), path, tuple(brought)


def _with_line(data: bytes, line: str, at: int, newline: str) -> bytes:
    end = newline.encode()
    if at == 0:
        return line.encode() + end + data
    return data[:at] + end * 2 + line.encode() + data[at:]


BROKEN = "broken: "
"""What stands before a line, up to its closing brace, that was broken in two so that something goes in between."""


def rejoin_line(data: bytes, line: str) -> bytes:
    """Make a broken line whole again, where nothing stands between its parts any more."""
    whole = line.encode()
    if not whole.endswith(b"}"):
        return data  # a person changed the ledger
    parts = re.compile(rb"(?m)^" + re.escape(whole[:-1].rstrip()) + rb"\r?\n[ \t]*\}")
    return parts.sub(lambda _: whole, data) if len(parts.findall(data)) == 1 else data


def without_line(data: bytes, line: str) -> bytes:
    """The inverse."""
    for end in (b"\r\n", b"\n"):
        whole = line.encode() + end
        if data.startswith(whole):
            return data[len(whole) :]
        found = data.find(end * 2 + line.encode() + end)
        if found >= 0:
            return data[:found] + data[found + len(end * 2) + len(line.encode()) :]
    return data
