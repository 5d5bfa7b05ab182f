"""protypon demo"""

from __future__ import annotations

import os
import shlex
import sys
from contextlib import chdir
from pathlib import Path
from typing import TYPE_CHECKING

import click

from protypon.cli.context import subcommand
from protypon.core.files.programs import program
from protypon.core.model.errors import ProtyponError
from protypon.render.commands import command_line

if TYPE_CHECKING:
    from protypon.render.text import Page


@subcommand(
    "demo",
    epilog="""\b
Examples:
  protypon demo museum-bench
  protypon demo --platform hedgerow garden-bench""",
)
@click.argument("folder", metavar="[DIR]", required=False, type=click.Path(path_type=Path))
@click.option("--lay-out-only", is_flag=True, help="Lay the themes and downloads out, and do not play the story.")
@click.option(
    "--platform",
    "name",
    type=click.Choice(["quayside", "millrace", "hedgerow", "kiln"]),
    default="quayside",
    show_default=True,
    help="Whose story: the long one is quayside's; the others are about code in PHP.",
)
def command(folder: Path | None, lay_out_only: bool, name: str) -> int:
    """Lay out the demo bench (a federation of small coastal museums) in DIR and play its story.

    Every command is printed before its output; the bench stays there to explore. Default: protypon-demo.
    """
    from protypon.demo import platform_stories, story
    from protypon.demo.story import Act, Say
    from protypon.render.text import Page

    page = Page()

    bench = folder or Path("protypon-demo")
    if bench.exists() and any(bench.iterdir()):
        raise ProtyponError(
            f"{bench}: is there already; nothing was overwritten",
            "name another folder: " + command_line("demo", f"{bench}-2"),
        )
    if name == "quayside":
        story.lay_out(bench)
    else:
        platform_stories.lay_out(name, bench)
    if lay_out_only:
        page.line(f"laid out in {bench}")
        return 0
    with chdir(bench):
        for step in platform_stories.STORIES.get(name, story.STORY):
            if isinstance(step, Say):
                page.gap()
                page.line((f"# {step.words}", "cyan"))
            elif isinstance(step, Act):
                page.line((f"# {step.words}", "cyan"))
                step.act(Path())
            elif all(map(program, step.needs)):
                _play(page, step.arguments, step.status)
            else:
                page.line(
                    (f"# left out, for {' or '.join(step.needs)} is not here: {command_line(*step.arguments)}", "cyan")
                )
    page.gap()
    page.line((f"# The bench is in {bench}: look around with", "cyan"))
    page.line(f"cd {shlex.quote(str(bench))} && protypon check")
    return 0


def _play(page: Page, arguments: list[str], status: int) -> None:
    from protypon.cli.main import run

    page.gap()
    page.line((f"$ {command_line(*arguments)}", "bold"))
    sys.stdout.flush()
    found = run(arguments)
    if found != status:
        raise ProtyponError(f"the story is off: status {found}, expected {status}", f"the bench is in {os.getcwd()}")
