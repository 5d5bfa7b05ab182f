"""protypon adopt"""

from __future__ import annotations

import click

from protypon.cli import completing
from protypon.cli.context import dry_run_option, for_real, subcommand, writing
from protypon.core.actions.adopt import Wanted, plan_adopt


@subcommand(
    "adopt",
    epilog="""\b
Examples:
  protypon adopt old-pier --dry-run
  protypon adopt old-pier template:parts/footer.html --release 1.4.0

Keep the parent's older releases first, so that origins can be told. Where no kept text is like an override, say yourself which release
it was made from.""",
)
@click.argument("child", required=False, shell_complete=completing.slugs)
@click.argument("wanted", metavar="[UNIT]...", nargs=-1, shell_complete=completing.addresses)
@click.option("--release", metavar="R", help="Which release they were made from, where you know.")
@dry_run_option
@click.pass_context
def command(ctx: click.Context, child: str | None, wanted: tuple[str, ...], release: str | None, dry_run: bool) -> None:
    """Begin a ledger for a child made by hand: each override with the kept release it is nearest to, and how sure that is."""
    with writing(ctx) as bench:
        loose = bench.without_ledger
        theme = bench.theme(child) if child else loose[0] if len(loose) == 1 else bench.child(None)
        plan, adopted, strays = plan_adopt(bench, theme, Wanted(wanted, release))
        if not dry_run:
            bench.carry_out(plan)
    from protypon.render.adopt_text import render
    from protypon.render.text import Page

    render(Page(), theme.slug, adopted, strays, for_real(ctx) if dry_run else "")
