"""What everyday platforms do, said in platform files that exist only here: every habit from the platform file to the verdict."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any, ClassVar

from tests.support import BenchCase

PLATFORMS = Path(__file__).parents[1] / "platforms"
MANTLE = "/*\nWharf Title: The Pier\nRelease: {}\n*/\na {{ color: navy; }}\n"
WHARF = {
    "mantle.css": MANTLE.format("1.0.0"),
    "rigging.php": """<?php
moor_region(['key' => 'aside', 'caption' => 'The side']);
moor_regions([['key' => 'foot'], ['key' => 'head']]);
stow(['kind' => 'picture-size', 'name' => 'card', 'value' => [300, 200]]);
moor('moored', 'pier_board');
function pier_board() { show_board('notice', 'wide'); }
""",
    "boards/tides.php": '<?php show_region("aside"); include board_path("foot"); include __DIR__ . "/lamp.php"; ?>',
    "boards/tides.wide.php": "<p>wide</p>",
    "boards/notice.php": "<p>notice</p>",
    "boards/foot.php": '<?php show_region("foot"); show_region("head"); ?>',
    "boards/lamp.php": "<p>lamp</p>",
    "boards/dead.php": "<p>dead</p>",
    "plain.php": '<main><?php show_board("tides", "narrow"); show_board(["none", "buoy", "foot"]); ?></main>',
    "sheet.php": "<main>\n<h1>A sheet</h1>\n<p>one</p>\n<p>two</p>\n</main>\n",
}


class PlatformCase(BenchCase):
    """A bench with a parent ``pier`` and a child ``gull`` on a platform of ``tests/platforms``."""

    types_steps = True

    def begun(self, platform: str, files: dict[str, str]) -> None:
        self.put(f"{platform}.toml", (PLATFORMS / f"{platform}.toml").read_text("utf-8"))
        for path, text in files.items():
            self.put(f"themes/pier/{path}", text)
        self.ok("init", "--platform", f"{platform}.toml")
        self.ok("new", "gull", "--parent", "pier", "--title", "Gull")

    def explained(self, unit: str) -> dict[str, Any]:
        found: dict[str, Any] = json.loads(self.ok("explain", unit, "--format", "json"))
        return found


class PartTest(PlatformCase):
    """Templates that calls show, with names that fall back."""

    def test_a_part_is_the_narrower_one_that_a_theme_has_or_else_the_plain_one(self) -> None:
        self.begun("wharf", WHARF)
        for path in ("boards/tides.php", "boards/notice.php", "boards/foot.php"):
            self.ok("override", f"template:{path}")
            self.put(f"themes/gull/{path}", self.read(f"themes/gull/{path}") + b"<!-- ours -->")
        for path in ("boards/tides.narrow.php", "boards/buoy.php"):
            self.put(f"themes/gull/{path}", "<p>ours</p>")
        self.ok("override", "template:boards/tides.wide.php")
        verdicts = self.verdicts("gull")
        self.assertEqual(verdicts["template:boards/notice.php"], "holds")
        self.assertEqual(verdicts["template:boards/tides.wide.php"], "idle")
        self.assertEqual(verdicts["template:boards/tides.php"], "idle")
        self.assertEqual(verdicts["template:boards/foot.php"], "idle")
        (self.bench / "themes/gull/boards/tides.narrow.php").unlink()
        (self.bench / "themes/gull/boards/buoy.php").unlink()
        verdicts = self.verdicts("gull")
        self.assertEqual(verdicts["template:boards/tides.php"], "holds")
        self.assertEqual(verdicts["template:boards/foot.php"], "holds")

    def test_a_copy_of_what_is_only_pulled_in_by_a_fixed_path_is_dead_and_that_is_said_at_once(self) -> None:
        self.begun("wharf", WHARF)
        told = " ".join(self.ok("override", "template:boards/lamp.php").split())
        place = "pier/boards/tides.php line 1 pulls in its own by a fixed path, so a copy further down is dead"
        self.assertIn(f"the copy will never be used: {place}", told)
        row = self.row("gull", "template:boards/lamp.php")
        self.assertEqual((row["verdict"], row["reach"]), ("idle", "no"))
        self.assertIn(place, row["because"])
        self.assertEqual(self.explained("template:boards/lamp.php")["in_force"]["theme"], "pier")

    def test_a_copy_that_misses_its_neighbour_is_told_and_the_neighbour_helps(self) -> None:
        self.begun("wharf", WHARF)
        told = " ".join(self.ok("override", "template:boards/tides.php").split())
        self.assertIn("line 1 asks for boards/lamp.php, which is not there beside the copy", told)
        self.assertIn("protypon override template:boards/lamp.php --child gull", told)
        found = next(f for f in self.check()["gull"]["findings"] if f["code"] == "broken-reference")
        self.assertIn("gull/boards/lamp.php, which is not there; pier has boards/lamp.php", found["because"])
        self.ok("override", "template:boards/lamp.php")
        self.assertNotIn("broken-reference", self.codes("gull"))
        self.assertEqual(self.row("gull", "template:boards/lamp.php")["reach"], "yes")

    def test_what_only_code_that_never_runs_shows_is_not_known(self) -> None:
        code = WHARF["rigging.php"] + "function pier_never() { show_board('dead'); }\n"
        self.begun("wharf", {**WHARF, "rigging.php": code})
        self.ok("override", "template:boards/dead.php")
        self.put("themes/gull/boards/dead.php", "<p>ours</p>")
        row = self.row("gull", "template:boards/dead.php")
        self.assertEqual(row["reach"], "unknown")
        words = "pier/rigging.php line 7 may ask for it, and whether that runs is not known"
        self.assertIn(words, " ".join(self.explained("template:boards/dead.php")["notes"]))

    def test_regions_and_items_are_read_from_arrays(self) -> None:
        self.begun("wharf", WHARF)
        units = self.ok("survey", "--units")
        for unit in ("region:aside", "region:foot", "region:head", "item:picture-size#card"):
            self.assertIn(unit, units)


class PageTest(PlatformCase):
    """Kinds of page by pattern, and templates for one of them only."""

    def test_candidates_stand_in_order_with_the_winner_and_the_next(self) -> None:
        self.begun("wharf", WHARF)
        found = self.explained("page:sheet-tide")
        self.assertEqual(found["in_force"]["file"], "sheet.php")
        self.assertEqual(found["without"]["file"], "plain.php")
        self.assertIn("sheet.tide.php, then sheet.php, then plain.php", found["notes"][0])
        self.assertIn("no theme has sheet.tide.php", found["notes"])
        self.put("themes/gull/sheet.tide.php", "<p>ours</p>")
        self.assertEqual(self.explained("page:sheet-tide")["in_force"]["theme"], "gull")
        self.assertEqual(self.explained("page:sheet-boat")["in_force"]["file"], "sheet.php")
        self.assertIn("no kind of page", self.refused("override", "template:sheet.php", "--for", "shet", status=2))

    def test_a_variant_is_made_of_the_parents_or_of_the_childs_own(self) -> None:
        self.begun("wharf", WHARF)
        self.ok("override", "template:plain.php", "--for", "front")
        self.assertEqual(self.read("themes/gull/front.php").decode(), WHARF["plain.php"])
        row = self.row("gull", "template:front.php")
        self.assertEqual((row["verdict"], row["how"], row["from"]), ("holds", "variant", "pier"))
        self.ok("override", "template:sheet.php")
        self.edit("themes/gull/sheet.php", b"A sheet", b"Our sheet")
        self.ok("override", "template:sheet.php", "--for", "sheet-tide")
        self.edit("themes/gull/sheet.tide.php", b"two", b"the tide")
        row = self.row("gull", "template:sheet.tide.php")
        self.assertEqual((row["verdict"], row["how"], row["from"]), ("holds", "variant", "gull"))
        self.edit("themes/gull/sheet.php", b"Our sheet", b"Our own sheet")
        self.assertEqual(self.row("gull", "template:sheet.tide.php")["verdict"], "drifted")
        self.ok("update", "pier")
        text = self.read("themes/gull/sheet.tide.php")
        self.assertIn(b"Our own sheet", text)
        self.assertIn(b"the tide", text)
        self.assertEqual(self.row("gull", "template:sheet.tide.php")["verdict"], "holds")
        told = self.refused("override", "template:sheet.php", "--for", "sheet-tide")
        self.assertIn("gull has sheet.tide.php already", told)

    def test_a_variant_drifts_with_the_template_that_it_was_made_of(self) -> None:
        self.begun("wharf", WHARF)
        self.ok("override", "template:sheet.php", "--for", "sheet-tide")
        self.edit("themes/gull/sheet.tide.php", b"two", b"the tide")
        new = {"mantle.css": MANTLE.format("1.1.0"), "sheet.php": WHARF["sheet.php"].replace("A sheet", "A page")}
        for path, text in {**WHARF, **new}.items():
            self.put(f"new/pier/{path}", text)
        self.assertEqual(self.row("gull", "template:sheet.tide.php", "--against", "new")["verdict"], "drifted")
        self.ok("update", "pier", "--to", "new")
        text = self.read("themes/gull/sheet.tide.php")
        self.assertTrue(b"A page" in text and b"the tide" in text, text)
        self.assertEqual(self.row("gull", "template:sheet.tide.php")["verdict"], "holds")
        self.ok("drop", "template:sheet.tide.php")
        self.assertFalse((self.bench / "themes/gull/sheet.tide.php").exists())

    def test_a_variant_made_by_hand_is_found_and_adopted(self) -> None:
        self.begun("wharf", WHARF)
        self.put("themes/gull/sheet.tide.php", WHARF["sheet.php"].replace("two", "the tide"))
        self.put("themes/gull/sheet.boat.php", "<?php\necho 'a page of our own, like nothing else';\n")
        self.assertEqual(self.verdicts("gull"), {"template:sheet.tide.php": "unlisted"})
        self.ok("adopt", "gull")
        self.assertEqual(self.verdicts("gull"), {"template:sheet.tide.php": "holds"})

    def test_a_broad_copy_that_narrower_ones_hide_wherever_it_was_used_is_told(self) -> None:
        self.begun("wharf", {**WHARF, "front.php": "<p>front</p>", "sheet.php": WHARF["sheet.php"]})
        self.ok("override", "template:plain.php")
        self.put("themes/gull/plain.php", "<p>ours</p>")
        row = self.row("gull", "template:plain.php")
        self.assertEqual((row["verdict"], row["reach"]), ("idle", "no"))
        self.assertIn("pier/sheet.php, pier/front.php come first wherever it was used", row["because"])
        notes = self.explained("template:plain.php")["notes"]
        self.assertIn("on pages of the kind front, pier/front.php comes first", notes)

    def test_so_is_a_broad_one_of_the_childs_own(self) -> None:
        parents = {n: f"<p>{n}</p>" for n in ("front.php", "sheet.tide.php", "sheet.boat.php")}
        self.begun("wharf", {**{k: v for k, v in WHARF.items() if k != "sheet.php"}, **parents})
        self.put("themes/gull/sheet.php", "<p>ours</p>")
        self.assertNotIn("never-shown", self.codes("gull"))
        listed = self.read("wharf.toml").decode().replace(
            '"sheet.php", "plain.php"] }', '"sheet.php", "plain.php"], names = { sort = ["tide", "boat"] } }'
        )  # fmt: skip
        self.put("wharf.toml", listed)
        self.assertIn("never-shown", self.codes("gull"))


class SheetTest(PlatformCase):
    """Sheets and scripts that code registers under handles, by addresses."""

    CODE = """<?php
moor_sheet('main', hull_address() . '/css/main.css', ['base']);
stock_sheet('base', hull_address() . '/css/base.css');
stock_sheet('base', hull_address() . '/css/other.css');
stock_sheet('never', hull_address() . '/css/never.css');
moor_sheet('keel', board_address('css/keel.css'));
moor_sheet('own', own_address() . '/css/own.css');
moor_print_sheet('paper', own_address('css/paper.css'));
moor_sheet('gone', hull_address() . '/css/gone.css');
cast_sheet('gone');
moor_sheet('far', 'https://example.org/far.css');
moor_script('menu', hull_address() . '/js/menu.js', ['lib'], true);
moor_script('lib', hull_address() . '/js/lib.js');
moor('moored', function () { moor_sheet('late', hull_address() . '/css/late.css'); });
function pier_never() { moor_sheet('perhaps', hull_address() . '/css/perhaps.css'); }
"""
    NAMES = ("main", "base", "other", "never", "keel", "own", "paper", "gone", "late", "perhaps", "unnamed")

    def test_which_copies_of_sheets_load_and_why_others_do_not(self) -> None:
        files = {f"css/{name}.css": f"/* {name} */ a {{}}\n" for name in self.NAMES}
        scripts = {f"js/{name}.js": "let a = 1;\n" for name in ("menu", "lib", "none")}
        code = {"mantle.css": MANTLE.format("1.0.0"), "rigging.php": self.CODE, "plain.php": "x"}
        self.begun("wharf", {**code, **files, **scripts})
        self.ok("override", *(f"style:{path}" for path in files), *(f"script:{path}" for path in scripts))
        for path in (*files, *scripts):
            self.put(f"themes/gull/{path}", self.read(f"themes/gull/{path}") + b"/* ours */")
        rows = {row["unit"]: row for row in self.check()["gull"]["overrides"]}
        reach = {unit.partition(":")[2]: row["reach"] for unit, row in rows.items()}
        for name in ("css/main.css", "css/base.css", "css/keel.css", "css/late.css", "js/menu.js", "js/lib.js"):
            self.assertEqual(reach[name], "yes", name)
        for name in ("other", "never", "gone", "own", "paper", "unnamed"):
            self.assertEqual(reach[f"css/{name}.css"], "no", name)
        self.assertEqual((reach["js/none.js"], reach["css/perhaps.css"]), ("no", "unknown"))
        because = rows["style:css/own.css"]["because"]
        self.assertIn("pier/rigging.php line 7 registers the one of pier by its address", because)
        self.assertIn("no code that runs registers it", rows["style:css/unnamed.css"]["because"])

    def test_a_sheet_that_nothing_registers_is_registered_by_a_call_and_the_manifest_stays(self) -> None:
        self.begun("wharf", WHARF)
        for path in ("css/tide.css", "css/boat.css", "js/gull.js"):
            self.put(f"themes/gull/{path}", "a { color: red; }\n" if path.endswith("css") else "let a = 1;\n")
        before = self.read("themes/gull/mantle.css")
        steps = [f["next"] for f in self.check()["gull"]["findings"] if f["code"] == "never-loaded"]
        self.assertEqual(steps[0], "protypon mend style:css/boat.css --child gull")
        self.ok("mend")
        self.assertEqual(self.read("themes/gull/mantle.css"), before)
        code = self.read("themes/gull/rigging.php").decode()
        self.assertIn("moor_sheet('gull-tide', hull_address() . '/css/tide.css');", code)
        self.assertIn("moor_script('gull', hull_address() . '/js/gull.js');", code)
        self.assertNotIn("never-loaded", self.codes("gull"))
        self.assertIn("no mechanical step", self.refused("mend", "never-loaded", status=2))

    def test_a_region_is_declared_by_an_array(self) -> None:
        self.begun("wharf", {**WHARF, "plain.php": '<?php show_region("pierhead"); ?>'})
        self.ok("override", "region:pierhead")
        self.assertIn("moor_region(['key' => 'pierhead']);", self.read("themes/gull/rigging.php").decode())
        self.assertEqual(self.verdicts("gull"), {"region:pierhead": "holds"})
        self.ok("drop", "region:pierhead")
        self.assertFalse((self.bench / "themes/gull/rigging.php").exists())


class CallbackTest(PlatformCase):
    """What is attached runs with what it is handed, and where the original ran."""

    CODE = "<?php\n" + "".join(f"function pier_{n}() {{ echo '{n}'; }}\nmoor('foot', 'pier_{n}');\n" for n in "abc")
    PAGE = "<?php hoist('foot'); hoist('top', 1, 2); hoist('top', 1, 2, 3); ?>"

    def begin(self) -> None:
        self.begun("wharf", {"mantle.css": MANTLE.format("1.0.0"), "rigging.php": self.CODE, "plain.php": self.PAGE})

    def order(self, point: str) -> list[str]:
        rows = json.loads(self.ok("points", "--page", "front", "--format", "json"))["points"]
        return [c["callback"] for c in next(r for r in rows if r["point"] == point)["callbacks"]]

    def test_a_begun_callback_takes_what_every_firing_hands_it_and_the_platform_is_told(self) -> None:
        self.begin()
        self.ok("override", "hook:top", "--attach", "gull_top")
        code = self.read("themes/gull/rigging.php").decode()
        self.assertIn("function gull_top($first, $more1) {", code)
        self.assertIn("moor('top', 'gull_top', 10, 2);", code)
        self.assertEqual(self.codes("gull"), [])

    def test_a_function_that_needs_more_is_not_attached(self) -> None:
        self.begin()
        self.put("themes/gull/rigging.php", "<?php\nfunction gull_three($a, $b, $c) {}\n")
        told = self.refused("override", "hook:top", "--attach", "gull_three")
        self.assertIn("line 2: gull_three needs 3 arguments, top gives 2", told)

    def test_a_copy_stays_on_the_same_side_of_its_equals_or_it_is_said(self) -> None:
        for name, order, words in (
            ("a", ["gull_a", "pier_b", "pier_c"], ""),
            ("b", ["gull_b", "pier_a", "pier_c"], "the parent's runs after it, and yours before it"),
            ("c", ["pier_a", "pier_b", "gull_c"], ""),
        ):
            with self.subTest(name):
                self.setUp()
                self.begin()
                told = " ".join(self.ok("override", f"function:pier_{name}").split())
                self.assertEqual(self.order("foot"), order)
                self.assertIn(words, told)
                self.assertEqual("has the order 10 too" in told, bool(words))
                self.assertEqual(self.verdicts("gull"), {f"function:pier_{name}": "holds"})
                self.ok("drop", f"function:pier_{name}")
                self.assertEqual(self.order("foot"), ["pier_a", "pier_b", "pier_c"])


class VariableTest(PlatformCase):
    """Variables of templates and texts: what a template gets, who set it last, and one provided by the child."""

    FILES: ClassVar = {
        "mantle.css": MANTLE.format("1.0.0"),
        "rigging.php": "<?php\n// How high the water stands.\nlend('tides', 'low');\nlend('unused', 1);\n",
        "plain.php": '<?php echo $title, $tides; show_board("lamp", null, ["glow" => 3]); ?>',
        "boards/lamp.php": "<?php echo $glow, $tides; ?>",
    }

    def test_a_template_lists_what_it_gets_with_who_set_it_last_and_his_words(self) -> None:
        self.begun("wharf", self.FILES)
        rows = {row["name"]: row for row in self.explained("template:boards/lamp.php")["variables"]}
        self.assertEqual(sorted(rows), ["body", "glow", "tides", "title", "unused"])
        self.assertEqual([name for name, row in rows.items() if row["used"]], ["glow", "tides"])
        glow, tides = rows["glow"], rows["tides"]
        self.assertEqual((glow["handed"], glow["file"], glow["line"]), (True, "plain.php", 1))
        self.assertEqual(
            (tides["file"], tides["line"], tides["about"]), ("rigging.php", 3, "How high the water stands.")
        )
        told = self.ok("explain", "template:boards/lamp.php")
        self.assertIn("uses        glow  handed in pier/plain.php line 1", told)
        self.assertIn("gets too    body, title, unused", told)
        self.assertEqual(self.codes("gull"), [])

    def test_one_is_provided_in_the_place_of_the_parents(self) -> None:
        self.begun("wharf", self.FILES)
        self.ok("override", "variable:tides", "--value", "high")
        self.assertEqual(self.verdicts("gull"), {"variable:tides": "holds"})
        found = self.explained("variable:tides")
        self.assertEqual((found["in_force"]["value"], found["without"]["value"]), ("high", "low"))
        self.put("themes/pier/rigging.php", self.FILES["rigging.php"].replace("'tides', 'low'", "'tides', 'mean'"))
        self.put("themes/pier/mantle.css", MANTLE.format("1.1.0"))
        self.assertEqual(self.verdicts("gull"), {"variable:tides": "drifted"})
        self.ok("update", "pier")
        self.assertEqual(self.verdicts("gull"), {"variable:tides": "holds"})
        self.edit("themes/gull/rigging.php", b"'high'", b"'mean'")
        self.assertEqual(self.verdicts("gull"), {"variable:tides": "needless"})
        self.ok("drop", "variable:tides")
        self.assertIn(
            "provides or asks for a variable tidse",
            self.refused("override", "variable:tidse", "--value", "1", status=3),
        )

    def test_a_domain_that_no_theme_has_is_told(self) -> None:
        self.begun("wharf", {**self.FILES, "mantle.css": MANTLE.format("1.0.0\nWords: pier")})
        self.put("themes/gull/rigging.php", "<?php\necho say('Open', 'pier');\necho say('Shut', 'peer');\n")
        found = next(f for f in self.check()["gull"]["findings"] if f["code"] == "strange-domain")
        self.assertIn(
            "line 3 asks for a text of the domain peer, which no theme of the lineage has; did you mean pier?",
            found["because"],
        )


class HeadedTest(PlatformCase):
    """The sheet that holds the manifest: its rules are a unit like those of other sheets, and its head is each theme's own."""

    RULES = "a { color: navy; }\n\nb { color: red; }\n\nc { color: green; }\n"

    def released(self, root: str, release: str, rules: str) -> None:
        self.put(f"{root}/pier/mantle.css", f"/*\nWharf Title: The Pier\nRelease: {release}\n*/\n\n{rules}")
        self.put(f"{root}/pier/plain.php", "<p>x</p>")

    def begin(self) -> bytes:
        self.begun("wharf", {})
        return self.read("themes/gull/mantle.css")

    def setUp(self) -> None:
        super().setUp()
        self.released("themes", "1.0.0", self.RULES)

    def test_it_is_taken_carried_resolved_and_dropped_and_the_manifest_stays(self) -> None:
        head = self.begin()
        self.assertEqual(self.verdicts("gull"), {})
        self.assertIn("style:mantle.css", self.ok("survey", "--units"))
        self.ok("override", "style:mantle.css")
        self.assertEqual(self.read("themes/gull/mantle.css"), head + b"\n" + self.RULES.encode())
        self.assertEqual(self.verdicts("gull"), {"style:mantle.css": "holds"})
        self.edit("themes/gull/mantle.css", b"red", b"blue")
        self.released("new", "1.1.0", self.RULES)
        self.assertEqual(self.verdicts("gull", "--against", "new"), {"style:mantle.css": "holds"})
        self.released("new", "2.0.0", self.RULES.replace("navy", "grey"))
        row = self.row("gull", "style:mantle.css", "--against", "new")
        self.assertEqual(row["verdict"], "drifted")
        self.assertIn("changed line 6 of mantle.css; your line 9 merges with it", row["because"])
        self.ok("update", "pier", "--to", "new")
        ours = self.RULES.replace("navy", "grey").replace("red", "blue").encode()
        self.assertEqual(self.read("themes/gull/mantle.css"), head + b"\n" + ours)
        self.assertEqual(self.verdicts("gull"), {"style:mantle.css": "holds"})
        self.released("third", "3.0.0", self.RULES.replace("red", "black"))
        self.ok("update", "pier", "--to", "third")
        proposal = self.bench / "proposals/gull/mantle.css"
        text = proposal.read_text()
        self.assertIn("<<<<<<<", text)
        proposal.write_text(self.RULES.replace("red", "white"))
        self.ok("update", "pier")
        self.assertEqual(
            self.read("themes/gull/mantle.css"), head + b"\n" + self.RULES.replace("red", "white").encode()
        )
        self.assertEqual(self.verdicts("gull"), {"style:mantle.css": "holds"})
        self.assertIn("mantle.css has its manifest only now", self.ok("drop", "style:mantle.css"))
        self.assertEqual(self.read("themes/gull/mantle.css"), head)
        self.assertEqual(self.verdicts("gull"), {})

    def test_one_copied_by_hand_is_found_and_rules_of_ones_own_are_not_written_over(self) -> None:
        head = self.begin()
        self.put("themes/gull/mantle.css", head + b"\n" + self.RULES.replace("red", "blue").encode())
        self.assertEqual(self.verdicts("gull"), {"style:mantle.css": "unlisted"})
        self.assertIn("more in mantle.css than its manifest", self.refused("override", "style:mantle.css"))
        self.ok("adopt", "gull")
        self.assertEqual(self.verdicts("gull"), {"style:mantle.css": "holds"})
        self.ok("settle", "style:mantle.css", "--why", "ours")
        self.assertEqual(self.verdicts("gull"), {"style:mantle.css": "holds"})
        self.put("themes/gull/mantle.css", head + b"\np { margin: 0; }\n")
        self.put("themes/gull/overrides.toml", 'format = "protypon.ledger/1"\n')
        self.assertEqual(self.verdicts("gull"), {})
