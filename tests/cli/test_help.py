"""Help that is true: every example in it runs on the demo, at some moment of its story."""

from __future__ import annotations

import os
import re
import shlex
import shutil
import subprocess
import unittest
from collections.abc import Iterator
from pathlib import Path

import click

from protypon.cli.main import COMMANDS, cli
from protypon.demo import story
from tests.program import PROGRAM
from tests.support import BenchCase

MOMENTS = {
    "init --platform quayside": "laid out",
    'new lantern-rock --parent breakwater --title "Lantern Rock" --set maker="Lantern Rock Museum"': "begun",
    'override parts/footer.html parts/masthead.html --why "our own credit line and name"': "a child",
    "check": "worked on",
    "rescue breakwater": "edited",
    "adopt old-pier": "old pier came",
    "lighten pages/base.html --child old-pier": "adopted",
    "check lantern-rock --against downloads/breakwater-2.0.0.zip": "before the update",
}
"""The line of the story before which the bench is looked at, the first time that it comes."""
NEEDS_A_SITE = ("--recorded",)
"""Examples about a test site of one's own."""
IN_THE_GARDEN = ("leaves/",)
"""Examples from another platform's demo."""


def examples() -> Iterator[tuple[str, str]]:
    """The examples of every command's help: command, line."""
    context = click.Context(cli, info_name="protypon")
    todo = [(name, cli.get_command(context, name)) for name in COMMANDS]  # type: ignore[attr-defined]
    for name, command in todo:
        if isinstance(command, click.Group):
            todo += [(f"{name} {below}", command.commands[below]) for below in command.commands]
        for line in (command.epilog or "").splitlines():
            if line.strip().startswith("protypon "):
                yield name, line.strip()


class HelpTest(BenchCase):
    def setUp(self) -> None:
        super().setUp()
        self.moments = self.root / "moments"
        story.lay_out(self.bench)
        coming = dict(MOMENTS)
        for step in story.STORY:
            if isinstance(step, story.Type):
                moment = coming.pop(step.line, None)
                if moment is not None:
                    shutil.copytree(self.bench, self.moments / moment, symlinks=True)
                self.run_command(*step.arguments)
            elif isinstance(step, story.Act):
                step.act(self.bench)
        self.assertEqual(coming, {})
        hours = ("drop", "function:opening_hours", "--child", "lantern-rock", "--save-as", "hours.json", "--leave")
        self.ok(*hours)
        self.put("mine.toml", self.ok("platform", "show", "quayside"))
        shutil.copytree(self.bench, self.moments / "the end", symlinks=True)

    def test_every_example_runs(self) -> None:
        seen, moments = 0, ["the end", *MOMENTS.values()]
        for name, line in examples():
            if any(word in line for word in NEEDS_A_SITE) or (name == "trial" and not shutil.which("bwrap")):
                continue
            if any(word in line for word in IN_THE_GARDEN):
                self.assertEqual(self.typed(self.garden(), line.replace("override", "override --child cove")), "")
                continue
            with self.subTest(line=line):
                seen += 1
                said: list[str] = []
                for moment in moments:
                    said.append(self.typed(self.moments / moment, line))
                    if not said[-1]:
                        moments.insert(0, moments.pop(moments.index(moment)))
                        break
                self.assertEqual(said[-1], "", "\n".join(said))
        self.assertGreater(seen, 70)

    def garden(self) -> Path:
        """The bench of the platform hedgerow, as its demo lays it out, with a bench begun."""
        place = self.root / "garden"
        if not place.exists():
            self.ok("demo", "--platform", "hedgerow", "--lay-out-only", str(place), cwd=self.root)
            self.ok("init", "--platform", "hedgerow", cwd=place)
            self.ok("adopt", "cove", cwd=place)
        return place

    def typed(self, moment: Path, line: str) -> str:
        """Type a line in a copy of the bench; what it says where it fails."""
        place = self.root / "typed"
        shutil.rmtree(place, ignore_errors=True)
        shutil.copytree(moment, place, symlinks=True)
        if ">" not in line:
            done = self.run_command(*shlex.split(re.sub(r"\s# .*", "", line))[1:], cwd=place)
            return "" if done.returncode in (0, 1) else f"{moment.name}: {done.stderr}"
        paths = f"{Path(PROGRAM[0]).parent}{os.pathsep}{os.environ['PATH']}"
        done = subprocess.run(
            ["bash", "-c", line],
            cwd=place,
            capture_output=True,
            text=True,
            env={**os.environ, "PATH": paths},
            timeout=300,
        )
        return "" if done.returncode in (0, 1) else f"{moment.name}: {done.stderr}"


if __name__ == "__main__":
    unittest.main()
