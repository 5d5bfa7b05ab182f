"""protypon explain"""

from __future__ import annotations

import click

from protypon.cli import completing
from protypon.cli.context import format_option, open_bench, print_json, subcommand
from protypon.core.model.errors import Usage


@subcommand(
    "explain",
    epilog="""\b
Examples:
  protypon explain parts/footer.html
  protypon explain function:opening_hours --child lantern-rock
  protypon explain hook:notice-board
  protypon explain hook:notice-board#tide_notice
  protypon explain item:picture-size#card
  protypon explain page:exhibit
  protypon explain setting:settings.json#home.cards
  protypon explain 'rule:styles/site.css#.menu a'
  protypon explain --styles""",
)
@click.argument("unit", metavar="UNIT|PAGE", required=False, shell_complete=completing.addresses)
@click.option("--styles", is_flag=True, help="The style sheets and scripts that load, in their order.")
@click.option(
    "--child",
    metavar="SLUG",
    shell_complete=completing.slugs,
    help="As this theme sees it; may be left out where there is one child.",
)
@format_option
@click.pass_context
def command(ctx: click.Context, unit: str | None, styles: bool, child: str | None, form: str) -> None:
    """Say what is in force for a file, function, hook point, region, item, value or setting: from where, what it hides, what would take its place.

    Of a rule of a sheet that loads: which of its declarations win, and what outranks the others.
    """
    from protypon.core.actions.explain import explain, explain_styles
    from protypon.core.check.examine import present_world
    from protypon.core.themes.snapshot import Snapshot

    bench = open_bench(ctx)
    chosen = bench.theme(child) if child is not None else bench.child(None)
    if (unit is None) != styles:
        raise Usage("name what is to be explained, or --styles", "as in: protypon explain parts/footer.html")
    world = present_world(bench, chosen, Snapshot.of_bench(bench), {})
    table = explain(world, unit) if unit is not None else explain_styles(world)
    if form == "json":
        from protypon.render.commands import with_commands

        print_json(with_commands(table))
    else:
        from protypon.render.explain_text import render
        from protypon.render.text import Page

        render(Page(), table)
