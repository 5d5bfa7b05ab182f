"""protypon twin"""

from __future__ import annotations

import click

from protypon.cli import completing
from protypon.cli.context import dry_run_option, for_real, subcommand, writing
from protypon.cli.new import field_pairs
from protypon.core.actions.twin import plan_twin


@subcommand(
    "twin",
    epilog="""\b
Examples:
  protypon twin lantern-rock gull-point --title "Gull Point" --dry-run
  protypon twin lantern-rock gull-point --set maker="Gull Point Museum" """,
)
@click.argument("theme", shell_complete=completing.slugs)
@click.argument("slug", metavar="NEWSLUG")
@click.option("--title", metavar="T", help="Title; default: made from the slug.")
@click.option(
    "--set",
    "fields",
    multiple=True,
    metavar="FIELD=VALUE",
    help="Any field of the manifest; lists are split at commas.",
)
@click.option("--all", "everything", is_flag=True, help="Every place, also where there are many of a kind.")
@dry_run_option
@click.pass_context
def command(
    ctx: click.Context,
    theme: str,
    slug: str,
    title: str | None,
    fields: tuple[str, ...],
    everything: bool,
    dry_run: bool,
) -> None:
    """A theme under a new name, beside itself: folder, files, manifest, functions, classes, points, CSS names, texts, ledger.

    Only whole names are changed, in the spelling that they have (a_b, a-b, aB, AB, A_B); addresses and the maker's name stay.
    What may be a word like any other is listed and left. Then both are followed, and anything that differs is told: exit status 1.
    """
    pairs = field_pairs(fields)
    with writing(ctx) as bench:
        plan, twin = plan_twin(bench, bench.theme(theme), slug, title, pairs)
        if not dry_run:
            bench.carry_out(plan)
    from protypon.render.text import Page
    from protypon.render.twin_text import render

    render(Page(), theme, twin, everything, for_real(ctx) if dry_run else "")
    ctx.exit(1 if twin.left or twin.differs else 0)
