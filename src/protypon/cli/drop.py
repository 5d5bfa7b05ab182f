"""protypon drop"""

from __future__ import annotations

import click

from protypon.cli.context import child_option, subcommand, unit_argument, writing
from protypon.core.actions.drop import DONE, plan_drop
from protypon.core.store.proposing import touched_note


@subcommand("drop", epilog="Example:  protypon drop parts/footer.html")
@click.argument("units", nargs=-1, required=True, metavar="UNIT...", shell_complete=unit_argument)
@child_option
@click.pass_context
def command(ctx: click.Context, units: tuple[str, ...], child: str | None) -> None:
    """Take overrides out and fall back to the parent's; the dropped text is kept and can be had back with undo."""
    with writing(ctx) as bench:
        plan, dropped = plan_drop(bench, bench.child(child), units)
        bench.carry_out(plan)
    from protypon.render.text import STYLES, Page

    page = Page()
    for item in dropped:
        back = f"now the one of {item.falls_back} is used" if item.falls_back else _nothing(item.unit.kind)
        back = f"{item.file} has its manifest only now" if item.headed else back
        page.line(("dropped   ", STYLES["ok"]), (item.unit.address, "bold"), f": {back}")
        if item.left:
            page.paragraph(touched_note(item.left), 10)
        if item.in_code:
            page.paragraph(f"what it had put into {item.file} is out again; undo brings it back", 10)
        elif item.was_there:
            page.line(" " * 10, f"its text is kept: git --git-dir .protypon/store show {(item.digest or '')[:12]}")
        else:
            page.paragraph("only the record was left; it is forgotten", 10)


def _nothing(kind: str) -> str:
    """What is said where no theme supplies a unit, or where none is supplied: callbacks and regions are done, not supplied."""
    return "now it is as the parents have it" if kind in DONE else "nothing in the lineage supplies it now"
