"""protypon survey"""

from __future__ import annotations

from pathlib import Path

import click

from protypon.cli import completing
from protypon.cli.context import format_option, open_bench, print_json, shortest, start_folder, subcommand
from protypon.core.actions.survey import survey
from protypon.core.files import archives
from protypon.core.files.folder import Folder
from protypon.core.model.errors import ProtyponError, UnknownName, Usage
from protypon.core.platform import platform
from protypon.core.platform.shipped import shipped_platforms
from protypon.core.themes.bench import Bench
from protypon.core.themes.guess import guess_here
from protypon.render.plain import write_note


@subcommand(
    "survey",
    epilog="""\b
Examples:
  protypon survey --platform quayside downloads/breakwater-2.0.0.zip
  protypon survey --units themes/breakwater""",
)
@click.argument("path", required=False, type=click.Path(path_type=Path))
@click.option(
    "--platform",
    "name",
    metavar="NAME|FILE",
    shell_complete=completing.platforms,
    help="Which platform's themes to look for; default: the bench's.",
)
@click.option(
    "--units", is_flag=True, help="List the address of everything that a theme offers: files, functions, hook points …"
)
@format_option
@click.pass_context
def command(ctx: click.Context, path: Path | None, name: str | None, units: bool, form: str) -> None:
    """Look at a folder or archive: which folders are themes, who is whose parent, what looks wrong."""
    found = platform.load(name, start_folder(ctx)) if name else _of_bench(ctx, path)
    shelf = path is None
    bench = _bench_here(ctx)
    if path is None:
        path = shortest(bench.themes_folder) if name is None and bench is not None else start_folder(ctx)
    with archives.open_intake(path) as taken:
        if bench is None:
            table = survey(taken, found, units, shelf)
        else:
            table = survey(taken, found, units, shelf, bench.facts, bench.cache.row("listing of another", "surveyed"))
    if form == "json":
        print_json(table)
    else:
        from protypon.render.survey_text import render
        from protypon.render.text import Page

        render(Page(), table)


def _bench_here(ctx: click.Context) -> Bench | None:
    """The bench that one stands in, whose caches help; a survey needs none."""
    try:
        return open_bench(ctx)
    except ProtyponError:
        return None


def _of_bench(ctx: click.Context, path: Path | None) -> platform.Platform:
    """The bench's platform; without a bench, the one of the themes that are looked at, which is told."""
    try:
        return open_bench(ctx).platform
    except UnknownName as error:
        with archives.open_intake(path or start_folder(ctx)) as taken:
            guess = guess_here(Folder(str(taken.folder)), taken.name)
        if guess is None:
            raise Usage(
                "which platform? There is no bench here to tell, and no theme of one that ships",
                f"add --platform, one of: {', '.join(shipped_platforms())}",
            ) from error
        write_note(f"taken for themes of {guess.platform.title}; say otherwise with --platform")
        return guess.platform
