"""protypon platform"""

from __future__ import annotations

from pathlib import Path

import click

from protypon.cli import completing
from protypon.cli.context import Once, Several, open_bench, start_folder
from protypon.core.files.archives import open_intake
from protypon.core.platform import platform
from protypon.core.platform.format import FORMAT, problems_of
from protypon.core.platform.shipped import read_platform, shipped_platforms
from protypon.render.plain import write_document


@click.group("platform", cls=Several, epilog="The format is described in docs/reference/platform-file.md.")
def command() -> None:
    """List, show and check platform files: all that Protypon knows of a site platform stands in one."""


@command.command("list", cls=Once)
def list_command() -> None:
    """List the platforms that come with Protypon."""
    from protypon.render.text import Page

    Page().columns([(name, platform.load(name).summary) for name in shipped_platforms()], indent=0)


@command.command(
    "show",
    cls=Once,
    epilog="""\b
Examples:
  protypon platform show
  protypon platform show millrace > mine.toml""",
)
@click.argument("name", metavar="[NAME|FILE]", required=False, shell_complete=completing.platforms)
@click.pass_context
def show_command(ctx: click.Context, name: str | None) -> None:
    """Print a platform file, that of the bench or one that comes with Protypon: a good start for one of your own."""
    found = open_bench(ctx).platform if name is None else platform.load(name, start_folder(ctx))
    write_document(found.text)


@command.command(
    "check",
    cls=Once,
    epilog="""\b
Examples:
  protypon platform check mine.toml
  protypon platform check mine.toml --with themes/breakwater""",
)
@click.argument("file", type=click.Path(path_type=Path))
@click.option(
    "--with",
    "theme",
    metavar="PATH",
    type=click.Path(path_type=Path),
    help="Say too what matches nothing in this theme: a folder or an archive.",
)
def check_command(file: Path, theme: Path | None) -> int:
    """Say everything that is wrong with a platform file, and what in it can't be meant or can never match."""
    from protypon.core.actions.matching import match
    from protypon.core.platform.sense import doubts_of
    from protypon.render.text import Page

    text = read_platform(str(file))
    problems = problems_of(text, str(file), file.parent)
    page = Page()
    for problem in problems:
        page.line(str(problem))
    if problems:
        return 3
    doubts = doubts_of(text, str(file), file.parent)
    for doubt in doubts:
        page.line(str(doubt))
    page.line(f"{file}: keeps to {FORMAT}" + (", but for what can't be meant" if doubts else ""))
    if theme is not None:
        with open_intake(theme) as intake:
            for line in match(intake, text, file):
                page.line(line)
    return 1 if doubts else 0
