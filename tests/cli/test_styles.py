"""Sheets in force and rules that lose: as the stand-in loads them, and as the commands tell it."""

from __future__ import annotations

import json
import unittest
from typing import Any

from protypon.standin.quayside import QuaysideSite
from tests.support import BenchCase

SITE = ".menu a { color: navy; padding: 1px 2px }\n.lamp { margin: 0 !important; gap: 2px }\nul { color: green }\n"


class StylesTest(BenchCase):
    types_steps = True

    def begun(self, own: str, site: str = SITE, sheets: str = '["styles/site.css", "styles/late.css"]') -> None:
        manifest = f'[theme]\nslug = "pier"\ntitle = "Pier"\nrelease = "1.0.0"\n\n[sheets]\nsite = {sheets}\n'
        files = {
            "quay.toml": manifest,
            "styles/site.css": site,
            "styles/late.css": '@import "base.css" screen;\n.late { top: 1px }\n',
        }
        for path, text in {
            **files,
            "styles/base.css": "@layer low { .lamp { order: 1 } }\n",
            "pages/home.html": "<p>x</p>\n",
        }.items():
            self.put(f"themes/pier/{path}", text)
        self.ok("init", "--platform", "quayside")
        self.ok("new", "gull", "--parent", "pier")
        if "editor" in sheets:  # a child of a time when the parent had nothing for the editor
            text = self.read("themes/gull/quay.toml").decode()
            self.put(
                "themes/gull/quay.toml", "".join(row for row in text.splitlines(True) if not row.startswith("editor"))
            )
        self.put("themes/gull/styles/gull.css", own)

    def declarations(self, selector: str) -> dict[str, Any]:
        told = json.loads(self.ok("explain", f"rule:styles/gull.css#{selector}", "--format", "json"))
        return {row["name"]: row for row in told["declarations"]}

    def outranked(self) -> list[str]:
        return [f["because"] for f in self.check()["gull"]["findings"] if f["code"] == "outranked"]

    def test_what_loads_is_told_in_the_order_in_which_the_site_loads_it(self) -> None:
        self.begun(".menu a { color: red }\n")
        told = json.loads(self.ok("explain", "--styles", "--format", "json"))["sheets"]
        loaded = [f"/themes/{row['theme']}/{row['file']}" for row in told if not row["by"].startswith("imported")]
        self.assertEqual(loaded, QuaysideSite(self.bench / "themes", "gull").sheets())
        self.assertEqual([row["theme"] for row in told], ["pier", "pier", "pier", "gull"])
        self.assertEqual(told[1]["by"], "imported by pier/styles/late.css")
        self.assertEqual(told[1]["conditions"], "@media screen")
        self.assertIn("styles/late.css", self.ok("explain", "--styles"))

    def test_a_rule_that_loses_is_told_with_the_winner_and_why(self) -> None:
        self.begun(
            "a { color: red }\n.lamp { margin: 4px; gap: 9px; order: 2 }\nul { color: blue }\n@media print { ul { color: black } }\n"
        )
        self.assertEqual(len(self.outranked()), 1)
        self.assertIn(
            "margin: 4px of .lamp never counts: pier/styles/site.css line 2 says margin: 0 !important",
            self.outranked()[0],
        )
        rows = self.declarations(".lamp")
        self.assertEqual(
            {name: row["wins"] for name, row in rows.items()}, {"margin": "no", "gap": "yes", "order": "yes"}
        )
        self.assertEqual((rows["margin"]["rivals"][0]["by"], rows["margin"]["rivals"][0]["line"]), ("important", 2))
        self.assertEqual(self.declarations("a")["color"]["wins"], "sometimes")
        self.assertEqual(self.declarations("ul")["color"]["wins"], "yes")

    def test_one_that_may_count_somewhere_is_not_said_to_lose(self) -> None:
        own = [
            ".menu a:hover { color: red }",  # the same element, in a state
            "@media print { .lamp { gap: 7px } }",
            ".foot .menu a { color: red }",
            ".lamp { margin: 1px !important }",
            "a { padding: 3px }",  # on links that are in no menu
            ".menu { color: red }",
        ]
        self.begun("\n".join(own) + "\n")
        self.assertEqual(self.outranked(), [])

    def test_a_value_that_browsers_do_not_take_outranks_nothing(self) -> None:
        self.begun(
            ".net { color: red }\n.hall { color: red }\n",
            ".net { color: blurb !important }\n.hall { color: blue !important }\n",
        )
        self.assertEqual(len(self.outranked()), 1)
        self.assertIn(".hall never counts", self.outranked()[0])

    def test_what_a_copied_sheet_says_as_its_parent_does_is_not_told(self) -> None:
        self.begun("", ".menu a { color: navy }\n", '["styles/site.css", "styles/late.css", "styles/last.css"]')
        self.put("themes/pier/styles/last.css", ".menu a { color: teal }\n")
        self.put("themes/gull/styles/site.css", ".menu a { color: navy; }\n.menu a { color: red }\n")
        self.ok("adopt", "gull")
        self.assertEqual(
            [words.partition(" never")[0] for words in self.outranked()],
            ["styles/site.css line 2: color: red of .menu a"],
        )

    def test_a_sheet_that_the_editor_does_not_load_is_told_and_registered(self) -> None:
        self.begun("", "ul { color: green }\n", '["styles/site.css"]\neditor = ["styles/site.css"]')
        self.assertEqual(QuaysideSite(self.bench / "themes", "gull").sheets("editor"), ["/themes/pier/styles/site.css"])
        self.ok("override", "rule:styles/site.css#ul", "--set", "color=red")
        told = [f for f in self.check()["gull"]["findings"] if f["code"] == "not-in-editor"]
        self.assertEqual(len(told), 1)
        self.assertIn(
            "which loads styles/site.css of a parent: there ul looks as the parent has it", told[0]["because"]
        )
        self.ok("mend", "style:styles/gull.css")
        loaded = QuaysideSite(self.bench / "themes", "gull").sheets("editor")
        self.assertEqual(loaded, ["/themes/pier/styles/site.css", "/themes/gull/styles/gull.css"])
        self.assertEqual(self.codes("gull"), [])
        rows = json.loads(self.ok("explain", "--styles", "--format", "json"))["sheets"]
        editor = [f"/themes/{row['theme']}/{row['file']}" for row in rows if row["surface"] == "editor"]
        self.assertEqual(editor, loaded)

    def test_a_new_child_is_in_the_editor_where_its_parent_is(self) -> None:
        self.begun("", "ul { color: green }\n", '["styles/site.css"]\neditor = ["styles/site.css"]')
        self.ok("new", "tern", "--parent", "pier")
        self.assertEqual(
            QuaysideSite(self.bench / "themes", "tern").sheets("editor")[1:], ["/themes/tern/styles/tern.css"]
        )

    def test_a_sheet_in_the_place_of_a_parents_by_accident_gets_a_name_of_its_own(self) -> None:
        self.begun("")
        self.put("themes/gull/styles/site.css", ".own { color: red }\n")
        told = [f for f in self.check()["gull"]["findings"] if f["code"] == "sheet-instead"]
        self.assertEqual(len(told), 1)
        self.assertIn("has 0 of its 3 rules", told[0]["because"])
        self.assertIn(
            "has a sheet styles/site.css of its own",
            self.refused("override", "rule:styles/site.css#ul", "--set", "color=red"),
        )
        self.ok("mend")  # by itself that is left: it may be meant
        self.assertIn("sheet-instead", self.codes("gull"))
        self.ok("mend", "style:styles/site.css")
        loaded = QuaysideSite(self.bench / "themes", "gull").sheets()
        self.assertIn("/themes/pier/styles/site.css", loaded)
        self.assertEqual(loaded[-1], "/themes/gull/styles/gull-site.css")
        self.assertEqual((self.codes("gull"), self.verdicts("gull")), ([], {}))
        for own in ('@import "../x.css";\n.own { color: red }\n', SITE + ".own { color: red }\n"):
            self.put("themes/gull/styles/site.css", own)
            self.assertNotIn("sheet-instead", self.codes("gull"))

    def test_what_is_made_from_a_source_is_told_where_only_that_was_changed(self) -> None:
        self.begun("")
        mapped = {"version": 3, "sources": ["../build/all.sheet"], "mappings": ""}
        for name, extra, source in (
            ("plain.css", "scss/plain.scss", "styles/scss/plain.scss"),
            ("mapped.css", "../build/all.sheet", "build/all.sheet"),
            ("small.min.css", "small.css", "styles/small.css"),
            ("alone.css", "other.scss", ""),
        ):
            for theme, text in (("pier", "a{}"), ("gull", "a{color:red}")):
                self.put(f"themes/{theme}/styles/{name}", text)
            self.put(f"themes/pier/styles/{extra}", "a {}")
            self.put("themes/pier/styles/mapped.css.map", json.dumps(mapped))
            told = [
                f for f in self.check()["gull"]["findings"] if f["code"] == "generated" and f["file"].endswith(name)
            ]
            self.assertEqual([source] if source else [], [source for f in told if source in f["because"]], name)
        self.put("themes/gull/build/all.sheet", "a { color: red }")
        told = [f["file"] for f in self.check()["gull"]["findings"] if f["code"] == "generated"]
        self.assertEqual(told, ["styles/plain.css", "styles/small.min.css"])

    def test_a_width_that_a_release_gave_up_is_told(self) -> None:
        wide = SITE + "@media (min-width: 40em) { ul { gap: 1px } }\n"
        self.begun(
            "@media (width >= 640px) { .own { gap: 2px } }\n@media (max-width: 20em) { .own { gap: 3px } }\n", wide
        )
        self.assertNotIn("other-widths", self.codes("gull"))
        manifest = self.read("themes/pier/quay.toml").replace(b"1.0.0", b"2.0.0")
        self.put("themes/pier/quay.toml", manifest)
        self.put("themes/pier/styles/site.css", wide.replace("40em", "48em"))
        told = [f["because"] for f in self.check()["gull"]["findings"] if f["code"] == "other-widths"]
        self.assertEqual(len(told), 1)
        self.assertIn(
            "changes at 640px, where pier 1.0.0 did; now nothing of the parents does (they have 48em)", told[0]
        )

    def test_addresses_that_do_not_hold_from_where_a_copy_stands_are_rewritten(self) -> None:
        self.begun("")
        own = (
            '/* url(img/none.png) */\n.a { background: url( "img/wave.svg#x" ) , url(img/lost.png) }\n'
            "@font-face { src: url(fonts/a.woff2?v=1), url(../fonts/a.woff2) }\n"
        )
        self.put("themes/gull/styles/deep/own.css", own)
        for path in ("img/wave.svg", "fonts/a.woff2", "img/other/wave2.svg"):
            self.put(f"themes/gull/{path}", "x")
        found = [f for f in self.check()["gull"]["findings"] if f["code"] == "broken-reference"]
        self.assertEqual(len(found), 4)
        self.assertIn("img/wave.svg is there", found[0]["because"])
        said = " ".join(self.ok("mend", "style:styles/deep/own.css").split())
        self.assertIn("is registered in", said)
        self.assertIn("asks for ../../img/wave.svg in the place of img/wave.svg", said)
        text = self.read("themes/gull/styles/deep/own.css").decode()
        wanted = own.replace('"img/wave.svg#x"', '"../../img/wave.svg#x"').replace("fonts/a", "../../fonts/a")
        self.assertEqual(text, wanted.replace("../../../fonts/a", "../../fonts/a"))
        left = [f["because"] for f in self.check()["gull"]["findings"] if f["code"] == "broken-reference"]
        self.assertEqual(len(left), 1, left)
        self.assertIn("img/lost.png", left[0])

    def test_a_sheet_and_a_script_are_told_with_their_place(self) -> None:
        self.begun(".menu a { color: red }\n")
        told = json.loads(self.ok("explain", "style:styles/base.css", "--format", "json"))
        self.assertEqual(told["notes"][0], "loads as sheet 2 of 4 of the site: pier/styles/late.css imports it")
        self.assertEqual(told["rules"], [{"selector": ".lamp", "line": 1}])
        self.assertIn(
            "sheet 4 of 4 of the site: gull/quay.toml registers it", self.ok("explain", "style:styles/gull.css")
        )

    def test_what_is_no_rule_is_refused_with_the_right_word(self) -> None:
        self.begun(".menu a { color: red }\n")
        for unit, hint in (
            ("rule:styles/gull.css#.meny a", "rule:styles/gull.css#.menu a"),
            ("rule:styles/gul.css#a", "styles/gull.css"),
        ):
            self.assertIn(hint, self.refused("explain", unit, status=2))
        self.assertIn("--styles", self.refused("explain", status=2))
        self.refused("explain", "--styles", "settings.json", status=2)

    def test_broken_and_huge_sheets_stop_nothing(self) -> None:
        self.begun("")
        for text in (
            "a{" * 2000,
            "}}}{{",
            ".a{&,&{" * 300,
            "@import 'gull.css';" * 50,
            ".x{color:red}" * 40_000,
            "\0\ufffd{a:b",
            "@layer a{" * 999,
        ):
            self.put("themes/gull/styles/gull.css", text)
            self.check()
            self.ok("explain", "--styles")


if __name__ == "__main__":
    unittest.main()
