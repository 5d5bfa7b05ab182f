"""Links and odd things in place of a bench's own folders, and stores that are damaged, stale, gone or somebody else's."""

from __future__ import annotations

import json
import os
import random
import shutil
import sqlite3
import unittest
from contextlib import closing
from pathlib import Path
from zlib import crc32

from tests.cases import many
from tests.hostile.harness import HostileCase, run_forked
from tests.support import state, theme

COMMANDS = (
    ["check"],
    ["check", "--format", "json"],
    ["survey"],
    ["points"],
    ["override", "styles/site.css", "--child", "gull"],
    ["drop", "parts/foot.html", "--child", "gull"],
    ["settle", "parts/foot.html", "--child", "gull", "--why", "mine"],
    ["keep", "themes/pier"],
    ["update", "pier"],
    ["mend"],
    ["adopt", "gull"],
    ["pack", "gull"],
    ["new", "tern", "--parent", "pier"],
    ["store", "check"],
    ["store", "repair"],
    ["undo"],
)


class LinkTest(HostileCase):
    """A link to a folder or file outside stands where a command reads or writes."""

    def test_every_place_that_is_written_or_read(self) -> None:
        places = [
            ".protypon", ".protypon/store", ".protypon/store/objects", ".protypon/store/objects/pack", ".protypon/store/refs", ".protypon/store/refs/heads",
            ".protypon/store/config", ".protypon/store/HEAD", ".protypon/journal", ".protypon/cache", ".protypon/cache/rows.sqlite",
            ".protypon/cache/rows.sqlite-wal",
            ".protypon/lock", ".protypon/stage", ".protypon/releases.json", ".protypon/proposals.json", ".protypon/pending.json",
            "proposals", "proposals/gull", "proposals/gull/parts", "packages", "packages/gull-0.1.0.zip", "themes", "themes/gull", "themes/pier",
            "themes/gull/parts", "themes/gull/parts/foot.html", "themes/gull/styles", "themes/gull/overrides.toml", "themes/gull/quay.toml",
            "themes/pier/parts",
            "themes/pier/parts/foot.html", "protypon.toml", "themes/tern",
        ]  # fmt: skip
        for number, place in enumerate(places):
            for target in ("deep", "precious"):
                with self.subTest(f"{place} -> {target}"):
                    full = self.bench / place
                    if full.is_dir() and not full.is_symlink():
                        shutil.move(full, self.outside / "moved")
                        aim = self.outside / "moved"
                    else:
                        full.unlink(missing_ok=True)
                        aim = self.outside / target
                    full.parent.mkdir(parents=True, exist_ok=True)
                    full.symlink_to(aim)
                    for command in COMMANDS if many() else COMMANDS[(number + 2 * (target == "deep")) % 4 :: 4]:
                        self.attempt(*command, writes=True, built=place == "proposals" and command[0] == "update")
                        if target == "deep" and aim.name == "moved":
                            self.assertTrue((self.outside / "moved").is_dir())
                    self.fresh()

    def test_an_update_writes_nothing_through_links(self) -> None:
        new = self.work / "next/pier"
        for place in (
            "proposals",
            "proposals/gull",
            "proposals/gull/parts",
            "proposals/gull/parts/foot.html",
            "themes/pier/parts",
            "themes/pier/new",
            ".protypon/stage",
        ):
            with self.subTest(place):
                shutil.copytree(self.bench / "themes/pier", new, symlinks=True)
                (new / "quay.toml").write_text(theme("pier", release="2.0.0", sheets=["site.css"]))
                foot = new / "parts/foot.html"
                foot.write_text(foot.read_text().replace("line 5", "theirs"))
                self.put("new/a.html", "new", new)
                full = self.bench / place
                shutil.rmtree(full, ignore_errors=True)
                full.unlink(missing_ok=True)
                full.parent.mkdir(parents=True, exist_ok=True)
                full.symlink_to(self.outside / "deep")
                self.attempt("update", "pier", "--to", str(new), writes=True)
                self.assertEqual(list((self.outside / "deep").iterdir()), [])
                self.fresh()

    def test_a_theme_may_be_a_link_that_its_maintainer_made(self) -> None:
        """Inside the bench it is read and written; out of the bench it is read, and never written."""
        shutil.move(self.bench / "themes/gull", self.bench / "gull-work")
        (self.bench / "themes/gull").symlink_to("../gull-work")
        self.assertIn("holds", self.attempt("check").out)
        ran = self.attempt("override", "styles/site.css", "--child", "gull", writes=True, allowed=(0,))
        self.assertTrue((self.bench / "gull-work/styles/site.css").is_file(), ran)
        self.attempt("undo", writes=True, allowed=(0,))
        self.assertFalse((self.bench / "gull-work/styles/site.css").exists())
        self.fresh()
        shutil.move(self.bench / "themes/gull", self.outside / "gull")
        (self.bench / "themes/gull").symlink_to(self.outside / "gull")
        self.assertIn("holds", self.attempt("check").out)
        ran = self.attempt("override", "styles/site.css", "--child", "gull", allowed=(3,))
        self.assertIn("it is read, never written", ran.err)

    def test_what_a_manifest_says_leads_nowhere(self) -> None:
        for key, value in (
            ("slug", "../../outside/deep"),
            ("slug", "../outside"),
            ("release", "1/../../../outside/deep/1"),
            ("release", "/etc/x"),
        ):
            with self.subTest(f"{key} {value}"):
                fields = {"slug": "gull", "release": "0.1.0", key: value}
                self.put("themes/gull/quay.toml", theme(fields["slug"], "pier", fields["release"], sheets=["site.css"]))
                for command in (*COMMANDS, ["pack", "deep"], ["pack", "../../outside/deep"]):
                    self.attempt(*command, writes=True)
                self.fresh()

    def test_what_an_archive_is_called_leads_nowhere(self) -> None:
        ran = self.attempt("pack", "gull", "--out", str(self.work / "nowhere/"), allowed=(2,))
        self.assertIn("there is no folder", ran.err)
        ran = self.attempt("pack", "gull", "--out", str(self.work / "nowhere/a.zip"), allowed=(2,))
        self.assertIn("mkdir -p", ran.err)
        self.assertFalse((self.work / "nowhere").exists())
        self.attempt("pack", "gull", "--out", str(self.work / "b.zip"), writes=True, allowed=(0,))
        self.assertTrue((self.work / "b.zip").is_file())

    def test_notes_of_a_killed_command_that_say_what_can_not_be(self) -> None:
        entry = {
            "number": 9,
            "command": "update pier",
            "time": "",
            "undoes": None,
            "commit": "",
            "made": [],
            "gone": [],
            "changes": [],
        }
        place = "../outside/precious"
        for more in (
            {"changes": [[place, [33188, "0" * 40, 420], None]]},
            {"changes": [["/etc/x", None, [33188, "0" * 40, 420]]]},
            {"made": [["../outside/made", 511]]},
            {"gone": [["../outside/deep", 511]]},
            {"changes": "x"},
            {"number": "x"},
            {"changes": [["a" * 5000, None, None]]},
        ):
            with self.subTest(str(more)[:60]):
                self.put(".protypon/pending.json", json.dumps({**entry, **more}))
                for command in (["check"], ["update", "pier"], ["undo"]):
                    ran = self.attempt(*command, allowed=(3,))
                    self.assertIn("store repair", ran.err)
                self.attempt("store", "repair", allowed=(0,))
                self.attempt("check", allowed=(0, 1))
                self.fresh()


class StoreTest(HostileCase):
    def test_garbage_in_every_file_of_the_store(self) -> None:
        """Whatever stands there: each command answers, nothing of the themes changes, and repair brings the bench back to work."""
        rng = random.Random(20264)
        garbage = [
            b"",
            b"\0" * 40,
            b"{",
            b'{"releases": 1}',
            b"[" * 5000,
            b'{"a": ' + b"9" * 5000 + b"}",
            rng.randbytes(300),
            b"ref: refs/heads/../../x\n",
            b'"\\ud800"',
            b"null",
        ]
        files = sorted(
            p.relative_to(self.spare) for p in (self.spare / ".protypon").rglob("*") if p.is_file() and p.name != "lock"
        )
        self.assertGreater(len(files), 12)
        for number, file in enumerate(files):
            for data in rng.sample(garbage, 5 if many() and "hooks" not in file.parts else 1):
                with self.subTest(f"{file} {data[:20]!r}"):
                    themes = state(self.bench / "themes")
                    path = self.bench / file
                    path.chmod(0o644)
                    path.write_bytes(data)
                    for command in (
                        ["check"],
                        ["undo"] if number % 2 else ["override", "styles/site.css", "--child", "gull"],
                        ["store", "check"],
                    ):
                        ran = self.attempt(*command, writes=True)
                        if ran.status == 3:
                            self.assertEqual(state(self.bench / "themes"), themes)
                            self.assertIn("protypon ", ran.err)
                    self.attempt("store", "repair", writes=True, allowed=(0, 1))
                    self.attempt("check", allowed=(0, 1))
                    self.attempt("override", "code/hours.py", "--child", "gull", writes=True)
                    self.attempt("new", "tern", "--parent", "pier", writes=True, allowed=(0,))
                    self.attempt("undo", writes=True, allowed=(0,))
                    self.fresh()

    def test_a_store_that_is_gone_is_said_once_and_comes_back(self) -> None:
        shutil.rmtree(self.bench / ".protypon/store")
        ran = self.attempt("check", built=True, allowed=(1,))
        self.assertEqual(ran.out.count("store-gone"), 1)
        self.assertIn("store-gone", self.attempt("store", "check", allowed=(1,)).out)
        self.attempt("store", "repair", allowed=(0, 1))
        ran = self.attempt("check", "--fail-on", "warning", allowed=(0,))
        self.assertIn("holds", ran.out)
        self.fresh()
        shutil.rmtree(self.bench / ".protypon")
        self.assertIn("holds", self.attempt("check", allowed=(0, 1)).out)

    def test_stale_locks_stop_nothing(self) -> None:
        for place in (
            "refs/protypon/journal.lock",
            "refs/heads/pier.lock",
            "packed-refs.lock",
            "HEAD.lock",
            "config.lock",
            "refs/tags/pier/1.0.0.lock",
        ):
            with self.subTest(place):
                lock = self.put(f".protypon/store/{place}", "")
                ran = self.attempt("override", "styles/site.css", "--child", "gull", writes=True, allowed=(0,))
                self.assertTrue((self.bench / "themes/gull/styles/site.css").exists(), ran)
                self.assertIn("stale-lock", self.attempt("store", "check", allowed=(1,)).out)
                self.attempt("undo", writes=True, allowed=(0,))
                self.assertFalse((self.bench / "themes/gull/styles/site.css").exists())
                self.attempt("store", "repair", allowed=(0,))
                self.assertFalse(lock.exists())
                self.assertIn("whole", self.attempt("store", "check", allowed=(0,)).out)
                self.fresh()

    def test_releases_are_made_anew_from_the_store(self) -> None:
        new = self.work / "pier"
        shutil.copytree(self.bench / "themes/pier", new)
        (new / "quay.toml").write_text(theme("pier", release="1.1.0", sheets=["site.css"]))
        self.attempt("update", "pier", "--to", str(new), writes=True, allowed=(0,))
        self.put("themes/pier/parts/foot.html", "edited\n")
        self.attempt("settle", "theme:pier", "--why", "known of", writes=True, allowed=(0,))
        self.attempt("pack", "gull", writes=True)
        path = self.bench / ".protypon/releases.json"
        before = json.loads(path.read_bytes())
        path.write_text("spoiled")
        self.attempt("store", "repair", allowed=(0,))
        after = json.loads(path.read_bytes())
        self.assertEqual(after, before)

    @unittest.skipUnless(os.geteuid() == 0, "only root can give files away")
    def test_a_bench_that_belongs_to_somebody_else(self) -> None:
        for path in [self.bench, *self.bench.rglob("*")]:
            os.lchown(path, 1234, 1234)
        self.attempt("check", allowed=(0, 1), built=True)
        self.attempt("check", "--against", str(self.bench / "themes/pier"), allowed=(0, 1))
        self.attempt("override", "styles/site.css", "--child", "gull", writes=True, allowed=(0,))

    def test_poisoned_rows_are_only_slower(self) -> None:
        self.attempt("check")
        good = self.attempt("check", "--format", "json").out
        rng = random.Random(20265)
        whole = self.whole_cache()
        with closing(sqlite3.connect(self.cache)) as connection:
            rows = connection.execute("SELECT id, kind, body FROM rows").fetchall()
        self.assertGreater(len(rows), 5)
        for number in range(120):
            row, kind, found = rng.choice(rows)
            body = bytearray(found)
            for _ in range(rng.randint(1, 3)):
                at = rng.randrange(len(body))
                bit = rng.choice([b"null", b"[]", b"{}", b'"x"', b"-1", b"9", b"1e9", b"]", b"\0"])
                body[at : at + rng.randint(0, 3)] = bit
            with self.subTest(f"{number} {kind}"):
                with closing(sqlite3.connect(self.cache)) as connection, connection:
                    connection.execute("UPDATE rows SET sum = ?, body = ? WHERE id = ?", (crc32(body), body, row))
                self.check_stays_whole()
                self.cache.write_bytes(whole)
        self.assertEqual(self.attempt("check", "--format", "json").out, good)

    def test_a_damaged_cache_is_begun_anew(self) -> None:
        self.attempt("check")
        good = self.attempt("check", "--format", "json").out
        rng = random.Random(20266)
        whole = self.whole_cache()
        for number in range(60):
            spoiled = bytearray(whole)
            for _ in range(rng.choice([1, 4, 400])):
                spoiled[rng.randrange(len(spoiled))] ^= 1 << rng.randrange(8)
            cut = whole[: rng.randrange(len(whole))]
            with self.subTest(number):
                self.cache.write_bytes(rng.choice([bytes(spoiled), cut, rng.randbytes(5000), b""]))
                self.check_stays_whole()
                self.assertEqual(self.attempt("check", "--format", "json").out, good)

    def test_a_cache_that_is_another_database(self) -> None:
        good = self.attempt("check", "--format", "json").out
        for schema in (
            "CREATE TABLE other (id)",
            "CREATE VIEW rows AS WITH RECURSIVE n(x) AS (SELECT 1 UNION ALL SELECT x + 1 FROM n) SELECT x id, 'report' kind, x key, 1 sum, x body FROM n",
            "CREATE TABLE rows (id, kind, key, sum, body); CREATE TRIGGER t BEFORE INSERT ON rows BEGIN SELECT raise(ABORT, 'no'); END",
        ):
            with self.subTest(schema):
                self.cache.unlink()
                with closing(sqlite3.connect(self.cache)) as connection:
                    connection.executescript(schema)
                self.assertEqual(self.attempt("check", "--format", "json").out, good)

    @property
    def cache(self) -> Path:
        return self.bench / ".protypon/cache/rows.sqlite"

    def whole_cache(self) -> bytes:
        """The cache's bytes, with all in the one file."""
        with closing(sqlite3.connect(self.cache)) as connection:
            connection.execute("PRAGMA wal_checkpoint(TRUNCATE)")
        return self.cache.read_bytes()

    def check_stays_whole(self) -> None:
        themes = state(self.bench / "themes")
        json.loads(self.attempt("check", "--format", "json", allowed=(0, 1)).out)
        self.assertEqual(state(self.bench / "themes"), themes)


class RightsTest(HostileCase):
    def test_undo_gives_every_permission_bit_back(self) -> None:
        rights = {"parts/foot.html": 0o600, "pages/home.html": 0o4755, "settings.json": 0o444}
        for path, bits in rights.items():
            (self.bench / "themes/gull" / path).chmod(bits)
        (self.bench / "themes/gull/parts").chmod(0o700)
        before = state(self.bench, ".protypon")
        units = [path if path != "settings.json" else "setting:settings.json#a" for path in rights]
        self.attempt("drop", *units, "--child", "gull", writes=True, allowed=(0,))
        self.assertFalse((self.bench / "themes/gull/parts").exists())
        self.attempt("undo", writes=True, allowed=(0,))
        self.assertEqual(state(self.bench, ".protypon"), before)

    def test_a_rewritten_file_keeps_its_bits_and_a_new_one_follows_the_umask(self) -> None:
        foot = self.bench / "themes/gull/parts/foot.html"
        foot.chmod(0o640)
        new = self.work / "pier"
        shutil.copytree(self.bench / "themes/pier", new)
        (new / "quay.toml").write_text(theme("pier", release="2.0.0", sheets=["site.css"]))
        self.put("parts/foot.html", foot.read_text().replace("ours", "line 5").replace("line 1<", "theirs<"), new)
        self.put("img/new.svg", "<svg/>", new)
        old = os.umask(0o027)
        try:
            self.attempt("update", "pier", "--to", str(new), writes=True, allowed=(0,))
        finally:
            os.umask(old)
        self.assertIn("theirs", foot.read_text())
        self.assertEqual(foot.stat().st_mode & 0o7777, 0o640)
        self.assertEqual((self.bench / "themes/pier/img/new.svg").stat().st_mode & 0o7777, 0o640)
        self.assertEqual((self.bench / "themes/pier/img").stat().st_mode & 0o7777, 0o750)


class OutputTest(HostileCase):
    def test_commands_that_are_named_are_quoted(self) -> None:
        """A slug that a shell would act on stands in quotes in every next step."""
        slug = "a;touch X;$(touch Y)"
        self.put("themes/pier/quay.toml", theme(slug, release="2.0.0"))
        self.put("themes/gull/quay.toml", theme("gull", slug))
        for command in (
            ["check"],
            ["survey"],
            ["points"],
            ["update", slug],
            ["keep", str(self.bench / "themes")],
            ["pack", slug],
            ["adopt", slug],
        ):
            ran = self.attempt(*command, writes=True)
            for line in (ran.out + ran.err).splitlines():
                if "protypon " in line and "touch" in line.partition("protypon ")[2]:
                    self.assertIn(f"'{slug}'", line)

    def test_the_last_net_names_the_file_in_hand(self) -> None:
        import unittest.mock

        from protypon.core.platform import manifest

        def fails(*given: object) -> None:
            raise ArithmeticError("not thought of")

        with unittest.mock.patch.object(manifest, "read", fails):
            ran = run_forked(["-C", str(self.bench), "check"], self.work)
            told = run_forked(["-C", str(self.bench), "check", "--verbose"], self.work)
        for one in (ran, told):
            self.assertEqual(one.status, 3)
            self.assertIn("quay.toml: unexpected: ArithmeticError: not thought of", one.err)
            self.assertIn("--verbose", one.err)
        self.assertNotIn("Traceback", ran.err)
        self.assertIn("Traceback", told.err)

    def test_a_mistyped_command_is_never_answered_with_one_that_writes(self) -> None:
        ran = self.attempt("store", "repare", allowed=(2,))
        self.assertNotIn("repair", ran.err)
        for typed in ("undoo", "updat", "drp", "setle", "ned", "keeep", "overide", "pakc"):
            ran = self.attempt(typed, allowed=(2,))
            for line in ran.err.splitlines():
                if "protypon " in line:
                    self.assertTrue(line.endswith("--help"), line)


class PathTest(unittest.TestCase):
    def test_a_path_that_leads_out_is_none(self) -> None:
        from protypon.core.model.errors import BadInput
        from protypon.core.model.paths import rel_path

        rng = random.Random(20266)
        for _ in range(3000):
            parts = rng.choices(["a", "..", ".", "", "b c", "é", "\0", "x" * 300], k=rng.randint(1, 5))
            inside = (
                all(part not in ("", ".", "..") and "\0" not in part for part in parts) and len("/".join(parts)) <= 1024
            )
            try:
                path = rel_path(*parts)
            except BadInput:
                self.assertFalse(inside, parts)
            else:
                self.assertTrue(inside, parts)
                self.assertTrue(os.path.normpath(Path("/bench") / path).startswith("/bench/"))


if __name__ == "__main__":
    unittest.main()
