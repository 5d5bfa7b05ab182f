"""A disk that refuses, a process that is killed, two terminals: the message is true, and nothing of a person's is gone."""

from __future__ import annotations

import os
import random
import shutil
import subprocess
import time
import unittest
from pathlib import Path

from tests.cases import many
from tests.hostile.faults import ERRORS, KILL, Faults
from tests.hostile.harness import HostileCase, Ran, run_forked
from tests.program import PROGRAM
from tests.support import state, theme

ALL = many()
"""Every fault of every command, and not a seeded choice."""
State = dict[str, tuple[str, bytes | str]]


class DiskCase(HostileCase):
    def setUp(self) -> None:
        super().setUp()
        self.next = self.work / "next/pier"
        shutil.copytree(self.bench / "themes/pier", self.next)
        (self.next / "quay.toml").write_text(theme("pier", release="2.0.0", sheets=["site.css"]))
        foot = self.next / "parts/foot.html"
        foot.write_text(foot.read_text().replace("line 1<", "theirs<"))
        home = self.next / "pages/home.html"
        home.write_text(home.read_text().replace("home", "welcome"))
        shutil.rmtree(self.next / "code")
        self.put("img/deep/new.svg", "<svg/>", self.next)
        (self.next / "empty").mkdir()
        (self.bench / "themes/gull/pages/home.html").write_text("{% block main %}<h1>our home</h1>{% endblock %}\n")
        (self.bench / "themes/pier/old/empty").mkdir(parents=True)
        self.put("themes/gull/Parts/menu.html", "stray")
        self.put("parts/menu.html", "menu", self.bench / "themes/pier")
        self.start = self.root / "start"
        shutil.rmtree(self.start, ignore_errors=True)
        shutil.copytree(self.bench, self.start, symlinks=True)
        self.commands = {
            "keep": ["keep", str(self.next)],
            "override": ["override", "styles/site.css", "pages/base.html", "--child", "gull"],
            "update": ["update", "pier", "--to", str(self.next)],
            "drop": ["drop", "parts/foot.html", "setting:settings.json#a", "--child", "gull"],
            "mend": ["mend", "--child", "gull"],
            "pack": ["pack", "gull", "--despite", "edited-parent"],
            "undo": ["undo"],
        }

    def again(self, name: str = "") -> None:
        """The bench as it was at the start; for ``undo``, as it is after an update."""
        shutil.rmtree(self.bench)
        shutil.copytree(self.start, self.bench, symlinks=True)
        if name == "undo":
            ran = run_forked(["-C", str(self.bench), *self.commands["update"]], self.work)
            self.assertEqual(ran.status, 0, ran)

    def seen(self) -> State:
        return state(self.bench, ".protypon")


class FaultTest(DiskCase):
    def run_faulty(self, name: str, faults: Faults) -> tuple[Ran, int]:
        """Run a command in a child with faults; how many calls it made, as far as it came."""
        counted = self.work / "counted"

        def install() -> None:
            faults.install()

        ran = run_forked(
            ["-C", str(self.bench), *self.commands[name]],
            self.work,
            prepare=install,
            after=lambda: counted.write_text(str(faults.count)),
        )
        return ran, int(counted.read_text()) if counted.exists() else 0

    def whole(self, name: str) -> tuple[State, State, int]:
        """The bench before a command and after it, and how many calls it makes."""
        self.again(name)
        before = self.seen()
        ran, count = self.run_faulty(name, Faults(0, "EIO", False))
        self.assertEqual(ran.status, 0, ran)
        return before, self.seen(), count

    def one(self, name: str, before: State, after: State, faults: Faults) -> str:
        """One fault: what the message says, and what the next command makes of the bench."""
        self.again(name)
        ran, _ = self.run_faulty(name, faults)
        about = f"{name} at {faults.at}, {faults.what}{' from then on' if faults.lasting else ''}: {ran.out[-600:]}{ran.err}"
        now = self.seen()
        if faults.what == KILL:
            self.assertIn(ran.status, (0, -9), about)
        else:
            self.assertIn(ran.status, (0, 2, 3), about)
            self.assertNotIn("Traceback", ran.err, about)
            self.assertNotIn("unexpected:", ran.err, about)
            self.assertLessEqual(len(ran.err.splitlines()), 6, about)
            if ran.status == 0:
                self.assertEqual(now, after, about)
            elif "files are new by now" not in ran.err:
                self.assertEqual(now, before, about)
            if "nothing was changed" in ran.err:
                self.assertEqual(now, before, about)
        following = run_forked(["-C", str(self.bench), "check"], self.work)
        self.assertIn(following.status, (0, 1), about + following.err)
        found = self.seen()
        self.assertTrue(found in (before, after), about)
        self.assertFalse((self.bench / ".protypon/pending.json").exists(), about)
        if found == after and before != after and name != "undo":
            undone = run_forked(["-C", str(self.bench), "undo"], self.work)
            self.assertEqual(undone.status, 0, about + undone.err)
            self.assertEqual(self.seen(), before, about)
        return "after" if found == after else "before"

    def test_every_call_that_can_fail(self) -> None:
        rng = random.Random(20267)
        whole = {name: self.whole(name) for name in self.commands}
        cases = [
            (name, at, what, lasting)
            for name, (_, _, count) in whole.items()
            for at in range(1, count + 1)
            for what in (*ERRORS, KILL)
            for lasting in ((False, True) if what in ("EIO", "ENOSPC") else (False,))
        ]
        self.assertGreater(len(cases), 3000)
        seen = {"before": 0, "after": 0}
        for name, at, what, lasting in cases if ALL else rng.sample(cases, 200):
            before, after, _ = whole[name]
            seen[self.one(name, before, after, Faults(at, what, lasting))] += 1
        self.assertGreater(min(seen.values()), 20, seen)

    @unittest.skipUnless(shutil.which("strace"), "strace reaches what libgit2 does; it is not here")
    def test_faults_below_libgit2(self) -> None:
        """The same in the system calls themselves, whoever makes them: counted in one run, refused in others."""
        before, after, _ = self.whole("update")
        rng = random.Random(20268)
        calls = {
            "openat": "EIO",
            "write": "ENOSPC",
            "rename": "EIO",
            "renameat": "EIO",
            "mkdir": "ENOSPC",
            "unlink": "EACCES",
            "fsync": "EIO",
        }
        places = {call: self.places(call) for call in calls}
        refused = 0
        for call, error in calls.items():
            for at in rng.sample(places[call], min(len(places[call]), 40 if ALL else 2)):
                self.again()
                done = self.traced(f"inject={call}:error={error}:when={at}", Path(os.devnull))
                self.assertNotIn("Traceback", done.stderr, (call, at))
                now = self.seen()
                self.assertIn(now, (before, after), (call, at, done.stderr))
                if done.returncode:
                    self.assertEqual(now, before, (call, at, done.stderr))
                    refused += 1
                following = run_forked(["-C", str(self.bench), "check"], self.work)
                self.assertIn(following.status, (0, 1), (call, at, following))
                self.assertIn(self.seen(), (before, after), (call, at))
        self.assertGreater(refused, 2)

    def places(self, call: str) -> list[int]:
        """Which of a command's calls of one kind are about the store."""
        self.again()
        log = self.work / "calls"
        self.traced(f"trace={call}", log, "-y")
        lines = [
            line
            for line in log.read_text("utf-8", "replace").splitlines()
            if f" {call}(" in line or line.startswith(f"{call}(")
        ]
        return [number for number, line in enumerate(lines, 1) if ".protypon/store" in line]

    def traced(self, what: str, log: Path, *options: str) -> subprocess.CompletedProcess[str]:
        command = [
            "strace",
            "-f",
            "-qq",
            *options,
            "-o",
            str(log),
            "-e",
            what,
            *PROGRAM,
            "-C",
            str(self.bench),
            *self.commands["update"],
        ]
        return subprocess.run(command, capture_output=True, text=True)


class PersonTest(DiskCase):
    def texts(self) -> set[bytes]:
        return {data for kind, data in self.seen().values() if kind.startswith("file") and isinstance(data, bytes)}

    def is_kept(self, text: bytes) -> bool:
        """Whether a text is on the disk or in the store."""
        if text in self.texts():
            return True
        digest = (
            subprocess.run(["git", "hash-object", "--stdin"], input=text, capture_output=True).stdout.decode().strip()
        )
        found = subprocess.run(
            ["git", "--git-dir", str(self.bench / ".protypon/store"), "cat-file", "-e", digest], capture_output=True
        )
        return found.returncode == 0

    def saved(self, rng: random.Random, text: bytes) -> tuple[bytes, bytes] | None:
        """A person works on a file of their own or on a proposal: what was there, and what is there now."""
        files = sorted(
            p for p in self.bench.rglob("*") if p.is_file() and p.suffix in (".html", ".css", ".patch", ".yours")
        )
        files = [p for p in files if ".protypon" not in p.parts and "themes/pier" not in str(p)]
        if not files:
            return None
        path = rng.choice(files)
        old = path.read_bytes()
        way = rng.random()
        new = text if way < 0.3 else old + text
        if way > 0.7:
            marks = (b"<<<<<<<", b"|||||||", b"=======", b">>>>>>>")
            new = b"".join(line for line in new.splitlines(keepends=True) if line[:7] not in marks)
        path.write_bytes(new)
        return old, new

    def test_what_a_person_does_in_between_is_never_gone(self) -> None:
        """Random work between random commands: every text that a person saved is on the disk or in the store ever after."""
        rng = random.Random(20269)
        for number in range(60 if ALL else 6):
            self.again()
            owed: set[bytes] = set()
            for turn in range(14):
                if rng.random() < 0.7:
                    done = self.saved(rng, f"work {number} {turn} {rng.random()}\n".encode())
                    if done is not None:
                        owed = (owed - {done[0]}) | {done[1]}  # what they save over themselves is theirs to lose
                release = rng.choice(["1.0.0", "2.0.0", "3.0.0"])
                (self.next / "quay.toml").write_text(theme("pier", release=release, sheets=["site.css"]))
                (self.next / "parts/foot.html").write_text(f"<p>{rng.random()}</p>\n<p>line 5</p>\n")
                option = ["--child", "gull"]
                command = rng.choice(
                    [
                        self.commands["update"],
                        self.commands["update"],
                        ["update", "pier"],
                        ["settle", "parts/foot.html", *option, "--why", "x"],
                        ["drop", "parts/foot.html", *option],
                        ["override", "parts/foot.html", *option],
                        ["undo"],
                        ["mend"],
                        ["adopt", "gull"],
                        ["keep", str(self.bench / "themes/pier")],
                    ]
                )
                ran = run_forked(["-C", str(self.bench), *command], self.work)
                self.assertIn(ran.status, (0, 2, 3), (command, ran))
                self.assertNotIn("unexpected", ran.err)
                for text in owed:
                    self.assertTrue(self.is_kept(text), (number, turn, command, text[-80:]))

    def test_two_terminals(self) -> None:
        """Two commands at once: both do their work, one after the other."""
        for first, second in (("update", "override"), ("drop", "keep"), ("override", "pack")):
            self.again()
            running = [
                subprocess.Popen(
                    [*PROGRAM, "-C", str(self.bench), *self.commands[name]],
                    stdout=subprocess.PIPE,
                    stderr=subprocess.PIPE,
                    text=True,
                )
                for name in (first, second)
            ]
            for one in running:
                _, err = one.communicate(timeout=60)
                self.assertIn(one.returncode, (0, 3), err)
                self.assertNotIn("Traceback", err)
            before = self.seen()
            for _ in range(2):
                run_forked(["-C", str(self.bench), "undo"], self.work)
            self.assertNotEqual(self.seen(), before)
            self.assertEqual(self.seen(), state(self.start, ".protypon"))

    def test_a_file_edited_while_an_update_waits_is_not_lost(self) -> None:
        lock = self.bench / ".protypon/lock"
        with open(lock, "w") as stream:
            import fcntl

            fcntl.flock(stream, fcntl.LOCK_EX)
            running = subprocess.Popen(
                [*PROGRAM, "-C", str(self.bench), *self.commands["update"]],
                stdout=subprocess.PIPE,
                stderr=subprocess.PIPE,
                text=True,
            )
            time.sleep(0.5)
            self.put("themes/gull/parts/foot.html", "saved meanwhile\n")
        running.communicate(timeout=60)
        self.assertEqual((self.bench / "themes/gull/parts/foot.html").read_bytes(), b"saved meanwhile\n")


if __name__ == "__main__":
    unittest.main()
