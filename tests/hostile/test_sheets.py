"""Sheets that are meant to harm: long, deep, in circles, growing; every command ends soon, with one clear line."""

from __future__ import annotations

import os
import unittest

from tests.support import BenchCase

SITE = "ul { color: green }\n.lamp { gap: 1px }\n"
UNIT = "rule:styles/site.css#.lamp"
SHEETS = {
    "nested blocks": "a{" * 1000 + "}" * 1000,
    "open blocks": "a{" * 3000,
    "growing selectors": ".a{&,&{" * 300,
    "growing twice": ":is(&,&){" * 300,
    "a circle of imports": '@import "gull.css"; @import "../styles/./gull.css";' * 200,
    "a long selector": ".x" * 60_000 + "{color:red}",
    "a deep selector": ":not(" * 500 + "a" + ")" * 500 + "{color:red}",
    "many selectors": ".x" + ",.x" * 10_000 + "{color:red}",
    "many declarations": ".x{" + "color:red;" * 30_000 + "}",
    "one line of five million letters": ".x{color:red}" * 400_000,
    "nothing that is read": "\0\ufffd}}}{{ @media ((((( [[[ :::",
    "comments without end": "/*" * 50_000,
    "texts without end": '.a{content:"' * 3000,
}


def _spent() -> float:
    """Seconds that the commands so far have computed, however busy the machine is."""
    times = os.times()
    return times.children_user + times.children_system


class SheetsTest(BenchCase):
    def begun(self) -> None:
        manifest = '[theme]\nslug = "pier"\ntitle = "Pier"\nrelease = "1.0.0"\n\n[sheets]\nsite = ["styles/site.css"]\n'
        self.parent({"quay.toml": manifest, "styles/site.css": SITE, "pages/home.html": '<p class="lamp">x</p>\n'})
        self.ok("init", "--platform", "quayside")
        self.ok("new", "gull", "--parent", "pier")

    def test_a_childs_sheet_stops_nothing_and_is_left_as_it_is_where_it_can_not_be_changed(self) -> None:
        self.begun()
        for name, text in SHEETS.items():
            with self.subTest(name):
                self.put("themes/gull/styles/gull.css", text)
                start = _spent()
                self.check()
                self.ok("explain", "--styles")
                self.ok("explain", "style:styles/gull.css")
                done = self.run_command("override", UNIT, "--set", "gap=2px")
                self.assertIn(done.returncode, (0, 3), done.stderr)
                self.assertNotIn("unexpected", done.stderr)
                now = self.read("themes/gull/styles/gull.css").decode()
                if done.returncode:
                    self.assertIn("styles/gull.css", done.stderr)
                    self.assertEqual(now, text)
                else:
                    self.assertTrue(now.startswith(text.rstrip()))
                    self.ok("drop", UNIT)
                    self.assertEqual(self.read("themes/gull/styles/gull.css").decode().rstrip(), text.rstrip())
                self.assertLess(_spent() - start, 60)

    def test_a_parents_sheet_does_not_either(self) -> None:
        self.begun()
        for name, text in SHEETS.items():
            with self.subTest(name):
                self.put("themes/pier/styles/site.css", text)
                self.check()
                done = self.run_command("override", UNIT, "--set", "gap=2px")
                self.assertIn(done.returncode, (0, 2, 3), done.stderr)
                self.assertNotIn("unexpected", done.stderr)
                if done.returncode == 0:
                    self.ok("undo")


if __name__ == "__main__":
    unittest.main()
