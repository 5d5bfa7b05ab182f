"""The built program, killed at its writes: the next command makes the bench as before or as after."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import time
import unittest
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

from tests.program import PROGRAM
from tests.support import BenchCase, state

KILLER = """
import os, signal, sys
left = int(sys.argv[1])
def counted(what):
    def call(*args, **kwargs):
        global left
        if left == 0:
            os.kill(os.getpid(), signal.SIGKILL)
        left -= 1
        return what(*args, **kwargs)
    return call
for name in ("rename", "link", "unlink", "mkdir", "rmdir", "symlink", "fsync", "ftruncate", "fchmod"):
    setattr(os, name, counted(getattr(os, name)))
real = os.open
def opened(path, flags, *args, **kwargs):
    return (counted(real) if flags & os.O_CREAT else real)(path, flags, *args, **kwargs)
os.open = opened
from protypon.cli.main import run
code = run(sys.argv[2:])
print("writes left", left, file=sys.stderr)
sys.exit(code)
"""
STEP = 1 if float(os.environ.get("PROTYPON_CASES", "1")) > 1 else 5
"""Every so many writes the built program is killed; tests/hostile/test_disk.py kills at any call, in a forked one."""
TEXT = "".join(f"<p>line {n}</p>\n" for n in range(12))


class FaultTest(BenchCase):
    def prepared(self) -> list[str]:
        """A bench in which an update merges, moves, proposes, adds and takes away."""
        files: dict[str, str | bytes] = {
            f"pages/{name}.html": TEXT + name for name in ("drift", "clash", "move", "gone", "same")
        }
        self.started(files, *files)
        for name in ("drift", "clash", "move"):
            self.edit(f"themes/gull/pages/{name}.html", b"line 5", b"ours")
        new = {
            "pages/drift.html": TEXT.replace("line 1<", "new<") + "drift",
            "pages/clash.html": TEXT.replace("line 5", "theirs") + "clash",
            "pages/sub/moved.html": TEXT + "move",
            "pages/same.html": TEXT + "same",
            "img/a.png": b"\0\1",
        }
        folder = self.parent(new, "2.0.0", root=self.root / "next")  # type: ignore[arg-type]
        return ["update", "pier", "--to", str(folder)]

    def test_update_killed_at_its_writes(self) -> None:
        command = self.prepared()
        before = state(self.bench, ".protypon")
        spare = self.root / "spare"
        shutil.copytree(self.bench, spare, symlinks=True)
        self.ok(*command)
        after = state(self.bench, ".protypon")
        self.assertNotEqual(before, after)
        seen = {"before": 0, "after": 0}

        def kill(left: int) -> tuple[int, str]:
            """Kill the command at one write in a bench of its own; what the next command makes of it."""
            bench = self.root / f"kill-{left}" / "bench"
            shutil.copytree(spare, bench, symlinks=True)
            done = subprocess.run(
                [sys.executable, "-c", KILLER, str(left), *command], cwd=bench, capture_output=True, text=True
            )
            self.assertIn(done.returncode, (0, -9), done.stderr)
            self.assertIn(self.run_command("check", cwd=bench).returncode, (0, 1))
            found = state(bench, ".protypon")
            self.assertIn(found, (before, after), f"killed at write {left}")
            if found == after and left % 3 == 0:
                self.ok("undo", cwd=bench)
                self.assertEqual(state(bench, ".protypon"), before)
            shutil.rmtree(bench.parent)
            return done.returncode, "after" if found == after else "before"

        with ThreadPoolExecutor(4) as pool:
            for first in range(0, 10_000, 32):
                results = list(pool.map(kill, range(first, first + 32, STEP)))
                for _, which in results:
                    seen[which] += 1
                if results[-1][0] == 0:
                    break
        self.assertGreater(seen["before"], 50 // STEP, seen)
        self.assertGreater(seen["after"], 20 // STEP, seen)

    def test_interrupted_by_hand(self) -> None:
        import signal

        command = self.prepared()
        before = state(self.bench, ".protypon")
        for wait in (0.15, 0.25, 0.3, 0.35, 0.4):
            running = subprocess.Popen(
                [*PROGRAM, *command], cwd=self.bench, stdout=subprocess.DEVNULL, stderr=subprocess.PIPE, text=True
            )
            time.sleep(wait)
            running.send_signal(signal.SIGINT)
            running.communicate(timeout=60)
            self.assertIn(self.run_command("check").returncode, (0, 1))
            if state(self.bench, ".protypon") != before:
                self.ok("undo")
                self.assertEqual(state(self.bench, ".protypon"), before)

    def test_a_file_edited_between_a_kill_and_the_next_command_is_left_alone(self) -> None:
        command = self.prepared()
        spare = self.root / "spare"
        shutil.copytree(self.bench, spare, symlinks=True)
        for left in range(300):
            shutil.rmtree(self.bench)
            shutil.copytree(spare, self.bench, symlinks=True)
            subprocess.run([sys.executable, "-c", KILLER, str(left), *command], cwd=self.bench, capture_output=True)
            if (self.bench / ".protypon/pending.json").exists():
                break
        mine = Path(self.bench / "themes/gull/pages/drift.html")
        mine.write_text("edited in between\n")
        done = self.run_command("check")
        self.assertEqual(done.returncode, 3)
        self.assertIn("edited since", done.stderr)
        self.assertEqual(mine.read_text(), "edited in between\n")
        self.assertIn(self.run_command("check").returncode, (0, 1))


if __name__ == "__main__":
    unittest.main()
