"""The reader of templates, against Jinja's own parser: what it takes, it takes as Jinja does; what Jinja refuses, it refuses."""

from __future__ import annotations

import random
import re
import unittest
from pathlib import Path

from jinja2 import TemplateError

from protypon.core.languages.code import Op
from protypon.core.languages.jinja import source
from protypon.core.languages.jinja.parser import parse
from tests import cases
from tests.core.languages import jinja_oracle

DEMO = Path(source.__file__).parents[3] / "demo"
NAMES = ("a", "b", "item", "café", "loop", "true", "None", "self", "super", "_x", "e", "x1")
WORDS = ("not", "is", "in", "if", "else", "and")
VALUES = ('"t"', "'it\\'s'", '"a" "b"', "1", "2.5", "0x1F", "1_0", "1e3", "0", '"\\n\\u00e9"', "'%}'", "'}}'")
FILTERS = ("upper", "safe", "default('x', true)", "join(sep=', ')", "a.b", "map(attribute='n')|list")
TESTS = ("defined", "not none", "divisibleby 3", "divisibleby(3)", "sameas true", "in [1]", "not equalto b.c")
SPACES = ("", " ", "  ", "\n", "\t")


class Grammar:
    """Random templates, most of which are right."""

    def __init__(self, rng: random.Random) -> None:
        self.rng = rng

    def seldom(self, wrong: str, right: str) -> str:
        """What Jinja refuses, in one case of thirty; else what it takes."""
        return wrong if self.rng.random() < 0.03 else right

    def space(self) -> str:
        return self.rng.choice((" ", " ", " ", *SPACES))

    def expression(self, depth: int = 3) -> str:
        rng, deeper = self.rng, lambda: self.expression(depth - 1)
        if depth <= 0 or rng.random() < 0.25:
            return rng.choice((*NAMES[:5], *VALUES, rng.choice(NAMES), self.seldom(rng.choice(WORDS), "a")))
        ways = (
            lambda: f"{deeper()} {rng.choice(('+', '-', '*', '/', '//', '%', '**', '~', 'and', 'or'))} {deeper()}",
            lambda: f"{deeper()} {rng.choice(('==', '!=', '<', '>=', 'in', 'not in'))} {deeper()}",
            lambda: f"{rng.choice(('not ', '-', '+', 'not not '))}{deeper()}",
            lambda: f"{deeper()} if {deeper()}" + rng.choice(("", f" else {deeper()}")),
            lambda: f"({deeper()})",
            lambda: f"({', '.join(deeper() for _ in range(rng.randint(0, 3)))}{rng.choice(('', ','))})",
            lambda: f"[{', '.join(deeper() for _ in range(rng.randint(0, 3)))}{rng.choice(('', ','))}]",
            lambda: f"{{{', '.join(f'{deeper()}: {deeper()}' for _ in range(rng.randint(0, 2)))}}}",
            lambda: f"{rng.choice(NAMES)}({self.arguments(depth - 1)})",
            lambda: f"{deeper()}.{rng.choice(('x', 'name', '0', 'items()'))}",
            lambda: f"{rng.choice(NAMES)}[{deeper()}]",
            lambda: f"{rng.choice(NAMES)}[{rng.choice((':', '1:', ':2', '1:2', '::2', '1:2:3', '1, 2'))}]",
            lambda: f"{deeper()}|{rng.choice(FILTERS)}",
            lambda: f"{deeper()} is {rng.choice(TESTS)}",
        )
        return rng.choice(ways)()

    def arguments(self, depth: int) -> str:
        found = [self.expression(depth) for _ in range(self.rng.randint(0, 2))]
        found += [f"k={self.expression(depth)}" for _ in range(self.rng.randint(0, 1))]
        found += ["*a"] * (self.rng.random() < 0.1) + ["**b"] * (self.rng.random() < 0.1)
        return ", ".join(found)

    def tag(self, words: str) -> str:
        left, right = self.rng.choice(("", "", "-", "+")), self.rng.choice(("", "", "-", "+"))
        return f"{{%{left}{self.space()}{words}{self.space()}{right}%}}"

    def output(self, words: str) -> str:
        left, right = self.rng.choice(("", "", "-")), self.rng.choice(("", "", "-"))
        return f"{{{{{left} {words} {right}}}}}"

    def target(self) -> str:
        return self.seldom("in", self.seldom("1", self.rng.choice(("a", "b", "a, b", "(a, b)", "item", "(a, (b, c))"))))

    def body(self, depth: int) -> str:
        return "".join(self.statement(depth) for _ in range(self.rng.randint(0, 3)))

    def statement(self, depth: int = 2) -> str:
        rng, e, tag = self.rng, self.expression, self.tag
        inner = lambda: self.body(depth - 1)  # noqa: E731
        simple = (
            lambda: rng.choice(("<p>", "text\n", " { % } ", "\r\n", "  ", "a\rb", "{", "}}")),
            lambda: self.output(e()),
            lambda: "{#" + rng.choice(("", "-", " {% if %} ", "\n")) + rng.choice(("#}", "-#}  \n", "+#}")),
            lambda: tag("raw") + "{{ x " + tag("endraw"),
            lambda: tag(f"include {e(1)}" + rng.choice(("", " ignore missing", " with context", " without context"))),
            lambda: tag(f"extends {e(1)}"),
            lambda: tag(f"import {e(1)} as {self.seldom('true', 'm')}"),
            lambda: tag(
                f"from {e(1)} import {self.seldom('_a', self.seldom('a,', rng.choice(('a', 'a as b', 'a, b with context'))))}"
            ),
            lambda: tag(f"set {rng.choice((self.target(), 'ns.x'))} = {e()}"),
            lambda: tag(f"do {e()}"),
            lambda: tag(f"print {rng.choice(('', e(), e() + ', ' + e()))}"),
            lambda: tag(self.seldom("break x", rng.choice(("break", "continue")))),
        )
        if depth <= 0 or rng.random() < 0.5:
            return rng.choice(simple)()
        wide = (
            lambda: tag(f"if {e()}") + inner() + tag(f"elif {e()}") + inner() + tag("endif"),
            lambda: tag(f"if {e()}{rng.choice(('', ':'))}") + inner() + tag("else") + inner() + tag("endif"),
            lambda: (
                tag(f"for {self.target()} in {e()}{rng.choice(('', f' if {e(1)}', ' recursive'))}") + inner()
                + rng.choice(("", tag("else") + inner())) + tag("endfor")
            ),
            lambda: tag(f"block b{rng.randint(1, 9)}{rng.choice(('', ' scoped'))}") + inner() + tag("endblock"),
            lambda: tag("block named") + inner() + tag(self.seldom("endblock other", "endblock named")),
            lambda: tag("block must required") + self.seldom("x", rng.choice(("", " ", "{# c #}"))) + tag("endblock"),
            lambda: tag(f"set {self.target()}{rng.choice(('', '|upper', '|a|b(1)'))}") + inner() + tag("endset"),
            lambda: tag(f"macro m({self.seldom('a=1, b', rng.choice(('', 'a', 'a, b=1')))})") + inner() + tag("endmacro"),
            lambda: tag(f"call{rng.choice(('', '(a)', '(a, b=2)'))} {self.seldom('m', rng.choice(('m()', 'x.m(1)')))}") + inner() + tag("endcall"),
            lambda: tag(f"filter {rng.choice(FILTERS)}") + inner() + tag("endfilter"),
            lambda: tag(f"with {rng.choice(('', 'a=1', 'a = 1, b = a', '(a, b) = x'))}") + inner() + tag("endwith"),
            lambda: tag(f"autoescape {e(1)}") + inner() + tag("endautoescape"),
            lambda: (
                tag(f"trans {self.seldom('a, a', rng.choice(('', 'n=a', 'n=b(1)', 'a, n=1', 'trimmed', 'trimmed a')))}") + "one {{ n }}"
                + rng.choice(("", tag("pluralize") + "many {{ n }}", self.seldom(tag("pluralize n"), tag("pluralize")) + "m")) + tag("endtrans")
            ),
        )  # fmt: skip
        return rng.choice(wide)()


PIECE = re.compile(r"\{[{%#]|[%#}]\}|\w+|\s+|.", re.DOTALL)


def broken(text: str, rng: random.Random) -> str:
    """A template with one piece taken out, doubled, or swapped for another."""
    pieces = PIECE.findall(text) or ["{{"]
    place = rng.randrange(len(pieces))
    pieces[place : place + 1] = rng.choice(
        ([], [pieces[place]] * 2, [rng.choice(pieces)], [rng.choice(("(", "]", "{%", "%}", "}}", "if", "!", ",", '"', "in", "²", "\xa0"))])
    )  # fmt: skip
    return "".join(pieces)


def without_lines(node: object) -> str:
    """Nodes without their lines: Jinja counts those of a tag from its first word, and of values from their last sign."""
    return re.sub(r", line=(\d+|None)", "", repr(node))


class JinjaTest(unittest.TestCase):
    maxDiff = None

    def alike(self, text: str) -> str:
        """Hold one template against Jinja; tells what became of it."""
        template = parse(text)
        try:
            wanted = jinja_oracle.read(text)
        except (TemplateError, ValueError) as error:
            strange = "unknown tag" in str(error)
            self.assertTrue(template.wrong is not None or (strange and template.strange), f"{error}: {text!r}")
            return "refused"
        if template.wrong is not None:
            return "not read"
        said = source.code(text.encode())
        if "trans" not in text:
            self.assertEqual(without_lines(said.body), without_lines(wanted[0]), text)
        extended = [e.parts[0] if isinstance(e, Op) and e.op == "maybe" else e for e in said.extends]
        self.assertEqual(sorted(map(repr, extended)), sorted(map(repr, wanted[1])), text)
        return "read"

    def test_random_templates_are_read_as_jinja_reads_them(self) -> None:
        seen: dict[str, int] = {}
        for number in cases.seeds(6000):
            rng = random.Random(number)
            grammar = Grammar(rng)
            text = "".join(grammar.statement() for _ in range(rng.randint(1, 4)))
            if number % 2:
                text = broken(text, rng)
            with self.subTest(number):
                became = self.alike(text)
                seen[became] = seen.get(became, 0) + 1
        self.assertGreater(seen["read"], sum(seen.values()) // 4, seen)
        self.assertGreater(seen["refused"], sum(seen.values()) // 10, seen)
        self.assertLess(seen.get("not read", 0), sum(seen.values()) // 50, seen)

    def test_what_stands_after_a_fault_is_read_all_the_same(self) -> None:
        for text in (
            "{% if %}{% include 'x' %}{% endif %}",
            "{% if a %}{% block b %}{% endif %}{% include 'x' %}",
            "{{ ! }}{% include 'x' %}",
            "{% endif %}{% include 'x' %}{% for %}",
            "{% strange a %}{% include 'x' %}{% endstrange %}",
            "{% if a %}{% elif ! %}{% include 'x' %}{% endif %}",
        ):
            names = [r.names for r in source.facts(text).references]
            self.assertEqual(names, [("x",)], text)
            self.assertFalse(source.code(text.encode()).sound)

    def test_what_can_not_be_read_may_name_anything(self) -> None:
        deep = "{% if a %}" * 200 + "{% include 'x' %}" + "{% endif %}" * 200
        for text in ("{% include ! %}", "{{ a", "{% include 'x' %}{# ", deep):
            self.assertIn((), [r.names for r in source.facts(text).references], text[:40])

    def test_numbers_and_depths_that_stop_jinja_itself_are_told(self) -> None:
        self.assertIn("more digits", source.problems("\n{{ " + "1" * 5000 + " }}", "f.html")[0].message)
        self.assertEqual(
            source.problems("{{ " + "(" * 3000 + "a" + ")" * 3000 + " }}", "f.html")[0].message, "nested too deeply"
        )

    def test_a_block_defined_twice_is_told_as_jinja_tells_it(self) -> None:
        a = "{% block a %}\n{% endblock %}"
        for text in (
            a + a,
            a + "{% if x %}" + a + "{% endif %}",
            "{% block b %}\n" + a + "{% endblock %}{% block b %}{% endblock %}",
            a,
        ):
            try:
                jinja_oracle.ENVIRONMENT.compile(text)
                wanted = []
            except TemplateError as error:
                wanted = [(error.message, error.lineno)]  # type: ignore[attr-defined]
            self.assertEqual([(p.message, p.line) for p in source.problems(text, "f.html")], wanted, text)
            self.assertEqual(source.code(text.encode()).sound, not wanted)

    def test_lines(self) -> None:
        text = "a\n{% include 'x' %}\r\n{% block b %}\n{{ f(\n1) }}\n{% endblock %}"
        facts = source.facts(text)
        self.assertEqual([(r.line, r.column) for r in facts.references], [(2, 1)])
        self.assertEqual([(b.line, b.last, b.body) for b in facts.blocks], [(3, 6, "{{f( 1)}}")])
        body = source.code(text.encode()).body
        self.assertEqual([getattr(node, "line", 0) for node in body], [1, 2, 2, 3])

    def test_our_own_templates_are_read_as_jinja_reads_them(self) -> None:
        texts = [p.read_text() for p in sorted(DEMO.rglob("*.html")) if "quayside" in str(p) or "{%" in p.read_text()]
        for text in texts:
            self.assertEqual(self.alike(text), "read", text)


if __name__ == "__main__":
    unittest.main()
