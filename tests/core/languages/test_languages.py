"""Facts of sources, against the languages' own parsers."""

from __future__ import annotations

import random
import unittest

from jinja2 import Environment, nodes

from protypon.core.languages.registry import language

jinja = language("jinja")


def by_jinja(text: str) -> list[tuple[str, tuple[str, ...]]]:
    """What Jinja's own parser says a template names."""
    kinds = {nodes.Include: "include", nodes.Extends: "extends", nodes.Import: "import", nodes.FromImport: "import"}
    found = []
    for node in Environment().parse(text).find_all(tuple(kinds)):
        target = node.template
        if isinstance(target, nodes.Const) and isinstance(target.value, str):
            names = (target.value,)
        elif isinstance(target, nodes.List | nodes.Tuple) and all(isinstance(i, nodes.Const) for i in target.items):
            names = tuple(i.value for i in target.items)
        else:
            names = ()
        found.append((kinds[type(node)], names))
    return sorted(found)


class JinjaTest(unittest.TestCase):
    def test_references_are_those_that_jinja_parses(self) -> None:
        rng = random.Random(5)
        pieces = [
            '{% include "a.html" %}', "{%- include 'b \\' c.html' -%}", '{% include ["a.html", \'b.html\'] ignore missing %}',
            "{% include name %}", '{% include "a" ~ x with context %}', '{% import "m.html" as m %}', '{% from "m.html" import x, y %}',
            '{# {% include "no.html" %} #}', '{% raw %}{% include "no.html" %}{% endraw %}', "{{ \"{% include 'no.html' %}\" }}",
            '{% if x %}{% include "c.html" %}{% endif %}', "{% set q = '%}' %}", "<p>\n</p>", "{% include\n  'd.html'\n%}", '{%+ include ("e.html",) %}',
            "<script>var x = '{';</script>", '{% set t = "{% include \'no.html\' %}" %}',
        ]  # fmt: skip
        for _ in range(600):
            text = "\n".join(rng.choices(pieces, k=rng.randint(0, 9)))
            found = sorted((r.how, r.names) for r in jinja.facts(text).references)
            self.assertEqual(found, by_jinja(text), text)

    def test_blocks_have_their_lines_and_calls(self) -> None:
        text = "{% block a %}\n{% block b %}{{ super() }}{% endblock %}\n{{ self.c() }}\n{% endblock a %}"
        outer, inner = jinja.facts(text).blocks
        self.assertEqual((outer.name, outer.line, outer.last, outer.calls), ("a", 1, 4, ("c",)))
        self.assertEqual((inner.name, inner.within, inner.calls), ("b", 0, ("",)))

    def test_a_place_is_told_with_line_and_column(self) -> None:
        reference = jinja.facts('<p>\r\n  {% include "x" %}').references[0]
        self.assertEqual((reference.line, reference.column), (2, 3))

    def test_hostile_text_is_read_in_time(self) -> None:
        for text in (
            "x" * 3_000_000,
            "x.css" * 100_000,
            "{%" * 200_000,
            '{% include "' * 50_000,
            "{{ '" * 100_000,
            "{#" * 300_000,
        ):
            jinja.facts(text)

    def test_broken_templates_are_told_and_foreign_tags_are_not(self) -> None:
        self.assertEqual(jinja.problems("a\n{% if x %}", "f.html")[0].line, 2)
        self.assertEqual(jinja.problems("{% unheard of %}", "f.html"), [])
        self.assertEqual(jinja.problems("{% trans %}x{% endtrans %}", "f.html"), [])


class LayoutTest(unittest.TestCase):
    def test_only_layout_and_comments_make_no_difference(self) -> None:
        alike = {
            "jinja": ("<p>a b</p>\n", "<p>a\n  b</p>{# c #}<!-- d -->"),
            "css": ("a b { c: d; }", "a  b{c: d;}/* e */"),
            "javascript": ("x = 'a // b';\ny();", "x = 'a // b'; // c\n\n  y();"),
            "php": ("<p>a</p>\n<?php f( $a ); // b\n", "<p>a</p>  <?php /* c */ f($a);\n"),
            "python": ("def f(a):\n    return a\n", "def f(a):  # c\n        return (a)\n"),
            "json": ('{"a": [1, 2]}', '{\n "a": [1,2]}'),
        }
        differ = {
            "jinja": ("<p>a b</p>", "<p>ab</p>"),
            "css": ("a .b {}", "a.b {}"),
            "javascript": ("return\nx", "return x"),
            "php": ("<?php f('a b');", "<?php f('a  b');"),
            "python": ("if a:\n  b()\nc()", "if a:\n  b()\n  c()"),
            "json": ('{"a": 1, "b": 2}', '{"b": 2, "a": 1}'),
        }
        for name, (a, b) in alike.items():
            self.assertEqual(language(name).significant(a), language(name).significant(b), name)
        for name, (a, b) in differ.items():
            self.assertNotEqual(language(name).significant(a), language(name).significant(b), name)

    def test_regular_expressions_of_scripts_hide_no_comment(self) -> None:
        js = language("javascript")
        self.assertEqual(js.significant('a = /"/; // "x'), js.significant('a = /"/; // "y'))
        self.assertNotEqual(js.significant('a = /"x/; // "x'), js.significant('a = /"y/; // "x'))
        self.assertNotEqual(js.significant("a = b /* c\n */ d"), js.significant("a = b d"))
        self.assertNotEqual(js.significant("f(`a // b`)"), js.significant("f(`a `)"))
        self.assertNotEqual(js.significant("a = ; // b"), js.significant("a = ; // c"))  # it does not parse

    def test_modules_that_scripts_import(self) -> None:
        text = 'import a from "./a.js";\nimport "b";\nexport * from \'../c.js\';\n// import "./no.js"\n'
        text += 'x = `\nimport "./no.js"`;\nimport {\n  d\n} from "./d.js"\n'
        found = [(r.names[0], r.line) for r in language("javascript").facts(text).references]
        self.assertEqual(found, [("./a.js", 1), ("../c.js", 3), ("./d.js", 7)])


class CssTest(unittest.TestCase):
    def test_imports_and_addresses(self) -> None:
        text = '@import "a.css";\n@import url(b.css);\n.x { background: url("c.png") }\n/* url(no.png) */'
        found = [(r.how, r.names[0], r.line) for r in language("css").facts(text).references]
        self.assertEqual(found, [("import", "a.css", 1), ("import", "b.css", 2), ("url", "c.png", 3)])


if __name__ == "__main__":
    unittest.main()
