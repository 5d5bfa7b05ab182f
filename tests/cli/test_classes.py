"""Classes of a parent declared again, and methods of them overridden in a class of one's own: written, judged, carried, and held against runs."""

from __future__ import annotations

import random
import re
from typing import Any

from protypon.standin import hosted
from tests.cases import few, seeds
from tests.cli.test_code_overrides import PHP, CodeCase
from tests.support import state

BOARD = """// Shows the tides.
if (!class_exists('Tide_Board')) {
    class Tide_Board {
        public $rows = 3;

        public function greet($v) {
            echo "<p>Tides $this->rows</p>";
        }
    }
}
"""
HARBOUR = """class Harbour {
    protected $name = 'Harbour';

    /** The sign at the gate. */
    public function sign($size = 1) {
        $words = "Sign of $this->name";
        echo "<b>$words</b>";
    }

    public function moor() {
        return 'moored';
    }
}
"""
LAMP = "public function lamp() {\n            return 1;\n        }"
MOOR = "    public function moor() {\n        return 'moored';\n    }"
ATTACHED = """hedgerow_graft('rooted', function () {
    hedgerow_graft('gate', [new Tide_Board(), 'greet'], 5);
});
"""
PARENT = f"<?php\n{BOARD}{HARBOUR}{ATTACHED}"
CHILD = """<?php
hedgerow_graft('rooted', function () {
    class Cove_Harbour extends Harbour {
        public function own() {
            return 'own';
        }
    }
    hedgerow_graft('gate', [new Cove_Harbour(), 'sign'], 2);
}, 5);
"""


@PHP
class ClassesTest(CodeCase):
    def taken(self) -> None:
        """Both kinds of override, each with a change of one's own."""
        self.start(PARENT, CHILD)
        self.ok("override", "class:Tide_Board")
        self.ok("override", "class:Cove_Harbour#sign")
        self.put("themes/cove/grove.php", self.code().replace("<p>Tides", "<p>Our tides").replace("<b>", "<b>Our "))

    def test_they_are_used_and_come_out_byte_for_byte(self) -> None:
        self.start(PARENT, CHILD)
        before = state(self.bench / "themes/cove")
        self.assertIn("<p>Tides 3</p>", self.page()["html"])
        self.ok("override", "class:Tide_Board")
        self.ok("override", "class:Cove_Harbour#sign")
        code = self.code()
        self.assertIn(
            "        // In place of Harbour::sign (coast 1.0): Cove_Harbour inherits it.\n        /** The sign", code
        )
        self.assertEqual({"holds"}, set(self.verdicts().values()))
        self.put("themes/cove/grove.php", code.replace("<p>Tides", "<p>Our tides").replace("<b>", "<b>Our "))
        html = self.page()["html"]
        self.assertIn("<p>Our tides 3</p>", html)
        self.assertIn("<b>Our Sign of Harbour</b>", html)
        self.assertEqual({"holds"}, set(self.verdicts().values()))
        self.put("themes/cove/grove.php", code)
        self.ok("drop", "class:Tide_Board")
        self.ok("drop", "class:Cove_Harbour#sign")
        after = state(self.bench / "themes/cove")
        before.pop("overrides.toml"), after.pop("overrides.toml")
        self.assertEqual(before, after)

    def test_a_class_of_one_line_is_one_line_again(self) -> None:
        self.start(PARENT, CHILD)
        for body in ("{}", "{ }", "{\n}", "\n{\n}", "{ public $own = 1; }", "{\n    public $own = 1; }", "{\r\n}"):
            code = f"<?php\nclass Cove_Harbour extends Harbour {body}\nfunction cove_own() {{}}\n"
            with self.subTest(body=body):
                (self.bench / "themes/cove/grove.php").write_bytes(code.encode())
                self.ok("override", "class:Cove_Harbour#sign")
                self.ok("override", "class:Cove_Harbour#moor")
                self.ok("drop", "class:Cove_Harbour#sign")
                self.assertIn("function moor", self.code())
                self.ok("drop", "class:Cove_Harbour#moor")
                self.assertEqual(code.encode(), (self.bench / "themes/cove/grove.php").read_bytes())

    def test_a_ledger_changed_by_hand_takes_no_brace_away(self) -> None:
        self.start(PARENT, "<?php\nclass Cove_Harbour extends Harbour {}\n\nif (true) {\n\n}\n")
        self.ok("override", "class:Cove_Harbour#sign")
        ledger = self.read("themes/cove/overrides.toml")
        for line in (b"", b" ", b"class Cove_Harbour extends Harbour {"):
            with self.subTest(line=line):
                changed, times = re.subn(rb"broken: [^\"\n]*\}", b"broken: " + line, ledger)
                self.assertEqual(1, times, ledger)
                self.put("themes/cove/overrides.toml", changed)
                code = self.code()
                self.ok("drop", "class:Cove_Harbour#sign")
                self.assertEqual(self.code().count("}"), 2)
                self.ok("undo")
                self.assertEqual(code, self.code())

    def test_a_name_that_is_wrong_is_answered_with_one_that_is_right(self) -> None:
        self.start(PARENT, CHILD)
        for asked, meant in (
            ("Tide_Bord", "class:Tide_Board"),
            ("Cove_Harbour#sing", "class:Cove_Harbour#sign"),
            ("Harbour#sign", "class:Cove_Harbour#sign"),
            ("Cove_Harbor#mor", "class:Cove_Harbour#moor"),
        ):
            with self.subTest(asked=asked):
                self.assertIn(f"did you mean {meant}?", self.refused("override", f"class:{asked}"))
        for asked in ("class:#sign", "class:Cove_Harbour#", "hook:#"):
            with self.subTest(asked=asked):
                self.assertIn("is not an address", self.refused("override", asked, status=2))

    def verdicts(self, *more: str) -> dict[str, str]:
        return {v["unit"]: v["verdict"] for v in self.check("cove", *more)["cove"]["overrides"]}

    def test_what_nobody_wrote_down_is_told_and_adopted(self) -> None:
        self.taken()
        (self.bench / "themes/cove/overrides.toml").write_text('format = "protypon.ledger/1"\n')
        self.assertEqual({"class:Cove_Harbour#sign": "unlisted", "class:Tide_Board": "unlisted"}, self.verdicts())
        self.ok("adopt", "cove")
        self.assertEqual({"holds"}, set(self.verdicts().values()))

    def test_what_has_no_guard_is_refused_with_what_can_be_done(self) -> None:
        self.start(f"<?php\n{HARBOUR}hedgerow_graft('gate', [new Harbour(), 'sign'], 5);\n")
        said = self.refused("override", "class:Harbour")
        self.assertIn("declares it without a guard", said)
        self.assertIn("hook:gate#Harbour::sign", said)
        self.refused("override", "class:Harbor")
        self.refused("override", "class:Cove_Harbour#sign", status=3)

    def test_updates_are_carried_and_what_is_said_is_what_the_run_does(self) -> None:
        stopped = merged = 0
        for seed in seeds(24):
            with self.subTest(seed=seed):
                self.setUp()
                self.taken()
                new = self.next_is(release(random.Random(seed)))
                foretold = self.verdicts("--against", new)
                self.run_command("update", "coast", "--to", new)
                found = self.verdicts()
                report = hosted.run("hedgerow", self.bench / "themes", "cove", "home")
                findings = [f for f in self.check("cove")["cove"]["findings"] if f["weight"] == "fatal"]
                self.assertEqual(
                    bool(report["fatal"]), "fatal" in found.values() or bool(findings), (report["fatal"], found)
                )
                stopped += "fatal" in foretold.values()
                merged += "drifted" in foretold.values() and "holds" in found.values()
                if not report["fatal"]:
                    self.hold(found, report)
        if not few():
            self.assertGreater(stopped, 2)
            self.assertGreater(merged, 2)

    def hold(self, found: dict[str, str], report: dict[str, Any]) -> None:
        """What holds is what the page shows."""
        if any(v in ("holds", "drifted", "conflicted") for u, v in found.items() if u.startswith("class:Tide")):
            self.assertIn("<p>Our tides", report["html"])
        if found.get("class:Cove_Harbour#sign") in ("holds", "drifted", "conflicted"):
            self.assertIn("<b>Our ", report["html"])


def release(rng: random.Random) -> str:
    """A next release of the parent, in which some things differ."""
    text = PARENT
    greets = "[new Tide_Board(), 'greet'], 5);"
    changes = {
        "another number of rows": [("$rows = 3", "$rows = 4")],
        "one more argument": [("sign($size = 1)", "sign($size = 1, $more = 2)")],
        "another text": [("Sign of", "The sign of")],
        "a new method": [("        public $rows", f"        {LAMP}\n\n        public $rows")],
        "a new method that is called": [
            ("        public $rows", f"        {LAMP}\n\n        public $rows"),
            (greets, f"{greets}\n    (new Tide_Board())->lamp();"),
        ],
        "the class is called otherwise": [("Tide_Board", "Tide_Sign")],
        "no guard": [
            ("if (!class_exists('Tide_Board'))", "if (true)"),
            ("if (!class_exists('Tide_Sign'))", "if (true)"),
        ],
        "final": [("public function sign", "final public function sign")],
        "a final class": [("class Harbour", "final class Harbour")],
        "the method is gone": [
            (HARBOUR[HARBOUR.index("    /** The sign") : HARBOUR.index("    public function moor")], "")
        ],
        "the class is gone": [(HARBOUR, "")],
        "abstract": [(MOOR, "    abstract public function moor();"), ("class Harbour", "abstract class Harbour")],
    }
    for name in rng.sample(list(changes), rng.randint(1, 2)):
        for old, new in changes[name]:
            text = text.replace(old, new)
    return text
