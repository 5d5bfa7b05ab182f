"""protypon override"""

from __future__ import annotations

import click

from protypon.cli.context import child_option, writing
from protypon.core.actions.override import plan_override


@click.command(
    "override",
    epilog="""\b
Examples:
  protypon override parts/footer.html --why "our own credit line"
  protypon override template:pages/home.html --from seabed""",
)
@click.argument("units", nargs=-1, required=True, metavar="UNIT...")
@child_option
@click.option(
    "--from",
    "source",
    metavar="SLUG",
    help="Take it from this ancestor, and go on comparing with it; default: the nearest.",
)
@click.option("--why", default="", metavar="TEXT", help="Why; goes into the ledger.")
@click.pass_context
def command(ctx: click.Context, units: tuple[str, ...], child: str | None, source: str | None, why: str) -> None:
    """Take files over from the parent, byte for byte, to the place where the platform will look.

    UNIT is an address (template:parts/footer.html), a path, or a name that fits only one file.
    """
    with writing(ctx) as bench:
        theme = bench.child(child)
        plan, taken = plan_override(bench, theme, units, source, why)
        bench.carry_out(plan)
    from protypon.render.text import STYLES, Page

    page = Page()
    for item in taken:
        page.line(("taken     ", STYLES["ok"]), (item.unit.address, "bold"), f" from {item.source.label}")
        for words, step in item.notes:
            page.paragraph(words, 10)
            page.next(step, 10)
    page.paragraph(f"edit it in {theme.slug}, then:", 10)
    page.next(f"protypon check {theme.slug}", 10)
