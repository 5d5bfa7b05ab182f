"""Findings that no other test plants: each with what brings it about."""

from __future__ import annotations

import json
import os
import shutil
import unittest
from pathlib import Path

from tests.support import BenchCase, theme


class FindingsTest(BenchCase):
    types_steps = True

    def test_a_theme_that_somebody_updated(self) -> None:
        self.started({"pages/home.html": "one\n"})
        self.parent({"pages/home.html": "two\n"}, "1.1.0")
        finding = next(f for f in self.check()["gull"]["findings"] if f["code"] == "updated-elsewhere")
        self.assertEqual((finding["weight"], finding["next"]), ("note", "protypon update pier"))

    def test_a_child_without_a_ledger(self) -> None:
        self.started({"pages/home.html": "one\n"})
        self.put("themes/tern/quay.toml", theme("tern", parent="pier"))
        table = json.loads(self.ok("check", "--format", "json"))
        self.assertEqual(
            [(row["theme"], row["code"], row["next"]) for row in table["without_ledger"]],
            [("tern", "no-ledger", "protypon adopt tern")],
        )
        self.assertIn("protypon adopt tern", self.ok("check"))

    def test_what_a_survey_finds(self) -> None:
        folder = self.root / "download"
        for name in ("one", "two"):
            self.put(f"{name}/quay.toml", theme("pier"), folder)
        os.mkfifo(folder / "one" / "pipe")
        table = json.loads(self.ok("survey", "--platform", "quayside", str(folder), "--format", "json"))
        self.assertLessEqual({"slug-twice", "not-a-file"}, {finding["code"] for finding in table["findings"]})

    def test_an_address_that_only_the_site_can_have(self) -> None:
        self.put("themes/reef/theme.conf", "[theme]\ninherit = basic\nstylesheet = reef.css\n")
        self.put("themes/reef/static/reef.css", "a { color: red }\n")
        self.ok("init", "--platform", "sphinx")
        self.ok("new", "shoal", "--parent", "reef")
        own = next(Path(self.bench / "themes/shoal/static").rglob("*.css"))
        own.write_text("a { background: url(../_images/tide.png) }\n")
        self.assertIn("from-elsewhere", self.codes("shoal"))

    @unittest.skipUnless(shutil.which("php"), "there is no PHP here")
    def test_classes_that_do_not_fit(self) -> None:
        for code, said in (
            ("does-not-fit", "interface Lamp { function oil(); }\nclass Tower implements Lamp { }\n"),
            ("is-final", "final class Lamp { }\nclass Tower extends Lamp { }\n"),
        ):
            with self.subTest(code=code):
                shutil.rmtree(self.bench)
                self.bench.mkdir()
                self.put("themes/reef/hedgerow.yaml", "title: Reef\nrelease: '1.0.0'\ngrown_on: rootstock\n")
                self.put("themes/reef/grove.php", "<?php\n")
                self.ok("init", "--platform", "hedgerow")
                self.ok("new", "shoal", "--parent", "reef")
                self.put("themes/shoal/grove.php", "<?php\n" + said)
                self.assertIn(code, self.codes("shoal"))
