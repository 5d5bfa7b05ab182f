"""What is seen of a source: markup against the library's parser, words held against it against a plain model."""

from __future__ import annotations

import random
import re
import unittest
from html import escape
from html.parser import HTMLParser

from protypon.core.languages.registry import coded_language
from protypon.core.languages.visible.aligning import fit
from protypon.core.languages.visible.pieces import Shard, printed_by_code, printed_by_markup
from protypon.core.languages.visible.reading import INLINE, fold_text, seen_runs

WORDS = ["lamp", "Pier", "gull’s", "tide", "Äther", "ölig", "96", "steps"]


class _Text(HTMLParser):
    def __init__(self, html: str) -> None:
        super().__init__()
        self.text, self.hidden = "", False
        self.feed(html)
        self.close()

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        self.hidden = tag in ("script", "style")
        self.text += "" if tag in INLINE else " "

    def handle_endtag(self, tag: str) -> None:
        self.hidden = False
        self.text += "" if tag in INLINE else " "

    def handle_data(self, data: str) -> None:
        self.text += "" if self.hidden else data


def markup(rng: random.Random) -> str:
    def word() -> str:
        text = escape(rng.choice(WORDS))
        return text.replace("ö", "&ouml;").replace("’", "&#8217;") if rng.random() < 0.5 else text

    parts = []
    for _ in range(rng.randint(1, 12)):
        tag = rng.choice(["p", "b", "em", "div", "li", "span", "h2"])
        parts.append(
            rng.choice(
                [
                    f"<{tag} class='x>y'>{word()}</{tag}>",
                    f" {word()} ",
                    f"{word()}<br>\n",
                    f"<!-- {word()} -->",
                    "<script>var a = '<p>no';</script>",
                ]
            )
        )
    return "".join(parts)


class SeenTest(unittest.TestCase):
    def test_markup_as_the_librarys_parser_reads_it(self) -> None:
        for seed in range(500):
            html = markup(random.Random(seed))
            run = next(iter(seen_runs(printed_by_markup(html).shards)))
            self.assertEqual(" ".join(s.text for s in run.stretches), fold_text(_Text(html).text), html)

    def test_every_window_of_words_is_found_where_it_stands(self) -> None:
        for seed in range(300):
            rng = random.Random(f"window {seed}")
            lines = [
                " ".join(rng.choice(WORDS) + str(rng.randint(100, 999)) for _ in range(rng.randint(1, 5)))
                for _ in range(6)
            ]
            run = next(iter(seen_runs(printed_by_markup("".join(f"<p>{line}</p>\n" for line in lines)).shards)))
            words = " ".join(lines).split()
            begin = rng.randrange(len(words))
            asked = words[begin : begin + rng.randint(1, 4)]
            found = fit(fold_text(" ".join(asked)), run)
            assert found is not None
            self.assertEqual((found.share, found.whole_words), (1.0, True))
            there = {number for number, line in enumerate(lines, 1) if set(asked) & set(line.split())}
            self.assertLessEqual({place.line for place, _ in found.parts}, there)

    def test_holes_may_be_anything(self) -> None:
        run = next(iter(seen_runs(printed_by_markup("<p>Open from {{ a }} to {{ b }} o'clock</p>").shards)))
        for asked, share in (("open from ten to six o'clock", 17), ("from ten to", 6), ("to six o'clock", 9)):
            found = fit(asked, run)
            assert found is not None
            self.assertEqual(found.share, share / len(asked.replace(" ", "")), asked)
        self.assertIsNone(fit("closed on mondays", run))

    def test_what_is_left_out_under_a_condition_is_passed_over(self) -> None:
        data = b"<p>Low <?php if ($x): ?>spring <?php endif; ?>tide</p>"
        shards = [shard for flow in printed_by_code(coded_language("php").code(data)) for shard in flow.shards]
        run = next(iter(seen_runs(shards)))
        for asked in ("low tide", "low spring tide"):
            found = fit(asked, run)
            assert found is not None
            self.assertEqual(found.share, 1.0, asked)

    def test_folding_makes_no_difference_of_what_is_seen_alike(self) -> None:
        for one, other in (
            ("Café\u00a0–  Pier", "cafe\u0301 - PIER"),
            ("the keeper’s", "The keeper's"),
            ("so\u00adft", "soft"),
            ("ﬁn", "fin"),
        ):
            self.assertEqual(fold_text(one), fold_text(other))

    def test_hostile_texts_end_soon(self) -> None:
        for text in (
            "<" * 50_000,
            "<p " * 20_000,
            "<!--" * 20_000,
            "&" * 50_000,
            "{{" * 20_000,
            "<script" * 20_000,
            "<p title='" * 5_000,
            "\u00ad" * 50_000,
        ):
            list(seen_runs(printed_by_markup(text).shards))
        run = next(
            iter(seen_runs([Shard("ab " * 20_000, 1), *([Shard("", 1, ()), Shard("ab", 1, None, True)] * 2_000)]))
        )
        fit("ab " * 100 + "c", run)
        self.assertTrue(re.match("ab", run.stretches[0].text))
