"""Overrides inside code, as a person types them: written by the built program, run by the stand-in, carried through updates."""

from __future__ import annotations

import json
import shlex
import shutil
import unittest
from typing import Any

from protypon.standin import hosted
from tests.core.analysis.test_oracle import ran_quayside
from tests.support import BenchCase, state

PHP = unittest.skipUnless(shutil.which("php"), "there is no PHP interpreter here")
PAGE = "<main><?php hedgerow_shake('gate', 7); ?></main>\n"


class CodeCase(BenchCase):
    """A bench on one platform, and runs of it."""

    platform = "hedgerow"

    def start(self, parent: str, child: str = "", page: str = PAGE, **files: str) -> None:
        """An hedgerow parent ``coast`` with a child ``cove``, and a child's code file if there is text for one."""
        self.coast("1.0", parent, page, **files)
        self.put("themes/cove/hedgerow.yaml", "title: Cove\nrelease: 1.0\ngrown_on: coast\n")
        if child:
            self.put("themes/cove/grove.php", child)
        self.ok("init", "--platform", "hedgerow")
        self.ok("adopt", "cove")

    base = "rootstock"
    """What the parent stands on."""

    def coast(self, release: str, code: str, page: str = PAGE, where: str = "themes", **files: str) -> str:
        root = f"{where}/coast"
        shutil.rmtree(self.bench / root, ignore_errors=True)
        self.put(f"{root}/hedgerow.yaml", f"title: Coast\nrelease: {release}\ngrown_on: {self.base}\n")
        self.put(f"{root}/grove.php", code)
        self.put(f"{root}/leaves/page.php", page)
        for path, text in files.items():
            self.put(f"{root}/{path.replace('__', '/')}.php", text)
        return root

    def page(self, slug: str = "cove") -> dict[str, Any]:
        report = hosted.run("hedgerow", self.bench / "themes", slug, "home")
        self.assertFalse(report["fatal"], report["fatal"])
        return report

    def code(self) -> str:
        return self.read("themes/cove/grove.php").decode()

    def next_is(self, code: str, page: str = PAGE, release: str = "2.0") -> str:
        """Lay a next release out beside the themes; its path."""
        return self.coast(release, code, page, where="next")


ATTACHED = "<?php\n/** Greets who comes in. */\nfunction coast_greeting($v) {\n    echo '<p>Ahoy</p>';\n}\nhedgerow_graft('gate', 'coast_greeting', 5);\n"
GUARDED = (
    "<?php\nif (!function_exists('coast_greeting')) {\n    /** Greets who comes in. */\n"
    "    function coast_greeting($v) {\n        echo '<p>Ahoy</p>';\n    }\n}\n"
    "hedgerow_graft('gate', 'coast_greeting', 5);\n"
)


@PHP
class FunctionTest(CodeCase):
    types_steps = True

    def test_a_guarded_function_is_copied_under_its_name(self) -> None:
        self.start(GUARDED)
        said = self.ok("override", "function:coast_greeting", "--why", "our own words")
        self.assertIn("guarded", said)
        code = self.code()
        self.assertIn("Greets who comes in.", code)
        self.assertIn("In place of coast_greeting (coast 1.0)", code)
        self.assertEqual(self.page()["functions"]["coast_greeting"][0], "cove/grove.php")
        row = self.row("cove", "function:coast_greeting")
        self.assertEqual((row["verdict"], row["edited"], row["next"]), ("holds", False, ""))
        self.assertIn("not yet edited", row["because"])
        self.edit("themes/cove/grove.php", b"Ahoy", b"Welcome")
        self.assertIn("<p>Welcome</p>", self.page()["html"])
        self.assertEqual(self.verdicts("cove"), {"function:coast_greeting": "holds"})
        self.assertIn("coast/grove.php line 8, runs cove/grove.php line 6", self.ok("points", "--child", "cove"))

    def test_one_without_a_guard_is_taken_off_and_put_back(self) -> None:
        self.start(ATTACHED)
        self.ok("override", "coast_greeting")
        self.assertEqual(self.page()["points"]["gate"], [["cove_greeting", 5]])
        self.assertEqual(self.row("cove", "function:coast_greeting")["how"], "detach")

    def test_callers_are_copied_too_when_that_is_agreed_to(self) -> None:
        parent = (
            "<?php\nfunction coast_words() {\n    return 'Ahoy';\n}\nfunction coast_greeting($v) {\n    echo '<p>' . coast_words() . '</p>';\n}\n"
            "hedgerow_graft('gate', 'coast_greeting', 5);\n"
        )
        self.start(parent)
        said = self.refused("override", "function:coast_words", status=2)
        self.assertIn("coast_greeting is copied too, as cove_greeting", said)
        self.ok("override", "function:coast_words", "--yes")
        self.edit("themes/cove/grove.php", b"return 'Ahoy'", b"return 'Mind the step'")
        self.assertIn("Mind the step", self.page()["html"])
        self.assertEqual(self.page()["points"]["gate"], [["cove_greeting", 5]])
        self.assertEqual(set(self.verdicts("cove").values()), {"holds"})
        self.refused("drop", "function:coast_greeting", status=3)
        self.ok("drop", "function:coast_words")
        self.assertFalse((self.bench / "themes/cove/grove.php").exists())
        self.assertIn("Ahoy", self.page()["html"])

    def test_a_chain_with_a_guarded_caller_and_one_behind_it(self) -> None:
        parent = (
            "<?php\nfunction coast_words() {\n    return 'Ahoy';\n}\n"
            "if (!function_exists('coast_line')) {\n    function coast_line() {\n        return coast_words() . '!';\n    }\n}\n"
            "function coast_inner() {\n    return coast_line() . coast_words();\n}\n"
            "function coast_greeting($v) {\n    echo coast_inner();\n}\nhedgerow_graft('gate', 'coast_greeting', 5);\n"
        )
        self.start(parent)
        self.ok("override", "function:coast_words", "--yes")
        self.edit("themes/cove/grove.php", b"return 'Ahoy'", b"return 'Hello'")
        self.assertEqual(self.page()["html"], "<main>Hello!Hello</main>\n")
        self.assertEqual(self.page()["functions"]["coast_line"][0], "cove/grove.php")
        self.assertEqual(self.page()["points"]["gate"], [["cove_greeting", 5]])
        self.next_is(parent.replace("coast_line() . coast_words()", "'<b>' . coast_line() . coast_words() . '</b>'"))
        self.ok("update", "coast", "--to", "next/coast")
        self.assertEqual(self.page()["html"], "<main><b>Hello!Hello</b></main>\n")
        self.ok("drop", "function:coast_words")
        self.assertFalse((self.bench / "themes/cove/grove.php").exists())

    def test_what_can_not_be_replaced_says_why_and_what_can(self) -> None:
        self.start("<?php\nfunction coast_credit() {\n    echo 'By Coast';\n}\n", page="<?php coast_credit(); ?>\n")
        said = self.refused("override", "function:coast_credit", status=3)
        self.assertIn("leaves/page.php line 1 calls coast_credit", said)
        self.assertIn("protypon override template:leaves/page.php", said)

    def test_the_persons_own_lines_and_quotes_stay(self) -> None:
        own = '<?php\n\t// mine\r\nfunction  cove_own( ) {\n\treturn "a" ;\n}\n$x = array( 1,2 );   \n?>\n'
        self.start(ATTACHED, own)
        before = self.read("themes/cove/grove.php")
        self.ok("override", "function:coast_greeting")
        self.ok("override", "hook:gate", "--attach", "cove_lamp", "--order", "9")
        for line in before.split(b"\n"):
            self.assertIn(line, self.read("themes/cove/grove.php"))
        self.assertIn('"gate"', self.code())
        self.assertEqual(self.page()["points"]["gate"], [["cove_greeting", 5], ["cove_lamp", 9]])
        for unit in ("function:coast_greeting", "hook:gate#cove_lamp"):
            self.ok("drop", unit)
        self.assertEqual(self.read("themes/cove/grove.php"), before)

    def test_code_that_does_not_parse_is_not_touched(self) -> None:
        self.start(ATTACHED, "<?php\nfunction cove_broken( {\n")
        self.assertIn("cove/grove.php line 2", self.refused("override", "function:coast_greeting", status=3))

    def test_an_included_file_whose_copy_is_dead_is_told(self) -> None:
        self.start(
            ATTACHED.replace("<?php\n", "<?php\nrequire __DIR__ . '/crates/board.php';\n"),
            crates__board="<?php\n$board = 1;\n",
        )
        self.assertIn("the copy will never run", self.ok("override", "code:crates/board.php"))


@PHP
class UpdateTest(CodeCase):
    """A function that was replaced, and what a release can do to it."""

    types_steps = True

    def begun(self, parent: str = ATTACHED) -> None:
        self.start(parent)
        self.ok("override", "function:coast_greeting")
        self.edit("themes/cove/grove.php", b"Ahoy", b"Welcome")

    def against(self, new: str) -> dict[str, Any]:
        """What the check says of the function, before the update."""
        return self.row("cove", "function:coast_greeting", "--against", self.next_is(new))

    def update(self) -> dict[str, Any]:
        done = self.run_command("update", "coast", "--to", "next/coast", "--format", "json")
        self.assertIn(done.returncode, (0, 1), done.stderr)
        found = json.loads(done.stdout)
        return found["children"][0]["overrides"][0] if "children" in found else found

    def test_comments_and_layout_alone_hold(self) -> None:
        self.begun()
        row = self.against(ATTACHED.replace("Greets who", "Says ahoy to who"))
        self.assertEqual((row["verdict"], row["layout_only"]), ("holds", True))
        self.update()
        self.assertIn("Says ahoy to who", self.code())
        self.assertIn("Welcome", self.page()["html"])

    def test_a_changed_body_drifts_and_merges(self) -> None:
        self.begun()
        new = (
            ATTACHED.replace("    echo", "    coast_count();\n    $seen = $v;\n    echo")
            + "function coast_count() {\n}\n"
        )
        row = self.against(new)
        self.assertEqual((row["verdict"], row["merge"]), ("conflicted", "conflict"))
        new = ATTACHED.replace("</p>';\n", "</p>';\n    // a line\n    $a = 1;\n    $b = 2;\n")
        self.assertIn(self.against(new)["verdict"], ("drifted", "conflicted"))
        self.update()

    def test_a_new_order_number_is_named_and_written(self) -> None:
        self.begun()
        row = self.against(ATTACHED.replace("greeting', 5)", "greeting', 25)"))
        self.assertEqual(row["verdict"], "idle")
        self.assertIn("with order 25, was 5", row["because"])
        self.update()
        self.assertEqual(self.page()["points"]["gate"], [["cove_greeting", 25]])
        self.assertIn("<p>Welcome</p>", self.page()["html"])
        self.assertEqual(self.verdicts("cove"), {"function:coast_greeting": "holds"})

    def test_mend_writes_it_where_someone_else_has_updated(self) -> None:
        self.begun()
        self.coast("2.0", ATTACHED.replace("greeting', 5)", "greeting', 25)"))
        self.assertEqual(len(self.page()["points"]["gate"]), 2)
        before = self.read("themes/cove/grove.php")
        self.assertIn("25", self.ok("mend", "--dry-run"))
        self.assertEqual(self.read("themes/cove/grove.php"), before)
        self.ok(*shlex.split(self.row("cove", "function:coast_greeting")["next"])[1:])
        self.assertEqual(self.page()["points"]["gate"], [["cove_greeting", 25]])

    def test_a_guard_that_goes_stops_the_site_until_it_is_mended(self) -> None:
        self.begun(GUARDED)
        row = self.against(ATTACHED)
        self.assertEqual((row["verdict"], row["next"]), ("fatal", "protypon update coast --to next/coast"))
        self.coast("2.0", ATTACHED)
        self.assertTrue(hosted.run("hedgerow", self.bench / "themes", "cove", "home")["fatal"])
        self.assertEqual(self.row("cove", "function:coast_greeting")["next"], "protypon mend function:coast_greeting")
        self.ok("mend", "function:coast_greeting")
        self.assertIn("<main><p>Welcome</p></main>", self.page()["html"])
        self.assertEqual(self.verdicts("cove"), {"function:coast_greeting": "holds"})

    def test_a_guard_that_comes_shows_a_lighter_way(self) -> None:
        self.begun()
        self.coast("2.0", GUARDED)
        found = next(f for f in self.check()["cove"]["findings"] if f["code"] == "lighter-way")
        self.ok(*shlex.split(found["next"])[1:])
        self.assertNotIn("hedgerow_prune", self.code())
        self.assertEqual(self.page()["points"]["gate"], [["coast_greeting", 5]])
        self.assertIn("Welcome", self.page()["html"])
        self.assertNotIn("lighter-way", self.codes("cove"))

    def test_a_renamed_function_is_followed(self) -> None:
        for parent in (ATTACHED, GUARDED):
            with self.subTest(parent=parent):
                shutil.rmtree(self.bench)
                self.bench.mkdir()
                self.begun(parent)
                row = self.against(parent.replace("coast_greeting", "coast_hello"))
                self.assertEqual((row["verdict"], row["to"]), ("moved", "coast_hello"))
                self.update()
                self.assertEqual(self.page()["html"].count("<p>"), 1)
                self.assertIn("Welcome", self.page()["html"])
                self.assertEqual(self.verdicts("cove"), {"function:coast_hello": "holds"})

    def test_one_that_is_gone_is_stranded(self) -> None:
        self.begun()
        row = self.against("<?php\nfunction coast_other() {\n    return [1, 2, 3];\n}\n")
        self.assertEqual(row["verdict"], "stranded")
        self.assertIn("protypon drop", row["next"])

    def test_one_that_is_gone_and_still_called_is_kept_as_ones_own(self) -> None:
        self.start(GUARDED)
        self.ok("override", "function:coast_greeting")
        self.edit("themes/cove/grove.php", b"Ahoy", b"Welcome")
        self.coast("2.0", "<?php\n", "<main><?php coast_greeting('x'); ?></main>\n")
        self.assertEqual(self.verdicts("cove"), {"function:coast_greeting": "holds"})
        finding = next(f for f in self.check()["cove"]["findings"] if f["code"] == "only-yours")
        self.assertIn("coast 2.0 does not supply function:coast_greeting, which coast/leaves", finding["because"])
        self.ok(*shlex.split(finding["next"])[1:])
        self.assertNotIn("only-yours", self.codes("cove"))
        self.coast("3.0", GUARDED.replace("Ahoy", "Hail"))
        self.assertEqual(self.verdicts("cove"), {"function:coast_greeting": "conflicted"})
        self.ok("settle", "function:coast_greeting", "--why", "ours is warmer")
        self.assertNotIn(b"alone_since", self.read("themes/cove/overrides.toml"))

    def test_one_that_nothing_calls_any_more_is_idle(self) -> None:
        self.begun(GUARDED)
        row = self.against(GUARDED.partition("hedgerow_graft")[0])
        self.assertEqual(row["verdict"], "idle")
        self.assertIn("nothing in the lineage calls or attaches", row["because"])

    def test_a_caller_that_breaks_is_named(self) -> None:
        parent = (
            "<?php\nif (!function_exists('coast_line')) {\n    function coast_line($a, $b) {\n        return $a . $b;\n    }\n}\n"
            "function coast_greeting($v) {\n    echo coast_line('a', 'b');\n}\nhedgerow_graft('gate', 'coast_greeting', 5);\n"
        )
        self.start(parent)
        self.ok("override", "function:coast_line")
        self.edit("themes/cove/grove.php", b"return $a . $b;", b"return $b . $a;")
        new = (
            parent.replace("coast_line($a, $b)", "coast_line($a)")
            .replace("$a . $b", "$a")
            .replace("coast_line('a', 'b')", "coast_line('a')")
        )
        row = self.row("cove", "function:coast_line", "--against", self.next_is(new))
        self.assertEqual(row["verdict"], "conflicted")
        self.assertIn("coast/grove.php line 8 calls it with 1 argument, and yours needs 2", row["because"])
        self.coast("2.0", new)
        report = hosted.run("hedgerow", self.bench / "themes", "cove", "home")
        self.assertIn("Too few arguments to function coast_line()", str(report["fatal"]))

    def test_a_conflict_inside_a_function_waits_as_that_function_alone(self) -> None:
        self.begun()
        self.next_is(ATTACHED.replace("Ahoy", "Hello"))
        row = self.update()
        self.assertEqual(row["done"], "left")
        proposal = "proposals/cove/function/coast_greeting.php"
        text = self.read(proposal).decode()
        self.assertIn("<<<<<<<", text)
        self.put(
            proposal,
            "/** Greets who comes in. */\nfunction coast_greeting($v) {\n    echo '<p>Welcome, hello</p>';\n}\n",
        )
        self.ok("update", "coast")
        self.assertIn("<p>Welcome, hello</p>", self.page()["html"])
        self.assertFalse((self.bench / proposal).exists())
        self.assertEqual(self.verdicts("cove"), {"function:coast_greeting": "holds"})

    def test_undo_gives_every_byte_back(self) -> None:
        self.begun()
        self.next_is(ATTACHED.replace("greeting', 5)", "greeting', 25)"))
        before = state(self.bench, ".protypon")
        self.update()
        self.ok("undo")
        self.assertEqual(state(self.bench, ".protypon"), before)


@PHP
class HookTest(CodeCase):
    types_steps = True

    def begun(self, *options: str, parent: str = ATTACHED) -> None:
        self.start(parent)
        self.ok("override", "hook:gate#coast_greeting", *options)

    def verdict(self, new: str, page: str = PAGE) -> dict[str, Any]:
        return self.row("cove", "hook:gate#coast_greeting", "--against", self.next_is(new, page))

    def test_detached_and_reordered(self) -> None:
        self.begun("--detach")
        self.assertEqual(self.page()["points"].get("gate", []), [])
        self.ok("drop", "hook:gate#coast_greeting")
        self.ok("override", "hook:gate#coast_greeting", "--order", "60")
        self.assertEqual(self.page()["points"]["gate"], [["coast_greeting", 60]])
        self.assertEqual(self.verdicts("cove"), {"hook:gate#coast_greeting": "holds"})

    def test_what_makes_a_detachment_match_nothing_is_named_and_written(self) -> None:
        later = ATTACHED.replace(
            "hedgerow_graft('gate', 'coast_greeting', 5);",
            "hedgerow_graft('in_blossom', function () {\n    hedgerow_graft('gate', 'coast_greeting', 5);\n}, 3);",
        )
        cases = {
            "with order 25": ATTACHED.replace("', 5)", "', 25)"),
            "coast_hello": ATTACHED.replace("coast_greeting", "coast_hello"),
            "at path": ATTACHED.replace("'gate'", "'path'"),
            "when in_blossom is fired": later,
        }
        page = PAGE.replace("?>", "hedgerow_shake('path', 7); ?>")
        for words, new in cases.items():
            with self.subTest(words=words):
                shutil.rmtree(self.bench)
                self.bench.mkdir()
                self.begun("--detach")
                row = self.verdict(new, page)
                self.assertEqual(row["verdict"], "idle")
                self.assertIn(words, row["because"])
                self.ok("update", "coast", "--to", "next/coast")
                self.assertNotIn("Ahoy", self.page()["html"])
                self.assertEqual(set(self.verdicts("cove").values()), {"holds"})

    def test_a_point_that_is_renamed_or_gone(self) -> None:
        self.begun("--detach")
        renamed = self.verdict(ATTACHED.replace("'gate'", "'gateway'"), PAGE.replace("'gate'", "'gateway'"))
        self.assertEqual((renamed["verdict"], renamed["to"]), ("moved", "gateway%23coast_greeting"))
        self.ok("update", "coast", "--to", "next/coast")
        self.assertNotIn("Ahoy", self.page()["html"])
        self.assertEqual(self.verdicts("cove"), {"hook:gateway#coast_greeting": "holds"})
        self.ok("undo")
        self.assertEqual(self.verdict(ATTACHED, "<main></main>\n")["verdict"], "stranded")

    def test_fewer_arguments_or_another_template_need_a_look(self) -> None:
        self.begun("--detach")
        self.assertEqual(self.verdict(ATTACHED, PAGE.replace(", 7", ""))["verdict"], "conflicted")
        self.next_is(ATTACHED, "<?php hedgerow_leaf('leaves/part.php'); ?>\n")
        self.put("next/coast/leaves/part.php", PAGE)
        row = self.row("cove", "hook:gate#coast_greeting", "--against", "next/coast")
        self.assertEqual(row["verdict"], "conflicted")
        self.assertIn("leaves/part.php", row["because"])

    def test_attached_to_a_point_of_the_platforms_own_is_never_gone(self) -> None:
        self.start(ATTACHED)
        self.ok("override", "hook:in_blossom", "--attach", "cove_late")
        row = self.row("cove", "hook:in_blossom#cove_late", "--against", self.next_is("<?php\n", "<i></i>\n"))
        self.assertEqual(row["verdict"], "holds")

    def test_a_misspelt_point_or_callback_is_refused_with_the_nearest(self) -> None:
        self.start(ATTACHED)
        self.assertIn("did you mean gate?", self.refused("override", "hook:gates", "--attach", "cove_x"))
        self.assertIn(
            "did you mean hook:gate#coast_greeting?", self.refused("override", "hook:gate#coast_greting", "--detach")
        )
        self.assertIn("--detach, or --order", self.refused("override", "hook:gate#coast_greeting", status=2))

    def test_what_an_ancestor_takes_off_is_neither_offered_nor_guessed_at(self) -> None:
        self.start(ATTACHED)
        self.ok("override", "hook:gate#coast_greeting", "--detach")
        self.put("themes/creek/hedgerow.yaml", "title: Creek\nrelease: 1.0\ngrown_on: cove\n")
        self.ok("adopt", "creek")
        said = self.refused("override", "hook:gate#coast_greeting", "--detach", "--child", "creek")
        self.assertIn("does not stand at gate any more: cove/grove.php line", said)
        self.assertNotIn("did you mean", said)
        self.assertNotIn("to change it", self.ok("explain", "hook:gate#coast_greeting", "--child", "creek"))

    def test_a_callback_by_which_pages_end_is_told_and_shown(self) -> None:
        self.start(ATTACHED, "<?php\nhedgerow_graft('gate', 'cove_bad', 1);\nfunction cove_bad() { intdiv(1, 0); }\n")
        report = self.check("cove")["cove"]
        told = [f for f in report["findings"] if f["code"] == "raises"]
        self.assertEqual([(f["weight"], f["file"], f["line"]) for f in told], [("error", "grove.php", 3)])
        self.assertIn("end there", told[0]["because"])
        self.assertIn("cove_bad", self.ok("explain", "hook:gate"))

    def test_paths_of_a_themes_own_are_shown_as_they_lie(self) -> None:
        own = "<?php\nhedgerow_plant('picture-size', 'tree', __DIR__ . '/tree.svg');\nhedgerow_season('logo', __FILE__);\n"
        self.start(own + ATTACHED.removeprefix("<?php\n"))
        for unit, path in (("item:picture-size#tree", "coast/tree.svg"), ("value:logo", "coast/grove.php")):
            said = self.ok("explain", unit, "--format", "json")
            self.assertEqual(json.loads(said)["in_force"]["value"], path)
            self.assertIn(f"= '{path}'", self.ok("explain", unit))

    def test_values_items_and_regions(self) -> None:
        parent = (
            "<?php\nhedgerow_season('row_length', 4);\nhedgerow_plant('picture-size', 'tree', 600);\n"
            + ATTACHED.removeprefix("<?php\n")
        )
        self.start(parent, page=PAGE + "<?php hedgerow_show_bed('news'); ?>\n")
        self.ok("override", "value:row_length", "--value", "6")
        self.ok("override", "item:picture-size#tree", "--remove")
        self.ok("override", "region:news")
        report = self.page()
        self.assertEqual(report["values"]["row_length"], 6)
        self.assertNotIn("tree", report["items"]["picture-size"])
        self.assertEqual(set(self.verdicts("cove").values()), {"holds"})
        new = self.next_is(
            parent.replace("4)", "6)").replace("'tree'", "'bush'"), PAGE + "<?php hedgerow_show_bed('reports'); ?>\n"
        )
        self.assertEqual(
            self.verdicts("cove", "--against", new),
            {"value:row_length": "needless", "item:picture-size#tree": "moved", "region:news": "moved"},
        )
        self.ok("update", "coast", "--to", new)
        self.assertEqual(set(self.verdicts("cove")), {"value:row_length", "item:picture-size#bush", "region:reports"})
        self.assertNotIn("bush", self.page()["items"]["picture-size"])
        for unit in ("value:row_length", "item:picture-size#bush", "region:reports"):
            self.ok("drop", unit)
        self.assertFalse((self.bench / "themes/cove/grove.php").exists())


@PHP
class TravelTest(CodeCase):
    def test_over_two_releases_a_lineage_of_four_and_a_file_that_is_both(self) -> None:
        """A copied code file with a function of its own override inside, two themes below the parent that changes."""
        self.base = "shore"
        self.put("themes/shore/hedgerow.yaml", "title: Shore\nrelease: 1\ngrown_on: rootstock\n")
        self.put(
            "themes/shore/grove.php",
            "<?php\nfunction shore_tide($v) {\n    echo '~';\n}\nhedgerow_graft('gate', 'shore_tide', 90);\n",
        )
        crate = "<?php\nfunction coast_a($v) {\n    echo 'a';\n}\n\nfunction coast_b($v) {\n    echo 'b';\n}\n"
        parent = (
            "<?php\nhedgerow_fetch('crates/board.php');\nhedgerow_graft('gate', 'coast_a', 1);\nhedgerow_graft('gate', 'coast_b', 2);\n"
            + ATTACHED.removeprefix("<?php\n")
        )
        self.start(parent, crates__board=crate)
        self.put("themes/pebble/hedgerow.yaml", "title: Pebble\nrelease: 1\ngrown_on: cove\n")
        self.ok("adopt", "pebble")
        self.ok("override", "code:crates/board.php", "--child", "cove")
        self.ok("override", "function:coast_greeting", "--child", "cove")
        self.edit("themes/cove/crates/board.php", b"echo 'b'", b"echo 'B'")
        self.edit("themes/cove/grove.php", b"Ahoy", b"Welcome")
        self.ok("override", "hook:gate#coast_a", "--detach", "--child", "pebble")
        self.assertEqual(self.page("pebble")["html"], "<main>B<p>Welcome</p>~</main>\n")
        second = crate.replace("echo 'a';", "echo 'A';") + "\nfunction coast_c($v) {\n    echo 'c';\n}\n"
        code = (
            parent.replace("'coast_a', 1", "'coast_a', 3").replace("'coast_greeting', 5", "'coast_greeting', 9")
            + "hedgerow_graft('gate', 'coast_c', 4);\n"
        )
        self.coast("3.0", code, where="next", crates__board=second)
        self.ok("update", "coast", "--to", "next/coast")
        self.assertEqual(self.page("pebble")["html"], "<main>Bc<p>Welcome</p>~</main>\n")
        self.assertEqual(self.page("cove")["html"], "<main>BAc<p>Welcome</p>~</main>\n")
        self.assertEqual(self.run_command("check").returncode, 0)


class QuaysideTest(BenchCase):
    def test_a_decorated_function_keeps_its_decorators(self) -> None:
        code = 'import quay\nimport html\n\n\n@quay.on("board", order=20)\ndef notice(v):\n    """Say so."""\n    return html.escape("<")\n'
        self.started({"code/a.py": code, "pages/base.html": "{{ ring('board', 1) }}"})
        self.ok("override", "function:notice")
        written = self.read("themes/gull/code/gull.py").decode()
        self.assertIn("import html", written)
        self.edit("themes/gull/code/gull.py", b'escape("<")', b'escape(">")')
        self.assertEqual(ran_quayside_of(self, "gull")["points"]["board"], [["gull_notice", 20]])
        self.ok("drop", "function:notice")
        self.assertFalse(
            (self.bench / "themes/gull/code").exists() and list((self.bench / "themes/gull/code").iterdir())
        )

    def test_a_copy_that_would_miss_a_name_is_refused(self) -> None:
        code = 'import quay\n\nWORDS = "mind"\n\n\n@quay.on("board")\ndef notice(v):\n    return WORDS\n'
        self.started({"code/a.py": code, "pages/base.html": "{{ ring('board', 1) }}"})
        self.assertIn("it uses WORDS", self.refused("override", "function:notice"))

    def test_overrides_made_by_hand_are_unlisted_until_adopted(self) -> None:
        code = 'import quay\n\n\n@quay.on("board", order=20)\ndef notice(v):\n    return "a"\n\n\n@quay.offer\ndef hours(v):\n    return "b"\n'
        self.started({"code/a.py": code, "pages/base.html": "{{ ring('board', 1) }}{{ call('hours', 1) }}"})
        self.put(
            "themes/gull/code/own.py",
            'import quay\n\nquay.off("board", "notice", 20)\n\n\n@quay.offer\ndef hours(v):\n    return "c"\n',
        )
        self.assertEqual(self.verdicts("gull"), {"function:hours": "unlisted", "hook:board#notice": "unlisted"})
        self.ok("adopt", "gull")
        self.assertEqual(set(self.verdicts("gull").values()), {"holds"})
        self.parent(
            {
                "code/a.py": code.replace("order=20", "order=7"),
                "pages/base.html": "{{ ring('board', 1) }}{{ call('hours', 1) }}",
            },
            release="2.0.0",
            root=self.bench / "next",
        )
        self.ok("update", "pier", "--to", "next/pier")
        self.assertIn('"notice", 7)', self.read("themes/gull/code/own.py").decode())
        self.assertEqual(set(self.verdicts("gull").values()), {"holds"})


def ran_quayside_of(case: BenchCase, slug: str) -> dict[str, Any]:
    """A run with the child under the name that the runner asks for."""
    folder = case.root / "run"
    shutil.rmtree(folder, ignore_errors=True)
    shutil.copytree(case.bench / "themes", folder)
    shutil.move(folder / slug, folder / "t0")
    manifest = folder / "t0" / "quay.toml"
    manifest.write_text(manifest.read_text().replace(f'"{slug}"', '"t0"'))
    (folder / "pier" / "pages").mkdir(exist_ok=True)
    shutil.copy(folder / "pier" / "pages" / "base.html", folder / "pier" / "pages" / "exhibit.html")
    return ran_quayside(folder)


@PHP
class MillraceAndKilnTest(BenchCase):
    def test_a_pattern_takes_the_childs_name(self) -> None:
        self.put("themes/weir/millrace.json", '{"slug": "weir", "title": "Weir", "release": "1"}')
        self.put("themes/weir/works.php", "<?php\nfunction weir_hours($v) {\n    echo 'ten to five';\n}\n")
        self.put("themes/weir/views/page.php", "<?php mill_call('hours', 1); ?>\n")
        self.put("themes/mill/millrace.json", '{"slug": "mill", "title": "Mill", "release": "1", "turns_on": "weir"}')
        self.ok("init", "--platform", "millrace")
        self.ok("adopt", "mill")
        self.ok("override", "function:weir_hours")
        self.edit("themes/mill/works.php", b"ten to five", b"with the tide")
        self.assertIn("with the tide", hosted.run("millrace", self.bench / "themes", "mill", "home")["html"])
        self.assertIn(b"function mill_hours(", self.read("themes/mill/works.php"))
        self.assertEqual(self.verdicts("mill"), {"function:weir_hours": "holds"})

    def test_attributes_and_the_list_in_the_manifest(self) -> None:
        self.put("themes/glazier/glazier.ini", "[theme]\ntitle = Glazier\nrelease = 1\n")
        self.put(
            "themes/glazier/glazier_fire.php",
            "<?php\n#[Glaze(at: 'gate', order: 5)]\nfunction glazier_greet($v) {\n    echo 'Ahoy';\n}\n",
        )
        self.put("themes/glazier/tiles/page.php", "<?php kiln_fire('gate', 1); ?>\n")
        self.put("themes/slip/slip.ini", "[theme]\ntitle = Slip\nrelease = 1\nparents = glazier\n")
        self.ok("init", "--platform", "kiln")
        self.ok("adopt", "slip")
        before = self.read("themes/slip/slip.ini")
        self.ok("override", "function:glazier_greet")
        run = hosted.run("kiln", self.bench / "themes", "slip", "home")
        self.assertEqual((run["points"]["gate"], run["html"]), ([["slip_greet", 5]], "Ahoy"))
        self.ok("drop", "function:glazier_greet")
        self.assertEqual(
            hosted.run("kiln", self.bench / "themes", "slip", "home")["points"]["gate"], [["glazier_greet", 5]]
        )
        self.ok("override", "hook:gate#glazier_greet", "--order", "70")
        self.assertEqual(
            hosted.run("kiln", self.bench / "themes", "slip", "home")["points"]["gate"], [["slip_glazier_greet", 70]]
        )
        self.assertNotEqual(self.read("themes/slip/slip.ini"), before)


if __name__ == "__main__":
    unittest.main()
