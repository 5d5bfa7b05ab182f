"""What an author says of a line, of a file, and of how to say it short."""

from __future__ import annotations

import unittest

from protypon.core.languages.comments import above, head, summary


class CommentTest(unittest.TestCase):
    def test_the_comment_right_above_a_line(self) -> None:
        cases = [
            ("{# Notices first. #}\n{{ ring('x') }}", 2, "Notices first."),
            ("<!-- One\n     two -->\n<p>", 3, "One\ntwo"),
            ("<?php /* Up. */ ?>\n<?php mill_turn('x'); ?>", 2, "Up."),
            ("<?php\n/**\n * Says so.\n *\n * @param x\n */\nf();", 7, "Says so.\n\n@param x"),
            ("<?php\n// One.\n// Two.\nf();", 4, "One.\nTwo."),
            ("# One.\nring('x')", 2, "One."),
            ("x = 1  # not above\nring('x')", 2, ""),
            ("/* far away */\n\nf();", 3, ""),
            ("f();", 1, ""),
            ("a */\nf();", 2, ""),
            ("#[Mark]\nfunction f() {}", 2, ""),
        ]
        for text, line, wanted in cases:
            self.assertEqual(above(text, line), wanted, text)

    def test_the_head_of_a_file(self) -> None:
        cases = {
            "<?php\n/* Weir: works.\n * More. */\nf();": "Weir: works.\nMore.",
            "{# A part. #}\n<p>": "A part.",
            "# One\n# two\n\nx = 1": "One\ntwo",
            "<p>{# later #}": "",
            "": "",
        }
        for text, wanted in cases.items():
            self.assertEqual(head(text), wanted, text)

    def test_the_first_sentence(self) -> None:
        cases = {
            "Says so. And more.": "Says so.",
            "Goes over\ntwo lines": "Goes over two lines",
            "@param x\nText": "Text",
            "Is 3.5 m high. Yes.": "Is 3.5 m high.",
            "": "",
        }
        for text, wanted in cases.items():
            self.assertEqual(summary(text), wanted)


if __name__ == "__main__":
    unittest.main()
