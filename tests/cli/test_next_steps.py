"""Every next step that a check names is a command that works when it is typed, as it stands, in the bench that it was named in."""

from __future__ import annotations

import json
import shlex
import shutil
import unittest
from typing import Any

from protypon.demo import story
from tests.support import BenchCase

PHP = unittest.skipUnless(shutil.which("php"), "there is no PHP interpreter here")


class NextStepTest(BenchCase):
    types_steps = True

    def type_them(self, *check: str) -> dict[str, int]:
        """Type each next step of a check in a copy of the bench; how often each command was named."""
        report = json.loads(self.run_command("check", "--format", "json", *check).stdout)
        rows = [row for child in report["children"] for row in (*child["overrides"], *child["findings"])]
        return self.type_all(rows)

    def type_all(self, rows: list[dict[str, Any]]) -> dict[str, int]:
        """Type the next step of each row in a copy of the bench."""
        steps = sorted({row["next"] for row in rows if row["next"]})
        seen: dict[str, int] = {}
        for step in steps:
            with self.subTest(step=step):
                words = shlex.split(step)
                self.assertIn(words[0], ("protypon", "${EDITOR:-vi}"))
                if words[0] != "protypon":
                    self.assertTrue((self.bench / words[1]).is_file(), step)
                    continue
                seen[words[1]] = seen.get(words[1], 0) + 1
                copy = self.root / "copy"
                shutil.rmtree(copy, ignore_errors=True)
                shutil.copytree(self.bench, copy, symlinks=True)
                done = self.run_command(*words[1:], cwd=copy)
                self.assertIn(done.returncode, (0, 1), f"{step}\n{done.stdout}{done.stderr}")
        return seen

    def lay(self, platform: str) -> None:
        shutil.rmtree(self.bench)
        self.ok("demo", "--platform", platform, str(self.bench), cwd=self.root)

    def test_of_the_story_before_and_after_the_update(self) -> None:
        self.lay("quayside")
        self.assertLessEqual({"settle", "adopt", "mend", "lighten"}, set(self.type_them()))
        shutil.rmtree(self.bench)
        self.bench.mkdir()
        story.lay_out(self.bench)
        for step in story.STORY:
            if isinstance(step, story.Type):
                if "breakwater-2.0.0" in step.line:
                    break
                self.run_command(*step.arguments)
            elif isinstance(step, story.Act):
                step.act(self.bench)
        self.assertLessEqual({"update", "drop"}, set(self.type_them("--against", "downloads/breakwater-2.0.0.zip")))
        told = json.loads(self.ok("update", "breakwater", "--to", "downloads/breakwater-2.0.0.zip", "--format", "json"))
        rows = [row for child in told["children"] for row in child["overrides"]]
        self.assertLessEqual({"update", "drop", "settle", "adopt"}, set(self.type_all(rows)))

    @PHP
    def test_of_what_a_new_release_does_to_code(self) -> None:
        for platform, slug in (("millrace", "weir"), ("hedgerow", "coast"), ("kiln", "glazier")):
            with self.subTest(platform=platform):
                self.lay(platform)
                self.ok("undo")
                self.ok("undo")
                self.type_them()
                self.type_them("--against", f"downloads/{slug}-2.0.0")
                shutil.rmtree(self.bench / "themes" / slug)
                found = next((self.bench / "downloads" / f"{slug}-2.0.0").iterdir())
                shutil.copytree(found, self.bench / "themes" / slug)
                self.type_them()

    @PHP
    def test_of_mistakes_in_code(self) -> None:
        self.put("themes/coast/hedgerow.yaml", "title: Coast\nrelease: 1\ngrown_on: rootstock\n")
        self.put(
            "themes/coast/leaves/page.php",
            "<?php hedgerow_shake('gate', 1); hedgerow_ripen('title', 'x'); hedgerow_show_bed('aside'); ?>\n",
        )
        self.put(
            "themes/coast/grove.php",
            "<?php\nfunction coast_a($v) {\n    echo '<div>';\n}\nhedgerow_graft('gate', 'coast_a', 5);\n",
        )
        self.put("themes/cove/hedgerow.yaml", "title: Cove\nrelease: 1\ngrown_on: coast\n")
        self.put(
            "themes/cove/grove.php",
            "<?php\nhedgerow_prune('gate', 'coast_a', 7);\nhedgerow_prune('gates', 'coast_b', 7);\nhedgerow_graft('gat', 'cove_b');\n"
            "hedgerow_graft('gate', 'cove_missing');\nfunction cove_b($a, $b, $c) {\n}\nhedgerow_graft('title', 'cove_b');\nfunction cove_unused() {\n}\n"
            "hedgerow_bed('nowhere');\n",
        )
        self.ok("init", "--platform", "hedgerow")
        self.ok("adopt", "cove")
        seen = self.type_them()
        self.assertIn("mend", seen)
        self.ok("mend")
        self.assertLessEqual(self.codes("cove").count("detaches-nothing"), 1)


if __name__ == "__main__":
    unittest.main()
