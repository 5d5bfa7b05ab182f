"""protypon keep"""

from __future__ import annotations

from pathlib import Path

import click

from protypon.cli.context import subcommand, writing
from protypon.core.actions.keep import plan_keep
from protypon.core.files import archives


@subcommand(
    "keep",
    epilog="""\b
Examples:
  protypon keep themes/breakwater
  protypon keep downloads/breakwater-2.0.0.zip --release 2.0.0
  protypon keep downloads/breakwater-1.5.0 --theme breakwater""",
)
@click.argument("path", type=click.Path(path_type=Path))
@click.option("--release", metavar="R", help="The release number, where manifest and archive do not tell it.")
@click.option("--theme", metavar="SLUG", help="Whose release it is, where the folder is called otherwise.")
@click.pass_context
def command(ctx: click.Context, path: Path, release: str | None, theme: str | None) -> None:
    """Keep a release of every theme found in a folder or archive; the same content twice is one release."""
    with writing(ctx) as bench, archives.open_intake(path) as taken:
        plan, told = plan_keep(bench, taken, release, theme)
        bench.carry_out(plan)
    from protypon.render.kept_text import render
    from protypon.render.text import Page

    render(Page(), told)
