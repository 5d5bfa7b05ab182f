"""Random PHP programs, drawn from the whole language and not from what is followed; they print values and mark points.

``unknown()`` is a condition that only a run knows.
"""

from __future__ import annotations

import random
from collections.abc import Callable

Make = Callable[[], str]


class RandomPhp:
    """One program. Names are few, so that things meet."""

    def __init__(self, rng: random.Random) -> None:
        self.rng = rng
        self.depth = 0
        self.loops = 0
        self.functions: list[tuple[str, int]] = []
        self.classes: list[str] = []
        self.number = 0
        self.inside = False
        """Whether it is in a function."""

    def program(self) -> str:
        parts = ["function unknown($wanted = true) { return ($wanted && getenv('PATH') !== false); }"]
        parts += [self.declared() for _ in range(self.rng.randint(1, 4))]
        parts.append("$a = 1; $b = 'x'; $c = [1, 'k' => 2, 3]; $d = null; $e = 2.5;")
        parts += [self.statement() for _ in range(self.rng.randint(3, 8))]
        parts.append(" ".join(self.shown(name) for name in "abcde"))
        return "\n".join(parts)

    def shown(self, name: str) -> str:
        """A statement that prints a variable, whatever it holds."""
        return f"echo '{name}:', is_scalar(${name} ?? null) ? ${name} : gettype(${name} ?? null), ';';"

    def pick(self, *makes: Make) -> str:
        return self.rng.choice(makes)()

    def var(self) -> str:
        return "$" + self.rng.choice("abcde")

    def fresh(self, stem: str) -> str:
        self.number += 1
        return f"{stem}{self.number}"

    # Expressions

    def value(self) -> str:
        """An expression of any kind."""
        if self.depth > 3:
            return self.pick(self.literal, self.var)
        self.depth += 1
        made = self.rng.choice(_VALUES)(self)
        self.depth -= 1
        return made

    def scalar(self) -> str:
        """One that can be printed: a number or a text."""
        if self.depth > 3:
            return self.literal()
        self.depth += 1
        made = self.rng.choice(_SCALARS)(self)
        self.depth -= 1
        return made

    def number_value(self) -> str:
        return self.pick(
            lambda: str(self.rng.choice((0, 1, 2, 3, 7, -1, 10))), lambda: f"(int) {self.var()}", lambda: f"strlen({self.text()})",
            lambda: f"({self.number_value()} {self.rng.choice('+-*')} {self.number_value()})" if self.less() else "4",
        )  # fmt: skip

    def less(self) -> bool:
        self.depth += 1
        fits = self.depth < 6
        self.depth -= 1
        return fits and self.rng.random() < 0.5

    def text(self) -> str:
        return self.pick(
            lambda: self.rng.choice(("'a'", "'5'", '"t\\n"', "'abc'", "''", "'0'")), lambda: "'q'",
            lambda: f"gettype({self.var()})",
        )  # fmt: skip

    def literal(self) -> str:
        return self.rng.choice(
            ("1", "0", "'x'", "'7'", "null", "true", "false", "2.5", "-3", "'k'", "''", "[]", "[1, 2]", "['k' => 'v']")
        )

    def condition(self) -> str:
        return self.pick(
            lambda: "unknown()", lambda: "unknown(false)", lambda: "true", lambda: "false", lambda: f"isset({self.var()})",
            lambda: f"empty({self.var()})", lambda: f"{self.number_value()} > {self.number_value()}", lambda: f"is_array({self.var()})",
            lambda: f"{self.literal()} == {self.literal()}", lambda: f"{self.var()} === {self.literal()}", lambda: f"!{self.var()}",
            lambda: f"({self.condition()} && {self.condition()})" if self.less() else "true",
            lambda: f"({self.condition()} || {self.condition()})" if self.less() else "false",
            lambda: f"({self.condition()} xor {self.condition()})" if self.less() else "false",
            lambda: f"is_string({self.var()})", lambda: f"{self.var()} instanceof {self.class_name()}",
        )  # fmt: skip

    def class_name(self) -> str:
        return self.rng.choice((*self.classes, "stdClass", "Exception", "Nope"))

    def array(self) -> str:
        items = [self.item() for _ in range(self.rng.randint(0, 4))]
        return f"[{', '.join(items)}]"

    def item(self) -> str:
        return self.pick(
            self.value, self.value, lambda: f"'{self.rng.choice('kxy')}' => {self.value()}", lambda: f"{self.rng.randint(-1, 4)} => {self.value()}",
            lambda: f"...[{self.value()}]",
        )  # fmt: skip

    def closure(self) -> str:
        use = self.rng.sample("abcde", self.rng.randint(0, 2))
        taken = ", ".join(self.rng.choice(("", "&")) + f"${name}" for name in use)
        inside, self.inside = self.inside, True
        body = " ".join(self.statement(False) for _ in range(self.rng.randint(1, 2)))
        made = self.pick(
            lambda: (
                f"function ($p = {self.literal()}){f' use ({taken})' if use else ''} {{ {body} return {self.value()}; }}"
            ),
            lambda: f"fn($p = 1) => {self.value()}",
        )
        self.inside = inside
        return f"({made})"

    def call(self) -> str:
        if not self.functions or self.rng.random() < 0.3:
            return self.pick(
                lambda: f"{self.closure()}({self.value()})", lambda: f"count((array) {self.var()})", lambda: f"unknown() ?: {self.value()}",
                lambda: f"intval({self.number_value()})", lambda: f"call_user_func({self.closure()}, {self.value()})",
            )  # fmt: skip
        name, params = self.rng.choice(self.functions)
        given = [self.value() for _ in range(self.rng.randint(min(params, 1), params))]
        return self.pick(
            lambda: f"{name}({', '.join(given)})", lambda: f"call_user_func_array('{name}', [{', '.join(given)}])",
            lambda: f"{name}(...[{', '.join(given)}])", lambda: f"('{name}')({', '.join(given)})", lambda: f"({name}(...))({', '.join(given)})",
        )  # fmt: skip

    def object(self) -> str:
        if not self.classes:
            return "new stdClass"
        return f"new {self.rng.choice(self.classes)}({self.pick(self.value, lambda: '')})"

    def of_object(self) -> str:
        if not self.classes:
            return "1"
        name = self.rng.choice(self.classes)
        return self.pick(
            lambda: f"({self.object()})->v", lambda: f"({self.object()})->get()", lambda: f"{name}::make({self.value()})->get()",
            lambda: f"{name}::K", lambda: f"{name}::$s", lambda: f"{name}::$s++", lambda: f"{name}::class", lambda: f"(clone {self.object()})->v",
            lambda: f"({self.object()})?->get()", lambda: f"{name}::name()", lambda: f"(string) ({self.object()} instanceof {self.class_name()})",
            lambda: f"[{self.object()}, 'get']()", lambda: f"({self.object()})->magic", lambda: f"({self.object()})->dyn(1)",
        )  # fmt: skip

    def matched(self) -> str:
        arms = ", ".join(f"{self.literal()} => {self.value()}" for _ in range(self.rng.randint(1, 3)))
        return f"match({self.pick(self.literal, self.var)}) {{ {arms}, default => {self.value()} }}"

    def assigned(self) -> str:
        target = self.target()
        return self.pick(
            lambda: f"({target} = {self.value()})", lambda: f"({self.var()} ??= {self.value()})",
            lambda: f"(({self.var()} = {self.number_value()}) + 1)", lambda: f"([{self.var()}, {self.var()}] = [{self.value()}, {self.value()}])[0]",
        )  # fmt: skip

    def target(self) -> str:
        return self.pick(self.var, self.var, lambda: "$f", lambda: "$g['k']", lambda: "$g[]", lambda: "$g['x']['y']")

    # Statements

    def block(self, functions: bool = False) -> str:
        return "{ " + " ".join(self.statement(functions) for _ in range(self.rng.randint(1, 3))) + " }"

    def statement(self, declares: bool = True) -> str:
        if self.depth > 4:
            return f"echo {self.scalar()}, ' ';"
        self.depth += 1
        made = self.rng.choice(_STATEMENTS)(self)
        self.depth -= 1
        return made

    def set(self) -> str:
        return self.pick(
            lambda: f"{self.var()} = {self.value()};", lambda: f"{self.var()} = {self.value()};", lambda: f"{self.target()} = {self.value()};",
            lambda: f"{self.assigned()};", lambda: self.counted(), lambda: f"[{self.var()}, {self.var()}] = [{self.value()}, {self.value()}];",
            lambda: f"['k' => {self.var()}] = ['k' => {self.value()}];", lambda: f"list(, {self.var()}) = [1, {self.value()}];",
            lambda: f"unset({self.var()});", lambda: "unset($c['k']);", lambda: f"$o = {self.object()}; $o->v = {self.value()};",
            lambda: f"{{ $r = &{self.var()}; $r = {self.value()}; unset($r); }}", lambda: f"${{'a'}} = {self.value()};",
            lambda: f"extract(['a' => {self.value()}]);", lambda: f"$g = compact('a', 'b'); $d = $g['b'] ?? {self.literal()};",
            lambda: f"$n = 'd'; $$n = {self.value()};", lambda: f"$c = [&$a]; $a = {self.value()}; $c[0] = {self.value()};",
        )  # fmt: skip

    def counted(self) -> str:
        """A step or an assignment with an operation, on a variable that is a number by then."""
        name = self.var()
        before = f"{name} = {self.number_value()}; "
        return before + self.pick(
            lambda: f"{name}++;", lambda: f"--{name};", lambda: f"{name} += {self.number_value()};", lambda: f"{name} .= {self.text()};",
            lambda: f"{name} *= 3;", lambda: f"{name} **= 2;", lambda: f"{name} -= {name}++;", lambda: f"{name} %= 5;", lambda: f"{name} |= 6;",
            lambda: f"{name} ^= 3; {name} <<= 1;", lambda: f"{name} /= 4;",
        )  # fmt: skip

    def printed(self) -> str:
        return self.pick(
            lambda: f"echo {self.scalar()}, ' ';", lambda: f"print {self.scalar()};", lambda: self.shown(self.rng.choice("abcde")),
            lambda: f"?>text <?= {self.scalar()} ?> end<?php ",
            lambda: "echo 'p';",
        )  # fmt: skip

    def marked(self) -> str:
        return self.pick(
            lambda: f"mark('m{self.rng.randint(0, 5)}', 'f');", lambda: f"mark('n' . {self.number_value()}, 'f');",
            lambda: f"call_user_func('mark', 'c{self.rng.randint(0, 3)}', 'f');",
        )  # fmt: skip

    def conditional(self) -> str:
        return self.pick(
            lambda: f"if ({self.condition()}) {self.block()} else {self.block()}", lambda: f"if ({self.condition()}) {self.block()}",
            lambda: f"if ({self.condition()}) {self.block()} elseif ({self.condition()}) {self.block()} else {self.block()}",
            lambda: f"if ({self.condition()}): {self.statement(False)} else: {self.statement(False)} endif;",
            lambda: f"{self.condition()} && print('and');", lambda: f"{self.condition()} or print('or');",
        )  # fmt: skip

    def loop(self) -> str:
        i = "$" + self.fresh("i")
        self.loops += 1
        made = self.pick(
            lambda: f"for ({i} = 0; {i} < {self.rng.randint(0, 4)}; {i}++) {self.loop_body()}",
            lambda: f"{i} = 0; while ({i}++ < {self.rng.randint(0, 3)}) {self.loop_body()}",
            lambda: f"{i} = 0; do {self.loop_body()} while (++{i} < {self.rng.randint(0, 3)});",
            lambda: f"foreach ({self.array()} as {self.pick(lambda: '$k => $a', self.var)}) {self.loop_body()}",
            lambda: f"foreach ((array) {self.var()} as $k => {i}) {self.loop_body()}",
            lambda: f"foreach ([[1, {self.value()}], [2, {self.value()}]] as [$a, {self.var()}]) {self.loop_body()}",
            lambda: f"{i} = 0; while ({i}++ < 3 && {self.condition()}) {self.loop_body()}",
            lambda: f"$c = {self.array()}; foreach ($c as &$ref) {{ $ref = {self.value()}; }} unset($ref);",
            lambda: f"foreach ({self.generator()} as $k => {self.var()}) {self.loop_body()}",
        )  # fmt: skip
        self.loops -= 1
        return made

    def generator(self) -> str:
        inside, self.inside = self.inside, True
        made = f"(function () {{ yield {self.value()}; {self.statement(False)} yield 'k' => {self.value()}; yield from {self.array()}; }})()"
        self.inside = inside
        return made

    def loop_body(self) -> str:
        ends = self.pick(
            lambda: "", lambda: "", lambda: f"if ({self.condition()}) break;", lambda: f"if ({self.condition()}) continue;",
            lambda: f"if ({self.condition()}) break {self.rng.randint(1, self.loops)};",
        )  # fmt: skip
        return f"{{ {self.statement(False)} {ends} {self.statement(False)} }}"

    def switch(self) -> str:
        self.loops += 1
        cases = [
            f"case {self.literal()}: {self.statement(False)} {self.rng.choice(('break;', '', 'break;'))}"
            for _ in range(self.rng.randint(1, 3))
        ]
        if self.rng.random() < 0.7:
            cases.insert(
                self.rng.randint(0, len(cases)), f"default: {self.statement(False)} {self.rng.choice(('break;', ''))}"
            )
        self.loops -= 1
        return f"switch ({self.pick(self.var, self.literal)}) {{ {' '.join(cases)} }}"

    def tried(self) -> str:
        error = self.rng.choice(("Exception", "RuntimeException", "LogicException", "TypeError", "Error"))
        caught = self.rng.choice(("Exception", "RuntimeException", "LogicException | TypeError", "Throwable", "Error"))
        loops, self.loops = self.loops, 0
        thrown = self.pick(
            lambda: f"throw new {error}('m');", lambda: f"if ({self.condition()}) {{ throw new {error}; }}", lambda: "",
            lambda: "thrower();", lambda: f"$d = {self.condition()} ? 1 : throw new {error};",
        )  # fmt: skip
        made = f"try {{ {self.statement(False)} {thrown} {self.statement(False)} }} catch ({caught} $x) {self.block()}"
        made += self.pick(lambda: "", lambda: f" finally {self.block()}", lambda: f" catch (Throwable) {self.block()}")
        self.loops = loops
        return made.replace(
            "thrower()", "(function () { if (unknown(false)) { throw new LogicException; } mark('t', 'f'); })()"
        )

    def kept(self) -> str:
        """Static and global variables, where they can stand."""
        name = self.fresh("keep")
        self.functions.append((name, 0))
        return (
            (
                f"function {name}() {{ static $n = {self.literal()}, $m = 0; global $gl; $m++; $gl = $m; $GLOBALS['gm'] = $gl; "
                f"if ({self.condition().replace('$', '$z')}) {{ $n = $m; }} return $m . gettype($n) . ($GLOBALS['gm'] ?? 'n'); }}"
            )
            if not self.inside and self.loops == 0 and self.depth < 2
            else f"echo {self.scalar()};"
        )

    def jump(self) -> str:
        if self.inside or self.loops:
            return f"echo {self.scalar()};"
        label = self.fresh("l")
        return self.pick(
            lambda: f"if ({self.condition()}) goto {label}; {self.printed()} {label}: {self.printed()}",
            lambda: f"$z = 0; {label}: $z++; {self.printed()} if ($z < 3) goto {label};",
        )

    # Declarations

    def declared(self) -> str:
        return self.pick(self.function, self.function, self.class_, self.kept)

    def function(self) -> str:
        name = self.fresh("fn")
        inside, self.inside = self.inside, True
        params = [f"$p{n}" + self.rng.choice(("", f" = {self.literal()}")) for n in range(self.rng.randint(0, 3))]
        if any("=" in p for p in params):
            params = [p if "=" in p else f"{p} = null" for p in params]
        body = [self.statement(False) for _ in range(self.rng.randint(1, 3))]
        ends = self.pick(
            lambda: f"return {self.value()};", lambda: f"if ({self.condition()}) return {self.value()};", lambda: "",
            lambda: f"return $p0 ?? {self.value()};",
        )  # fmt: skip
        self.inside = inside
        self.functions.append((name, len(params)))
        taken = "$a = $p0 ?? 1;" if params else "$a = 'in';"
        return f"function {name}({', '.join(params)}) {{ {taken} {' '.join(body)} {ends} return 'ret'; }}"

    def class_(self) -> str:
        name = self.fresh("Cls")
        base = self.rng.choice((*self.classes, "")) if self.classes else ""
        inside, self.inside = self.inside, True
        extends = f" extends {base}" if base else ""
        body = f"public $v = {self.literal()}; const K = {self.rng.choice((1, 2))}; public static $s = {self.rng.choice(('1', '5'))};"
        body += self.pick(
            lambda: f" function __construct($v = 'new') {{ $this->v = $v; {self.statement(False)} }}",
            lambda: "" if base else " function __construct($v = null) {}",
        )  # fmt: skip
        body += self.pick(
            lambda: " function get() { return is_scalar($this->v) ? $this->v : gettype($this->v); }",
            lambda: f" function get() {{ {self.statement(False)} return self::K; }}",
            lambda: " function get() { return static::K . static::class; }",
            lambda: " function get() { return " + ("parent::get() . " if base else "") + "'g'; }",
        )  # fmt: skip
        body += " static function make($v = null) { return new static($v); } static function name() { return static::class . self::class; }"
        if self.rng.random() < 0.7 or not base:
            body += ' function __get($n) { return "no $n"; } function __call($n, $a) { return $n . count($a); }'
        self.inside = inside
        self.classes.append(name)
        return f"class {name}{extends} {{ {body} }}"


_VALUES: list[Callable[[RandomPhp], str]] = [
    RandomPhp.literal, RandomPhp.literal, RandomPhp.var, RandomPhp.var, RandomPhp.scalar, RandomPhp.array, RandomPhp.closure, RandomPhp.call,
    RandomPhp.call, RandomPhp.object, RandomPhp.of_object, RandomPhp.matched, RandomPhp.assigned,
    lambda r: f"({r.condition()} ? {r.value()} : {r.value()})", lambda r: f"({r.var()} ?? {r.value()})", lambda r: f"({r.var()} ?: {r.value()})",
    lambda r: f"({r.condition()})", lambda r: "$c['k'] ?? 'none'", lambda r: f"(array) {r.value()}", lambda r: f"(bool) {r.value()}",
    lambda r: f"({r.array()})[0] ?? 1", lambda r: f"$c[{r.number_value()}] ?? {r.literal()}",
]  # fmt: skip
_SCALARS: list[Callable[[RandomPhp], str]] = [
    RandomPhp.number_value, RandomPhp.text, lambda r: f"gettype({r.value()})", lambda r: f"(int) ({r.condition()})",
    lambda r: f"({r.number_value()} . {r.text()})", lambda r: f"({r.condition()} ? {r.scalar()} : {r.scalar()})",
    lambda r: f"strtoupper({r.text()})", lambda r: f"({r.number_value()} <=> {r.number_value()})", lambda r: f"({r.number_value()} % 4)",
    lambda r: f"({r.number_value()} / 2)", lambda r: f"({r.number_value()} & 5)", lambda r: f"implode(',', array_keys((array) {r.var()}))",
    lambda r: "'s'", lambda r: f"({r.literal()} == {r.literal()} ? 't' : 'f')",
    lambda r: f"({r.literal()} <= {r.literal()} ? 't' : 'f')", lambda r: f"(2 ** {r.number_value()} > 3 ? 1 : 0)",
]  # fmt: skip
_STATEMENTS: list[Callable[[RandomPhp], str]] = [
    RandomPhp.set, RandomPhp.set, RandomPhp.set, RandomPhp.printed, RandomPhp.printed, RandomPhp.marked, RandomPhp.conditional, RandomPhp.conditional,
    RandomPhp.loop, RandomPhp.switch, RandomPhp.tried, RandomPhp.jump, lambda r: f"{r.call()};", lambda r: f"{r.of_object()};",
    lambda r: f"return {r.value()};" if r.rng.random() < 0.1 else f"$f = {r.value()};",
]  # fmt: skip
