"""protypon explain"""

from __future__ import annotations

import click

from protypon.cli.context import format_option, open_bench, print_json, subcommand


@subcommand(
    "explain",
    epilog="""\b
Examples:
  protypon explain parts/footer.html
  protypon explain function:opening_hours --child lantern-rock
  protypon explain hook:notice-board
  protypon explain hook:notice-board#tide_notice
  protypon explain item:picture-size#card
  protypon explain page:exhibit""",
)
@click.argument("unit", metavar="UNIT|PAGE")
@click.option("--child", metavar="SLUG", help="As this theme sees it; may be left out where there is one child.")
@format_option
@click.pass_context
def command(ctx: click.Context, unit: str, child: str | None, form: str) -> None:
    """Say what is in force for a file, function, hook point, region, item or value: from where, what it hides, what would take its place."""
    from protypon.core.actions.explain import explain
    from protypon.core.check.examine import present_world
    from protypon.core.themes.snapshot import Snapshot

    bench = open_bench(ctx)
    chosen = bench.theme(child) if child is not None else bench.child(None)
    table = explain(present_world(bench, chosen, Snapshot.of_bench(bench), {}), unit)
    if form == "json":
        from protypon.render.commands import written

        print_json(written(table))
    else:
        from protypon.render.explain_text import render
        from protypon.render.text import Page

        render(Page(), table)
