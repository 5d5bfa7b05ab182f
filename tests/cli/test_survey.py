"""survey and the demo's story."""

from __future__ import annotations

import json
import re
import unittest
from typing import Any

from protypon.core.check.weights import VERDICTS
from tests.support import BenchCase, theme


class SurveyTest(BenchCase):
    def survey(self, *arguments: str) -> dict[str, Any]:
        found: dict[str, Any] = json.loads(self.ok("survey", "--platform", "quayside", "--format", "json", *arguments))
        return found

    def codes_of(self, table: dict[str, Any]) -> list[tuple[str, str]]:
        return sorted((f["code"], f["theme"]) for f in table["findings"])

    def test_a_download_with_several_themes(self) -> None:
        put = lambda path, text: self.put(path, text, self.root / "download")  # noqa: E731
        put("docs/readme.txt", "docs")
        put("themes/reef/quay.toml", theme("reef", title="The Great Reef", tags=["base"]))
        put("themes/reef/parts/a.html", "a")
        put("themes/reef/starter/quay.toml", theme("reef-starter", "reef"))
        put("themes/reef-lite/quay.toml", theme("reef-lite", "reef", summary="The lighter edition"))
        put("themes/shore/quay.toml", theme("shore", "The Great Reef"))
        put("themes/dune/quay.toml", theme("dune", "REEF"))
        put("themes/lost/quay.toml", theme("lost", "nowhere"))
        put("themes/Bad Slug/quay.toml", theme("Bad Slug"))
        put("themes/round/quay.toml", theme("round", "round"))
        put("themes/broken/quay.toml", '[theme]\nslug = "broken"\ntitle = \n')
        put("themes/more.zip", "PK")
        table = self.survey(str(self.root / "download"))
        themes = {t["slug"]: t for t in table["themes"]}
        self.assertEqual(themes["reef-starter"]["lineage"], ["reef-starter", "reef"])
        roles = {slug: [r["role"] for r in t["roles"]] for slug, t in themes.items() if t["roles"]}
        self.assertEqual(roles, {"reef": ["base"], "reef-starter": ["starter"], "reef-lite": ["lighter edition"]})
        self.assertEqual(themes["reef"]["units"], {"template": 1})
        wanted = {
            ("inside-parent", "reef-starter"), ("parent-by-title", "shore"), ("parent-wrong-case", "dune"), ("parent-missing", "lost"),
            ("slug-rule", "Bad Slug"), ("lineage-loop", "round"), ("manifest-broken", "broken"), ("archive-inside", ""), ("folder-name", "reef-starter"),
        }  # fmt: skip
        self.assertEqual(wanted - set(self.codes_of(table)), set())
        broken = next(f for f in table["findings"] if f["code"] == "manifest-broken" and f["line"])
        self.assertIn("themes/broken/quay.toml line 3 column", broken["because"])

    def test_a_folder_above_the_theme_and_one_without_any(self) -> None:
        self.put("outer/reef/quay.toml", theme("reef"), self.root)
        self.assertEqual(self.codes_of(self.survey(str(self.root / "outer"))), [("folder-above", "reef")])
        (self.root / "none").mkdir()
        self.assertEqual(self.codes_of(self.survey(str(self.root / "none"))), [("no-theme", "")])

    def test_text_fits_a_hundred_columns_and_units_have_addresses(self) -> None:
        self.put("reef/quay.toml", theme("reef", summary="words " * 60), self.root)
        self.put("reef/parts/a b.html", "x", self.root)
        said = self.ok("survey", "--platform", "quayside", "--units", str(self.root / "reef"))
        self.assertLessEqual(max(map(len, said.splitlines())), 100 + len(str(self.root)))
        self.assertIn("template:parts/a b.html", said)


class DemoTest(BenchCase):
    def test_the_story_is_played_and_shows_every_verdict(self) -> None:
        said = self.ok("demo", str(self.root / "demo"))
        for verdict in VERDICTS:
            self.assertRegex(said, rf"(?m)^  {verdict} ", verdict)
        long = [
            line for line in said.splitlines() if len(line) > 100 and not re.match(r"\$|#| +(next|look):|cd ", line)
        ]
        self.assertEqual(long, [])
        self.ok("check", cwd=self.root / "demo", status=1)
        self.refused("demo", str(self.root / "demo"))

    def test_the_stories_of_the_php_platforms_are_played(self) -> None:
        wanted = {
            "millrace": "attaches weir_greeting with order 30, yours says 20",
            "hedgerow": "declares coast_hours, and so does coast/grove.php",
            "kiln": "there is slipware_credit at that point",
        }
        for name, words in wanted.items():
            said = self.ok("demo", "--platform", name, str(self.root / name))
            self.assertIn(words, " ".join(said.split()))
            long = [
                line for line in said.splitlines() if len(line) > 100 and not re.match(r"\$|#| +(next|look):|cd ", line)
            ]
            self.assertEqual(long, [])
            parent = {"millrace": "weir", "hedgerow": "pebble", "kiln": "glazier"}[name]
            self.ok("new", "otter", "--parent", parent, cwd=self.root / name)
            self.ok("check", "otter", cwd=self.root / name)
            self.ok("pack", "otter", cwd=self.root / name)

    def test_every_next_step_of_the_story_can_be_typed(self) -> None:
        """Each ``next:`` of the demo's first check is a command that works on the bench as it stands."""
        from protypon.cli.main import cli

        said = self.ok("demo", str(self.root / "demo"))
        commands = set(re.findall(r"next: protypon ([a-z]+)", said))
        self.assertLessEqual(commands, set(cli.list_commands(None)))  # type: ignore[attr-defined]
        self.assertGreater(len(commands), 5)

    def test_help_has_an_example_for_every_command(self) -> None:
        from protypon.cli.main import COMMANDS

        for name in COMMANDS:
            said = self.ok(name, "--help")
            self.assertLessEqual(max(map(len, said.splitlines())), 100, name)
            if name != "platform":
                self.assertIn(f"protypon {name}", said.split("Options:")[-1] if name != "demo" else said, name)


if __name__ == "__main__":
    unittest.main()
