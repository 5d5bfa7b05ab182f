"""protypon settle"""

from __future__ import annotations

import click

from protypon.cli import completing
from protypon.cli.context import children_options, chosen_children, subcommand, writing
from protypon.core.actions.settle import plan_settle
from protypon.core.store.proposing import touched_note


@subcommand(
    "settle",
    epilog="""\b
Examples:
  protypon settle parts/footer.html --why "their new credit line is not for us"
  protypon settle parts/footer.html --all-children --why "we all keep our own credit line"
  protypon settle theme:breakwater --why "our fix, sent on"    # edits in the parent's folder""",
)
@click.argument("units", nargs=-1, required=True, metavar="UNIT...", shell_complete=completing.settleable)
@children_options
@click.option("--why", required=True, metavar="TEXT", help="Why yours stays; goes into the ledger.")
@click.pass_context
def command(
    ctx: click.Context, units: tuple[str, ...], children: tuple[str, ...], all_children: bool, why: str
) -> None:
    """Keep yours: record "I have seen what the parent changed, and mine stays". No file of the theme changes but its ledger.

    From now on yours is compared with what the parent has today, so that a check tells of later changes only.
    """
    with writing(ctx) as bench:
        plan, settled = plan_settle(
            bench, lambda: chosen_children(bench, children, all_children), units, why, all_children
        )
        bench.carry_out(plan)
    from protypon.render.text import STYLES, Page

    page = Page()
    for item in settled:
        stays = f"the edits stay, and lie in {item.patch} too" if item.patch else "yours stays as it is"
        which = f" of {item.child}" if len({each.child for each in settled}) > 1 else ""
        page.line(("settled   ", STYLES["ok"]), (item.unit.address, "bold"), f"{which}: {stays}")
        if item.left:
            page.paragraph(touched_note(item.left), 10)
