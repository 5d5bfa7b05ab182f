"""Manifest syntaxes: read, written back with comments and order kept, and refused where they are hostile."""

from __future__ import annotations

import unittest

from protypon.core.files.structured import NotRead
from protypon.core.platform.manifests.registry import syntax, value_at


class YamlTest(unittest.TestCase):
    def test_a_field_is_set_and_everything_else_stays(self) -> None:
        text = "# Ours.\ntitle: 'Cove'   # the name\ntags:\n  - garden\n  - sea\nrelease: 1.0.0\n"
        written = syntax("yaml").write(text, {("release",): "1.1.0", ("tags",): None, ("grower",): "A: b"})
        self.assertEqual(written, "# Ours.\ntitle: 'Cove'   # the name\nrelease: 1.1.0\ngrower: 'A: b'\n")
        self.assertEqual(syntax("yaml").read(written)["grower"], "A: b")
        self.assertEqual(syntax("yaml").read(syntax("yaml").write("", {("a", "b"): "c"})), {"a": {"b": "c"}})

    def test_what_does_not_parse_has_a_place_and_what_grows_is_refused(self) -> None:
        cases = {
            "a: b: c\n": (1, 5),
            "a: &x [1, 2]\nb: *x\n": (2, 4),
            "[" * 200 + "]" * 200: (1, 51),
            "- a\n": (1, 1),
            "a: !!python/object/apply:os.system [x]\n": (1, 4),
            "a: 1\na: 2\n": (2, 1),
            "a: \t b\n\t- x": (1, 4),
        }
        for text, place in cases.items():
            with self.subTest(text[:30]), self.assertRaises(NotRead) as caught:
                syntax("yaml").read(text)
            self.assertEqual((caught.exception.line, caught.exception.column), place, text[:30])


class CommentTest(unittest.TestCase):
    def test_fields_in_the_leading_comment_of_several_languages(self) -> None:
        for text in (
            "<?php\n/**\n * Theme Title: Gull\n * Parent: pier\n */\necho 'Parent: no';",
            "# Theme-Title: Gull\n# Parent: pier\nx = 1  # Parent: no\n",
            "<!-- Theme title: Gull\n     Parent: pier -->\n<p>Parent: no</p>",
            "{# Theme Title: Gull\n Parent: pier #}\n{# Parent: no #}",
        ):
            self.assertEqual(syntax("comment").read(text), {"theme_title": "Gull", "parent": "pier"}, text)
        with self.assertRaises(NotRead):
            syntax("comment").read("echo 'Title: no';")

    def test_a_field_is_set_in_its_place_and_a_new_one_follows(self) -> None:
        text = "<?php\n/**\n * Title: Gull\n * Parent : pier\n */\necho 1;\n"
        written = syntax("comment").write(text, {("parent",): "quay", ("release",): "2.0"})
        self.assertEqual(written, "<?php\n/**\n * Title: Gull\n * Parent : quay\n * Release: 2.0\n */\necho 1;\n")
        self.assertEqual(syntax("comment").write(written, {("title",): None}), written.replace(" * Title: Gull\n", ""))
        self.assertEqual(syntax("comment").read(syntax("comment").write("", {("title",): "New"})), {"title": "New"})


class PatternTest(unittest.TestCase):
    def test_each_field_is_an_expression(self) -> None:
        text = "define('SLUG', 'gull');\n$parent = \"pier\";\n"
        read = syntax("pattern").read(text)
        self.assertEqual(
            (value_at(read, r"SLUG', '(\w+)'"), value_at(read, r'^\$parent = "(\w+)"'), value_at(read, "x(y)")),
            ("gull", "pier", None),
        )
        self.assertEqual(syntax("pattern").write(text, {(r"SLUG', '(\w+)'",): "tern"}), text.replace("gull", "tern"))


if __name__ == "__main__":
    unittest.main()
