"""protypon points"""

from __future__ import annotations

import click

from protypon.cli import completing
from protypon.cli.context import child_option, format_option, open_bench, print_json, subcommand


@subcommand(
    "points",
    epilog="""\b
Examples:
  protypon points breakwater
  protypon points notice-board
  protypon points --page exhibit --child lantern-rock""",
)
@click.argument("wanted", required=False, metavar="[THEME|POINT]", shell_complete=completing.themes_and_points)
@click.option(
    "--page",
    "kind",
    metavar="KIND",
    shell_complete=completing.pages,
    help="A kind of page; default: the first that has a template.",
)
@child_option
@format_option
@click.pass_context
def command(ctx: click.Context, wanted: str | None, kind: str | None, child: str | None, form: str) -> None:
    """List the hook points of a theme in the order of a page: what runs there, from which theme; of a child, what it adds, takes away and reorders.

    With the name of a point, that one alone.
    """
    from protypon.core.check.examine import present_world
    from protypon.core.themes.snapshot import Snapshot
    from protypon.core.units.hook.points import points

    bench = open_bench(ctx)
    theme = bench.themes.get(wanted or "")
    chosen = theme or bench.child(child)
    only = wanted.removeprefix("hook:") if wanted is not None and theme is None else None
    table = points(present_world(bench, chosen, Snapshot.of_bench(bench), {}), kind, chosen.maintained, only)
    if form == "json":
        print_json(table)
    else:
        from protypon.render.points_text import render
        from protypon.render.text import Page

        render(Page(), table)
