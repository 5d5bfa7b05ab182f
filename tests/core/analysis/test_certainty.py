"""What is certain and what is not, case by case; each source is run on hedgerow as well, and what is certain must be so."""

from __future__ import annotations

import shutil
import tempfile
import unittest
from pathlib import Path

from protypon.core.analysis.state import State
from protypon.core.languages.values import Unknown
from protypon.standin import hosted
from tests.core.analysis.test_oracle import label, site

G = "hedgerow_graft"


class CertaintyTest(unittest.TestCase):
    def state(self, code: str, run: bool = True) -> tuple[State, dict[str, object]]:
        """The state of a theme of one file, and the report of a run of it, if it is to be run."""
        with tempfile.TemporaryDirectory() as folder:
            theme = Path(folder, "t0")
            theme.mkdir()
            (theme / "hedgerow.yaml").write_text("title: t\n")
            start = "" if code.startswith("<?php") else "<?php\nfunction f() {} function g() {} function h() {}\n"
            (theme / "grove.php").write_text(start + code)
            real = hosted.run("hedgerow", Path(folder), "t0") if run and shutil.which("php") else {}
            return site(Path(folder), "hedgerow").load(), real

    def certain(self, code: str, *labels: str) -> None:
        """What is at point ``p`` is known, and a run has the same there."""
        state, real = self.state(code)
        self.assertEqual(state.uncertain("p"), "", code)
        self.assertEqual([label(c.target, False) for c in state.at("p", False)], list(labels), code)
        if real:
            self.assertIsNone(real["fatal"], code)
            self.assertEqual([name for name, _ in real["points"].get("p", [])], list(labels), code)  # type: ignore[attr-defined]

    def doubtful(self, code: str, reason: str) -> None:
        state, _ = self.state(code, run=False)
        self.assertIn(reason, state.uncertain("p"), code)

    def test_what_can_be_followed_is_certain(self) -> None:
        self.certain(f"$a = 'p'; $b = 'f'; {G}($a, $b);", "f")
        self.certain(f"const A = 'p'; define('B', 'g'); {G}(A, B);", "g")
        self.certain(f"{G}('p', \"f\"); {G}(callback: 'g', point: 'p', order: -1);", "g", "f")
        self.certain(f"foreach (['f' => 3, 'g' => 1] as $n => $o) {{ {G}('p', $n, $o); }}", "g", "f")
        self.certain(f"function at($n, $where = 'p') {{ {G}($where, $n); }} at('f'); at('g', 'q');", "f")
        self.certain(f"$x = 3; $x += 2; if ($x == 5 && !($x < 5)) {{ {G}('p', 'f'); }} else {{ {G}('p', 'g'); }}", "f")
        self.certain(
            f"switch ('b') {{ case 'a': {G}('p', 'f'); break; case 'b': {G}('p', 'g'); break; default: {G}('p', 'h'); }}",
            "g",
        )
        self.certain(f"if (strlen('abc') > 2) {{ $n = 'f'; }} else {{ $n = 'f'; }} {G}('p', $n);", "f")
        self.certain(f"function early($s) {{ if ($s) return; {G}('p', 'f'); }} early(true); early(false);", "f")
        self.certain(
            f"$f = function () use (&$f) {{ {G}('p', 'f'); }}; $f(); call_user_func('at2'); function at2() {{ {G}('p', 'g'); }}",
            "f",
            "g",
        )
        self.certain(f"{G}('p', 'f'); {G}('p', 'g'); hedgerow_prune('p', 'F');", "g")

    def test_classes_and_their_parents(self) -> None:
        base = (
            f"class Base {{ const P = 'p'; function __construct() {{ {G}(self::P, [$this, 'run']); $this->more(); }}"
            f" function more() {{}} static function s() {{ {G}('p', 'g'); }} }}\n"
        )
        self.certain(
            base
            + f"class Kid extends Base {{ function more() {{ parent::more(); {G}('p', 'f'); self::s(); }} function run() {{}} }} new Kid();",
            "Kid::run",
            "f",
            "g",
        )
        self.certain(base + "$k = new Base(); hedgerow_prune('p', [$k, 'run']); Base::s();", "g")
        self.certain(base + "$k = new Base(); hedgerow_prune('p', [new Base(), 'other']);", "Base::run", "Base::run")
        self.certain(
            f"class T {{ static function m() {{}} }} {G}('p', ['T', 'm']); {G}('p', 'T::m', 5); hedgerow_prune('p', 't::M', 5);",
            "T::m",
        )

    def test_names_in_namespaces(self) -> None:
        code = "namespace Pier\\Works { function f() {} function at($n) { \\hedgerow_graft('p', $n); } at(__NAMESPACE__ . '\\f'); at('f');\n"
        code += (
            "class Crew { static function go() {} } at([Crew::class, 'go']); namespace\\at('Pier\\Works\\Crew::go');\n"
        )
        code += "} namespace Sea { use Pier\\Works\\Crew as Team; use function Pier\\Works\\at; at([Team::class, 'go']); \\Pier\\Works\\at('f'); }"
        self.certain(
            "<?php\n" + code,
            "Pier\\Works\\f",
            "f",
            "Pier\\Works\\Crew::go",
            "Pier\\Works\\Crew::go",
            "Pier\\Works\\Crew::go",
            "f",
        )
        self.certain(f"{G}('p', f(...)); hedgerow_prune('p', 'f');", "closure t0/grove.php 2")

    def test_objects_kept_in_attributes(self) -> None:
        crew = f"class Crew {{ function go($n) {{ {G}('p', $n); }} }}\n"
        self.certain(
            crew
            + "class A { private $c; function __construct() { $this->c = new Crew(); $this->c->go('f'); } } new A();",
            "f",
        )
        self.certain(crew + "$a = new Crew(); $a->name = 'g'; $a->go($a->name);", "g")
        self.doubtful(
            crew + "function at($o) { $o->go('f'); } at(unserialize('x'));",
            "an object that can't be known may be a Crew",
        )
        self.doubtful(
            crew + "$a = new Crew(); if (time()) { $a->name = 'g'; } $a->go($a->name); hedgerow_prune('p', 'g');",
            "which callback is meant",
        )

    def test_what_hangs_on_the_unknown_is_in_doubt(self) -> None:
        self.doubtful(f"if (getenv('x')) {{ {G}('p', 'f'); }}", "t0/grove.php line 3: a condition that can't be known")
        self.doubtful(
            f"{G}('p', 'f'); if (getenv('x')) {{ hedgerow_prune('p', 'f'); }}", "a condition that can't be known"
        )
        self.doubtful(
            f"{G}('p', getenv('x') ? 'f' : 'g'); hedgerow_prune('p', 'f');", "which callback is meant can't be known"
        )
        self.doubtful(f"{G}('p', 'f', (int) getenv('x'));", "the order number of f is made at run time")
        self.doubtful(f"{G}(getenv('x'), 'f');", "attaches at a point whose name is made at run time")
        self.doubtful(f"while (getenv('x')) {{ {G}('p', 'f'); }}", "a loop that can't be counted")
        self.doubtful(
            f"function early() {{ if (getenv('x')) return; {G}('p', 'f'); }} early();",
            "a condition that can't be known",
        )
        self.doubtful(
            f"array_walk_recursive($n, function ($n) {{ {G}('p', 'f'); }});", "array_walk_recursive may call it"
        )
        self.certain(f"array_map(function ($n) {{ {G}('p', 'f'); }}, [1]);", "f")
        self.doubtful(
            f"function change(&$n) {{ $n = getenv('x'); }} $n = 'p'; change($n); {G}($n, 'f');", "made at run time"
        )
        self.doubtful(f"include getenv('x'); {G}('p', 'f');", "pulls in a file whose name is made at run time")
        self.doubtful(
            f"try {{ getenv('x'); }} catch (Exception $e) {{ {G}('p', 'f'); }}", "an error that can't be known"
        )
        self.certain(f"try {{ f(); }} catch (Exception $e) {{ {G}('p', 'f'); }} {G}('p', 'g');", "g")
        self.doubtful(f"function a($n) {{ a($n + 1); a($n); }} a(0); {G}('p', 'f');", "runs too long to be followed")
        self.doubtful(
            f"function a($n) {{ if ($n > 0) {{ a($n - 1); }} else {{ {G}('p', 'f'); }} }} a(100);",
            "a condition that can't be known",
        )
        self.doubtful(
            "$n = [" + "1, " * 900 + f"]; foreach ($n as $a) foreach ($n as $b) {{ {G}('p', 'f'); }}",
            "runs too long to be followed",
        )

    def test_functions_of_the_interpreter_may_be_callbacks(self) -> None:
        """What they make of a value is not known, and that they exist is no mistake; a name that nothing has is passed over."""
        for name, known in (("strtoupper", False), ("mb_strtolower", False), ("no_such_function", True)):
            state, real = self.state(f"{G}('p', '{name}'); hedgerow_season('v', hedgerow_ripen('p', 'a'));")
            self.assertEqual(state.values["v"].value == "a", known, name)
            if real and known:
                self.assertEqual(real["values"]["v"], "a")  # type: ignore[index]
        self.doubtful(f"if (!function_exists('array_find')) {{ {G}('p', 'f'); }}", "a condition that can't be known")
        self.doubtful(f"if (!function_exists('no_such')) {{ {G}('p', 'f'); }}", "a condition that can't be known")
        self.certain(f"if (!function_exists('late')) {{ {G}('p', 'f'); }} if (true) {{ function late() {{}} }}", "f")

    def test_values_and_items_are_known_or_not(self) -> None:
        cases = {
            "hedgerow_season('v', 2 + 3 * 4);": 14,
            "hedgerow_season('v', 'a' . 1 . null . true);": "a11",
            "hedgerow_season('v', ['x' => 3]['x']);": 3,
            "hedgerow_season('v', null ?? 'z');": "z",
            "hedgerow_season('v', 1); hedgerow_season('v', 2);": 1,
            "if ('1' == 1) { hedgerow_season('v', 'same'); }": "same",
            "if (null == false && '0' != null) { hedgerow_season('v', 'php'); }": "php",
            "hedgerow_season('v', hedgerow_season_of('row_length') + 1);": 4,
            "function ten() { return 10; } hedgerow_season('v', ten());": 10,
            "ob_start(); echo 'a', 1; ?>x<?php hedgerow_season('v', ob_get_clean() . 'b');": "a1xb",
            "function out() { ob_start(); echo 'a'; return ob_get_clean(); } hedgerow_season('v', out());": "a",
            "hedgerow_season('v', hedgerow_ripen('p', 1)); hedgerow_graft('p', 'hedgerow_title');": 1,
        }
        for code, wanted in cases.items():
            state, real = self.state(code)
            self.assertEqual(state.values["v"].value, wanted, code)
            if real:
                self.assertEqual(real["values"]["v"], wanted, code)  # type: ignore[index]
        for code in (
            "hedgerow_season('v', time());",
            "if (time()) { hedgerow_season('v', 1); } hedgerow_season('v', 2);",
            "$x = 1; if (time()) { $x = 2; } hedgerow_season('v', $x);",
        ):
            self.assertIsInstance(self.state(code)[0].values["v"].value, Unknown, code)
        state, _ = self.state(
            "hedgerow_plant('k', 'a'); if (time()) { hedgerow_uproot('k', 'a'); } hedgerow_plant('k', time());"
        )
        self.assertTrue(state.items[("k", "a")].doubt)
        self.assertIn("registers an item whose name is made at run time", state.blind_about("items"))


if __name__ == "__main__":
    unittest.main()
