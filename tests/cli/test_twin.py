"""twin, and new from a starter: a theme under another name, wherever it stands; one old name left is found and mended."""

from __future__ import annotations

import json
import shutil
import zipfile
from pathlib import Path

from protypon.standin.quayside import QuaysideSite
from tests.support import BenchCase, state, theme

CODE = '''"""Lantern Rock: what its pages say besides."""

import quay

LANTERN_ROCK_STEPS = 96


@quay.on("page-end", order=30)
def lantern_rock_line():
    """Of lantern-rock; see https://lantern-rock.example and mail keeper@lantern-rock.example."""
    return f'<p class="lantern-rock-line">The lantern-rocks are {LANTERN_ROCK_STEPS} steps up at Lantern Rock</p>'


class LanternRockLamp:
    lanternRockOil = "no LanternRockery here"
'''


class TwinCase(BenchCase):
    def setUp(self) -> None:
        super().setUp()
        self.parent(
            {"pages/home.html": '<h1>Home</h1>{{ ring("page-end") }}\n', "parts/lantern-rock.html": "<p>Ours</p>\n"}
        )
        self.ok("init", "--platform", "quayside")
        self.ok("new", "lantern-rock", "--parent", "pier", "--set", "maker=Lantern Rock Museum")
        self.put("themes/lantern-rock/code/lantern-rock.py", CODE)
        self.put(
            "themes/lantern-rock/styles/lantern-rock.css",
            ".lantern-rock-line { color: red } .my-lantern-rock { color: blue }\n",
        )
        self.put("themes/lantern-rock/img/lantern-rock.png", b"\x89PNG\0lantern-rock")
        self.put("themes/lantern-rock/parts/lantern-rock.html", '<p class="lantern-rock-line">Lantern Rock</p>\n')
        self.put(
            "themes/lantern-rock/pages/home.html",
            '{% extends "parent:pages/home.html" %}\n{% include "parts/lantern-rock.html" %}\n',
        )


class TwinTest(TwinCase):
    def test_every_place_that_counts_is_renamed_and_no_other(self) -> None:
        before = state(self.bench / "themes" / "lantern-rock")
        said = self.ok("twin", "lantern-rock", "gull-point", "--set", "author=Gull Point Museum")
        self.assertEqual(state(self.bench / "themes" / "lantern-rock"), before)
        self.assertIn("no old name is left where one counts", said)
        self.assertIn("it does what lantern-rock does", said)
        code = self.read("themes/gull-point/code/gull-point.py").decode()
        for words in (
            "Gull Point: what", "GULL_POINT_STEPS = 96", "def gull_point_line", '<p class="gull-point-line">', "class GullPointLamp", "gullPointOil",
            "at Gull Point</p>", "https://lantern-rock.example", "keeper@lantern-rock.example", "The lantern-rocks are", "no LanternRockery here",
        ):  # fmt: skip
            self.assertIn(words, code)
        sheet = self.read("themes/gull-point/styles/gull-point.css").decode()
        self.assertEqual(sheet, ".gull-point-line { color: red } .my-lantern-rock { color: blue }\n")
        self.assertIn("my-lantern-rock", said)  # told, and left
        manifest = self.read("themes/gull-point/quay.toml").decode()
        for words in (
            'slug = "gull-point"',
            'title = "Gull Point"',
            'maker = "Gull Point Museum"',
            '"styles/gull-point.css"',
            'parent = "pier"',
        ):
            self.assertIn(words, manifest)
        self.assertEqual(self.read("themes/gull-point/img/gull-point.png"), b"\x89PNG\0lantern-rock")
        self.assertIn('made_from = "lantern-rock"', self.read("themes/gull-point/overrides.toml").decode())

    def test_what_a_parent_has_keeps_its_name(self) -> None:
        self.ok("twin", "lantern-rock", "gull-point")
        self.assertIn(b'"parts/lantern-rock.html"', self.read("themes/gull-point/pages/home.html"))
        self.assertTrue((self.bench / "themes/gull-point/parts/lantern-rock.html").exists())

    def test_the_twin_is_checked_like_its_original(self) -> None:
        self.ok("override", "pages/home.html", status=3)
        self.ok("adopt", "lantern-rock")
        self.ok("twin", "lantern-rock", "gull-point")
        self.assertEqual(self.verdicts("gull-point"), self.verdicts("lantern-rock"))
        self.assertNotIn("old-name", self.codes("gull-point"))

    def test_one_old_name_left_is_a_finding_and_is_mended(self) -> None:
        self.ok("twin", "lantern-rock", "gull-point")
        for path, new, old in (
            ("code/gull-point.py", b"def gull_point_line", b"def lantern_rock_line"),
            ("styles/gull-point.css", b".gull-point-line", b".lantern-rock-line"),
            ("quay.toml", b"styles/gull-point.css", b"styles/lantern-rock.css"),
        ):
            with self.subTest(path=path):
                self.edit(f"themes/gull-point/{path}", new, old)
                self.assertIn("old-name", self.codes("gull-point"))
                self.ok("mend", "old-name", "--child", "gull-point")
                self.assertNotIn("old-name", self.codes("gull-point"))
                self.assertIn(new, self.read(f"themes/gull-point/{path}"))

    def test_a_theme_that_somebody_duplicated_by_hand(self) -> None:
        shutil.copytree(self.bench / "themes/lantern-rock", self.bench / "themes/skerry")
        (self.bench / "themes/skerry/overrides.toml").write_text('format = "protypon.ledger/1"\n')
        for number in range(3):
            for slug in ("lantern-rock", "skerry"):
                self.put(f"themes/{slug}/img/picture-{number}.svg", f"<svg>{number}</svg>")
        self.edit("themes/skerry/quay.toml", b'"lantern-rock"', b'"skerry"')
        self.assertIn("old-name", self.codes("skerry"))

    def test_bad_input(self) -> None:
        self.refused("twin", "lantern-rock", "Gull Point", status=2)
        self.refused("twin", "lantern-rock", "pier")
        self.refused("twin", "nobody", "gull", status=2)
        self.refused("twin", "lantern-rock", "gull", "--set", "colour=red", status=2)
        self.put("themes/gull/x.txt", "taken")
        self.refused("twin", "lantern-rock", "gull")

    def test_dry_run_writes_nothing_and_undo_takes_it_back(self) -> None:
        before = state(self.bench, ".protypon")
        said = self.ok("twin", "lantern-rock", "gull-point", "--dry-run", "--title", "Gull Point")
        self.assertIn("next: protypon twin lantern-rock gull-point --title 'Gull Point'\n", said)
        self.assertEqual(state(self.bench, ".protypon"), before)
        self.ok("twin", "lantern-rock", "gull-point")
        self.ok("undo")
        self.assertEqual(state(self.bench, ".protypon"), before)


class StarterTest(TwinCase):
    def starter(self) -> Path:
        """A starter with a ledger of its own, in an archive."""
        folder = self.root / "starter"
        files = {
            "quay.toml": theme("beacon-kit", parent="pier"), "code/beacon-kit.py": "import quay\n\n\ndef beacon_kit_help():\n    return 1\n",
            "pages/home.html": '<h1>Beacon Kit</h1>{{ ring("page-end") }}\n',
        }  # fmt: skip
        for path, text in files.items():
            self.put(path, text, folder)
        archive = self.root / "beacon-kit.zip"
        with zipfile.ZipFile(archive, "w") as made:
            for path in files:
                made.write(folder / path, f"beacon-kit/{path}")
        return archive

    def test_what_it_copies_has_a_record_at_once(self) -> None:
        self.ok("new", "tern", "--parent", "pier", "--starter", str(self.starter()))
        self.assertIn(b"def tern_help", self.read("themes/tern/code/tern.py"))
        self.assertIn(b"<h1>Tern</h1>", self.read("themes/tern/pages/home.html"))
        row = self.row("tern", "template:pages/home.html")
        self.assertTrue(row["listed"])
        self.assertEqual(row["verdict"], "holds")

    def test_a_starter_inside_its_parent_brings_its_ledger(self) -> None:
        self.ok("adopt", "lantern-rock")
        shutil.copytree(self.bench / "themes/lantern-rock", self.bench / "themes/pier/starter")
        self.ok("new", "tern", "--parent", "pier", "--starter", str(self.bench / "themes/pier/starter"))
        units = {row["unit"] for row in self.check()["tern"]["overrides"] if row["listed"]}
        self.assertIn("template:parts/lantern-rock.html", units)


class FirstRunTest(BenchCase):
    def laid_out(self) -> None:
        self.parent({"pages/home.html": "<p>Home</p>\n"})
        self.put("themes/gull/quay.toml", theme("gull", parent="pier"))
        self.put("themes/gull/pages/home.html", "<p>Gull</p>\n")

    def test_every_command_says_how_to_start(self) -> None:
        self.laid_out()
        for command in (
            ["check"],
            ["new", "x"],
            ["find", "Home"],
            ["override", "x"],
            ["update", "pier"],
            ["rescue", "pier"],
            ["undo"],
        ):
            with self.subTest(command=command):
                said = self.refused(*command, status=2)
                self.assertIn("2 themes of Quayside lie here; start one around them with: protypon init", said)
                self.assertEqual(len(said.splitlines()), 2)

    def test_the_platform_is_guessed(self) -> None:
        self.laid_out()
        done = self.run_command("survey", "--format", "json")
        self.assertEqual(json.loads(done.stdout)["platform"], "quayside")
        self.assertIn("taken for themes of Quayside", done.stderr)
        said = self.ok("init")
        self.assertIn("as the themes here are", said)
        self.assertIn("protypon adopt gull", said)
        self.assertIn("if gull is yours, made by hand: protypon adopt gull\n", said)
        self.assertIn("to build on it: protypon new SLUG --parent gull", said)

    def test_a_folder_without_themes_is_not_guessed(self) -> None:
        self.put("notes.txt", "nothing")
        self.refused("init", status=2)
        self.refused("survey", status=2)

    def test_usual_words_for_fields(self) -> None:
        self.laid_out()
        self.ok("init")
        self.ok(
            "new",
            "tern",
            "--parent",
            "pier",
            "--set",
            "author=Tern Museum",
            "--set",
            "Description=Small",
            "--set",
            "keywords=sea, birds",
        )
        manifest = self.read("themes/tern/quay.toml").decode()
        for words in ('maker = "Tern Museum"', 'summary = "Small"', 'tags = ["sea", "birds"]'):
            self.assertIn(words, manifest)
        self.assertIn("who makes it", self.ok("new", "--fields"))
        self.refused("new", "auk", status=2)
        self.refused("new", status=2)


class MisnamedParentTest(BenchCase):
    def test_a_parent_in_the_wrong_case_is_mended_before_there_is_a_ledger(self) -> None:
        for name, code in (("Pier", "parent-wrong-case"), ("The Pier", "parent-by-title")):
            with self.subTest(name=name):
                shutil.rmtree(self.bench)
                self.bench.mkdir()
                self.parent({"pages/home.html": "<p>Home</p>\n"}, title="The Pier")
                self.put("themes/gull/quay.toml", theme("gull", parent=name))
                self.put("themes/gull/pages/home.html", "<p>Gull</p>\n")
                self.ok("init", "--platform", "quayside")
                loose = json.loads(self.ok("check", "--format", "json", status=1))["without_ledger"]
                self.assertEqual(
                    [(row["theme"], row["code"], row["weight"]) for row in loose], [("gull", code, "fatal")]
                )
                self.assertIn(f"protypon mend {code} --child gull", self.refused("adopt", "gull"))
                self.ok("mend", code, "--child", "gull")
                self.ok("adopt", "gull")
                self.assertEqual(self.verdicts("gull"), {"template:pages/home.html": "holds"})
                site = QuaysideSite(self.bench / "themes", "gull")
                self.assertEqual([t.slug for t in site.lineage], ["gull", "pier"])


class DeadEndsTest(BenchCase):
    def test_the_other_half_is_taken_off_too(self) -> None:
        code = "import quay\n\n\n@quay.on('top', order=1)\ndef opens():\n    return '<div>'\n\n\n@quay.on('top', order=9)\ndef closes():\n    return '</div>'\n"
        self.started({"pages/home.html": '{{ ring("top") }}<p>x</p>\n', "code/pier.py": code})
        self.ok("override", "hook:top#opens", "--detach")
        finding = next(f for f in self.check()["gull"]["findings"] if f["code"] == "out-of-balance")
        self.assertEqual(finding["next"], "protypon override 'hook:top#closes' --detach --child gull")
        self.ok("override", "hook:top#closes", "--detach")
        self.assertNotIn("out-of-balance", self.codes("gull"))

    def test_what_is_not_inherited_is_brought_back(self) -> None:
        self.started({"thumbnail.png": b"\x89PNG\0", "pages/home.html": "x"})
        self.assertNotIn("not-inherited", self.codes("gull"))
        (self.bench / "themes/gull/thumbnail.png").unlink()
        self.assertIn("not-inherited", self.codes("gull"))
        self.ok("mend", "not-inherited")
        self.assertEqual(self.read("themes/gull/thumbnail.png"), b"\x89PNG\0")
        self.assertNotIn("not-inherited", self.codes("gull"))
