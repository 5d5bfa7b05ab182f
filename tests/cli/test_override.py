"""override, drop, settle, new, mend, adopt and pack, as typed."""

from __future__ import annotations

import io
import json
import tarfile
import zipfile

from tests.support import BenchCase, digest, theme

PAGE = '<h1>Pier</h1>\n{% include "parts/foot.html" %}\n'
FILES: dict[str, str | bytes] = {
    "pages/home.html": PAGE,
    "parts/foot.html": "<p>one</p>\n<p>two</p>\n",
    "img/a.png": b"\x89PNG\0\1",
}


class OverrideTest(BenchCase):
    def test_a_copy_is_byte_for_byte_and_recorded(self) -> None:
        odd = "café\r\nno last newline".encode("latin-1")
        self.started({**FILES, "parts/odd.html": odd}, "parts/odd.html", "img/a.png")
        self.assertEqual(self.read("themes/gull/parts/odd.html"), odd)
        self.assertEqual(self.read("themes/gull/img/a.png"), FILES["img/a.png"])
        ledger = self.read("themes/gull/overrides.toml").decode()
        self.assertIn(f'digest = "{digest(odd)}"', ledger)
        self.assertIn('release = "1.0.0"', ledger)

    def test_run_bits_survive(self) -> None:
        self.parent(FILES)
        (self.bench / "themes/pier/parts/foot.html").chmod(0o755)
        self.ok("init", "--platform", "quayside")
        self.ok("new", "gull", "--parent", "pier")
        self.ok("override", "foot")
        self.assertTrue((self.bench / "themes/gull/parts/foot.html").stat().st_mode & 0o100)

    def test_names_are_found_by_address_path_and_name(self) -> None:
        self.started(FILES)
        for name in ("template:parts/foot.html", "parts/foot.html", "foot.html", "foot"):
            self.ok("override", name)
            self.ok("drop", name)
        self.assertIn("did you mean template:parts/foot.html", self.refused("override", "parts/foots.html", status=2))
        self.parent({**FILES, "pages/foot.html": "x"})
        message = self.refused("override", "foot", status=2)
        self.assertIn("template:pages/foot.html, template:parts/foot.html", message)

    def test_nothing_is_overwritten(self) -> None:
        self.started(FILES, "foot")
        self.edit("themes/gull/parts/foot.html", b"one", b"mine")
        self.assertIn("nothing was overwritten", self.refused("override", "foot"))
        (self.bench / "themes/pier-2").mkdir()
        self.assertIn("nothing was overwritten", self.refused("new", "pier-2", "--parent", "pier"))

    def test_from_a_further_ancestor_stays_with_it(self) -> None:
        self.parent({"parts/foot.html": "<p>base</p>\n"}, slug="base")
        self.parent(FILES, parent="base")
        self.ok("init", "--platform", "quayside")
        self.ok("new", "gull", "--parent", "pier")
        said = self.ok("override", "parts/foot.html", "--from", "base")
        self.assertIn("pier, which is nearer, overrides it too", said)
        self.assertEqual(self.read("themes/gull/parts/foot.html"), b"<p>base</p>\n")
        self.parent({**FILES, "parts/foot.html": "<p>changed</p>\n"}, parent="base", release="1.1.0")
        row = self.row("gull", "template:parts/foot.html")
        self.assertEqual((row["verdict"], row["from"]), ("holds", "base"))
        self.edit("themes/gull/parts/foot.html", b"base", b"mine")
        self.parent({"parts/foot.html": "<p>base</p>\n<p>more</p>\n"}, slug="base", release="1.1.0")
        self.assertEqual(self.row("gull", "template:parts/foot.html")["source"], "changed")
        self.refused("override", "pages/home.html", "--from", "nobody", status=2)

    def test_code_that_is_loaded_from_every_theme_is_not_copied(self) -> None:
        self.started({**FILES, "code/hours.py": "x = 1\n"})
        self.assertIn("beside the original", self.refused("override", "code/hours.py"))

    def test_a_copy_tells_of_addresses_that_break_with_it(self) -> None:
        sheet = '@import "base.css";\nbody { background: url("../img/a.png"); }\n'
        self.started({**FILES, "styles/site.css": sheet, "styles/base.css": "a {}\n"})
        said = self.ok("override", "styles/site.css")
        self.assertIn("next: protypon override style:styles/base.css --child gull", said)
        self.assertIn("line 2 asks for img/a.png", said)
        self.assertEqual(self.codes("gull").count("broken-reference"), 2)
        self.ok("override", "style:styles/base.css", "asset:img/a.png")
        self.assertEqual(self.codes("gull"), [])
        self.assertIn("asks for it beside itself", self.row("gull", "asset:img/a.png")["because"])

    def test_drop_keeps_the_text_in_the_store(self) -> None:
        self.started(FILES, "foot")
        self.edit("themes/gull/parts/foot.html", b"one", b"mine")
        said = self.ok("drop", "foot")
        self.assertFalse((self.bench / "themes/gull/parts").exists())
        self.assertEqual(self.verdicts("gull"), {})
        command = next(line for line in said.splitlines() if "git --git-dir" in line).split("kept: ")[1].split()
        import subprocess

        shown = subprocess.run(command, cwd=self.bench, capture_output=True)
        self.assertEqual(shown.stdout, b"<p>mine</p>\n<p>two</p>\n")

    def test_settle_records_todays_text_and_keeps_ours(self) -> None:
        self.started(FILES, "foot")
        self.edit("themes/gull/parts/foot.html", b"one", b"mine")
        self.parent({**FILES, "parts/foot.html": "<p>new</p>\n<p>two</p>\n"}, "1.1.0")
        self.assertEqual(self.verdicts("gull"), {"template:parts/foot.html": "conflicted"})
        self.ok("settle", "foot", "--why", "ours is better")
        self.assertEqual(self.read("themes/gull/parts/foot.html"), b"<p>mine</p>\n<p>two</p>\n")
        row = self.row("gull", "template:parts/foot.html")
        self.assertEqual((row["verdict"], row["taken"]), ("holds", "1.1.0"))
        self.assertIn("ours is better", self.read("themes/gull/overrides.toml").decode())

    def test_comments_and_order_of_the_ledger_stay(self) -> None:
        self.started(FILES, "foot", "pages/home.html")
        path = self.bench / "themes/gull/overrides.toml"
        path.write_text(
            path.read_text().replace("[[override]]\n", "# why we do this\n[[override]]\n", 1) + "\n# at the end\n"
        )
        self.ok("settle", "home", "--why", "seen")
        text = path.read_text()
        self.assertIn('# why we do this\n[[override]]\nunit = "template:parts/foot.html"', text)
        self.assertIn("# at the end", text)


class NewTest(BenchCase):
    def test_a_new_child_loads_the_parents_sheet_and_checks_clean(self) -> None:
        self.parent({**FILES, "thumbnail.png": b"PNG", "styles/site.css": "a {}"}, sheets=["styles/site.css"])
        self.ok("init", "--platform", "quayside")
        self.ok(
            "new", "gull", "--parent", "pier", "--title", "The Gull", "--set", "maker=Me & you", "--set", "tags=a, b"
        )
        manifest = self.read("themes/gull/quay.toml").decode()
        for line in ('title = "The Gull"', 'parent = "pier"', 'maker = "Me & you"', 'tags = ["a", "b"]'):
            self.assertIn(line, manifest)
        self.assertEqual(self.read("themes/gull/thumbnail.png"), b"PNG")
        self.ok("check")
        from protypon.standin.quayside import QuaysideSite

        sheets = QuaysideSite(self.bench / "themes", "gull").render("pages/home.html").sheets
        self.assertEqual(sheets, ["/themes/pier/styles/site.css", "/themes/gull/styles/gull.css"])

    def test_slugs_against_the_rule_are_refused_with_one_that_fits(self) -> None:
        self.parent(FILES)
        self.ok("init", "--platform", "quayside")
        self.assertIn("a slug that fits: gull-rock", self.refused("new", "Gull Rock", "--parent", "pier", status=2))
        self.assertIn("a slug that fits: theme-2", self.refused("new", "2", "--parent", "pier", status=2))
        self.assertIn("did you mean pier?", self.refused("new", "gull", "--parent", "Pier", status=2))
        self.refused("new", "gull", "--parent", "pier", "--set", "nonsense", status=2)
        self.assertIn(
            "did you mean maker", self.refused("new", "gull", "--parent", "pier", "--set", "makr=x", status=2)
        )

    def test_a_starters_name_is_replaced_everywhere(self) -> None:
        self.parent(FILES)
        self.ok("init", "--platform", "quayside")
        starter = self.parent(
            {
                "styles/first-boat.css": "/* First Boat */",
                "parts/x.html": "first_boat_hours first-boats",
                "img/a.png": b"\xff\0first-boat",
            },
            slug="first-boat",
            root=self.root,
        )
        said = self.ok("new", "gull", "--parent", "pier", "--starter", str(starter), "--title", "Gull")
        self.assertIn("styles/gull.css", said)
        self.assertEqual(self.read("themes/gull/styles/gull.css"), b"/* Gull */")
        self.assertEqual(self.read("themes/gull/parts/x.html"), b"gull_hours first-boats")
        self.assertEqual(self.read("themes/gull/img/a.png"), b"\xff\0first-boat")
        self.assertNotIn("first", self.read("themes/gull/quay.toml").decode())


class MendTest(BenchCase):
    def test_copies_under_another_name_are_idle_and_mended(self) -> None:
        self.started(FILES)
        self.put("themes/gull/Parts/Foot.html", "<p>mine</p>\n<p>two</p>\n")
        self.put("themes/gull/pages/home.html.bak", PAGE + "more\n")
        self.assertEqual(
            self.verdicts("gull"), {"template:parts/foot.html": "idle", "template:pages/home.html": "idle"}
        )
        before = self.ok("mend", "--dry-run")
        self.assertIn("Parts/Foot.html is now parts/foot.html", before)
        self.ok("mend")
        self.assertEqual(self.read("themes/gull/parts/foot.html"), b"<p>mine</p>\n<p>two</p>\n")
        self.assertEqual(set(self.verdicts("gull").values()), {"unlisted"})

    def test_a_copy_in_another_folder_is_idle(self) -> None:
        self.started(FILES)
        self.put("themes/gull/parts/sub/foot.html", "<p>one</p>\n<p>two</p>\n<p>mine</p>\n")
        row = self.row("gull", "template:parts/foot.html")
        self.assertEqual((row["verdict"], row["file"]), ("idle", "parts/sub/foot.html"))

    def test_a_template_that_nothing_names_is_idle_and_a_name_made_at_run_time_leaves_it_unknown(self) -> None:
        lost = {**FILES, "parts/lost.html": "<p>lost and found</p>\n"}
        self.started(lost, "lost")
        self.edit("themes/gull/parts/lost.html", b"lost", b"mine")
        self.assertEqual(self.row("gull", "template:parts/lost.html")["verdict"], "idle")
        self.parent({**lost, "pages/home.html": PAGE + "{% include page.part %}\n"}, "1.1.0")
        row = self.row("gull", "template:parts/lost.html")
        self.assertEqual((row["verdict"], row["reach"]), ("holds", "unknown"))
        self.assertIn("pier/pages/home.html line 3", row["because"])

    def test_a_sheet_that_nobody_registered_never_loads(self) -> None:
        self.started({**FILES, "styles/site.css": "a {}\n"})
        self.put("themes/gull/styles/extra.css", "b {}\n")
        self.assertEqual(self.codes("gull"), ["never-loaded"])
        self.ok("mend", "style:styles/extra.css")
        self.assertEqual(self.codes("gull"), [])
        self.ok("override", "styles/site.css")
        self.edit("themes/gull/styles/site.css", b"a", b"c")
        self.assertEqual(self.row("gull", "style:styles/site.css")["verdict"], "idle")

    def test_a_sheet_that_the_parents_own_sheet_imports_is_not_replaced_by_a_copy(self) -> None:
        sheets: dict[str, str | bytes] = {"styles/site.css": '@import "base.css";\n', "styles/base.css": "a {}\n"}
        self.parent(FILES | sheets, sheets=["styles/site.css"])
        self.ok("init", "--platform", "quayside")
        self.ok("new", "gull", "--parent", "pier")
        self.ok("override", "style:styles/base.css")
        self.edit("themes/gull/styles/base.css", b"a", b"c")
        self.assertEqual(self.row("gull", "style:styles/base.css")["verdict"], "idle")
        self.ok("override", "style:styles/site.css")
        self.assertEqual(self.row("gull", "style:styles/base.css")["verdict"], "holds")

    def test_a_parent_named_by_title_or_in_another_case_is_mended(self) -> None:
        self.started(FILES)
        for wrong in ("Pier", "PIER"):
            self.edit("themes/gull/quay.toml", b'parent = "pier"', f'parent = "{wrong}"'.encode())
            code = self.codes("gull")
            self.assertEqual(len(code), 1)
            self.assertEqual(self.check("--fail-on", "fatal")["gull"]["findings"][0]["weight"], "fatal")
            self.ok("mend", *code)
            self.assertEqual(self.codes("gull"), [])


class AdoptAndPackTest(BenchCase):
    def test_adopt_finds_the_release_each_copy_was_made_from(self) -> None:
        lines = [f"<p>line {n} of the page</p>\n" for n in range(20)]
        old, new = "".join(lines), "".join([*lines[:5], "<p>new</p>\n", *lines[7:]])
        self.parent(
            {**FILES, "pages/home.html": old, "parts/foot.html": "<i>old foot</i>\n<i>of the page</i>\n"}, "1.0.0"
        )
        self.ok("init", "--platform", "quayside")
        self.parent({**FILES, "pages/home.html": new, "pages/gone.html": "x"}, "2.0.0")
        self.ok("keep", "themes/pier")
        self.put("themes/gull/quay.toml", theme("gull", "pier"))
        self.put("themes/gull/pages/home.html", old.replace("line 15", "our line"))
        self.put("themes/gull/parts/foot.html", "<i>old foot</i>\n<i>of the page</i>\n")
        self.put("themes/gull/pages/mine.html", "<p>nobody else has this</p>\n")
        self.ok("check")
        said = self.ok("adopt", "gull")
        self.assertIn("2 overrides adopted", said)
        ledger = self.read("themes/gull/overrides.toml").decode()
        self.assertEqual(ledger.count('release = "1.0.0"'), 2)
        self.assertIn('sure = "exact"', ledger)
        self.assertIn('sure = "likely"', ledger)
        self.assertEqual(self.row("gull", "template:pages/home.html")["verdict"], "drifted")

    def test_a_package_is_the_same_bytes_for_the_same_contents(self) -> None:
        self.started(FILES, "foot")
        self.put("themes/gull/.DS_Store", "junk")
        self.put("themes/gull/notes/todo.txt", "left out")
        self.ok("pack")
        first = self.read("packages/gull-0.1.0.zip")
        names = zipfile.ZipFile(io.BytesIO(first)).namelist()
        self.assertEqual({n.split("/")[0] for n in names}, {"gull"})
        self.assertEqual(sorted(names), ["gull/parts/foot.html", "gull/quay.toml", "gull/styles/gull.css"])
        (self.bench / "packages/gull-0.1.0.zip").unlink()
        (self.bench / "themes/gull/parts/foot.html").touch()
        self.ok("pack", "--out", str(self.root))
        self.assertEqual(self.read("packages/gull-0.1.0.zip"), first)
        self.assertEqual((self.root / "gull-0.1.0.zip").read_bytes(), first)

    def test_a_release_number_that_stands_still_is_told_and_raised(self) -> None:
        self.started(FILES, "foot")
        self.ok("pack")
        self.edit("themes/gull/parts/foot.html", b"one", b"mine")
        self.assertEqual(self.codes("gull"), ["release-stands-still"])
        self.ok("mend", "release-stands-still")
        self.assertIn(b'release = "0.1.1"', self.read("themes/gull/quay.toml"))
        self.assertEqual(self.codes("gull"), [])

    def test_a_theme_that_would_not_load_is_not_packed(self) -> None:
        self.started({**FILES, "settings.json": '{"a": 1}\n'}, "setting:settings.json#a")
        self.edit("themes/gull/settings.json", b"}", b",}")
        self.assertEqual(
            [f["weight"] for f in self.check()["gull"]["findings"] if f["code"] == "does-not-parse"], ["fatal"]
        )
        self.assertIn("does-not-parse (gull)", self.refused("pack"))
        from protypon.standin.quayside import NotLoaded, QuaysideSite

        self.assertRaises(NotLoaded, QuaysideSite, self.bench / "themes", "gull")

    def test_what_a_check_calls_an_error_is_packed_only_in_spite_of_it(self) -> None:
        self.started(FILES, "foot")
        (self.bench / "themes/gull/parts/foot.html").unlink()
        said = self.refused("pack")
        self.assertIn("gull has errors, so it was not packed: missing template:parts/foot.html", said)
        self.assertIn("protypon pack gull --despite missing", said)
        self.assertIn("did you mean missing?", self.refused("pack", "--despite", "mising", status=2))
        self.refused("pack", "--despite", "idle")
        self.ok("pack", "--despite", "missing")

    def test_a_release_number_goes_into_the_manifest_and_the_archive_in_one_step(self) -> None:
        self.started(FILES, "foot")
        self.ok("pack")
        before = self.read("themes/gull/quay.toml")
        self.edit("themes/gull/parts/foot.html", b"one", b"mine")
        self.ok("pack", "--release", "2.0 beta")
        manifest = self.read("themes/gull/quay.toml")
        self.assertIn(b'release = "2.0 beta"', manifest)
        packed = zipfile.ZipFile(io.BytesIO(self.read("packages/gull-2.0 beta.zip")))
        self.assertEqual(packed.read("gull/quay.toml"), manifest)
        self.assertEqual(packed.read("gull/parts/foot.html"), self.read("themes/gull/parts/foot.html"))
        self.assertEqual(self.codes("gull"), [])
        self.edit("themes/gull/parts/foot.html", b"mine", b"ours")
        self.assertEqual(self.codes("gull"), ["release-stands-still"])
        self.edit("themes/gull/parts/foot.html", b"ours", b"mine")
        self.ok("undo")
        self.assertEqual(self.read("themes/gull/quay.toml"), before)
        for bad in ("", "a/b", "../x", "1\n2", "x" * 200):
            self.assertIn("can be no release number", self.refused("pack", "--release", bad, status=2))
        self.assertEqual(self.read("themes/gull/quay.toml"), before)

    def test_the_packed_archive_is_a_theme_that_survey_finds(self) -> None:
        self.started(FILES, "foot")
        self.ok("pack", "--out", str(self.root / "x.zip"))
        table = json.loads(self.ok("survey", "--platform", "quayside", "--format", "json", str(self.root / "x.zip")))
        self.assertEqual([t["slug"] for t in table["themes"]], ["gull"])
        with tarfile.open(self.root / "x.tar.gz", "w:gz") as archive:
            archive.add(self.bench / "themes", "themes")
        table = json.loads(self.ok("survey", "--platform", "quayside", "--format", "json", str(self.root / "x.tar.gz")))
        self.assertEqual([(t["slug"], t["depth"]) for t in table["themes"]], [("gull", 2), ("pier", 2)])
