"""Random Python programs, drawn from the whole language and not from what is followed; they say values and mark points.

``unknown()`` is a condition that only a run knows.
"""

from __future__ import annotations

import random
from collections.abc import Callable

Made = list[str]


class RandomPython:
    """One program. Names are few, so that things meet."""

    def __init__(self, rng: random.Random) -> None:
        self.rng = rng
        self.depth = 0
        self.loops = 0
        self.number = 0
        self.functions: list[tuple[str, int]] = []
        self.classes: list[str] = []
        self.inside = 0
        """How many functions it is in."""

    def program(self) -> str:
        lines = ["import os", "from os import environ", "def unknown(wanted=True): return wanted and 'PATH' in environ"]
        lines += ["a = 1; b = 'x'; c = [1, 2, 3]; d = None; e = 2.5"]
        for _ in range(self.rng.randint(1, 4)):
            lines += self.declared()
        for _ in range(self.rng.randint(3, 8)):
            lines += self.statement()
        lines += [line for name in "abcde" for line in self.shown(name)]
        return "\n".join(lines)

    def shown(self, name: str) -> Made:
        return [
            "try:", f"    say('{name}:', {name} if isinstance({name}, (int, str, float)) else len({name}) if isinstance({name}, (list, dict)) else '?')",
            "except NameError:", f"    say('no {name}')",
        ]  # fmt: skip

    def var(self) -> str:
        return self.rng.choice("abcde")

    def fresh(self, stem: str) -> str:
        self.number += 1
        return f"{stem}{self.number}"

    def indented(self, lines: Made) -> Made:
        return [f"    {line}" for line in lines] or ["    pass"]

    # Expressions

    def value(self) -> str:
        if self.depth > 3:
            return self.rng.choice((self.literal(), self.var()))
        self.depth += 1
        made = self.rng.choice(_VALUES)(self)
        self.depth -= 1
        return made

    def literal(self) -> str:
        return self.rng.choice(
            (
                "1",
                "0",
                "'x'",
                "'7'",
                "None",
                "True",
                "False",
                "2.5",
                "-3",
                "''",
                "[]",
                "[1, 2]",
                "{'k': 'v'}",
                "(1, 'a')",
                "{1}",
            )
        )

    def number_value(self) -> str:
        if self.depth > 3:
            return self.rng.choice(("1", "2", "7"))
        self.depth += 1
        made = self.rng.choice(
            ("0", "1", "3", "-2", f"len({self.text()})", f"({self.number_value()} + {self.number_value()})", f"({self.number_value()} * 2)",
             f"({self.number_value()} // 3)", f"({self.number_value()} % 4)", f"int({self.condition()})", f"({self.number_value()} - 1)",
             f"len([{self.value()}, {self.value()}])", f"sum([1, {self.number_value()}])", f"({self.number_value()} ^ 5)", f"abs({self.number_value()})")
        )  # fmt: skip
        self.depth -= 1
        return made

    def text(self) -> str:
        if self.depth > 3:
            return "'t'"
        self.depth += 1
        made = self.rng.choice(
            ("'a'", "'5'", '"q\\n"', "''", f"str({self.number_value()})", "f'<{a}>'",
             f"({self.text()} + {self.text()})", f"({self.text()} * 2)", f"type({self.var()}).__name__", f"{self.text()}.upper()",
             f"'-'.join(['p', {self.text()}])", f"'ab'[{self.rng.randint(-1, 1)}]")
        )  # fmt: skip
        self.depth -= 1
        return made

    def condition(self) -> str:
        if self.depth > 3:
            return self.rng.choice(("unknown()", "unknown(False)", "True", "False"))
        self.depth += 1
        made = self.rng.choice(
            ("unknown()", "unknown(False)", "True", "False", f"isinstance({self.var()}, (int, str))", f"{self.var()} is None", f"not {self.var()}",
             f"{self.number_value()} > {self.number_value()}", f"0 < {self.number_value()} <= 3", f"{self.literal()} == {self.literal()}",
             f"{self.literal()} in [{self.literal()}, {self.literal()}]", f"({self.condition()} and {self.condition()})",
             f"({self.condition()} or {self.condition()})", f"{self.var()} == {self.literal()}", f"bool({self.value()})")
        )  # fmt: skip
        self.depth -= 1
        return made

    def sequence(self) -> str:
        return self.rng.choice(
            (f"[{self.value()}, {self.value()}]", f"({self.value()},)", f"range({self.rng.randint(0, 3)})", f"[*[{self.value()}], {self.value()}]",
             f"[x for x in [{self.value()}, {self.value()}] if {self.condition()}]", f"list({{'k': {self.value()}, 'l': 2}})", "'ab'",
             f"(y for y in [1, {self.value()}])", f"sorted([3, {self.number_value()}])", f"list(enumerate(['p', {self.value()}]))")
        )  # fmt: skip

    def call(self) -> str:
        if not self.functions:
            return f"(lambda p=1: {self.value()})()"
        name, params = self.rng.choice(self.functions)
        given = [self.value() for _ in range(self.rng.randint(0, params))]
        return self.rng.choice(
            (f"{name}({', '.join(given)})", f"{name}(*[{', '.join(given)}])", f"(lambda p=1: {self.value()})()",
             f"(lambda *p, **q: {name}(*p))({', '.join(given)})", f"[{name}][0]({', '.join(given)})")
        )  # fmt: skip

    def of_object(self) -> str:
        if not self.classes:
            return "1"
        name = self.rng.choice(self.classes)
        made = f"{name}({self.rng.choice((self.value(), ''))})"
        return self.rng.choice(
            (f"{made}.v", f"{made}.get()", f"{name}.K", f"{made}.K", f"{name}.make({self.value()}).get()", f"{name}.name()", f"{made}.prop",
             f"isinstance({made}, {self.rng.choice(self.classes)})", f"getattr({made}, 'v', 'none')", f"getattr({made}, 'zz', 'none')",
             f"hasattr({made}, 'get')", f"{made}.items", f"{name}.static({self.value()})")
        )  # fmt: skip

    # Statements

    def block(self) -> Made:
        lines: Made = []
        for _ in range(self.rng.randint(1, 3)):
            lines += self.statement()
        return self.indented(lines)

    def statement(self) -> Made:
        if self.depth > 4:
            return [f"say({self.text()})"]
        self.depth += 1
        made = self.rng.choice(_STATEMENTS)(self)
        self.depth -= 1
        return made

    def set(self) -> Made:
        name = self.var()
        return [
            self.rng.choice(
                (f"{name} = {self.value()}", f"{name} = {self.value()}", f"{name} = {self.var()} = {self.value()}",
                f"{name}, {self.var()} = {self.value()}, {self.value()}",
                 f"{name}, *{self.rng.choice('xy')} = [{self.value()}, {self.value()}]", f"({name} := {self.value()})",
                 f"{name} = {self.number_value()}; {name} += {self.number_value()}",
                 f"{name} = {self.text()}; {name} += {self.text()}", f"{name} = [1]; {name} += [{self.value()}]",
                 f"{name} = {self.number_value()}; {name} -= 2; {name} *= 3",
                 f"{name} = [{self.value()}]; f = {name}; f.append({self.value()})", f"{name} = {{'k': 1}}; {name}['k'] = {self.value()}; {name}['l'] = 2",
                 f"{name} = [1, 2]; {name}[{self.rng.choice(('0', '-1'))}] = {self.value()}", f"{name} = {{}}; {name}.update(z={self.value()})",
                 f"{name} = [3, 1]; {name}.insert(0, {self.value()}); {name}.pop()",
                 f"f = c if {self.condition()} else []; f.append(1) if isinstance(f, list) else None",
                 f"{name} = {self.condition()} and {self.value()}", f"{name} = {self.value()} if {self.condition()} else {self.value()}",
                 f"{name} = {{'p': 1, **{{'q': {self.value()}}}}}; del {name}['p']", "del d; d = 4")
            )
        ]  # fmt: skip

    def said(self) -> Made:
        return self.rng.choice(([f"say({self.text()}, ' ')"], [f"say({self.number_value()})"], self.shown(self.var())))

    def marked(self) -> Made:
        return [
            self.rng.choice((f"mark('m{self.rng.randint(0, 5)}', 'f')", f"mark('n' + str({self.number_value()}), 'f')"))
        ]

    def conditional(self) -> Made:
        lines = [f"if {self.condition()}:", *self.block()]
        if self.rng.random() < 0.4:
            lines += [f"elif {self.condition()}:", *self.block()]
        return [*lines, "else:", *self.block()] if self.rng.random() < 0.6 else lines

    def loop(self) -> Made:
        i = self.fresh("i")
        self.loops += 1
        body = self.block()
        leave = self.rng.choice(("", "", "break", "continue"))
        if leave:
            body += self.indented([f"if {self.condition()}:", f"    {leave}"]) + self.block()
        target = self.rng.choice((i, self.var(), i))
        heads = [
            f"for {target} in {self.sequence()}:",
            f"for {i}, {self.var()} in enumerate([{self.value()}, 2]):",
            f"for {target} in {self.sequence()}:",
        ]
        self.loops -= 1
        if self.rng.random() < 0.3:
            made = [f"{i} = 0", f"while {i} < {self.rng.randint(0, 3)} and {self.condition()}:", f"    {i} += 1", *body]
        else:
            made = [self.rng.choice(heads), *body]
        return [*made, "else:", *self.block()] if self.rng.random() < 0.3 else made

    def tried(self) -> Made:
        error = self.rng.choice(("ValueError", "KeyError('k')", "RuntimeError", "TypeError"))
        caught = self.rng.choice(
            ("ValueError", "(LookupError, ValueError)", "Exception as x", "TypeError", "Exception")
        )
        thrown = self.rng.choice(
            ([f"raise {error}"], [f"if {self.condition()}:", f"    raise {error}"], [], ["{}['nope']"], ["[][3]"], ["int('q')"], ["undefined_name"],
            ["None.attr"])
        )  # fmt: skip
        made = ["try:", *self.block(), *self.indented(thrown), *self.block(), f"except {caught}:", *self.block()]
        if "Exception" not in caught:
            made += ["except Exception:", *self.block()]
        if self.rng.random() < 0.3:
            made += ["else:", *self.block()]
        return [*made, "finally:", *self.block()] if self.rng.random() < 0.3 else made

    def matched(self) -> Made:
        cases = [
            self.rng.choice(("1", "'x' | 'y'", "None", "[p, q]", "{'k': p}", "int()", "str() as p", "(1, p)", "True"))
            for _ in range(self.rng.randint(1, 3))
        ]
        lines = [f"match {self.value()}:"]
        for case in cases:
            lines += self.indented([f"case {case}:", *self.block()])
        return lines + self.indented([f"case {self.rng.choice(('_', 'p'))}:", *self.block()])

    def within(self) -> Made:
        return ["with Context():", *self.block()]

    def returned(self) -> Made:
        return [f"return {self.value()}"] if self.inside and self.rng.random() < 0.3 else self.said()

    # Declarations

    def declared(self) -> Made:
        return self.rng.choice((self.function, self.function, self.class_, self.wrapped))()

    def function(self) -> Made:
        name = self.fresh("fn")
        params = [f"p{n}={self.literal()}" for n in range(self.rng.randint(0, 3))]
        self.inside += 1
        outer = self.rng.choice(("", "global a", "global d, e"))
        body = self.block() + self.indented([f"return {self.value()}"])
        self.inside -= 1
        taken = [] if outer == "global a" else ["a = p0"] if params else ["a = 'in'"]
        names = [name_ for name_ in ("b", "c") if self.rng.random() < 0.5]
        taken += [f"{name_} = {self.literal()}" for name_ in names]
        self.functions.append((name, len(params)))
        nested = []
        if self.rng.random() < 0.3:
            nested = [
                "def inner(n):",
                "    nonlocal kept",
                "    kept = kept + 1",
                f"    return {self.value()}",
                "inner(1)",
            ]
            taken.append("kept = 1")
        return [
            f"def {name}({', '.join(params)}):",
            *self.indented([outer] if outer else []),
            *self.indented(taken),
            *self.indented(nested or ["pass"]),
            *body,
        ]

    def wrapped(self) -> Made:
        deco, name = self.fresh("deco"), self.fresh("fn")
        self.functions.append((name, 1))
        inner = self.rng.choice(("wrapper", name))
        return [
            f"def {deco}(f):", f"    def {inner}(*p):", "        say('w')", f"        return f(*p) if {self.condition()} else None", f"    return {inner}",
            f"@{deco}", f"def {name}(p=1):", "    return p",
        ]  # fmt: skip

    def class_(self) -> Made:
        name = self.fresh("Cls")
        base = self.rng.choice(self.classes) if self.classes and self.rng.random() < 0.6 else ""
        lines = [
            f"class {name}({base}):" if base else f"class {name}:",
            f"    K = {self.literal()}",
            f"    items = [{self.rng.randint(0, 2)}]",
        ]
        self.inside += 1
        if not base or self.rng.random() < 0.5:
            lines += [
                "    def __init__(self, v='new'):",
                "        self.v = v",
                *self.indented(self.indented(["self.items.append(1)"])),
            ]
        lines += ["    def get(self):", *self.indented(self.indented([self.rng.choice((
            "return self.v", "return self.K", "return len(self.items)", "return super().get()" if base else "return 'g'"))]))]  # fmt: skip
        lines += [
            "    @property",
            "    def prop(self): return self.v",
            "    @classmethod",
            "    def make(cls, v=None): return cls(v)",
        ]
        lines += [
            "    @classmethod",
            "    def name(cls): return cls.__name__",
            "    @staticmethod",
            "    def static(x=1): return x",
        ]
        self.inside -= 1
        self.classes.append(name)
        return lines


_VALUES: list[Callable[[RandomPython], str]] = [
    RandomPython.literal, RandomPython.literal, RandomPython.var, RandomPython.var, RandomPython.number_value, RandomPython.text, RandomPython.call,
    RandomPython.call, RandomPython.of_object, RandomPython.of_object, RandomPython.condition,
    lambda r: f"({r.value()} if {r.condition()} else {r.value()})", lambda r: f"({r.var()} or {r.value()})", lambda r: f"[{r.value()}, {r.value()}]",
    lambda r: f"{{'k': {r.value()}}}", lambda r: f"{{'k': {r.value()}}}.get('k', 1)", lambda r: f"[{r.value()}, 5][{r.rng.randint(-1, 1)}]",
    lambda r: f"[z for z in {r.sequence()}]", lambda r: f"(lambda q: q)({r.value()})", lambda r: f"({r.value()}, {r.value()})[0]",
    lambda r: f"{{k: v for k, v in [('a', {r.value()})]}}",
]  # fmt: skip
_STATEMENTS: list[Callable[[RandomPython], Made]] = [
    RandomPython.set, RandomPython.set, RandomPython.set, RandomPython.said, RandomPython.said, RandomPython.marked, RandomPython.conditional,
    RandomPython.conditional, RandomPython.loop, RandomPython.loop, RandomPython.tried, RandomPython.matched, RandomPython.returned,
    lambda r: [r.call()], lambda r: [r.of_object()], lambda r: ["c = list(c) if isinstance(c, (list, tuple)) else []"],
]  # fmt: skip
