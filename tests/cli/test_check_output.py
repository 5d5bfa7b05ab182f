"""What a check prints for people: several children, what they share, one next step a group, one line an override."""

from __future__ import annotations

import re
import unittest
from collections import Counter

from tests.support import BenchCase

FILES: dict[str, str | bytes] = {
    "pages/home.html": '{% include "parts/head.html" %}\n{% include "parts/foot.html" %}\n',
    "parts/foot.html": "<p>one</p>\n<p>two</p>\n<p>three</p>\n",
    "parts/head.html": "<h1>head</h1>\n<p>below</p>\n",
    "settings.json": '{"cards": 6, "rows": 2}\n',
}
CHILDREN = ("auk", "brant", "curlew", "dunlin")


class OutputTest(BenchCase):
    def setUp(self) -> None:
        super().setUp()
        self.parent(FILES)
        self.ok("init", "--platform", "quayside")
        for child in CHILDREN:
            self.ok("new", child, "--parent", "pier")
            self.ok("override", "foot", "head", "--child", child)
            self.edit(f"themes/{child}/parts/foot.html", b"two", child.encode())
        self.edit("themes/dunlin/parts/foot.html", b"dunlin", b"two")

    def next_release(self) -> str:
        changed: dict[str, str | bytes] = {**FILES, "parts/foot.html": "<p>one</p>\n<p>2</p>\n<p>three</p>\n"}
        self.parent(changed, release="2.0.0", root=self.root / "new")
        return str(self.root / "new")

    def test_several_children_begin_with_what_they_share_and_end_with_a_total(self) -> None:
        said = self.ok("check", "--against", self.next_release(), status=1)
        lines = said.splitlines()
        self.assertEqual(lines[0], "4 children, by the heaviest that is said of each")
        self.assertRegex(lines[1], r"^  conflicted  3  both changed the same place: auk, brant, curlew$")
        self.assertRegex(lines[2], r"^  drifted     1  .*: dunlin$")
        self.assertIn("  3 children: conflicted template:parts/foot.html", lines)
        self.assertEqual(lines[-1], "4 children, 8 overrides: 3 conflicted, 1 drifted, 4 holds")
        self.assertLess(said.index("3 children: conflicted"), said.index("\nauk < pier"))

    def test_a_child_of_which_all_holds_is_one_line(self) -> None:
        said = self.ok("check")
        self.assertEqual(len([line for line in said.splitlines() if re.match(r"(auk|brant|curlew|dunlin) <", line)]), 4)
        self.assertIn("dunlin < pier 1.0.0: 2 overrides hold", said)

    def test_a_finding_about_the_parent_is_said_once_for_all_its_children(self) -> None:
        self.edit("themes/pier/parts/head.html", b"below", b"above")
        said = self.ok("check", status=1)
        self.assertEqual(said.count("edited in the parent's own folder"), 1)
        self.assertEqual(said.count("next: protypon rescue pier"), 1)
        self.assertIn("4 children: edited-parent (error)", said)

    def test_a_next_step_that_several_share_stands_once_behind_them_and_so_does_a_reason(self) -> None:
        self.ok(
            "override", "setting:settings.json#cards", "setting:settings.json#rows", "--value", "9", "--child", "auk"
        )
        self.edit("themes/auk/settings.json", b"}", b",}")
        said = self.ok("check", "auk", status=1)
        self.assertEqual(said.count("can't be read key by key"), 1)
        self.assertIn("unknown     setting:settings.json#cards\n  unknown     setting:settings.json#rows\n", said)
        self.assertRegex(said, r"next: \$\{EDITOR:-vi\} themes/auk/settings\.json\n")
        steps = Counter(re.findall(r"next: .*", self.ok("check", "auk", "--against", self.next_release(), status=1)))
        self.assertEqual([step for step, times in steps.items() if times > 1 and "update" in step], [])

    def test_an_unedited_copy_holds_and_says_so_without_a_step(self) -> None:
        said = self.ok("check", "dunlin")
        words = " ".join(said.split())
        self.assertIn(
            "2 overrides as pier 1.0.0 has it, not yet edited: template:parts/foot.html, template:parts/head", words
        )
        self.assertEqual(said.count("template:parts/head.html"), 1)
        self.assertNotIn("next:", said)

    def test_brief_is_one_line_an_override_and_a_finding(self) -> None:
        (self.bench / "themes/auk/parts/head.html").unlink()
        report = self.check()
        rows = [row for child in report.values() for row in (*child["overrides"], *child["findings"])]
        lines = self.ok("check", "--brief", status=1).splitlines()
        self.assertEqual(len(lines), len(rows) + 1)
        self.assertRegex(lines[0], r"^auk     missing  template:parts/head.html$")
        self.assertTrue(lines[-1].startswith("4 children, 8 overrides: 1 missing, 7 holds"))
        self.refused("check", "--brief", "--format", "json", status=2)


if __name__ == "__main__":
    unittest.main()
