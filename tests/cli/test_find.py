"""find: from what is seen to what prints it; each way that is told works when it is typed."""

from __future__ import annotations

import json
import shlex
import shutil
import unittest
from pathlib import Path
from typing import Any

import protypon
from protypon.standin.quayside import QuaysideSite
from tests.support import BenchCase

DEMO = Path(protypon.__file__).parent / "demo"
FOOT = """<footer class="foot">Kept by {{ text("keeper") }} since 1891
<img alt="The lamp&nbsp;room" src="/l.png">{{ region("aside") }}</footer>
"""
PAGES = ("home", "exhibit", "event", "visit", "search")


class FindCase(BenchCase):
    def found(self, text: str, *arguments: str, status: int = 0) -> dict[str, Any]:
        return dict(json.loads(self.ok("find", text, "--format", "json", *arguments, status=status)))

    def units(self, text: str) -> list[str]:
        return [row["unit"] for row in self.found(text)["found"]]


class WordsTest(FindCase):
    def setUp(self) -> None:
        super().setUp()
        self.parent(
            {
                "pages/home.html": '{% extends "parts/frame.html" %}{% block body %}<p>Low <em>water</em>\n at six</p>{% endblock %}\n',
                "parts/frame.html": '<h1>{{ page.title }}</h1>\n{% block body %}<p>Nobody sees this</p>{% endblock %}\n{% include "parts/foot.html" %}\n',
                "parts/foot.html": FOOT,
                "parts/alone.html": "<p>Asked for by nobody</p>\n",
                "lang/en.json": '{\n "keeper": "the Caf\\u00e9 crew",\n "unseen": "Seals ashore"\n}\n',
                "styles/site.css": '.foot { color: #123 }\n.foot::after { content: "Mind the step" }\nfooter a { color: red }\n',
                "code/pier.py": 'import quay\n\n\n@quay.on("page-end", order=3)\ndef bell():\n    return "<p>The bell rings twice</p>"\n',
                "img/wave.svg": "<svg><text>High tide</text></svg>\n",
            },
            sheets=["styles/site.css"],
        )
        self.ok("init", "--platform", "quayside")
        self.ok("new", "gull", "--parent", "pier")

    def test_words_are_found_where_they_stand(self) -> None:
        for words, unit, line in (
            ("water at six", "template:pages/home.html", 1),
            ("the café crew", "text:lang/en.json#keeper", 2),
            ("THE CAFÉ", "text:lang/en.json#keeper", 2),
            ("lamp room", "template:parts/foot.html", 2),
            ("mind the step", "rule:styles/site.css#.foot::after", 2),
            ("bell rings", "function:bell", 6),
            ("high tide", "asset:img/wave.svg", 1),
        ):
            with self.subTest(words=words):
                row = self.found(words)["found"][0]
                self.assertEqual((row["unit"], row["lines"][0], row["share"]), (unit, line, 1.0))

    def test_words_that_several_things_print_are_put_together(self) -> None:
        table = self.found("kept by the café crew since 1891")
        self.assertEqual(
            {row["unit"] for row in table["found"]}, {"template:parts/foot.html", "text:lang/en.json#keeper"}
        )
        self.assertEqual({row["share"] for row in table["found"]}, {1.0})
        key = next(row for row in table["found"] if row["kind"] == "text")
        self.assertEqual(key["printed_in"], [{"theme": "pier", "file": "parts/foot.html", "line": 1}])
        self.assertEqual(self.found("The lamp room at dusk")["found"][0]["unit"], "template:parts/foot.html")

    def test_what_is_never_printed_is_said_to_be(self) -> None:
        for words, why in (("nobody sees this", "a nearer template"), ("asked for by nobody", "asks for it")):
            with self.subTest(words=words):
                row = self.found(words)["found"][0]
                self.assertEqual((row["used"], row["ways"]), ("no", []))
                self.assertIn(why, row["because"])

    def test_what_only_the_site_holds_is_said_to_be_that(self) -> None:
        table = self.found("Eleven prisms", status=1)
        self.assertEqual((table["found"], table["named"]), ([], []))
        self.assertEqual({row["what"] for row in table["content"]}, {"page.title", "the region aside"})
        self.assertIn("the site's own content", self.ok("find", "Eleven prisms", status=1))

    def test_a_selector_a_class_and_a_piece_of_a_page(self) -> None:
        for text in (".foot", "foot", '<footer class="foot">', "footer.foot"):
            with self.subTest(text=text):
                table = self.found(text)
                self.assertEqual(table["as"], "selector")
                units = [row["unit"] for row in table["found"]]
                self.assertEqual(units[:2], ["template:parts/foot.html", "rule:styles/site.css#.foot"])
        self.assertEqual(self.units('<p class="x">The bell</p>'), ["function:bell"])
        self.assertNotIn("template:parts/foot.html", self.units(".foot a"))

    def test_a_name_is_told_where_nothing_is_printed(self) -> None:
        named = [row["unit"] for row in self.found("wave.svg")["named"]]
        self.assertEqual(named, ["asset:img/wave.svg"])
        self.assertEqual([row["unit"] for row in self.found("bell")["named"]], [])  # its words have it

    def test_what_is_the_childs_already_is_edited_there(self) -> None:
        self.ok("override", "parts/foot.html")
        row = self.found("kept by")["found"][0]
        self.assertEqual((row["theme"], row["yours"], row["ways"]), ("gull", True, []))

    def test_bad_input(self) -> None:
        for text in ("", "  ", "...", "<br>"):
            self.refused("find", text, status=2)
        self.refused("find", "bell", "--child", "nobody", status=2)
        self.found("a\x00b\ud800"[:2], status=1)
        self.found("wo" * 5000, status=1)


class WaysTest(FindCase):
    """Each way that is told for words of the demo is typed; afterwards the site still loads."""

    def setUp(self) -> None:
        super().setUp()
        for name in ("breakwater", "seabed"):
            release = "1.5.0" if name == "breakwater" else "3.1.0"
            shutil.copytree(DEMO / "themes" / f"{name}-{release}", self.bench / "themes" / name)
        self.ok("init", "--platform", "quayside")
        self.ok("new", "skerry", "--parent", "breakwater")

    def test_each_way_works(self) -> None:
        ranks = {"text": 0, "rule": 1, "setting": 2, "hook": 3, "function": 4, "block": 5, "template": 6}
        typed = 0
        for text in (
            "Open all year", "Built on Breakwater", "Last ferry", "The causeway closes", "10:00", "Search the collection", "You are here", ".credit", ".tides",
            "Skip to the content", "Inventory number", "p",
        ):  # fmt: skip
            for row in self.found(text)["found"]:
                kinds = [way["next"].split()[2].strip("'").partition(":")[0] for way in row["ways"]]
                self.assertEqual(kinds, sorted(kinds, key=lambda kind: ranks.get(kind, 7)))
                for way in row["ways"]:
                    with self.subTest(way=way["next"]):
                        self.typed(way["next"])
                        typed += 1
        self.assertGreater(typed, 20)

    def typed(self, line: str) -> None:
        words = shlex.split(line)[1:]
        fill = {"V": "Otherwise", "PROPERTY=VALUE": "color=red", "NAME": "keepers_notice"}
        self.ok(*(fill.get(word, word) for word in words))
        self.assertNotIn("fatal", self.verdicts("skerry").values())
        site = QuaysideSite(self.bench / "themes", "skerry").run_code("home")
        for page in PAGES:
            site.render(f"pages/{page}.html")
        self.ok("undo")


if __name__ == "__main__":
    unittest.main()
