"""Expressions of Jinja, read from the tokens of a tag into the form that all code shares; precedence as Jinja's parser has it."""

from __future__ import annotations

import warnings
from collections.abc import Callable, Sequence
from typing import NamedTuple

from protypon.core.languages.code import Expression, Invoke, Items, Lit, Op, Opaque, Var
from protypon.core.languages.jinja.lexer import Token
from protypon.core.languages.jinja.tokens import RESERVED, Refused, Tokens

MOST_NESTED = 60
"""Brackets and signs before a value, one inside the other."""
LONGEST_CHAIN = 150
"""Operators, filters and look-ups in one tag, which make a tree as deep."""
_OR, _AND, _NOT, _COMPARE, _CONCAT, _HIGHEST = 1, 2, 3, 4, 6, 8
_POWER = {
    "or": _OR, "and": _AND,
    "==": _COMPARE, "!=": _COMPARE, "<": _COMPARE, "<=": _COMPARE, ">": _COMPARE, ">=": _COMPARE, "in": _COMPARE, "not in": _COMPARE,
    "+": 5, "-": 5, "~": _CONCAT, "*": 7, "/": 7, "//": 7, "%": 7, "**": _HIGHEST,
}  # fmt: skip
_FOLLOWED = {"or", "and", "+", "-", "*"}
_NAMES = {"/": "div", "//": "floordiv", "%": "mod", "**": "pow"}


class Arguments(NamedTuple):
    """What stands in the brackets of a call."""

    given: tuple[Expression, ...] = ()
    named: tuple[tuple[str, Expression], ...] = ()

    @property
    def values(self) -> tuple[Expression, ...]:
        """Every argument, given by place or by name."""
        return (*self.given, *(value for _, value in self.named))


class Expressions(Tokens):
    """The values in a tag. All that reads raises Refused."""

    def __init__(self, tokens: Sequence[Token], line_of: Callable[[int], int]) -> None:
        super().__init__(tokens, line_of)
        self._nested = self._chained = 0

    def expression(self) -> Expression:
        """Read one expression, with a condition behind it. Raises Refused where none stands there."""
        value = self.simple()
        while self.text == "if" and self.kind == "name":
            self._chain()
            self.step()
            test = self.simple()
            other = self.expression() if self.skip("else") else Lit(None)
            value = Op("?:", (test, value, other))
        return value

    def simple(self) -> Expression:
        """An expression without a condition after it."""
        return self._binary(_OR)

    def expression_list(
        self, ends: tuple[str, ...] = (), conditional: bool = True, bracketed: bool = False
    ) -> Expression:
        """One expression, or several with commas between them; none only in brackets."""
        items: list[Expression] = []
        several = False
        while True:
            if items:
                self.expect(",")
            if self.kind == "end" or self.text == ")" or self.text in ends:
                break
            items.append(self.expression() if conditional else self.simple())
            if self.text != ",":
                break
            several = True
        if not several and items:
            return items[0]
        if not several and not bracketed:
            raise Refused(self.at)
        return _items(items)

    def _chain(self) -> None:
        self._chained += 1
        if self._chained > LONGEST_CHAIN:
            raise Refused(self.at)

    def _binary(self, least: int) -> Expression:
        """Operators that bind at least so much; all of them go from left to right."""
        if least <= _NOT and self.text == "not" and self.kind == "name":
            self._chain()
            self.step()
            left: Expression = Op("not", (self._binary(_NOT),))
        else:
            left = self._sign(True)
        while True:
            sign = "not in" if self.text == "not" and self.next_is("in") else self.text
            power = _POWER.get(sign, 0)
            if power < least or power == 0:
                return left
            self._chain()
            if power == _COMPARE:
                left = self._comparison(left)
            elif power == _CONCAT:
                parts = [left]
                while self.skip("~"):
                    parts.append(self._binary(_CONCAT + 1))
                left = Op(".", tuple(parts))
            else:
                self.step()
                right = self._binary(power + 1)
                left = Op(sign, (left, right)) if sign in _FOLLOWED else Opaque(_NAMES[sign], (left, right))

    def _comparison(self, left: Expression) -> Expression:
        parts, signs = [left], []
        while True:
            sign = "not in" if self.text == "not" and self.next_is("in") else self.text
            if _POWER.get(sign) != _COMPARE:
                break
            for _ in sign.split():
                self.step()
            signs.append(sign)
            parts.append(self._binary(_COMPARE + 1))
        return Op(signs[0], tuple(parts)) if len(signs) == 1 else Opaque("compare", tuple(parts))

    def _sign(self, filtered: bool) -> Expression:
        self._nested += 1
        if self._nested > MOST_NESTED:
            raise Refused(self.at)
        if self.text in ("-", "+") and self.kind == "sign":
            sign = self.step()
            value = self._sign(False)
            if sign == "-" and isinstance(value, Lit) and isinstance(value.value, int | float):
                value = Lit(-value.value)
            else:
                value = Opaque("neg" if sign == "-" else "pos", (value,))
        else:
            value = self.primary()
        value = self.postfix(value)
        value = self._filters(value) if filtered else value
        self._nested -= 1
        return value

    def primary(self) -> Expression:
        """A name or literal."""
        kind = self.kind
        if kind == "name":
            name = self.step()
            return Lit(RESERVED[name]) if name in RESERVED else Var(name)
        if kind == "string":
            return Lit(self.string())
        if kind == "number":
            return Lit(self._number())
        if self.skip("("):
            value = self.expression_list(bracketed=True)
            self.expect(")")
            return value
        if self.skip("["):
            return _items(self._until("]"))
        if self.skip("{"):
            return self._dict()
        raise Refused(self.at)

    def string(self) -> str:
        """A string; those beside each other are one."""
        found = ""
        while self.kind == "string":
            found += self._unescape(self.text[1:-1])
            self.step()
        return found

    def _unescape(self, text: str) -> str:
        if "\\" not in text:
            return text
        try:
            with warnings.catch_warnings():
                warnings.simplefilter("ignore")  # Jinja takes what Python means to refuse one day
                return text.encode("ascii", "backslashreplace").decode("unicode-escape")
        except UnicodeDecodeError as error:
            raise Refused(self.at) from error

    def _number(self) -> int | float:
        at, text = self.at, self.step().replace("_", "")
        fraction = "." in text or ("e" in text.lower() and not text.lower().startswith("0x"))
        try:
            return float(text) if fraction else int(text, 0)
        except ValueError as error:  # more digits than Python takes
            raise Refused(at) from error

    def _until(self, closing: str) -> list[Expression]:
        items: list[Expression] = []
        while self.text != closing:
            if items:
                self.expect(",")
                if self.text == closing:
                    break
            items.append(self.expression())
        self.step()
        return items

    def _dict(self) -> Expression:
        pairs: list[tuple[Expression | None, Expression]] = []
        while self.text != "}":
            if pairs:
                self.expect(",")
                if self.text == "}":
                    break
            key = self.expression()
            self.expect(":")
            pairs.append((key, self.expression()))
        self.step()
        return Items(tuple(pairs))

    def postfix(self, value: Expression) -> Expression:
        """A value with what is looked up in it, and calls of it."""
        while self.kind == "sign":
            if self.text == ".":
                value = self._attribute(value)
            elif self.text == "[":
                value = self._subscript(value)
            elif self.text == "(":
                value = self._call(value)
            else:
                return value
            self._chain()
        return value

    def _attribute(self, value: Expression) -> Expression:
        self.step()
        if self.kind == "name":
            return Op("attr", (value, Lit(self.step())))
        if self.kind == "number" and isinstance(number := self._number(), int):
            return Op("[]", (value, Lit(number)))
        raise Refused(self.at)

    def _subscript(self, value: Expression) -> Expression:
        self.step()
        parts: list[Expression] = []
        while self.text != "]":
            if parts:
                self.expect(",")
            parts.append(self._slice())
        self.step()
        return Op("[]", (value, parts[0] if len(parts) == 1 else _items(parts)))

    def _slice(self) -> Expression:
        parts: list[Expression] = []
        if self.text != ":":
            parts.append(self.expression())
            if self.text != ":":
                return parts[0]
        self.step()
        if self.text not in (":", "]", ","):
            parts.append(self.expression())
        if self.skip(":") and self.text not in ("]", ","):
            parts.append(self.expression())
        return Opaque("slice", tuple(parts))

    def _call(self, value: Expression) -> Expression:
        line = self.line_of(self.at)
        given, named = self.arguments()
        if isinstance(value, Var):
            return Invoke(value.name, None, given, named, line, 1)
        if isinstance(value, Op) and value.op == "attr" and isinstance(value.parts[1], Lit):
            on, name = value.parts[0], str(value.parts[1].value)
            if isinstance(on, Var) and on.name == "self":
                return Invoke("self." + name, None, given, named, line, 1)
            return Invoke(name, on, given, named, line, 1)
        return Invoke("", value, given, named, line, 1)

    def arguments(self) -> Arguments:
        """What stands in brackets after a callable, a filter or a test."""
        self.expect("(")
        given: list[Expression] = []
        named: list[tuple[str, Expression]] = []
        spread = spread_named = False
        while self.text != ")":
            if given or named:
                self.expect(",")
                if self.text == ")":
                    break
            at = self.at
            if self.text == "*" and not spread and not spread_named:
                self.step()
                given.append(Op("*", (self.expression(),)))
                spread = True
            elif self.text == "**" and not spread_named:
                self.step()
                given.append(Op("*", (self.expression(),)))
                spread_named = True
            elif self.kind == "name" and self.next_is("=") and not spread_named:
                key = self.step()
                self.step()
                named.append((key, self.expression()))
            elif not (spread or spread_named or named):
                given.append(self.expression())
            else:
                raise Refused(at)
        self.step()
        return Arguments(tuple(given), tuple(named))

    def _filters(self, value: Expression) -> Expression:
        while True:
            if self.text == "|" and self.kind == "sign":
                self.step()
                value = self.filter(value)
            elif self.text == "is" and self.kind == "name":
                value = self._test(value)
            elif self.text == "(" and self.kind == "sign":
                value = self._call(value)
            else:
                return value
            self._chain()

    def filter(self, value: Expression | None) -> Expression:
        """A filter over a value, or of a block."""
        name = self._dotted_name()
        arguments = self.arguments() if self.text == "(" else Arguments()
        if name == "safe" and value is not None:
            return value
        return Opaque("filter", (*(() if value is None else (value,)), *arguments.values))

    def _dotted_name(self) -> str:
        name = self.name()
        while self.skip("."):
            name += "." + self.name()
        return name

    def _test(self, value: Expression) -> Expression:
        self.step()
        negated = self.skip("not")
        self._dotted_name()
        arguments: tuple[Expression, ...] = ()
        if self.text == "(":
            arguments = self.arguments().values
        elif self._begins_value():
            if self.text == "is":
                raise Refused(self.at)
            arguments = (self.postfix(self.primary()),)
        found = Opaque("test", (value, *arguments))
        return Op("not", (found,)) if negated else found

    def _begins_value(self) -> bool:
        """Whether the argument of a test stands here, without brackets."""
        if self.text in ("else", "or", "and"):
            return False
        return self.kind in ("name", "string", "number") or self.text in ("[", "{")


def _items(values: list[Expression]) -> Items:
    return Items(tuple((None, value) for value in values))
