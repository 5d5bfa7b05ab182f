"""protypon find"""

from __future__ import annotations

import click

from protypon.cli import completing
from protypon.cli.context import format_option, open_bench, print_json, subcommand
from protypon.core.model.nouns import Theme
from protypon.core.themes.bench import Bench


@subcommand(
    "find",
    epilog="""\b
Examples:
  protypon find 'Open all year'
  protypon find .credit
  protypon find '<p class="hours">Open'
  protypon find 'Built on' --child lantern-rock --format json""",
)
@click.argument("text", metavar="TEXT|SELECTOR")
@click.option(
    "--child",
    metavar="SLUG",
    shell_complete=completing.slugs,
    help="As this theme sees it; may be left out where there is one child.",
)
@click.option("--all", "everything", is_flag=True, help="Every place, also the unlikely ones.")
@format_option
@click.pass_context
def command(ctx: click.Context, text: str, child: str | None, everything: bool, form: str) -> None:
    """From words that you see on a page to what prints them, and every way to change it: what goes stale least first.

    TEXT is what a visitor reads, or a piece of the page's source; SELECTOR a class or an id, as in .credit. Words that are put
    together of markup, texts, variables and calls are found too. Exit status 1: nothing of the lineage prints it.
    """
    from protypon.core.actions.find import find
    from protypon.core.check.examine import present_world
    from protypon.core.themes.snapshot import Snapshot

    bench = open_bench(ctx)
    chosen = bench.theme(child) if child is not None else _only_theme(bench) or bench.child(None)
    table = find(present_world(bench, chosen, Snapshot.of_bench(bench), {}), text, everything)
    if form == "json":
        from protypon.render.commands import with_commands

        print_json(with_commands(table))
    else:
        from protypon.render.find_text import render
        from protypon.render.text import Page

        render(Page(), table)
    ctx.exit(0 if table["found"] or table["named"] else 1)


def _only_theme(bench: Bench) -> Theme | None:
    """Where there is no child yet, the one theme that is nobody's parent."""
    if bench.children:
        return None
    parents = {slug for theme in bench.themes.values() for slug in theme.parents}
    leaves = [theme for theme in bench.themes.values() if theme.slug not in parents]
    return leaves[0] if len(leaves) == 1 else None
