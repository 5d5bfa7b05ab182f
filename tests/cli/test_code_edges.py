"""Overrides inside code where things are odd: other line ends, edited pieces, other platforms, broken ledgers, names nobody would choose."""

from __future__ import annotations

import json
import shutil
import unittest
from typing import Any

from protypon.standin import hosted
from tests.cli.test_code_overrides import ATTACHED, GUARDED, PAGE, PHP, CodeCase, ran_quayside_of
from tests.support import BenchCase


@PHP
class EditedByHandTest(CodeCase):
    def test_line_ends_and_a_byte_order_mark_stay(self) -> None:
        own = b"\xef\xbb\xbf<?php\r\nfunction cove_own() {\r\n\treturn 1;\r\n}\r\n"
        self.start(ATTACHED, own.decode("utf-8"))
        self.ok("override", "function:coast_greeting")
        code = self.read("themes/cove/grove.php")
        self.assertTrue(code.startswith(own.rstrip()))
        self.assertEqual(code.count(b"\n"), code.count(b"\r\n"))
        self.assertEqual(self.verdicts("cove"), {"function:coast_greeting": "holds"})
        self.next_is(ATTACHED.replace("<p>Ahoy</p>';\n", "<p>Ahoy</p>';\n    $more = 1;\n"))
        self.ok("update", "coast", "--to", "next/coast")
        code = self.read("themes/cove/grove.php")
        self.assertIn(b"$more = 1;\r\n", code)
        self.assertEqual(code.count(b"\n"), code.count(b"\r\n"))
        self.ok("drop", "function:coast_greeting")
        self.assertEqual(self.read("themes/cove/grove.php"), own)

    def test_what_was_added_to_a_waiting_function_stays_when_the_rest_goes(self) -> None:
        self.start(ATTACHED)
        self.ok("override", "hook:gate#coast_greeting", "--detach")
        self.edit(
            "themes/cove/grove.php",
            b"    hedgerow_prune(",
            b"    hedgerow_graft('gate', 'cove_mine', 3);\n    hedgerow_prune(",
        )
        self.edit("themes/cove/grove.php", b"<?php\n", b"<?php\nfunction cove_mine() {\n    echo 'mine';\n}\n")
        self.ok("drop", "hook:gate#coast_greeting")
        self.assertEqual(self.page()["points"]["gate"], [["cove_mine", 3], ["coast_greeting", 5]])
        self.assertNotIn("hedgerow_prune", self.code())

    def test_a_number_of_ones_own_is_kept_when_the_parents_changes(self) -> None:
        self.start(ATTACHED)
        self.ok("override", "function:coast_greeting")
        self.edit("themes/cove/grove.php", b"'cove_greeting', 5)", b"'cove_greeting', 77)")
        self.next_is(ATTACHED.replace("', 5)", "', 25)"))
        self.ok("update", "coast", "--to", "next/coast")
        self.assertEqual(self.page()["points"]["gate"], [["cove_greeting", 77]])

    def test_a_copy_that_was_deleted_is_missing_and_can_be_forgotten(self) -> None:
        self.start(ATTACHED)
        self.ok("override", "function:coast_greeting")
        self.put("themes/cove/grove.php", "<?php\n")
        row = self.row("cove", "function:coast_greeting")
        self.assertEqual((row["verdict"], row["next"]), ("missing", "protypon drop function:coast_greeting"))
        self.ok("drop", "function:coast_greeting")
        self.assertEqual(self.verdicts("cove"), {})

    def test_two_overrides_of_one_thing_are_refused(self) -> None:
        self.start(ATTACHED)
        self.ok("override", "hook:gate#coast_greeting", "--order", "9")
        self.assertIn(
            "overrides hook:gate#coast_greeting already",
            self.refused("override", "hook:gate#coast_greeting", "--detach"),
        )
        self.assertIn("is overridden already", self.refused("override", "function:coast_greeting"))

    def test_a_function_of_ones_own_by_that_name_is_not_written_twice(self) -> None:
        self.start(GUARDED, "<?php\nfunction coast_greeting($v) {\n    echo 'mine';\n}\n")
        self.ok("drop", "function:coast_greeting")
        self.assertIn("Ahoy", self.page()["html"])
        self.ok("undo")
        self.assertIn("overrides function:coast_greeting already", self.refused("override", "function:coast_greeting"))

    def test_what_clears_a_whole_point_is_not_taken_out_for_one_callback(self) -> None:
        own = "<?php\nhedgerow_graft('rooted', function () {\n    hedgerow_prune_all('gate');\n});\n"
        self.start(ATTACHED, own)
        self.assertEqual(self.verdicts("cove"), {"hook:gate#coast_greeting": "holds"})
        self.assertIn("by hand", self.refused("drop", "hook:gate#coast_greeting"))
        self.assertEqual(self.code(), own)

    def test_a_namespace_is_refused_with_the_reason(self) -> None:
        self.start(
            "<?php\nnamespace coast;\nfunction greeting($v) {\n    echo 'Ahoy';\n}\n\\hedgerow_graft('gate', 'coast\\greeting', 5);\n"
        )
        self.assertIn("stands in a namespace", self.refused("override", "function:coast\\greeting"))

    def test_a_text_of_several_lines_survives_guard_and_merge(self) -> None:
        words = "<<<TEXT\n  Ahoy\n    there\n  TEXT"
        parent = GUARDED.replace("'<p>Ahoy</p>'", words).replace("        echo", "        $n = 1;\n\n        echo")
        self.start(parent)
        before = self.page()["html"]
        self.ok("override", "function:coast_greeting")
        self.assertEqual(self.page()["html"], before)
        self.next_is(parent.replace("$n = 1;", "$n = 2;"))
        self.ok("update", "coast", "--to", "next/coast")
        self.assertIn("$n = 2;", self.code())
        self.assertEqual(self.page()["html"], before)

    def test_an_item_that_is_registered_later_now_is_taken_away_later(self) -> None:
        parent = "<?php\nhedgerow_graft('rooted', function () {\n    hedgerow_plant('size', 'tree', 6);\n});\n"
        self.start(parent)
        self.ok("override", "item:size#tree", "--remove")
        self.assertNotIn("tree", self.page()["items"].get("size") or {})
        self.coast("2.0", parent.replace("'rooted'", "'in_blossom'"))
        self.assertEqual(self.row("cove", "item:size#tree")["verdict"], "idle")
        self.ok("mend")
        self.assertNotIn("tree", self.page()["items"].get("size") or {})
        self.assertEqual(self.verdicts("cove"), {"item:size#tree": "holds"})

    def test_an_attachment_follows_its_point(self) -> None:
        self.start(ATTACHED)
        self.ok("override", "hook:gate", "--attach", "cove_lamp", "--order", "2")
        self.next_is(ATTACHED.replace("'gate'", "'gateway'"), PAGE.replace("'gate'", "'gateway'"))
        done = self.run_command("update", "coast", "--to", "next/coast", "--format", "json")
        row = json.loads(done.stdout)["children"][0]["overrides"][0]
        self.assertEqual(
            (row["unit"], row["done"], row["to"]), ("hook:gate#cove_lamp", "moved", "hook:gateway#cove_lamp")
        )
        self.assertEqual(self.page()["points"]["gateway"], [["cove_lamp", 2], ["coast_greeting", 5]])
        self.ok("drop", "hook:gateway#cove_lamp")
        self.assertFalse((self.bench / "themes/cove/grove.php").exists())

    def test_a_value_that_the_parent_sets_first_now_is_idle_with_the_place(self) -> None:
        """The child's code comes first on this platform, so only its own later call can lose."""
        self.start("<?php\nhedgerow_season('row_length', 4);\n")
        self.ok("override", "value:row_length", "--value", '"six"')
        self.assertEqual(self.page()["values"]["row_length"], "six")
        self.edit("themes/cove/grove.php", b"<?php\n", b"<?php\nhedgerow_season('row_length', 2);\n")
        self.assertEqual(self.page()["values"]["row_length"], 2)

    def test_of_two_parents_functions_that_are_alike_none_is_guessed(self) -> None:
        body = "($v) {\n    $a = 1;\n    $b = 2;\n    $c = 3;\n    echo 'Ahoy';\n}\n"
        self.start("<?php\nfunction coast_a" + body + "hedgerow_graft('gate', 'coast_a', 5);\n")
        self.ok("override", "function:coast_a")
        new = "<?php\nfunction coast_b" + body + "function coast_c" + body + "hedgerow_graft('gate', 'coast_b', 5);\n"
        row = self.row("cove", "function:coast_a", "--against", self.next_is(new))
        self.assertEqual(row["verdict"], "moved")
        self.assertEqual(sorted(t["to"] for t in row["ties"]), ["coast_b", "coast_c"])
        self.assertIn("too alike to tell", row["because"])

    def test_adopting_finds_the_release_that_a_copy_is_nearest_to(self) -> None:
        second = GUARDED.replace("echo '<p>Ahoy</p>'", "$n = 1;\n        echo '<p>Ahoy</p>'")
        self.coast("1.0", GUARDED)
        self.put("themes/cove/hedgerow.yaml", "title: Cove\nrelease: 1\ngrown_on: coast\n")
        self.ok("init", "--platform", "hedgerow")
        self.coast("2.0", second)
        self.ok("keep", "themes/coast")
        self.put(
            "themes/cove/grove.php",
            "<?php\n/** Greets who comes in. */\nfunction coast_greeting($v) {\n    echo '<p>Ahoy!</p>';\n}\n",
        )
        self.ok("adopt", "cove")
        row = self.row("cove", "function:coast_greeting")
        self.assertEqual((row["taken"], row["verdict"]), ("1.0", "conflicted"))


@PHP
class MendTest(CodeCase):
    """Detachments written by hand, without a record, that match nothing."""

    def mended(self, parent: str, own: str) -> str:
        self.start(parent, own)
        self.assertIn("detaches-nothing", self.codes("cove"))
        self.assertIn("Ahoy", self.page()["html"])
        self.ok("mend")
        self.assertNotIn("Ahoy", self.page()["html"])
        self.assertNotIn("detaches-nothing", self.codes("cove"))
        return self.code()

    def test_one_that_comes_too_early_waits(self) -> None:
        code = self.mended(ATTACHED, "<?php\n// mine\n$x = 1;\nhedgerow_prune('gate', 'coast_greeting', 5);\n")
        self.assertIn(
            "hedgerow_graft('rooted', function () {\n    hedgerow_prune('gate', 'coast_greeting', 5);\n});", code
        )
        self.assertIn("// mine\n$x = 1;\n", code)

    def test_another_number_and_another_point(self) -> None:
        waiting = (
            "<?php\nhedgerow_graft('in_blossom', function () {\n    hedgerow_prune('{0}', 'coast_greeting'{1});\n});\n"
        )
        for point, number in (("gate", ", 50"), ("gate", ""), ("path", ", 5"), ("path", "")):
            with self.subTest(point=point, number=number):
                shutil.rmtree(self.bench)
                self.bench.mkdir()
                own = waiting.replace("{0}", point).replace("{1}", number)
                code = self.mended(ATTACHED, own)
                self.assertEqual(code, waiting.replace("{0}", "gate").replace("{1}", ", 5"))

    def test_what_could_mean_two_things_is_left(self) -> None:
        parent = ATTACHED + "hedgerow_graft('gate', 'coast_greeting', 8);\n"
        own = "<?php\nhedgerow_graft('rooted', function () {\n    hedgerow_prune('gate', 'coast_greeting', 50);\n});\n"
        self.start(parent, own)
        found = next(f for f in self.check()["cove"]["findings"] if f["code"] == "detaches-nothing")
        self.assertIn("explain", found["next"])
        self.assertIn("nothing to mend", self.ok("mend"))
        self.assertEqual(self.code(), own)


@PHP
class TableTest(CodeCase):
    """What programs read of overrides inside code."""

    def test_the_table_of_a_check_keeps_to_its_contract(self) -> None:
        self.start(ATTACHED)
        self.ok("override", "function:coast_greeting", "--why", "ours")
        self.edit("themes/cove/grove.php", b"Ahoy", b"Welcome")
        new = ATTACHED.replace("<?php\n", "<?php\n\n").replace("</p>';\n", "</p>';\n\n    $a = 1;\n    $b = 2;\n")
        row = self.row("cove", "function:coast_greeting", "--against", self.next_is(new))
        keys = [
            "unit",
            "verdict",
            "weight",
            "listed",
            "how",
            "reach",
            "source",
            "merge",
            "layout_only",
            "from",
            "taken",
            "now",
            "to",
            "alike",
            "file",
            "line",
            "because",
            "next",
        ]
        self.assertLessEqual(set(keys), set(row))
        self.assertEqual(
            {key: row[key] for key in ("how", "reach", "source", "from", "taken", "now", "file", "listed")},
            {
                "how": "detach", "reach": "yes", "source": "changed", "from": "coast", "taken": "1.0", "now": "2.0",
                "file": "grove.php", "listed": True,
            },
        )  # fmt: skip
        lines = self.read("themes/cove/grove.php").decode().split("\n")
        self.assertIn("function cove_greeting", lines[row["line"] - 1])

    def test_lines_of_both_sides_are_those_of_the_files(self) -> None:
        self.start(ATTACHED)
        self.ok("override", "function:coast_greeting")
        self.edit("themes/cove/grove.php", b"Ahoy", b"Welcome")
        new = ATTACHED.replace("<?php\n", "<?php\n// one\n// two\n\n").replace("Ahoy", "Hello")
        because = self.row("cove", "function:coast_greeting", "--against", self.next_is(new))["because"]
        theirs = new.split("\n").index("    echo '<p>Hello</p>';") + 1
        ours = self.code().split("\n").index("    echo '<p>Welcome</p>';") + 1
        self.assertIn(f"line {theirs} of coast/grove.php and your line {ours} of grove.php", because)

    def test_an_update_says_what_became_of_each(self) -> None:
        self.start(ATTACHED)
        self.ok("override", "function:coast_greeting")
        self.ok("override", "hook:gate", "--attach", "cove_lamp")
        self.next_is(ATTACHED.replace("', 5)", "', 25)"))
        done = self.run_command("update", "coast", "--to", "next/coast", "--format", "json", "--dry-run")
        rows = {row["unit"]: row for row in json.loads(done.stdout)["children"][0]["overrides"]}
        self.assertEqual(rows["function:coast_greeting"]["done"], "merged")
        self.assertEqual(rows["hook:gate#cove_lamp"]["done"], "left")
        self.assertEqual(self.page()["points"]["gate"], [["cove_lamp", 0], ["cove_greeting", 5]])

    def test_explain_names_the_command_that_takes_a_unit_over(self) -> None:
        self.start(ATTACHED + "hedgerow_season('row_length', 4);\n")
        for unit, words in (
            ("function:coast_greeting", "protypon override function:coast_greeting --child cove"),
            ("hook:gate", "protypon override hook:gate --attach NAME --child cove"),
            ("hook:gate#coast_greeting", "protypon override 'hook:gate#coast_greeting' --detach --child cove"),
            ("value:row_length", "protypon override value:row_length --value V --child cove"),
            ("template:leaves/page.php", "protypon override template:leaves/page.php --child cove"),
        ):
            with self.subTest(unit=unit):
                self.assertEqual(json.loads(self.ok("explain", unit, "--format", "json"))["next"], words)
        self.ok("override", "function:coast_greeting")
        self.assertEqual(json.loads(self.ok("explain", "function:coast_greeting", "--format", "json"))["next"], "")


@PHP
class OddInputTest(CodeCase):
    def test_a_ledger_with_nonsense_about_code_is_one_clear_line(self) -> None:
        self.start(ATTACHED)
        self.ok("override", "function:coast_greeting")
        good = self.read("themes/cove/overrides.toml").decode()
        for old, new, words in (
            ('how = "detach"', 'how = "guess"', "how is 'guess'"),
            ('file = "grove.php"', 'file = "../../x.php"', "outside the theme"),
            ('file = "grove.php"', "file = 7", "file is 7"),
            ('at = ["gate 5"]', "at = 5", "at is 5"),
            ('at = ["gate 5"]', 'order = "x"', "order is 'x'"),
        ):
            with self.subTest(new=new):
                self.put("themes/cove/overrides.toml", good.replace(old, new))
                self.assertIn(words, self.refused("check"))
        self.put("themes/cove/overrides.toml", good.replace('at = ["gate 5"]', 'at = ["gate"]'))
        self.assertIn(self.run_command("check").returncode, (0, 1))

    def test_names_that_nobody_would_choose(self) -> None:
        odd = 'it\'s "a" $gate {x} \\ #1'
        php = odd.replace("\\", "\\\\").replace("'", "\\'")
        self.start(ATTACHED.replace("'gate'", f"'{php}'"), page=PAGE.replace("'gate'", f"'{php}'"))
        address = "hook:" + odd.replace("%", "%25").replace("#", "%23") + "#coast_greeting"
        self.ok("override", address, "--detach")
        self.assertNotIn("Ahoy", self.page()["html"])
        self.assertEqual(self.verdicts("cove"), {address: "holds"})
        self.ok("drop", address)
        self.assertIn("Ahoy", self.page()["html"])

    def test_what_is_not_there_is_refused_with_the_nearest(self) -> None:
        self.start(ATTACHED + "hedgerow_plant('size', 'tree', 1);\nhedgerow_season('row_length', 1);\n")
        for words, *arguments in (
            ("did you mean function:coast_greeting?", "function:coast_greting"),
            ("did you mean item:size#tree?", "item:size#tre", "--remove"),
            ("did you mean value:row_length?", "value:row_lenght", "--value", "1"),
            ("nothing in the lineage", "region:nowhere"),
        ):
            with self.subTest(arguments=arguments):
                self.assertIn(words, self.refused("override", *arguments))
        for words, *arguments in (
            ("to take it away: protypon override", "item:size#tree"),
            ("add --value", "value:row_length"),
            ("which callback?", "hook:gate", "--detach"),
            ("--from is for files", "function:coast_greeting", "--from", "coast"),
            ("is for a unit of the kind hook", "template:leaves/page.php", "--detach"),
            ("is for a unit of the kind value", "function:coast_greeting", "--value", "1"),
            ("can't be kept", "value:row_length", "--value", '{"a": [null]}'),
            ("can't be kept", "value:row_length", "--value", "1e999"),
            ("is no name of a function", "hook:gate", "--attach", "a() {} function b"),
        ):
            with self.subTest(arguments=arguments):
                self.assertIn(words, self.refused("override", *arguments, status=2))

    def test_a_parent_that_stops_is_told_and_nothing_is_written(self) -> None:
        self.start("<?php\nfunction a() {\n}\nfunction a() {\n}\n")
        self.assertIn("the site stops", self.refused("override", "function:a"))

    def test_killed_or_not_the_drop_of_an_unlisted_one_is_exact(self) -> None:
        own = "<?php\n// before\nhedgerow_graft('rooted', function () {\n    hedgerow_prune('gate', 'coast_greeting', 5);\n});\n\n// after\n$x = 1;\n"
        self.start(ATTACHED)
        self.put("themes/cove/grove.php", own)
        self.assertEqual(self.verdicts("cove"), {"hook:gate#coast_greeting": "unlisted"})
        self.ok("drop", "hook:gate#coast_greeting")
        self.assertEqual(self.code(), "<?php\n// before\n\n// after\n$x = 1;\n")


@PHP
class MillraceTest(BenchCase):
    """Higher numbers run first, and the parent's code comes first."""

    def start(self, works: str, page: str = "<main><?php mill_turn('gate', 1); ?></main>\n") -> None:
        self.weir(works, page)
        self.put("themes/mill/millrace.json", '{"slug": "mill", "title": "Mill", "release": "1", "turns_on": "weir"}\n')
        self.ok("init", "--platform", "millrace")
        self.ok("adopt", "mill")

    def weir(self, works: str, page: str, where: str = "themes", release: str = "1") -> None:
        self.put(f"{where}/weir/millrace.json", json.dumps({"slug": "weir", "title": "Weir", "release": release}))
        self.put(f"{where}/weir/works.php", works)
        self.put(f"{where}/weir/views/page.php", page)

    def page(self) -> dict[str, Any]:
        return hosted.run("millrace", self.bench / "themes", "mill", "home")

    WORKS = "<?php\nfunction weir_wheel($v) {\n    echo 'wheel';\n}\nmill_engage('gate', 'weir_wheel', 40);\n"

    def test_taken_off_at_once_and_put_back_with_a_number(self) -> None:
        self.start(self.WORKS)
        self.ok("override", "hook:gate#weir_wheel", "--order", "200")
        self.assertNotIn(b"function ()", self.read("themes/mill/works.php"))
        self.assertEqual(self.page()["points"]["gate"], [["weir_wheel", 200]])
        self.weir(self.WORKS.replace("40", "60"), "<main><?php mill_turn('gate', 1); ?></main>\n", "next", "2")
        self.ok("update", "weir", "--to", "next/weir")
        self.assertEqual(self.page()["points"]["gate"], [["weir_wheel", 200]])
        self.weir(self.WORKS.replace("40", "200"), "<main><?php mill_turn('gate', 1); ?></main>\n", "next", "3")
        self.assertEqual(self.verdicts("mill", "--against", "next/weir"), {"hook:gate#weir_wheel": "idle"})
        self.ok("update", "weir", "--to", "next/weir")
        self.assertEqual(self.verdicts("mill"), {"hook:gate#weir_wheel": "needless"})

    def test_a_value_that_the_parent_sets_before_cant_be_set(self) -> None:
        self.start("<?php\nmill_set('width', 3);\n")
        said = self.refused("override", "value:width", "--value", "4")
        self.assertIn("weir/works.php line 2 sets it before any code of yours runs", said)

    def test_a_region_is_declared_in_the_manifest(self) -> None:
        self.start("<?php\n", "<?php mill_region('news'); ?>\n")
        before = self.read("themes/mill/millrace.json")
        self.ok("override", "region:news")
        self.assertEqual(json.loads(self.read("themes/mill/millrace.json"))["regions"], ["news"])
        self.assertEqual(self.verdicts("mill"), {"region:news": "holds"})
        self.ok("drop", "region:news")
        self.assertEqual(json.loads(self.read("themes/mill/millrace.json")).get("regions", []), [])
        self.assertTrue(before)


class QuaysideTest(BenchCase):
    def quay(self, code: str, page: str = "{{ ring('board', 1) }}") -> None:
        self.started({"code/a.py": "import quay\n\n\n" + code, "pages/base.html": page})

    def points(self) -> dict[str, Any]:
        return dict(ran_quayside_of(self, "gull")["points"])

    def test_a_chain_in_python(self) -> None:
        self.quay('def words():\n    return "a"\n\n\n@quay.on("board", order=20)\ndef notice(v):\n    return words()\n')
        self.refused("override", "function:words", status=2)
        self.ok("override", "function:words", "--yes")
        self.edit("themes/gull/code/gull.py", b'return "a"', b'return "b"')
        self.assertEqual(self.points()["board"], [["gull_notice", 20]])
        self.assertEqual(set(self.verdicts("gull").values()), {"holds"})
        self.ok("drop", "function:words")
        self.assertEqual(self.verdicts("gull"), {})

    def test_a_callback_by_name_gets_another_number_and_a_function_does_not(self) -> None:
        self.quay(
            '@quay.offer\ndef notice(v):\n    return "a"\n\n\nquay.on("board", "notice", 20)\n\n\n@quay.on("board", order=30)\ndef other(v):\n    return "b"\n'
        )
        self.ok("override", "hook:board#notice", "--order", "90")
        self.assertEqual(self.points()["board"], [["other", 30], ["notice", 90]])
        self.assertIn("override function:other", self.refused("override", "hook:board#other", "--order", "5"))

    def test_own_imports_and_docstring_stay_at_the_top(self) -> None:
        self.quay('@quay.on("board", order=20)\ndef notice(v):\n    return "a"\n')
        own = '"""Ours."""\n\nfrom __future__ import annotations\n\nimport json\n\nX = json.dumps({})\n'
        self.put("themes/gull/code/own.py", own)
        self.ok("override", "hook:board#notice", "--detach")
        code = self.read("themes/gull/code/own.py").decode()
        self.assertLess(code.index("__future__"), code.index("import quay"))
        self.assertEqual(self.points().get("board", []), [])
        self.ok("drop", "hook:board#notice")
        self.assertEqual(self.read("themes/gull/code/own.py").decode(), own)

    def test_a_body_that_drifts_is_merged_with_its_decorator(self) -> None:
        code = '@quay.on("board", order=20)\ndef notice(v):\n    """Say so."""\n    a = 1\n    b = 2\n    c = 3\n    return str(a + b + c)\n'
        self.quay(code)
        self.ok("override", "function:notice")
        self.edit("themes/gull/code/gull.py", b"c = 3", b"c = 30")
        new = "import quay\n\n\n" + code.replace("order=20", "order=70").replace("a = 1", "a = 10")
        self.parent(
            {"code/a.py": new, "pages/base.html": "{{ ring('board', 1) }}"}, release="2.0.0", root=self.bench / "next"
        )
        self.ok("update", "pier", "--to", "next/pier")
        self.assertEqual(self.points()["board"], [["gull_notice", 70]])
        merged = self.read("themes/gull/code/gull.py").decode()
        self.assertIn("a = 10", merged)
        self.assertIn("c = 30", merged)
        self.assertEqual(self.verdicts("gull"), {"function:notice": "holds"})


if __name__ == "__main__":
    unittest.main()
