"""What tests share: a bench in a temporary folder, and the built program run on it."""

from __future__ import annotations

import hashlib
import json
import os
import re
import shlex
import shutil
import tempfile
import unittest
from collections.abc import Callable
from pathlib import Path
from typing import Any
from unittest.mock import patch

import click

from tests import hints
from tests.program import Done, run

ANYBODYS = ("COLUMNS", "EDITOR", "FORCE_COLOR", "LESS", "LINES", "NO_COLOR", "PAGER", "VISUAL")
"""What a person may have set, and the program heeds."""


def theme(slug: str, parent: str = "", release: str = "1.0.0", **more: Any) -> str:
    """A quayside manifest; ``sheets`` is the list of its style sheets."""
    sheets = more.pop("sheets", None)
    fields = {"slug": slug, "title": slug.replace("-", " ").title(), "release": release, "parent": parent, **more}
    lines = [f"{key} = {json.dumps(value)}" for key, value in fields.items() if value]
    tail = f"\n[sheets]\nsite = {json.dumps(sheets)}\n" if sheets is not None else ""
    return "[theme]\n" + "\n".join(lines) + "\n" + tail


def state(folder: Path, *leave: str) -> dict[str, tuple[str, bytes | str]]:
    """Everything below a folder with its permission bits: path -> (what, contents); ``leave`` names top folders left out."""
    found: dict[str, tuple[str, bytes | str]] = {}
    for path in sorted(folder.rglob("*")):
        rel = path.relative_to(folder)
        if rel.parts[0] in leave:
            continue
        if path.is_symlink():
            found[str(rel)] = ("link", os.readlink(path))
        elif path.is_dir():
            found[str(rel)] = (f"folder {path.stat().st_mode & 0o7777:o}", "")
        elif not path.is_file():
            found[str(rel)] = ("special", "")
        else:
            found[str(rel)] = (f"file {path.stat().st_mode & 0o7777:o}", path.read_bytes())
    return found


def digest(data: bytes) -> str:
    """A Git blob id."""
    return hashlib.sha1(b"blob %d\0" % len(data) + data).hexdigest()


def _surroundings(home: Path) -> dict[str, str]:
    """What the program finds around it, whoever runs the tests: an empty home, a plain terminal, Bash."""
    kept = {name: value for name, value in os.environ.items() if name not in ANYBODYS and not name.startswith("XDG_")}
    return {**kept, "HOME": str(home), "SHELL": "/bin/bash", "TERM": "dumb"}


class BenchCase(unittest.TestCase):
    """A temporary folder; ``run_command`` runs the program in the bench below it."""

    maxDiff = 4000
    types_steps = False
    """Whether the steps that checks name are typed, once of each sort in this class."""
    typed_sorts: set[tuple[str, ...]]

    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        cls.typed_sorts = set()

    def setUp(self) -> None:
        self.root = Path(tempfile.mkdtemp(prefix="protypon-test-"))
        self.addCleanup(shutil.rmtree, self.root, ignore_errors=True)
        self.bench, self.home_folder = self.root / "bench", self.root / "home"
        self.bench.mkdir()
        self.home_folder.mkdir()
        self.enterContext(patch.dict(os.environ, _surroundings(self.home_folder), clear=True))

    def run_command(
        self,
        *arguments: str,
        cwd: Path | None = None,
        env: dict[str, str] | None = None,
        prepare: Callable[[], None] | None = None,
    ) -> Done:
        return run(arguments, cwd or self.bench, env, prepare)

    def ok(self, *arguments: str, status: int = 0, **more: Any) -> str:
        """Run a command that must end with a status; returns what it printed."""
        done = self.run_command(*arguments, **more)
        self.assertEqual(done.returncode, status, f"{arguments}\n{done.stdout}\n{done.stderr}")
        self.assertNotIn("Traceback", done.stderr)
        for step in re.findall(r"(?m)^ *(?:next|look): (protypon .*)$", done.stdout):
            hints.parse(re.sub(r"  # [a-z ]+$", "", step))
        return done.stdout

    def refused(self, *arguments: str, status: int = 3, **more: Any) -> str:
        """Run a command that must refuse: status, at most six lines, no traceback, nothing changed. Returns the message."""
        before = state(self.bench, ".protypon")
        done = self.run_command(*arguments, **more)
        self.assertEqual(done.returncode, status, f"{arguments}\n{done.stdout}\n{done.stderr}")
        self.assertNotIn("Traceback", done.stderr)
        self.assertTrue(1 <= len(done.stderr.splitlines()) <= 6, done.stderr)
        self.assertTrue(done.stderr.startswith("protypon: "), done.stderr)
        self.assertEqual(state(self.bench, ".protypon"), before)
        self.hints_hold(done.stderr, more.get("cwd"), more.get("env"))
        return done.stderr

    def hints_hold(self, said: str, cwd: Path | None = None, env: dict[str, str] | None = None) -> None:
        """Every command that a message names is one that the program takes; what can be typed at once succeeds when it is typed."""
        for command in hints.commands_in(said):
            try:
                hints.parse(command)
            except click.ClickException as error:
                self.fail(f"{command}: {error.format_message()}\n{said}")
            if env or hints.is_a_form(command) or hints.after_a_persons_work(said, command):
                continue
            words = shlex.split(command)
            done = self.run_command(*words[1:], cwd=self.place_for(words[1], cwd or self.bench))
            told = (0, 1, 3) if words[1:3] == ["platform", "check"] else (0, 1)  # 3: it has found what is wrong
            self.assertIn(done.returncode, told, f"{said}\n$ {command}\n{done.stdout}{done.stderr}")

    def check(self, *arguments: str) -> dict[str, Any]:
        """The JSON of a check: child -> its report."""
        done = self.run_command("check", "--format", "json", *arguments)
        self.assertIn(done.returncode, (0, 1), done.stderr)
        reports: list[dict[str, Any]] = json.loads(done.stdout)["children"]
        for report in reports:
            for row in (*report["overrides"], *report["findings"]):
                for step in (row["next"], row.get("look", "")):
                    if step.startswith("protypon "):
                        hints.parse(step)
                        if self.types_steps:
                            self.step_holds(report["child"], row, step)
        return {report["child"]: report for report in reports}

    def place_for(self, command: str, bench: Path) -> Path:
        """Where a command can be typed without the bench being changed by it: there, or in a copy beside it."""
        if command in hints.READING:
            return bench
        place = bench.with_name(f"{bench.name}-typed")
        shutil.rmtree(place, ignore_errors=True)
        shutil.copytree(bench, place, symlinks=True)
        return place

    def step_holds(self, child: str, row: dict[str, Any], step: str) -> None:
        """A step that a check names is typed, once of its sort: it succeeds, and is not named again, or says what to do instead."""
        words = shlex.split(step)[1:]
        said = row.get("verdict") or row["code"]
        options = (word for word in words if word.startswith("--"))
        sort = (said, row.get("unit", "").partition(":")[0], words[0], *options)
        if sort in self.typed_sorts or hints.is_a_form(step):
            return
        self.typed_sorts.add(sort)
        place = self.place_for(words[0], self.bench)
        done = self.run_command(*words, cwd=place)
        told = f"{row['because']}\n$ {step}\n{done.stdout}{done.stderr}"
        self.assertIn(done.returncode, (0, 1), told)
        steps_before, steps_after = (len(list(bench.glob(".protypon/journal/*"))) for bench in (self.bench, place))
        left = "unit" in row and re.search(f"left  *{re.escape(row['unit'])}", done.stdout)
        left_something = left or done.returncode == 1 or steps_after == steps_before
        if words[0] in hints.READING or (left_something and "protypon " in done.stdout):
            return  # it says what is left for a person, and how
        again = self.run_command("check", "--format", "json", cwd=place)
        self.assertIn(again.returncode, (0, 1), again.stderr)
        for report in json.loads(again.stdout)["children"]:
            for other in (*report["overrides"], *report["findings"]):
                one = (report["child"], other.get("unit"), other.get("verdict") or other["code"], other["next"])
                self.assertNotEqual(one, (child, row.get("unit"), said, step), told)

    def verdicts(self, child: str, *arguments: str) -> dict[str, str]:
        return {row["unit"]: row["verdict"] for row in self.check(*arguments)[child]["overrides"]}

    def row(self, child: str, unit: str, *arguments: str) -> dict[str, Any]:
        return next(row for row in self.check(*arguments)[child]["overrides"] if row["unit"] == unit)

    def codes(self, child: str, *arguments: str) -> list[str]:
        return [f["code"] for f in self.check(*arguments)[child]["findings"]]

    def put(self, path: str, data: str | bytes, root: Path | None = None) -> Path:
        """Write a file of the bench (or of another folder)."""
        full = (root or self.bench) / path
        full.parent.mkdir(parents=True, exist_ok=True)
        full.write_bytes(data if isinstance(data, bytes) else data.encode())
        return full

    def read(self, path: str) -> bytes:
        return (self.bench / path).read_bytes()

    def parent(
        self,
        files: dict[str, str | bytes],
        release: str = "1.0.0",
        slug: str = "pier",
        root: Path | None = None,
        **more: Any,
    ) -> Path:
        """A quayside theme in the bench, or as a release elsewhere; replaces what stands there."""
        folder = (root or self.bench / "themes") / slug
        shutil.rmtree(folder, ignore_errors=True)
        for path, data in {"quay.toml": theme(slug, release=release, **more), **files}.items():
            self.put(path, data, folder)
        return folder

    def started(self, files: dict[str, str | bytes], *overrides: str, child: str = "gull") -> None:
        """A bench with a parent ``pier`` and a child that overrides some of its files."""
        self.parent(files)
        self.ok("init", "--platform", "quayside")
        self.ok("new", child, "--parent", "pier")
        if overrides:
            self.ok("override", *overrides, "--child", child)

    def edit(self, path: str, old: bytes, new: bytes) -> None:
        data = self.read(path)
        self.assertIn(old, data)
        (self.bench / path).write_bytes(data.replace(old, new, 1))
