"""Documentation that is true: links lead somewhere, commands are taken, shown output is what comes, generated pages are current."""

from __future__ import annotations

import os
import re
import shlex
import shutil
import subprocess
import sys
import unittest
from collections.abc import Iterator
from pathlib import Path

import click

from protypon.demo import story
from tests import hints
from tests.program import PROGRAM
from tests.support import BenchCase

ROOT = Path(__file__).parents[2]
PAGES = sorted([*ROOT.glob("*.md"), *(ROOT / "docs").rglob("*.md")])
FENCED = re.compile(r"(?m)^```(\w*)\n(.*?)^```$", re.S)
ELSEWHERE = re.compile(r"[a-z]+:")


def anchors(page: Path) -> set[str]:
    """The anchors that headings of a page have."""
    heads = re.findall(r"(?m)^#+ (.+)$", FENCED.sub("", page.read_text("utf-8")))
    return {re.sub(r"[^\w\- ]", "", head.lower()).replace(" ", "-") for head in heads}


def console_lines(page: Path) -> Iterator[str]:
    """Every command of the program that stands in a fenced block."""
    for language, block in FENCED.findall(page.read_text("utf-8")):
        for line in block.splitlines() if not language else ():
            line = line.removeprefix("$ ")
            if line.startswith("protypon "):
                yield re.split(r"\s+\||\s+>|\s{3,}|\s+# ", line)[0]


class PagesTest(unittest.TestCase):
    def test_every_link_leads_somewhere(self) -> None:
        seen = 0
        for page in PAGES:
            text = FENCED.sub("", page.read_text("utf-8"))
            for target in re.findall(r"\]\(([^)\s]+)\)", text):
                if ELSEWHERE.match(target):
                    continue
                seen += 1
                path, _, anchor = target.partition("#")
                there = (page.parent / path).resolve() if path else page
                with self.subTest(page=page.name, target=target):
                    self.assertTrue(there.exists())
                    if anchor and there.suffix == ".md":
                        self.assertIn(anchor, anchors(there))
        self.assertGreater(seen, 80)

    def test_every_command_is_one_that_the_program_takes(self) -> None:
        seen = 0
        for page in PAGES:
            for line in console_lines(page):
                with self.subTest(page=page.name, line=line):
                    seen += 1
                    try:
                        hints.parse(line)
                    except click.ClickException as error:
                        self.fail(error.format_message())
        self.assertGreater(seen, 60)

    def test_every_page_of_documentation_is_linked_from_another(self) -> None:
        linked = set()
        for page in PAGES:
            for target in re.findall(r"\]\(([^)\s#]+)", page.read_text("utf-8")):
                linked.add((page.parent / target).resolve())
        self.assertEqual({p for p in PAGES if p.resolve() not in linked} - {ROOT / "README.md"}, set())

    def test_every_picture_is_linked_from_the_readme(self) -> None:
        readme = (ROOT / "README.md").read_text("utf-8")
        pictures = {path.name for path in (ROOT / "docs/screenshots").iterdir()}
        self.assertEqual({name for name in pictures if f"docs/screenshots/{name}" not in readme}, set())
        self.assertLess(len(pictures), 20)

    def test_generated_pages_are_current(self) -> None:
        for script in ("make_man_pages", "list_modules", "draw_rooms"):
            done = subprocess.run(
                [sys.executable, ROOT / f"docs/{script}.py", "--check"], capture_output=True, text=True, cwd=ROOT
            )
            self.assertEqual(done.returncode, 0, done.stdout + done.stderr)


class ShownTest(BenchCase):
    def test_output_that_is_shown_is_what_comes(self) -> None:
        """Of each command that the story has: the lines up to the first that is left out are those that it prints."""
        outputs: dict[str, list[str]] = {}
        story.lay_out(self.bench)
        for step in story.STORY:
            if isinstance(step, story.Type):
                outputs.setdefault(shlex.join(step.arguments), []).append(self.run_command(*step.arguments).stdout)
            elif isinstance(step, story.Act):
                step.act(self.bench)
        seen = 0
        for page in PAGES:
            for _, block in FENCED.findall(page.read_text("utf-8")):
                for part in re.split(r"(?m)^\$ ", block)[1:]:
                    line, _, rest = part.partition("\n")
                    came = outputs.get(shlex.join(shlex.split(line)[1:]))
                    if came is None:
                        self.assertNotEqual(page.name, "README.md", line)
                        continue
                    seen += 1
                    shown = rest.split("…\n")[0].rstrip("\n")
                    with self.subTest(page=page.name, line=line):
                        self.assertTrue(any(each.startswith(shown) for each in came), f"{shown}\n---\n{came[0]}")
        self.assertGreaterEqual(seen, 3)

    def test_the_first_page_can_be_typed_as_it_stands(self) -> None:
        text = (ROOT / "docs/start.md").read_text("utf-8")
        part = text.partition("## On the demo")[2].partition("## On your own")[0]
        script = "\n".join(block for _, block in FENCED.findall(part))
        checked = "\n".join(f"{line} || test $? -eq 1" if "check" in line else line for line in script.splitlines())
        env = {**os.environ, "PATH": f"{Path(PROGRAM[0]).parent}{os.pathsep}{os.environ['PATH']}"}
        done = subprocess.run(
            [shutil.which("bash") or "sh", "-e", "-c", checked], cwd=self.root, env=env, capture_output=True, text=True
        )
        self.assertEqual(done.returncode, 0, done.stdout + done.stderr)
        footer = (self.root / "museums/themes/lantern-rock/parts/footer.html").read_text()
        self.assertIn("Kept by the keepers of Lantern Rock", footer)
        self.assertIn("breakwater 1.4.0 -> 1.5.0", done.stdout)
        self.assertIn("1 merged", done.stdout)


if __name__ == "__main__":
    unittest.main()
