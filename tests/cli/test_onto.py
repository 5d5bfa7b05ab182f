"""update --onto: another parent for a child; what it keeps, what moved, what only the old one had."""

from __future__ import annotations

import json

from protypon.standin.quayside import QuaysideSite
from tests.support import BenchCase, state, theme

HOME = '<h1>{{ page.title }}</h1>\n<p>one</p>\n<p>two</p>\n<p>three</p>\n{% include "parts/foot.html" %}\n'
TOP = "<nav>\n<a>one</a>\n<a>two</a>\n<a>three</a>\n<a>four</a>\n</nav>\n"
PIER = {
    "pages/home.html": HOME + '{% include "parts/top.html" %}\n', "parts/foot.html": "<footer>Pier</footer>\n", "parts/top.html": TOP,
    "parts/boats.html": "<ul><li>Boats</li></ul>\n", "parts/deep.html": '{% include "parts/boats.html" %}\n',
    "lang/en.json": '{"open": "Open", "shut": "Shut"}\n',
}  # fmt: skip
QUAY = {
    "pages/home.html": HOME.replace("three", "3") + '{% include "parts/head.html" %}\n', "parts/foot.html": "<footer>Quay</footer>\n",
    "parts/head.html": TOP, "lang/en.json": '{"open": "Come in"}\n',
}  # fmt: skip


class OntoTest(BenchCase):
    types_steps = True

    def setUp(self) -> None:
        super().setUp()
        self.parent(PIER)
        self.parent(QUAY, slug="quay", release="3.0.0")
        self.ok("init", "--platform", "quayside")
        self.ok("new", "gull", "--parent", "pier")
        self.ok("override", "pages/home.html", "parts/top.html")
        self.edit("themes/gull/pages/home.html", b"<p>one</p>", b"<p>ours</p>")
        self.edit("themes/gull/parts/top.html", b"<a>one</a>", b"<a>ours</a>")
        self.ok("override", "text:lang/en.json#open", "--value", "Ahoy")
        self.put("themes/gull/pages/event.html", '{% include "parts/deep.html" %}\n')

    def test_it_is_judged_and_carried_over(self) -> None:
        before = state(self.bench, ".protypon")
        table = json.loads(self.ok("update", "pier", "--onto", "quay", "--dry-run", "--format", "json"))
        self.assertEqual(state(self.bench, ".protypon"), before)
        rows = {row["unit"]: (row["verdict"], row["done"]) for row in table["children"][0]["overrides"]}
        self.assertEqual(rows["template:pages/home.html"][1], "merged")
        self.assertEqual(rows["template:parts/top.html"], ("moved", "moved"))
        self.assertEqual(table["lost"]["gull"], [{"file": "parts/deep.html", "asked_by": "pages/event.html line 1"}])
        self.ok("update", "pier", "--onto", "quay")
        self.assertIn(b'parent = "quay"', self.read("themes/gull/quay.toml"))
        home = self.read("themes/gull/pages/home.html")
        self.assertIn(b"<p>ours</p>", home)
        self.assertIn(b"<p>3</p>", home)
        self.assertIn(b"<a>ours</a>", self.read("themes/gull/parts/head.html"))
        verdicts = self.verdicts("gull")
        self.assertEqual(
            (verdicts["template:pages/home.html"], verdicts["template:parts/head.html"]), ("holds", "holds")
        )
        site = QuaysideSite(self.bench / "themes", "gull")
        self.assertEqual([t.slug for t in site.lineage], ["gull", "quay"])
        self.assertIn("<p>ours</p>", site.run_code("home").render("pages/home.html").html)
        self.ok("undo")
        self.assertEqual(state(self.bench, ".protypon"), before)

    def test_a_copied_page_is_a_block_of_what_the_new_parent_has(self) -> None:
        block = "{% block content %}\n<h1>one</h1>\n<p>two</p>\n<p>base</p>\n<p>three</p>\n{% endblock %}\n"
        self.parent({"pages/base.html": f"<main>\n{block}</main>\n"}, slug="reef")
        self.put("themes/pier/quay.toml", theme("pier", parent="reef"))
        page = '{% extends "pages/base.html" %}\n' + block.replace("base", "pier")
        self.put("themes/pier/pages/visit.html", page)
        self.ok("override", "pages/visit.html")
        self.edit("themes/gull/pages/visit.html", b"<p>pier</p>", b"<p>ours</p>")
        foretold = self.ok("update", "pier", "--onto", "reef", "--dry-run")
        self.assertTrue(foretold.endswith("next: protypon update pier --onto reef\n"), foretold)
        self.assertIn("block:pages/visit.html#content  was conflicted", foretold)
        self.assertNotIn("not in this store", foretold)
        self.ok("update", "pier", "--onto", "reef")
        proposal = self.read("proposals/gull/block/pages/visit.html/content.html")
        for line in (b"<p>base</p>", b"<p>ours</p>", b"<p>pier</p>"):
            self.assertIn(line, proposal)
        self.assertEqual(self.verdicts("gull")["block:pages/visit.html#content"], "conflicted")

    def test_what_only_the_old_one_had_is_brought(self) -> None:
        said = self.ok("update", "pier", "--onto", "quay", "--dry-run")
        self.assertIn("protypon update pier --onto quay --child gull --bring", said)
        self.ok("update", "pier", "--onto", "quay", "--child", "gull", "--bring")
        self.assertEqual(self.read("themes/gull/parts/boats.html").decode(), PIER["parts/boats.html"])
        page = QuaysideSite(self.bench / "themes", "gull").run_code("event").render("pages/event.html")
        self.assertIn("Boats", page.html)

    def test_what_the_new_one_has_not_is_not_said_of_the_old_one(self) -> None:
        self.ok("override", "parts/deep.html")
        self.edit("themes/gull/parts/deep.html", b"{%", b"<b>ours</b>{%")
        self.ok("update", "pier", "--onto", "quay", "--child", "gull", "--bring")
        row = self.row("gull", "template:parts/deep.html")
        self.assertEqual(row["verdict"], "holds")
        self.assertIn("quay 3.0.0 has no parts/deep.html; pier, which it was taken from, is no parent", row["because"])
        finding = next(f for f in self.check()["gull"]["findings"] if f["code"] == "only-yours")
        self.assertTrue(finding["because"].startswith("quay 3.0.0 does not supply parts/deep.html"))

    def test_a_base_put_between(self) -> None:
        self.put("themes/dock/quay.toml", theme("dock", parent="pier", release="2.0.0"))
        self.put("themes/dock/parts/foot.html", "<footer>Dock</footer>\n")
        self.ok("update", "pier", "--onto", "dock")
        self.assertEqual(set(self.verdicts("gull").values()), {"holds"})
        self.assertEqual(
            [t.slug for t in QuaysideSite(self.bench / "themes", "gull").lineage], ["gull", "dock", "pier"]
        )

    def test_bad_input(self) -> None:
        self.ok("new", "chick", "--parent", "gull")
        for arguments, status in (
            (("pier", "--onto", "pier"), 2), (("pier", "--onto", "nobody"), 2), (("pier", "--onto", "gull"), 3), (("pier", "--onto", "chick"), 3),
            (("quay", "--onto", "pier"), 3), (("pier", "--bring"), 2), (("pier", "--onto", "quay", "--to", "x"), 2),
        ):  # fmt: skip
            with self.subTest(arguments=arguments):
                self.refused("update", *arguments, status=status)
