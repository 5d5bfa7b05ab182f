"""protypon points"""

from __future__ import annotations

import click

from protypon.cli.context import child_option, format_option, open_bench, print_json, slug_argument, subcommand


@subcommand(
    "points",
    epilog="""\b
Examples:
  protypon points breakwater
  protypon points --page exhibit --child lantern-rock""",
)
@click.argument("theme", required=False, metavar="[THEME]", shell_complete=slug_argument)
@click.option("--page", "kind", metavar="KIND", help="A kind of page; default: the first that has a template.")
@child_option
@format_option
@click.pass_context
def command(ctx: click.Context, theme: str | None, kind: str | None, child: str | None, form: str) -> None:
    """List the hook points of a theme in the order of a page: what runs there, from which theme; of a child, what it adds, takes away and reorders."""
    from protypon.core.check.examine import present_world
    from protypon.core.themes.snapshot import Snapshot
    from protypon.core.units.hook.points import points

    bench = open_bench(ctx)
    chosen = bench.theme(theme) if theme is not None else bench.child(child)
    table = points(present_world(bench, chosen, Snapshot.of_bench(bench), {}), kind, chosen.maintained)
    if form == "json":
        print_json(table)
    else:
        from protypon.render.points_text import render
        from protypon.render.text import Page

        render(Page(), table)
