"""protypon lighten"""

from __future__ import annotations

import click

from protypon.cli import completing
from protypon.cli.context import child_option, dry_run_option, for_real, subcommand, writing
from protypon.core.actions.lighten import plan_lighten


@subcommand(
    "lighten",
    epilog="""\b
Examples:
  protypon lighten
  protypon lighten template:pages/base.html --child old-pier --dry-run
  protypon lighten styles/site.css --child lantern-rock""",
)
@click.argument("units", nargs=-1, metavar="[UNIT]...", shell_complete=completing.overrides)
@child_option
@dry_run_option
@click.pass_context
def command(ctx: click.Context, units: tuple[str, ...], child: str | None, dry_run: bool) -> None:
    """Turn a copied file that differs in little into overrides that say just that: a rule, a setting, a block.

    The child is followed before and after: where anything would not be the same, the copy stays, and why is told. Without UNIT it
    lists what can be made lighter, and changes nothing.
    """
    with writing(ctx) as bench:
        theme = bench.child(child)
        plan, told = plan_lighten(bench, theme, units)
        if units and not dry_run:
            bench.carry_out(plan)
    from protypon.render.lighten_text import render
    from protypon.render.text import Page

    render(Page(), theme.slug, told, not units, for_real(ctx) if dry_run else "")
    ctx.exit(1 if units and any(row.result.state is None for row in told) else 0)
