"""Runs the program on hostile input, within limits of time and memory, and says all that must hold whatever it was."""

from __future__ import annotations

import os
import resource
import shutil
import signal
import sys
import tempfile
import time
import unittest
from collections.abc import Callable
from pathlib import Path
from typing import NamedTuple

from protypon.cli import main
from tests.program import PROGRAM, streams_to
from tests.support import state, theme

SECONDS = 10.0
"""No input makes a command take that much longer."""
HANGS = 90.0
"""A command that is not done by then waits for something, however busy the machine is."""
MEMORY = 1 << 30
"""Nor that many more bytes."""
COMMON = (0, 1, 2, 3)


def pace() -> float:
    """How many times slower than on a quiet machine a fixed piece of work is right now; at least 1."""
    start = time.process_time()
    number = 0
    for step in range(1_000_000):
        number += step
    return max(1.0, (time.process_time() - start) / 0.08)


class Ran(NamedTuple):
    """What came of one command."""

    status: int
    out: str
    err: str
    seconds: float


def _nothing() -> None:
    pass


def run_forked(
    arguments: list[str],
    folder: Path,
    built: bool = False,
    prepare: Callable[[], None] = _nothing,
    after: Callable[[], None] = _nothing,
) -> Ran:
    """Run the program in a child process with bounds on time and memory: forked from this one, or the built command.

    ``prepare`` and ``after`` are called in a child that was forked.
    """
    out, err = folder / "stdout", folder / "stderr"
    start = time.monotonic()
    child = os.fork()
    if child == 0:
        _run(arguments, out, err, built, prepare, after)
    status, spent = _wait(child, start)
    texts = [path.read_bytes().decode("utf-8", "surrogateescape") for path in (out, err)]
    return Ran(status, texts[0], texts[1], spent)


def _run(
    arguments: list[str], out: Path, err: Path, built: bool, prepare: Callable[[], None], after: Callable[[], None]
) -> None:
    status = 99
    try:
        streams_to(*(os.open(path, os.O_WRONLY | os.O_CREAT | os.O_TRUNC) for path in (out, err)))
        used = int(Path("/proc/self/statm").read_text().split()[0]) * resource.getpagesize()
        resource.setrlimit(resource.RLIMIT_AS, (used + MEMORY, used + MEMORY))
        if built:
            os.execv(PROGRAM[0], [*PROGRAM, *arguments])
        prepare()
        status = main.run(arguments)
        sys.stdout.flush()
        sys.stderr.flush()
        after()
    finally:
        os._exit(status)


def _wait(child: int, start: float) -> tuple[int, float]:
    """The status of a child, and the seconds that it computed: what the machine does besides does not count."""
    while True:
        found, status, used = os.wait4(child, os.WNOHANG)
        if found:
            return os.waitstatus_to_exitcode(status), used.ru_utime + used.ru_stime
        if time.monotonic() - start > HANGS:
            os.kill(child, signal.SIGKILL)
        time.sleep(0.005)


class HostileCase(unittest.TestCase):
    """A bench in a temporary folder, something outside that must not be touched, and the checks that hold for all."""

    root: Path

    @classmethod
    def setUpClass(cls) -> None:
        cls.root = Path(tempfile.mkdtemp(prefix="protypon-hostile-"))
        cls.addClassCleanup(shutil.rmtree, cls.root, ignore_errors=True)
        _lay_out(cls.root / "spare")

    def setUp(self) -> None:
        self.spare = self.root / "spare"
        self.fresh()

    def fresh(self) -> None:
        """The bench as it was made, and nothing else beside it but what is outside."""
        for name in ("bench", "outside", "work"):
            shutil.rmtree(self.root / name, ignore_errors=True)
        self.bench = self.root / "bench"
        shutil.copytree(self.spare, self.bench, symlinks=True)
        self.outside = self.root / "outside"
        (self.outside / "deep").mkdir(parents=True)
        (self.outside / "precious").write_text("precious\n")
        self.work = self.root / "work"
        self.work.mkdir()

    def put(self, path: str, data: str | bytes, root: Path | None = None) -> Path:
        full = (root or self.bench) / path
        full.parent.mkdir(parents=True, exist_ok=True)
        full.write_bytes(data if isinstance(data, bytes) else data.encode())
        return full

    def attempt(
        self, *arguments: str, writes: bool = False, built: bool = False, allowed: tuple[int, ...] = COMMON
    ) -> Ran:
        """Run one command: what must hold of every command, on any input, is asserted here."""
        outside, bench = state(self.outside), state(self.bench, ".protypon")
        beside = sorted(p.name for p in self.root.iterdir())
        ran = run_forked(["-C", str(self.bench), *arguments], self.work, built)
        about = f"{arguments}\n{ran.out[-1500:]}\n{ran.err[-1500:]}"
        self.assertIn(ran.status, allowed, about)
        if ran.seconds >= SECONDS:  # on a machine that is busy with other things everything takes longer
            self.assertLess(ran.seconds, SECONDS * max(pace() for _ in range(10)), about)
        self.assertNotIn("Traceback", ran.err, about)
        self.assertNotIn("unexpected:", ran.err, about)
        self.assertLessEqual(len(ran.err.splitlines()), 6, about)
        for text in (ran.out, ran.err):
            strange = {c for c in text if not c.isprintable() and c != "\n"}
            self.assertFalse(strange, about)
        if ran.status in (2, 3) and arguments[:2] != ("platform", "check"):
            self.assertTrue(ran.err.startswith("protypon: "), about)
        self.assertEqual(state(self.outside), outside, about)
        self.assertEqual(sorted(p.name for p in self.root.iterdir()), beside, about)
        if not writes or ran.status in (2, 3):
            self.assertEqual(state(self.bench, ".protypon"), bench, about)
        return ran


def _lay_out(bench: Path) -> None:
    """A parent with a release kept, a child with three overrides, one of them edited, and an update behind it."""
    files = {
        "pages/home.html": "{% extends 'pages/base.html' %}\n{% block main %}<h1>home</h1>{% endblock %}\n",
        "pages/base.html": "<html>{% block main %}{% endblock %}{% include 'parts/foot.html' %}</html>\n",
        "parts/foot.html": "".join(f"<p>line {n}</p>\n" for n in range(12)),
        "settings.json": '{"a": 1}\n',
        "styles/site.css": ".pier { color: navy }\n",
        "code/hours.py": "from quay import on\n\n\ndef opening_hours():\n    return 'ten to five'\n",
    }
    for path, text in {"quay.toml": theme("pier", sheets=["site.css"]), **files}.items():
        full = bench / "themes/pier" / path
        full.parent.mkdir(parents=True, exist_ok=True)
        full.write_text(text)
    folder = bench.parent
    commands = [
        ["init", "--platform", "quayside"],
        ["new", "gull", "--parent", "pier"],
        ["override", "parts/foot.html", "pages/home.html", "setting:settings.json#a", "--child", "gull"],
    ]
    for command in commands:
        ran = run_forked(["-C", str(bench), *command], folder)
        assert ran.status == 0, ran
    foot = bench / "themes/gull/parts/foot.html"
    foot.write_text(foot.read_text().replace("line 5", "ours"))
    for name in ("stdout", "stderr"):
        (folder / name).unlink()
