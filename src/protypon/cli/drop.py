"""protypon drop"""

from __future__ import annotations

from pathlib import Path

import click

from protypon.cli import completing
from protypon.cli.context import children_options, chosen_children, subcommand, writing
from protypon.core.actions.drop import DONE, plan_drop
from protypon.core.model.errors import Usage
from protypon.core.model.nouns import Theme
from protypon.core.store.proposing import touched_note
from protypon.core.themes.bench import Bench
from protypon.render.commands import command_line
from protypon.render.plain import write_line


@subcommand(
    "drop",
    epilog="""\b
Examples:
  protypon drop parts/footer.html
  protypon drop parts/footer.html --all-children
  protypon drop parts/footer.html function:opening_hours --save-as hours.json --leave""",
)
@click.argument("units", nargs=-1, required=True, metavar="UNIT...", shell_complete=completing.overrides)
@click.option(
    "--save-as",
    "target",
    metavar="FILE",
    type=click.Path(path_type=Path),
    help="Write them to a file first, for override --load in another child.",
)
@click.option("--leave", is_flag=True, help="With --save-as: only write the file, and leave them where they are.")
@children_options
@click.pass_context
def command(
    ctx: click.Context,
    units: tuple[str, ...],
    target: Path | None,
    leave: bool,
    children: tuple[str, ...],
    all_children: bool,
) -> None:
    """Take overrides out and fall back to the parent's; the dropped text is kept and can be had back with undo."""
    if leave and target is None:
        raise Usage("--leave says something of --save-as only", "as in: protypon drop UNIT --save-as FILE --leave")
    with writing(ctx) as bench:
        chosen = chosen_children(bench, children, all_children)
        if target is not None:
            _save(bench, chosen, units, target)
            if leave:
                return
        plan, dropped = plan_drop(bench, chosen, units, all_children)
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


def _save(bench: Bench, children: list[Theme], units: tuple[str, ...], target: Path) -> None:
    """Write overrides of one child to a file."""
    from protypon.core.actions.sets import saved_overrides
    from protypon.core.files.folder import write_new

    if len(children) != 1:
        raise Usage("--save-as takes the overrides of one child", "name it with --child")
    write_new(str(target), saved_overrides(bench, children[0], units))
    write_line(f"saved     {target}; load it elsewhere with:")
    write_line("          " + command_line("override", "--load", str(target)))


def _nothing(kind: str) -> str:
    """What is said where no theme supplies a unit, or where none is supplied: callbacks and regions are done, not supplied."""
    return "now it is as the parents have it" if kind in DONE else "nothing in the lineage supplies it now"
