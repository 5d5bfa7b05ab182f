"""Starting from what lies about: archives of several themes, folders of other names, platform files, files laid key by key."""

from __future__ import annotations

import json
import shutil
import unittest
from typing import ClassVar

from tests.support import BenchCase, theme

SPHINX = {
    "theme.conf": "[theme]\ninherit = basic\n",
    "layout.html": "<p>{% block a %}a{% endblock %}</p>\n",
    "static/a.css": "a {}\n",
}


class KeepTest(BenchCase):
    def folder(self, where: str, **more: str) -> str:
        for path, text in {**SPHINX, **more}.items():
            self.put(f"{where}/{path}", text, self.root)
        return str(self.root / where)

    def kept(self) -> list[str]:
        rows = json.loads(self.read(".protypon/releases.json"))["releases"]
        return sorted(f"{row['theme']} {row['name']}" for row in rows if row["label"])

    def test_an_archive_of_several_themes_is_kept_in_one_go_with_its_release(self) -> None:
        self.folder("wheel/site/pier")
        self.folder("wheel/site/dune")
        archive = shutil.make_archive(str(self.root / "pier-2.5"), "zip", self.root / "wheel")
        self.ok("init", "--platform", "sphinx")
        self.ok("keep", archive)
        self.assertEqual(self.kept(), ["dune 2.5", "pier 2.5"])
        for slug in ("pier", "dune"):
            self.put(f"wheel/site/{slug}/static/a.css", "b {}", self.root)
        later = shutil.make_archive(str(self.root / "later"), "zip", self.root / "wheel")
        self.ok("keep", later, "--release", "3.0")
        self.assertEqual(self.kept(), ["dune 2.5", "dune 3.0", "pier 2.5", "pier 3.0"])

    def test_one_number_is_not_given_to_themes_that_state_another(self) -> None:
        for slug, release in (("pier", "1.0"), ("dune", "2.0")):
            self.put(f"shelf/{slug}/quay.toml", theme(slug, release=release), self.root)
        self.ok("init", "--platform", "quayside")
        said = self.refused("keep", str(self.root / "shelf"), "--release", "1.0")
        self.assertIn("dune says itself that it is 2.0", said)
        self.ok("keep", str(self.root / "shelf"))
        self.assertEqual(self.kept(), ["dune 2.0", "pier 1.0"])

    def test_a_folder_of_another_name_is_the_theme_whose_files_it_has(self) -> None:
        shutil.copytree(self.folder("pier"), self.bench / "themes/pier")
        self.ok("init", "--platform", "sphinx")
        copy = self.folder("copy of pier", **{"layout.html": "<p>older</p>\n"})
        said = self.ok("keep", copy, "--release", "0.9")
        self.assertIn("pier 0.9: kept", said)
        self.assertIn("its folder is called copy of pier", said)
        other = self.folder("other", **{f"{n}.html": "" for n in range(9)})
        self.ok("keep", other, "--release", "1.0")
        self.ok("keep", other, "--release", "1.1", "--theme", "pier")
        self.assertEqual(self.kept(), ["other 1.0", "pier 0.9", "pier 1.1"])

    def test_a_platform_file_is_looked_for_where_one_is_and_not_in_the_new_bench(self) -> None:
        self.put("mine.toml", 'format = "protypon.platform/1"\nname = "mine"\nlike = "quayside"\n', self.root)
        self.ok("init", "--platform", "mine.toml", "new", cwd=self.root)
        self.assertIn(b'platform = "../mine.toml"', (self.root / "new/protypon.toml").read_bytes())
        self.ok("-C", str(self.root), "init", "--platform", "mine.toml", "other")
        self.assertIn(b'platform = "../mine.toml"', (self.root / "other/protypon.toml").read_bytes())
        self.refused("init", "--platform", "nowhere.toml", "third", status=2)


class OverlayTest(BenchCase):
    PLATFORM = (
        'format = "protypon.platform/1"\nname = "mine"\nlike = "quayside"\n'
        'files = [{ kind = "setting", match = ["s.toml", "s.yaml", "s.json", "s.ini", "s.txt"], combine = "overlay" }]\n'
    )
    OLD: ClassVar[dict[str, str]] = {
        "s.toml": "[a]\ncards = 3\nwide = true\n",
        "s.yaml": "a:\n  cards: 3\n  wide: true\n",
        "s.json": '{"a": {"cards": 3, "wide": true}}\n',
        "s.ini": "[a]\ncards = 3\nwide = true\n",
        "s.txt": "a.cards 3\na.wide true\n",
    }
    OWN: ClassVar[dict[str, str]] = {
        "s.toml": "[a]\ncards = 9\n", "s.yaml": "a: {cards: 9}\n", "s.json": '{"a": {"cards": 9}}\n', "s.ini": "[a]\ncards = 9\n",
        "s.txt": "a.cards 9\n",
    }  # fmt: skip

    def setUp(self) -> None:
        super().setUp()
        self.put("mine.toml", self.PLATFORM)
        self.parent(dict(self.OLD))
        self.ok("init", "--platform", "mine.toml")
        self.ok("new", "gull", "--parent", "pier")
        for path, text in self.OWN.items():
            self.put(f"themes/gull/{path}", text)
        self.ok("adopt", "gull")

    def told(self, *change: str) -> dict[str, str]:
        old, new = change
        files = {path: text.replace(old, new).replace(old.title(), new) for path, text in self.OLD.items()}
        later = str(self.parent(dict(files), "2.0.0", root=self.root / new.replace(" ", "")))
        return {
            unit.partition(".")[2].partition("#")[0]: verdict
            for unit, verdict in self.verdicts("gull", "--against", later).items()
        }

    def test_a_key_that_is_set_and_changed_is_told_in_every_syntax(self) -> None:
        known = ("toml", "yaml", "json", "ini")
        self.assertEqual(self.told("3", "4"), {**dict.fromkeys(known, "drifted"), "txt": "unknown"})
        self.assertEqual(self.told("true", "false"), {**dict.fromkeys(known, "holds"), "txt": "unknown"})
        self.assertEqual(self.told("cards", "tiles"), {**dict.fromkeys(known, "moved"), "txt": "unknown"})
        row = self.row("gull", "setting:s.toml#a.cards", "--against", str(self.root / "4" / "pier"))
        self.assertEqual(row["parts"], ["a.cards"])

    def test_what_can_not_be_read_is_unknown_and_what_does_not_parse_is_said(self) -> None:
        self.put("themes/gull/s.yaml", "a: &b {cards: 9}\nc: *b\n")
        self.put("themes/gull/s.toml", "[a\ncards = 9\n")
        later = str(self.parent({p: t.replace("3", "4") for p, t in self.OLD.items()}, "2.0.0", root=self.root / "new"))
        told = self.verdicts("gull", "--against", later)
        self.assertEqual((told["setting:s.yaml#a.cards"], told["setting:s.toml#a.cards"]), ("unknown", "unknown"))
        for unit in ("setting:s.yaml#a.cards", "setting:s.toml#a.cards"):
            self.assertIn("can't be read key by key", self.row("gull", unit, "--against", later)["because"])
        self.assertIn("(line 1)", self.row("gull", "setting:s.toml#a.cards", "--against", later)["because"])


if __name__ == "__main__":
    unittest.main()
