"""Bad input: one short message, the right status, nothing changed."""

from __future__ import annotations

import io
import os
import shutil
import signal
import stat
import subprocess
import sys
import tarfile
import time
import unittest
import zipfile
from pathlib import Path

from tests.program import PROGRAM
from tests.support import BenchCase, theme

MANIFEST = theme("pier", release="2.0.0")


def zipped(path: Path, members: dict[str, bytes | str], link: tuple[str, str] | None = None) -> Path:
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, data in members.items():
            archive.writestr(name, data)
        if link:
            info = zipfile.ZipInfo(link[0])
            info.create_system, info.external_attr = 3, (stat.S_IFLNK | 0o777) << 16
            archive.writestr(info, link[1])
    return path


def tarred(path: Path, *members: tarfile.TarInfo) -> Path:
    with tarfile.open(path, "w:gz") as archive:
        info = tarfile.TarInfo("pier/quay.toml")
        info.size = len(MANIFEST)
        archive.addfile(info, io.BytesIO(MANIFEST.encode()))
        for member in members:
            archive.addfile(member, io.BytesIO(b"x" * member.size))
    return path


def tar_member(name: str, kind: bytes = tarfile.REGTYPE, target: str = "") -> tarfile.TarInfo:
    info = tarfile.TarInfo(name)
    info.type, info.linkname = kind, target
    return info


def read_only_probe(folder: Path) -> str:
    """What the system says when a file is made on a read-only mount."""
    mount = 'mount --bind "$0" "$0" && mount -o remount,ro,bind "$0" && touch "$0/probe"'
    return subprocess.run(["unshare", "-m", "sh", "-c", mount, str(folder)], capture_output=True, text=True).stderr


class ArchiveTest(BenchCase):
    def setUp(self) -> None:
        super().setUp()
        self.started({"pages/a.html": "a\n"}, "pages/a.html")

    def refuse(self, path: Path, words: str) -> None:
        for command in (
            ("keep", str(path)),
            ("update", "pier", "--to", str(path)),
            ("check", "--against", str(path)),
            ("survey", str(path)),
        ):
            self.assertIn(words, self.refused(*command), command)

    def test_hostile_zips(self) -> None:
        theme_file: dict[str, bytes | str] = {"pier/quay.toml": MANIFEST}
        cases: list[tuple[str, dict[str, bytes | str], tuple[str, str] | None]] = [
            ("climbs", {"pier/../../x": "x"}, None),
            ("absolute", {"/tmp/x": "x"}, None),
            ("backslash", {"pier\\x": "x"}, None),
            ("letter case", {"pier/Pages/a.html": "x", "pier/pages/b.html": "x"}, None),
            ("control character", {"pier/a\nb": "x"}, None),
            ("link out", {}, ("pier/pages/l", "../../../etc/passwd")),
            ("link out", {}, ("pier/l", "../other/x")),
        ]
        for number, (words, members, link) in enumerate(cases):
            self.refuse(zipped(self.root / f"{number}.zip", theme_file | members, link), words)

    def test_hostile_tars(self) -> None:
        cases = [
            ("climbs", [tar_member("pier/../../x")]),
            ("link out", [tar_member("pier/l", tarfile.SYMTYPE, "/etc/passwd")]),
            ("device", [tar_member("pier/d", tarfile.CHRTYPE)]),
            ("not in the archive", [tar_member("pier/h", tarfile.LNKTYPE, "pier/none")]),
            ("below a link", [tar_member("pier/l", tarfile.SYMTYPE, "pages"), tar_member("pier/l/x")]),
            ("twice", [tar_member("pier/x"), tar_member("pier/x")]),
        ]
        for number, (words, members) in enumerate(cases):
            self.refuse(tarred(self.root / f"{number}.tar.gz", *members), words)

    def test_a_bomb_of_over_512_mebibytes(self) -> None:
        path = self.root / "bomb.zip"
        with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED, compresslevel=1) as archive:
            archive.writestr("pier/quay.toml", MANIFEST)
            with archive.open("pier/zeros", "w", force_zip64=True) as member:
                for _ in range(513):
                    member.write(bytes(1 << 20))
        self.assertIn("over 512 MiB", self.refused("keep", str(path)))

    def test_damaged_and_other_files(self) -> None:
        good = zipped(self.root / "good.zip", {"pier/quay.toml": MANIFEST, "pier/pages/a.html": os.urandom(5000)})
        data = good.read_bytes()
        self.refuse(self.put("cut.zip", data[: len(data) // 2], self.root), "neither a zip")
        spoiled = bytearray(data)
        spoiled[300:340] = bytes(40)
        self.refuse(self.put("spoiled.zip", bytes(spoiled), self.root), "damaged")
        self.refuse(self.put("noise.zip", os.urandom(4000), self.root), "neither a zip")
        whole = tarred(self.root / "whole.tar.gz", tar_member("pier/x")).read_bytes()
        self.refuse(self.put("cut.tar.gz", whole[: len(whole) - 30], self.root), "cut short")
        self.refuse(self.root / "nothing-here.zip", "no such folder")
        self.refused("keep", str(zipped(self.root / "empty.zip", {"readme": "x"})))

    def test_a_broken_release_is_not_brought_in(self) -> None:
        path = zipped(self.root / "b.zip", {"pier/quay.toml": "[theme]\nslug = \n", "pier/pages/a.html": "new"})
        self.assertIn("line 2 column", self.refused("update", "pier", "--to", str(path)))

    def test_another_theme_is_not_brought_in_for_the_parent(self) -> None:
        path = zipped(self.root / "o.zip", {"other/quay.toml": theme("other")})
        self.assertIn("none is pier", self.refused("update", "pier", "--to", str(path)))


class ManifestTest(BenchCase):
    types_steps = True

    def broken(self, text: str | bytes, *words: str) -> None:
        """A child with a broken manifest: told with line and column, and the platform would not load it."""
        self.put("themes/gull/quay.toml", text)
        finding = self.check()["gull"]["findings"][0]
        self.assertEqual((finding["code"], finding["weight"]), ("manifest-broken", "fatal"))
        for word in words:
            self.assertIn(word, finding["because"])
        self.assertEqual(self.run_command("check", "--fail-on", "fatal").returncode, 1)
        self.assertIn(self.verdicts("gull")["template:pages/a.html"], ("unknown", "holds"))

    def test_broken_manifests_are_told_with_their_place(self) -> None:
        self.started({"pages/a.html": "a\n"}, "pages/a.html")
        good = self.read("themes/gull/quay.toml").decode()
        self.broken("[theme]\nslug = = 1\n", "line 2 column 8")
        self.broken(good.replace('release = "0.1.0"', 'release = ["0.1.0"]'), "theme.release is list, wanted is a text")
        self.broken(good.replace('title = "Gull"', ""), "theme.title is not there")
        self.broken(b'[theme]\nslug = "\xff"\n', "not UTF-8", "line 2")
        self.broken("x = " + "[" * 100_000 + "]" * 100_000, "nested too deeply")
        self.broken("x = " + "[" * 5_000_000 + "]" * 5_000_000, "is not read")

    def test_lineages_that_go_wrong(self) -> None:
        self.started({"pages/a.html": "a\n"})
        self.parent({}, slug="pier", parent="gull")
        self.assertIn("lineage-loop", self.codes("gull"))
        self.put("themes/pier/quay.toml", theme("pier", "gone"))
        self.assertIn("parent-missing", self.codes("gull"))

    def test_a_ledger_edited_into_nonsense(self) -> None:
        self.started({"pages/a.html": "a\n"}, "pages/a.html")
        good = self.read("themes/gull/overrides.toml").decode()
        cases = {
            "line 5": good.replace("[[override]]", "[[override]"),
            "how is 'copied'": good.replace('how = "copy"', 'how = "copied"'),
            "40 hexadecimal digits": good.replace('digest = "', 'digest = "z'),
            "lies outside the theme": good.replace("template:pages/a.html", "template:../../etc/passwd"),
            "is not an address": good.replace("template:pages/a.html", "nonsense"),
            "stands in it twice": good + good.split("\n\n")[-1],
            "format is": good.replace("ledger/1", "ledger/9"),
        }
        for words, text in cases.items():
            self.put("themes/gull/overrides.toml", text)
            for command in (["check"], ["drop", "pages/a.html"], ["update", "pier"]):
                self.assertIn(words, self.refused(*command), command)


class BenchTest(BenchCase):
    def test_names_with_spaces_quotes_newlines_and_other_encodings(self) -> None:
        names = [
            'pages/it\'s "a" page.html',
            "pages/a b#c%d.html",
            "pages/two\nlines.html",
            b"pages/caf\xe9.html".decode("utf-8", "surrogateescape"),
        ]
        self.started({name: f"<p>{n}</p>\n" for n, name in enumerate(names)}, *names)
        for name in names:
            with open(self.bench / "themes/gull" / name, "a") as stream:
                stream.write("ours\n")
        rows = self.check()["gull"]["overrides"]
        self.assertEqual({r["verdict"] for r in rows}, {"holds"})
        self.assertIn("template:pages/two%0Alines.html", {r["unit"] for r in rows})
        self.assertIn("template:pages/caf%E9.html", {r["unit"] for r in rows})
        for row in rows:
            self.ok("drop", row["unit"])
        self.assertEqual(self.verdicts("gull"), {})

    def test_wrong_usage(self) -> None:
        self.refused("check", status=2)
        self.refused("survey", status=2)
        self.assertIn("did you mean: protypon check?", self.refused("chekc", status=2))
        self.assertIn('did you mean "quayside"?', self.refused("init", "--platform", "quaside", status=2))
        self.refused("-C", str(self.root / "nowhere"), "check", status=3)
        self.started({"pages/a.html": "a\n"})
        self.assertIn("did you mean gull?", self.refused("check", "gul", status=2))
        self.refused("check", "--fail-on", "nonsense", status=2)
        self.refused("update", "nobody", status=2)
        self.refused("init", "--platform", "quayside")
        self.refused("drop", "pages/a.html", status=2)
        self.refused("settle", "pages/a.html", status=2)
        self.ok("new", "tern", "--parent", "pier")
        self.assertIn("--child gull", self.refused("override", "pages/a.html", status=2))

    def test_a_second_command_waits_and_then_says_who_holds_the_lock(self) -> None:
        self.started({"pages/a.html": "a\n"})
        import fcntl

        with open(self.bench / ".protypon/lock", "w") as lock:
            fcntl.flock(lock, fcntl.LOCK_EX)
            lock.write("4711 update since noon")
            lock.flush()
            started = time.monotonic()
            self.assertIn("process 4711, update since noon", self.refused("override", "pages/a.html"))
            self.assertGreater(time.monotonic() - started, 5)
            self.ok("check")

    def test_two_at_once_both_come_to_their_turn(self) -> None:
        self.started({f"pages/{n}.html": f"{n}\n" for n in range(6)})
        running = [
            subprocess.Popen([*PROGRAM, "override", f"pages/{n}.html"], cwd=self.bench, stdout=subprocess.DEVNULL)
            for n in range(6)
        ]
        self.assertEqual([p.wait(60) for p in running], [0] * 6)
        self.assertEqual(len(self.verdicts("gull")), 6)

    def test_a_read_only_bench_can_be_checked_and_not_written(self) -> None:
        self.started({"pages/a.html": "a\n"}, "pages/a.html")
        mount = 'mount --bind "$0" "$0" && mount -o remount,ro,bind "$0" && cd "$0" && exec "$@"'

        def read_only(*arguments: str) -> subprocess.CompletedProcess[str]:
            command = ["unshare", "-m", "sh", "-c", mount, str(self.bench), *PROGRAM, *arguments]
            return subprocess.run(command, capture_output=True, text=True)

        if not shutil.which("unshare") or "Read-only" not in read_only_probe(self.root):
            self.skipTest("this machine lets us make no read-only mount")
        shutil.rmtree(self.bench / ".protypon/cache")
        self.assertEqual(read_only("check").returncode, 0)
        done = read_only("drop", "pages/a.html")
        self.assertEqual((done.returncode, len(done.stderr.splitlines())), (3, 2))
        self.assertIn("read-only", done.stderr)

    def test_a_full_disk_changes_nothing(self) -> None:
        import resource

        self.started({f"pages/{n}.html": f"{n}\n" * 3000 for n in range(4)})

        def small() -> None:
            signal.signal(signal.SIGXFSZ, signal.SIG_IGN)
            resource.setrlimit(resource.RLIMIT_FSIZE, (2000, 2000))
            sys.dont_write_bytecode = True  # cut off at that size, it would lie in the way of all that comes after

        self.assertIn(
            "can't be written", self.refused("override", *[f"pages/{n}.html" for n in range(4)], prepare=small)
        )
        self.ok("override", "pages/0.html")


if __name__ == "__main__":
    unittest.main()
