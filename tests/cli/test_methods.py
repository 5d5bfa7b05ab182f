"""Methods of objects taken off their points: written by the built program, held against the platform's run, carried and taken out."""

from __future__ import annotations

import itertools
import random
from typing import Any

from tests.cases import seeds
from tests.cli.test_code_overrides import PHP, CodeCase

KEPT = {
    "in a global variable": ("", "global $bell; $bell = new Bell();", "$bell"),
    "by its class": ("class House { public static $bell; }", "House::$bell = new Bell();", "House::$bell"),
    "by its class, which gives it": (
        "class House { private static $it; static function bell() { return self::$it ??= new Bell(); } }",
        "House::bell();",
        "House::bell()",
    ),
    "by a function": ("function bell() { static $it; return $it ??= new Bell(); }", "", "bell()"),
    "in an object": (
        "class House { public $bell; private static $it; function __construct() { $this->bell = new Bell(); }\n"
        "  static function it() { return self::$it ??= new House(); } }",
        "",
        "House::it()->bell",
    ),
}
"""Where an object is kept -> what is declared for it, what is done first, and the expression that gives it."""
MOMENTS = ("", "rooted", "in_blossom")


def parent(way: str, moment: str, order: int, name: str = "ring") -> str:
    declared, made, given = KEPT[way]
    attach = f"{made} hedgerow_graft('gate', [{given}, '{name}'], {order});"
    late = f"hedgerow_graft('{moment}', function () {{ {attach} }});" if moment else attach
    return (
        f"<?php\n{declared}\nclass Bell {{ function {name}($v) {{ echo '<b>{name}</b>'; }} }}\n"
        f"{late}\nhedgerow_graft('gate', 'coast_lamp', 7);\nfunction coast_lamp($v) {{ echo 'lamp'; }}\n"
    )


@PHP
class MethodsTest(CodeCase):
    types_steps = True

    def at_gate(self) -> list[Any]:
        return self.page()["points"].get("gate", [])

    def test_it_is_taken_off_wherever_its_object_is_kept(self) -> None:
        for way, moment in itertools.product(KEPT, MOMENTS):
            with self.subTest(way, moment=moment):
                self.setUp()
                self.start(parent(way, moment, 5))
                self.assertEqual([["Bell::ring", 5], ["coast_lamp", 7]], self.at_gate())
                self.ok("override", "hook:gate#Bell::ring", "--detach")
                self.assertEqual([["coast_lamp", 7]], self.at_gate())
                self.assertIn("1 holds", self.ok("check"))
                self.ok("drop", "hook:gate#Bell::ring")
                self.assertFalse((self.bench / "themes/cove/grove.php").exists())

    def test_it_gets_another_number_and_both_follow_the_parent(self) -> None:
        for number in seeds(6):
            rng = random.Random(number)
            way, other = rng.choice(list(KEPT)), rng.choice(list(KEPT))
            with self.subTest(way, then=other, seed=number):
                self.setUp()
                self.start(parent(way, rng.choice(MOMENTS), 5))
                self.ok("override", "hook:gate#Bell::ring", "--order", "9")
                self.assertEqual([["coast_lamp", 7], ["Bell::ring", 9]], self.at_gate())
                new = self.next_is(parent(other, rng.choice(MOMENTS), rng.choice((5, 6))))
                self.ok("update", "coast", "--to", new)
                self.assertEqual([["coast_lamp", 7], ["Bell::ring", 9]], self.at_gate(), self.code())
                self.assertIn("1 holds", self.ok("check"))

    def test_an_object_that_nothing_keeps_is_refused_with_the_reason(self) -> None:
        self.start("<?php\nclass Bell { function ring() {} }\nhedgerow_graft('gate', [new Bell(), 'ring'], 5);\n")
        said = self.refused("override", "hook:gate#Bell::ring", "--detach")
        self.assertIn("no variable, class or function gives to other code", said)

    def test_a_function_without_a_name_is_taken_off_where_a_variable_keeps_it(self) -> None:
        self.start(
            "<?php\nglobal $chime;\n$chime = function ($v) { echo 'chime'; };\nhedgerow_graft('gate', $chime, 5);\n"
        )
        label = self.at_gate()
        self.assertEqual(1, len(label))
        name = next(u for u in self.ok("points").splitlines() if "the function at" in u).strip().split("  ")[1].strip()
        self.ok("override", f"hook:gate#{name}", "--detach")
        self.assertEqual([], self.at_gate())

    def test_to_ask_for_it_makes_nothing_too_early(self) -> None:
        """The first to ask makes the object, and that attaches something: what comes of it stays where it was."""
        self.start(
            "<?php\nclass Bell { static $it; static function it() { return self::$it ??= new Bell(); }\n"
            "  function __construct() { hedgerow_graft('gate', 'coast_lamp', 7); }\n  function ring($v) { echo 'ring'; } }\n"
            "function coast_lamp($v) { echo 'lamp'; }\nfunction coast_mat($v) { echo 'mat'; }\n"
            "hedgerow_graft('gate', 'coast_mat', 7);\n"
            "hedgerow_graft('rooted', function () { hedgerow_graft('gate', [Bell::it(), 'ring'], 7); });\n"
        )
        self.assertEqual(["coast_mat", "coast_lamp", "Bell::ring"], [label for label, _ in self.at_gate()])
        self.ok("override", "hook:gate#Bell::ring", "--detach")
        self.assertEqual(["coast_mat", "coast_lamp"], [label for label, _ in self.at_gate()])
