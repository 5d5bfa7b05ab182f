"""What a command says it did, or advises, held against what the site then does."""

from __future__ import annotations

import json
import unittest
from typing import Any

from protypon.standin import hosted
from tests.support import BenchCase

CODE = """<?php
function pier_foot() { echo 'foot'; }
hedgerow_graft('foot', 'pier_foot');
hedgerow_season('rows', 3);
hedgerow_plant('picture-size', 'card', 300);
"""
PAGE = '<main><?php hedgerow_shake("foot"); ?></main>\n'


class HedgerowCase(BenchCase):
    """A bench with a parent ``pier`` and a child ``gull``."""

    def begun(self, code: str = CODE, page: str = PAGE, **files: str) -> None:
        self.put("themes/pier/hedgerow.yaml", 'title: Pier\nrelease: "1.0"\n')
        self.put("themes/pier/grove.php", code)
        self.put("themes/pier/leaves/page.php", page)
        self.ok("init", "--platform", "hedgerow")
        self.ok("new", "gull", "--parent", "pier")
        for path, text in files.items():
            self.put(path, text)

    def ran(self, kind: str = "home") -> dict[str, Any]:
        return hosted.run("hedgerow", self.bench / "themes", "gull", kind)


class DropTest(HedgerowCase):
    def test_what_is_in_force_then_is_told(self) -> None:
        self.begun()
        for words, unit, options in (
            ("now the one of pier is used", "function:pier_foot", ()),
            ("now the one of pier is used", "value:rows", ("--value", "4")),
            ("now the one of hedgerow is used", "value:row_length", ("--value", "4")),
            ("now the one of pier is used", "item:picture-size#card", ("--remove",)),
            ("now the one of pier is used", "template:leaves/page.php", ()),
            ("now it is as the parents have it", "hook:foot#pier_foot", ("--detach",)),
        ):
            self.ok("override", unit, *options)
            self.assertIn(f"{unit}: {words}", " ".join(self.ok("drop", unit).split()))
        self.ok("override", "hook:foot", "--attach", "gull_foot")
        self.assertIn("now it is as the parents have it", self.ok("drop", "hook:foot#gull_foot"))


class RegionTest(HedgerowCase):
    def test_one_that_only_the_child_prints_holds_as_soon_as_it_is_declared(self) -> None:
        self.begun()
        self.put("themes/gull/leaves/page.php", PAGE + '<?php hedgerow_show_bed("aside"); ?>')
        row = next(f for f in self.check()["gull"]["findings"] if f["code"] == "region-not-declared")
        self.assertEqual(row["next"], "protypon override region:aside --child gull")
        self.ok("override", "region:aside")
        self.assertEqual(self.verdicts("gull")["region:aside"], "holds")
        self.assertNotIn("region-not-declared", self.codes("gull"))

    def test_one_that_code_declares_where_the_site_does_not_come_to_is_not_missed(self) -> None:
        self.begun(CODE + "hedgerow_bed('aside');\n")
        self.put("themes/gull/leaves/page.php", PAGE + '<?php hedgerow_show_bed("aside"); ?>')
        self.put("themes/gull/grove.php", "<?php\nfunction tide() {}\nfunction tide() {}\n")
        self.assertNotIn("region-not-declared", self.codes("gull"))
        notes = json.loads(self.ok("explain", "region:aside", "--format", "json"))["notes"]
        self.assertIn("pier/grove.php line 6 would declare it, and does not run", notes)
        self.assertNotIn("declared by no theme of the lineage", notes)
        self.put("themes/gull/grove.php", "<?php\n")
        found = json.loads(self.ok("explain", "region:aside", "--format", "json"))
        self.assertEqual(found["notes"], ["declared in pier/grove.php line 6"])
        self.assertEqual(found["next"], "")


@unittest.skipIf(hosted.php() is None, "there is no PHP here")
class ToComeTest(HedgerowCase):
    """The child's code runs first: what its parent declares is not there yet."""

    BASE = "class Pier_Base { public $x = 1; }\nfunction pier_plain() { return 1; }\n"
    GUARDED = "if (!class_exists('Pier_Desk')) { class Pier_Desk extends Pier_Base {} }\n"

    def test_code_that_asks_for_it_too_early_stops_the_site_and_no_command_writes_such(self) -> None:
        self.begun(CODE + self.BASE + self.GUARDED)
        told = self.refused("override", "class:Pier_Desk")
        self.assertIn("it asks for the class Pier_Base, which pier/grove.php declares only later", told)
        for code, stops in (
            ("class Gull extends Pier_Base {}", True),
            ("$x = new Pier_Base;", True),
            ("echo pier_plain();", True),
            ("try { pier_plain(); } catch (Error $e) {}", False),
            ("if (function_exists('pier_plain')) { pier_plain(); }", False),
            ("hedgerow_graft('rooted', function () { pier_plain(); new Pier_Base; });", False),
            (
                "class Any {} spl_autoload_register(function ($name) { class_alias('Any', $name); }); new Pier_Own;",
                False,
            ),
        ):
            with self.subTest(code):
                self.put("themes/gull/grove.php", f"<?php\n{code}\n")
                self.assertEqual(self.ran()["fatal"] is not None, stops)
                self.assertEqual("raises" in self.codes("gull"), stops)


@unittest.skipIf(hosted.php() is None, "there is no PHP here")
class DefaultTest(HedgerowCase):
    """Constants and global variables that the language sets only if they are not set yet."""

    CODE = """<?php
if (!defined('PIER_ROWS')) {
    define('PIER_ROWS', 3);
}
defined('PIER_NAME') || define('PIER_NAME', 'Pier');
define('PIER_FIXED', 1);
$GLOBALS['tide'] ??= 'low';
if (!isset($GLOBALS['boat'])) {
    $GLOBALS['boat'] = 'red';
}
$local ??= 3;
"""
    PAGE = "<?php echo PIER_ROWS, PIER_NAME, PIER_FIXED, $GLOBALS['tide'], $GLOBALS['boat'];"
    NAMES = ("PIER_ROWS", "PIER_NAME", "$tide", "$boat")

    def test_each_is_a_value_that_the_child_can_set_and_drop(self) -> None:
        self.begun(self.CODE, self.PAGE)
        units = [line.strip() for line in self.ok("survey", "--units").splitlines() if "value:" in line]
        self.assertEqual(units, [f"value:{name}" for name in sorted(self.NAMES)])
        self.assertEqual(self.ran()["html"], "3Pier1lowred")
        for number, name in enumerate(self.NAMES):
            self.ok("override", f"value:{name}", "--value", str(number))
        self.assertEqual(set(self.verdicts("gull").values()), {"holds"})
        self.assertEqual(self.ran()["html"], "01123")
        found = json.loads(self.ok("explain", "value:PIER_ROWS", "--format", "json"))
        self.assertEqual((found["in_force"]["value"], found["without"]["value"]), (0, 3))
        self.edit("themes/pier/grove.php", b"'PIER_ROWS', 3", b"'PIER_ROWS', 4")
        self.edit("themes/pier/hedgerow.yaml", b"1.0", b"1.1")
        self.assertEqual(self.verdicts("gull")["value:PIER_ROWS"], "drifted")
        self.ok("drop", *(f"value:{name}" for name in self.NAMES))
        self.assertFalse((self.bench / "themes/gull/grove.php").exists())
        self.assertIn(
            "sets or asks for a value PIER_FIXED", self.refused("override", "value:PIER_FIXED", "--value", "2")
        )

    def test_one_that_comes_too_late_is_idle_and_one_set_by_hand_is_found(self) -> None:
        self.begun(self.CODE, self.PAGE)
        self.put("themes/gull/grove.php", "<?php\ndefine('PIER_NAME', 'Gull');\n")
        self.assertEqual(self.verdicts("gull"), {"value:PIER_NAME": "unlisted"})
        self.ok("adopt", "gull")
        self.assertEqual(self.verdicts("gull"), {"value:PIER_NAME": "holds"})
        self.assertEqual(self.ran()["html"], "3Gull1lowred")

    def test_variables_at_the_top_count_where_code_files_share_them(self) -> None:
        self.put(
            "shared.toml", 'format = "protypon.platform/1"\nname = "shared"\nlike = "hedgerow"\ncode.scope = "shared"\n'
        )
        self.put("themes/pier/hedgerow.yaml", "title: Pier\n")
        self.put("themes/pier/grove.php", self.CODE)
        self.ok("init", "--platform", "shared.toml")
        self.ok("new", "gull", "--parent", "pier")
        self.assertIn("value:$local", self.ok("survey", "--units"))
        self.ok("override", "value:$local", "--value", "4")
        self.assertEqual(self.verdicts("gull"), {"value:$local": "holds"})


class CarriedTest(BenchCase):
    """One override that stops the site keeps no other from being carried."""

    WORKS = """<?php
class Pier_Base {{ public function open({}) {{ return 1; }} }}
function pier_tide() {{
    $a = 1;
    $b = 2;

    $c = {};
    return $a + $b;
}}
mill_engage('foot', 'pier_tide');
"""

    def test_the_others_are_carried_as_if_it_were_mended(self) -> None:
        about = '{{"slug": "pier", "title": "Pier", "release": "{}"}}'
        for folder, release, takes, number in (("themes", "1.0", "$a", 3), ("new", "2.0", "int $a, $b", 4)):
            self.put(f"{folder}/pier/millrace.json", about.format(release))
            self.put(f"{folder}/pier/works.php", self.WORKS.format(takes, number))
            self.put(f"{folder}/pier/views/page.php", '<?php mill_turn("foot"); ?>')
        self.ok("init", "--platform", "millrace")
        self.ok("new", "gull", "--parent", "pier")
        self.ok("override", "function:pier_tide")
        self.edit("themes/gull/works.php", b"$b = 2;", b"$b = 2; // ours")
        mine = b"class Gull_Base extends Pier_Base { public function open($a) { return 2; } }\n"
        self.put("themes/gull/works.php", self.read("themes/gull/works.php") + mine)
        self.ok("adopt", "gull")
        self.ok("update", "pier", "--to", "new")
        code = self.read("themes/gull/works.php")
        self.assertTrue(b"$c = 4;" in code and b"$b = 2; // ours" in code, code)
        verdicts = self.verdicts("gull")
        self.assertEqual(verdicts, {"class:Gull_Base#open": "fatal", "function:pier_tide": "holds"})


class MendedTest(HedgerowCase):
    """Callbacks that are called otherwise, and what a person said beside the calls that take them off."""

    DESK = """<?php
class Pier_Desk {{
    public static function {name}() {{
        $a = 'ten';
        $b = 'eleven';
        echo $a . $b;
    }}
}}
hedgerow_graft('{point}', ['Pier_Desk', '{name}'], {order});
"""

    def released(self, name: str, point: str, order: int) -> None:
        self.put("new/pier/hedgerow.yaml", 'title: Pier\nrelease: "2.0"\n')
        self.put("new/pier/grove.php", self.DESK.format(name=name, point=point, order=order))
        self.put("new/pier/leaves/page.php", f'<?php hedgerow_shake("{point}"); ?>')

    def test_a_method_of_another_name_at_another_point_is_followed_and_the_comment_with_it(self) -> None:
        self.begun(self.DESK.format(name="open", point="foot", order=7))
        self.ok("override", "hook:foot#Pier_Desk::open", "--detach")
        self.edit("themes/gull/grove.php", b"// Pier_Desk", b"// mine above\n// Pier_Desk")
        self.edit("themes/gull/grove.php", b", 7);", b", 7); // mine behind")
        self.released("opened", "page_foot", 7)
        row = self.row("gull", "hook:foot#Pier_Desk::open", "--against", "new")
        self.assertEqual((row["verdict"], row["to"]), ("moved", "page_foot%23Pier_Desk::opened"))
        self.ok("update", "pier", "--to", "new")
        code = self.read("themes/gull/grove.php").decode()
        self.assertIn("// mine above\n// Pier_Desk::opened is taken off page_foot.\n", code)
        self.assertIn("hedgerow_prune('page_foot', 'Pier_Desk::opened', 7); // mine behind", code)
        self.assertEqual(self.verdicts("gull"), {"hook:page_foot#Pier_Desk::opened": "holds"})

    def test_with_another_number_it_is_not_taken_for_the_same(self) -> None:
        self.begun(self.DESK.format(name="open", point="foot", order=7))
        self.ok("override", "hook:foot#Pier_Desk::open", "--detach")
        self.released("opened", "page_foot", 8)
        self.assertEqual(self.verdicts("gull", "--against", "new"), {"hook:foot#Pier_Desk::open": "stranded"})

    def test_what_a_person_said_behind_a_statement_that_goes_stays(self) -> None:
        self.begun()
        self.ok("override", "value:rows", "--value", "4")
        self.edit("themes/gull/grove.php", b", 4);", b", 4); // mine: '; // not');")
        self.ok("drop", "value:rows")
        self.assertEqual(self.read("themes/gull/grove.php"), b"<?php\n\n// mine: '; // not');\n")

    def test_a_finding_that_is_there_already_is_mended_in_the_same_way_whatever_comes(self) -> None:
        self.begun(CODE.replace("'pier_foot')", "'pier_foot', 5)"))
        self.put(
            "themes/gull/grove.php",
            "<?php\nhedgerow_graft('rooted', function () { hedgerow_prune('foot', 'pier_foot'); });\n",
        )
        self.put("new/pier/hedgerow.yaml", 'title: Pier\nrelease: "2.0"\n')
        for path in ("grove.php", "leaves/page.php"):
            self.put(f"new/pier/{path}", self.read(f"themes/pier/{path}"))

        def step(*options: str) -> str:
            found = self.check(*options)["gull"]["findings"]
            return str(next(f["next"] for f in found if f["code"] == "detaches-nothing"))

        self.assertEqual(step(), step("--against", "new"))
        self.assertIn("protypon mend", step())


if __name__ == "__main__":
    unittest.main()
