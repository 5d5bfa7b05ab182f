"""Rules of sheets as overrides: written with the least that wins, judged, renamed, made to win again, dropped byte for byte."""

from __future__ import annotations

import json
import unittest
from pathlib import Path

from tests.support import BenchCase

SITE = """:root { --sea: navy }

.menu .menu-item {
  color: var(--sea);
  padding: 1px 2px;
}

.lamp { margin: 0 !important; gap: 2px }
@media (min-width: 40em) {
  .lamp { gap: 8px }
}
ul { color: green; margin: 3px }
"""
HOME = '<ul class="menu"><li class="menu-item">a</li></ul><p class="lamp">x</p>\n'
UNIT = "rule:styles/site.css#"


class RulesCase(BenchCase):
    types_steps = True

    def theme(self, site: str = SITE, home: str = HOME, release: str = "1.0.0", root: Path | None = None) -> str:
        manifest = (
            f'[theme]\nslug = "pier"\ntitle = "Pier"\nrelease = "{release}"\n\n[sheets]\nsite = ["styles/site.css"]\n'
        )
        files = {"quay.toml": manifest, "styles/site.css": site, "pages/home.html": home}
        return str(self.parent(dict(files), release, root=root))

    def begun(self) -> None:
        self.theme()
        self.ok("init", "--platform", "quayside")
        self.ok("new", "gull", "--parent", "pier")

    def sheet(self) -> str:
        return self.read("themes/gull/styles/gull.css").decode()

    def judged(self, selector: str, name: str, site: str, home: str = HOME) -> tuple[str, str]:
        """What a check says of a rule before the update to another release."""
        there = self.theme(site, home, "2.0.0", self.root / name)
        row = self.row("gull", UNIT + selector, "--against", there)
        return row["verdict"], row["because"]


class WritingTest(RulesCase):
    def test_a_declaration_goes_into_the_childs_sheet_and_holds(self) -> None:
        self.begun()
        before = self.sheet()
        said = self.ok("override", UNIT + ".menu .menu-item", "--set", "color=teal", "--why", "ours")
        self.assertIn("pier 1.0.0 says color: var(--sea) for it", " ".join(said.split()))
        self.assertTrue(self.sheet().startswith(before.rstrip()))
        self.assertTrue(self.sheet().endswith("\n\n.menu .menu-item {\n  color: teal;\n}\n"), self.sheet())
        self.assertEqual(self.verdicts("gull"), {UNIT + ".menu .menu-item": "holds"})
        told = json.loads(self.ok("explain", UNIT + ".menu .menu-item", "--format", "json"))
        self.assertEqual((told["in_force"]["theme"], told["without"]["theme"]), ("gull", "pier"))
        self.assertEqual([row["wins"] for row in told["declarations"]], ["yes"])
        self.ok("drop", UNIT + ".menu .menu-item")
        self.assertEqual(self.sheet(), before)

    def test_the_least_that_wins_is_written(self) -> None:
        self.begun()
        self.ok("override", UNIT + ".lamp", "--set", "margin=4px")
        self.assertIn(".lamp {\n  margin: 4px !important;\n}", self.sheet())
        self.put("themes/pier/styles/late.css", "html ul { color: black }\n")
        late = self.read("themes/pier/quay.toml").replace(
            b'["styles/site.css"]', b'["styles/site.css", "styles/late.css"]'
        )
        self.put("themes/pier/quay.toml", late)
        self.ok("override", UNIT + "ul", "--set", "color=red")
        self.assertIn("\nul {\n  color: red;\n}", self.sheet())  # not every list is below html for certain

    def test_where_the_parent_says_it_for_some_widths_yours_does_too(self) -> None:
        self.begun()
        self.theme(SITE.replace("gap: 2px", "top: 2px"))
        self.ok("override", UNIT + ".lamp", "--set", "gap=9px")
        self.assertIn("@media (min-width: 40em) {\n  .lamp {\n    gap: 9px;\n  }\n}", self.sheet())

    def test_what_is_important_in_a_layer_without_a_name_is_left(self) -> None:
        self.begun()
        self.theme(
            SITE
            + "@layer { .lamp { top: 1px !important; left: 1px } }\n@supports (gap: 1px) { @layer x { a { b: c } } }\n"
        )
        said = self.refused("override", UNIT + ".lamp", "--set", "top=2px")
        self.assertIn(
            "in a layer without a name (line 13), and nothing outside of that wins over it", " ".join(said.split())
        )
        self.ok("override", UNIT + ".lamp", "--set", "left=2px")

    def test_that_it_counts_for_other_widths_too_is_said(self) -> None:
        self.begun()
        said = " ".join(self.ok("override", UNIT + ".lamp", "--set", "gap=9px", "--set", "colour=red").split())
        self.assertIn("the parent says gap: 8px for @media (min-width: 40em): yours comes later", said)
        self.assertIn("no sheet of the parents sets colour; if color was meant", said)

    def test_without_a_value_the_parents_is_written_to_be_edited(self) -> None:
        self.begun()
        self.ok("override", UNIT + ".menu .menu-item")
        self.assertIn("  color: var(--sea);\n  padding: 1px 2px;\n", self.sheet())
        row = self.row("gull", UNIT + ".menu .menu-item")
        self.assertEqual((row["verdict"], row["edited"]), ("holds", False))
        self.assertIn("not yet edited", row["because"])

    def test_a_child_without_a_sheet_gets_one_that_loads(self) -> None:
        self.begun()
        manifest = self.read("themes/gull/quay.toml")
        self.put("themes/gull/quay.toml", manifest.replace(b"styles/gull.css", b""))
        (self.bench / "themes/gull/styles/gull.css").unlink()
        bare = self.read("themes/gull/quay.toml")
        self.ok("override", UNIT + "ul", UNIT + ".lamp", "--set", "color=red")
        self.assertEqual(self.verdicts("gull"), {UNIT + "ul": "holds", UNIT + ".lamp": "holds"})
        self.ok("drop", UNIT + "ul")
        self.assertEqual(self.verdicts("gull"), {UNIT + ".lamp": "holds"})
        self.ok("drop", UNIT + ".lamp")
        self.assertFalse((self.bench / "themes/gull/styles/gull.css").exists())
        self.assertEqual(self.read("themes/gull/quay.toml").replace(b'[""]', b"[]"), bare.replace(b'[""]', b"[]"))

    def test_what_can_not_be_is_refused_with_the_right_word(self) -> None:
        self.begun()
        self.put("themes/gull/styles/gull.css", "ul { color: red }\n")
        for unit, said, hint, status in (
            (UNIT + ".menu .menu-itm", "color=red", "did you mean rule:styles/site.css#.menu .menu-item?", 2),
            ("rule:styles/sit.css#ul", "color=red", "did you mean rule:styles/site.css#ul?", 2),
            (UNIT + ".lamp", "color", "PROPERTY=VALUE", 2),
            ("rule:styles/site.css", "color=red", "write rule:SHEET#SELECTOR", 2),
            (UNIT + ".lamp", "color=red; } a { top: 1px", "PROPERTY=VALUE", 2),
            (UNIT + ".lamp", "padding=-3px", "browsers do not take -3px for padding", 2),
            (UNIT + "ul", "color=teal", "says color: red for ul already", 3),
            ("template:pages/home.html", "color=red", "--set is for a unit of the kind rule", 2),
        ):
            with self.subTest(unit=unit, said=said):
                self.assertIn(hint, self.refused("override", unit, "--set", said, status=status))


class VerdictTest(RulesCase):
    def test_each_thing_that_can_happen_to_a_rule(self) -> None:
        self.begun()
        self.ok("override", UNIT + ".menu .menu-item", "--set", "color=teal")
        self.ok("override", UNIT + "ul", "--set", "color=red")
        other = SITE.replace("padding: 1px 2px", "padding: 9px").replace("margin: 3px", "margin: 9px")
        self.assertEqual(self.judged("ul", "a", other)[0], "holds")
        self.assertEqual(self.judged(".menu .menu-item", "a", other)[0], "holds")
        verdict, because = self.judged("ul", "b", SITE.replace("color: green", "color: olive"))
        self.assertEqual(verdict, "drifted")
        self.assertIn("pier 2.0.0 changed color from green to olive (pier/styles/site.css line 12)", because)
        self.assertEqual(self.judged("ul", "c", SITE.replace("color: green", "color: red"))[0], "needless")
        verdict, because = self.judged("ul", "d", SITE.replace("color: green", "color: green !important"))
        self.assertEqual(verdict, "idle")
        self.assertIn("with !important it wins", because)
        verdict, because = self.judged("ul", "e", SITE.replace("ul { color: green; margin: 3px }\n", ""))
        self.assertEqual(verdict, "drifted")
        self.assertIn("changed color from green to nothing", because)
        self.assertNotIn("may be", because)
        verdict, because = self.judged("ul", "f", SITE.replace("ul {", "main ul {"))
        self.assertEqual(verdict, "drifted")  # lists are still there: following would take yours off some of them
        self.assertIn("to nothing (pier/styles/site.css); it may be main ul now", because)

    def test_a_class_that_a_release_renames_is_followed_by_the_update(self) -> None:
        self.begun()
        self.ok("override", UNIT + ".menu .menu-item", "--set", "color=teal")
        self.put("themes/gull/styles/gull.css", self.sheet() + "\n.menu-item:hover { color: red }\n")
        home, site = HOME.replace("menu-item", "menu-link"), SITE.replace("menu-item", "menu-link")
        self.assertEqual(self.judged(".menu .menu-item", "new", site, home)[0], "moved")
        self.ok("update", "pier", "--to", str(self.root / "new/pier"))
        self.assertIn(".menu .menu-link {\n  color: teal;\n}", self.sheet())
        self.assertEqual(self.verdicts("gull"), {UNIT + ".menu .menu-link": "holds"})
        self.assertEqual(self.codes("gull"), ["rule-stranded"])
        self.ok("mend", "rule:styles/gull.css#.menu-item:hover")
        self.assertIn(".menu-link:hover { color: red }", self.sheet())
        self.assertEqual(self.codes("gull"), [])

    def test_a_rule_that_went_into_another_sheet_is_followed(self) -> None:
        self.begun()
        self.ok("override", UNIT + "ul", "--set", "color=red")
        mine = self.sheet()
        there = self.root / "new"
        self.theme(
            SITE.replace("ul { color: green; margin: 3px }\n", '@import "x.css";\n'), release="2.0.0", root=there
        )
        self.put("pier/styles/site.css", '@import "lists.css";\n' + SITE.partition("ul {")[0], there)
        self.put("pier/styles/lists.css", "ul { color: green; margin: 3px }\n", there)
        row = self.row("gull", UNIT + "ul", "--against", str(there / "pier"))
        self.assertEqual(row["verdict"], "moved", row["because"])
        self.ok("update", "pier", "--to", str(there / "pier"))
        self.assertEqual((self.verdicts("gull"), self.sheet()), ({"rule:styles/lists.css#ul": "holds"}, mine))

    def test_a_custom_property_that_is_called_otherwise_is_renamed(self) -> None:
        self.begun()
        self.ok("override", UNIT + ":root", "--set", "--sea=teal")
        site = SITE.replace("--sea", "--deep")
        verdict, because = self.judged(":root", "new", site)
        self.assertEqual(verdict, "conflicted")
        self.assertIn("asks for --sea (--deep has the value it had) any more", because)
        self.assertNotEqual(self.judged(":root", "used", site + "p { color: var(--sea, red) }\n")[0], "conflicted")
        self.ok("update", "pier", "--to", str(self.root / "new/pier"))
        self.assertIn(":root {\n  --deep: teal;\n}", self.sheet())
        self.assertNotIn("--sea", self.sheet())

    def test_a_class_that_is_gone_strands_its_rule(self) -> None:
        self.begun()
        self.ok("override", UNIT + ".lamp", "--set", "gap=4px")
        verdict, because = self.judged(".lamp", "gone", SITE, HOME.replace('<p class="lamp">x</p>', ""))
        self.assertEqual(verdict, "stranded")
        self.assertIn("nothing in the lineage has the class or id lamp any more", because)
        verdict, because = self.judged(".lamp", "hole", SITE, HOME.replace('class="lamp"', 'class="la{{ x }}"'))
        self.assertEqual(verdict, "holds")

    def test_what_a_release_outranks_is_made_to_win_again(self) -> None:
        self.begun()
        self.ok("override", UNIT + ".menu .menu-item", "--set", "color=teal")
        later = SITE + ".menu .menu-item.menu-item { color: black }\n"
        self.assertEqual(self.judged(".menu .menu-item", "new", later)[0], "idle")
        self.ok("update", "pier", "--to", str(self.root / "new/pier"))
        self.assertIn(".menu .menu-item.menu-item {\n  color: teal;\n}", self.sheet())
        self.assertEqual(self.verdicts("gull"), {UNIT + ".menu .menu-item": "holds"})
        self.ok("drop", UNIT + ".menu .menu-item")
        self.assertNotIn("teal", self.sheet())

    def test_settle_keeps_yours_and_undo_gives_everything_back(self) -> None:
        self.begun()
        self.ok("override", UNIT + "ul", "--set", "color=red")
        mine = self.sheet()
        self.theme(SITE.replace("color: green", "color: olive"), release="2.0.0")
        self.assertEqual(self.verdicts("gull")[UNIT + "ul"], "drifted")
        self.assertIn("olive", self.ok("compare", UNIT + "ul"))
        self.ok("settle", UNIT + "ul", "--why", "red it is")
        self.assertEqual(self.verdicts("gull")[UNIT + "ul"], "holds")
        self.ok("drop", UNIT + "ul")
        self.ok("undo")
        self.assertEqual(self.sheet(), mine)

    def test_what_nobody_has_any_more_can_be_dropped(self) -> None:
        self.begun()
        self.ok("override", UNIT + ".lamp", "--set", "gap=4px")
        self.theme("p { color: green }\n", "<p>x</p>\n", release="2.0.0")
        row = self.row("gull", UNIT + ".lamp")
        self.assertEqual(row["verdict"], "stranded")
        self.assertIn("drop", str(row["next"]))
        said = self.ok("drop", UNIT + ".lamp")
        self.assertIn("dropped", said)
        self.assertEqual(self.verdicts("gull"), {})

    def test_of_two_sheets_the_later_one_is_the_override(self) -> None:
        self.begun()
        manifest = self.read("themes/gull/quay.toml").replace(
            b'"styles/gull.css"', b'"styles/gull.css", "styles/late.css"'
        )
        self.put("themes/gull/quay.toml", manifest)
        self.put("themes/gull/styles/gull.css", "ul { color: red }\n")
        self.put("themes/gull/styles/late.css", "ul { color: teal }\n")
        row = self.row("gull", UNIT + "ul")
        self.assertEqual((row["verdict"], row["file"]), ("unlisted", "styles/late.css"))

    def test_a_hand_made_sheet_is_unlisted_until_it_is_adopted(self) -> None:
        self.begun()
        self.put("themes/gull/styles/gull.css", "ul{color:red}\n.own { top: 1px }\n.menu>.menu-item { top: 1px }\n")
        self.assertEqual(self.verdicts("gull"), {UNIT + "ul": "unlisted"})
        self.ok("adopt", "gull")
        self.assertEqual(self.verdicts("gull"), {UNIT + "ul": "holds"})
        self.assertEqual(self.judged("ul", "b", SITE.replace("color: green", "color: olive"))[0], "drifted")
        self.ok("drop", UNIT + "ul")
        self.assertEqual(self.sheet(), ".own { top: 1px }\n.menu>.menu-item { top: 1px }\n")

    def test_what_would_win_instead_keeps_a_rule_from_being_needless(self) -> None:
        self.begun()
        same = SITE.replace("color: green", "color: red")
        self.ok("override", UNIT + "ul", "--set", "color=red")
        for site, verdict in (
            (same, "needless"),
            (same + ".menu { color: black }\n", "needless"),  # it wins over both
            (same + "ul { color: red }\n", "needless"),
            (same + "*|ul { color: black }\n", "drifted"),  # wins over the parent's, and not over the child's
            ("ul { color: red }\nbody > ul, .x, ul { color: black }\n", "drifted"),
        ):
            self.theme(site, release="2.0.0")
            self.assertEqual(self.verdicts("gull"), {UNIT + "ul": verdict}, site)


if __name__ == "__main__":
    unittest.main()
