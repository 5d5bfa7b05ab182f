"""protypon drop"""

from __future__ import annotations

import click

from protypon.cli.context import children_options, chosen_children, subcommand, unit_argument, writing
from protypon.core.actions.drop import DONE, plan_drop
from protypon.core.store.proposing import touched_note


@subcommand(
    "drop",
    epilog="""\b
Examples:
  protypon drop parts/footer.html
  protypon drop parts/footer.html --all-children""",
)
@click.argument("units", nargs=-1, required=True, metavar="UNIT...", shell_complete=unit_argument)
@children_options
@click.pass_context
def command(ctx: click.Context, units: tuple[str, ...], children: tuple[str, ...], all_children: bool) -> None:
    """Take overrides out and fall back to the parent's; the dropped text is kept and can be had back with undo."""
    with writing(ctx) as bench:
        plan, dropped = plan_drop(bench, chosen_children(bench, children, all_children), units, all_children)
        bench.carry_out(plan)
    from protypon.render.text import STYLES, Page

    page = Page()
    for item in dropped:
        back = f"now the one of {item.falls_back} is used" if item.falls_back else _nothing(item.unit.kind)
        back = f"{item.file} has its manifest only now" if item.headed else back
        which = f" of {item.child}" if len({each.child for each in dropped}) > 1 else ""
        page.line(("dropped   ", STYLES["ok"]), (item.unit.address, "bold"), f"{which}: {back}")
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
