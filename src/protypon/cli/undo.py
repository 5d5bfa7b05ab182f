"""protypon undo"""

from __future__ import annotations

import click

from protypon.cli import completing
from protypon.cli.context import dry_run_option, for_real, format_option, open_bench, print_json, subcommand, writing
from protypon.core.actions.undo import plan_last, plan_one, plan_to, steps
from protypon.core.model.errors import Usage


@subcommand(
    "undo",
    epilog="""\b
Examples:
  protypon undo                 # the last command; again: the one before it
  protypon undo --list          # every command that wrote, with its number and its paths
  protypon undo 2               # step 2 alone, where no later one builds on it
  protypon undo --to 2          # all after step 2

Exit status: 1 where --to had to leave a step, for a file of it was edited since.""",
)
@click.argument("step", required=False, type=click.IntRange(1), metavar="[STEP]", shell_complete=completing.steps)
@click.option("--list", "listed", is_flag=True, help="Show the steps, the last one first; change nothing.")
@click.option(
    "--to",
    type=click.IntRange(0),
    metavar="STEP",
    shell_complete=completing.steps,
    help="Take back all after this step; 0: all there are.",
)
@dry_run_option
@format_option
@click.pass_context
def command(ctx: click.Context, step: int | None, listed: bool, to: int | None, dry_run: bool, form: str) -> int:
    """Take back the last command that wrote, byte for byte; again, the one before it."""
    if sum((step is not None, listed, to is not None)) > 1:
        raise Usage("STEP, --to and --list can't be meant together", "leave all but one of them out")
    from protypon.render import undo_text

    if listed:
        found = steps(open_bench(ctx).store)
        if form == "json":
            print_json(undo_text.list_table(found))
        else:
            undo_text.render_list(found)
        return 0
    with writing(ctx) as bench:
        if to is not None:
            plan, taken, left = plan_to(bench.folder, bench.store, to)
        elif step is not None:
            (plan, taken), left = plan_one(bench.folder, bench.store, step), []
        else:
            (plan, taken), left = plan_last(bench.folder, bench.store), []
        if not dry_run:
            bench.carry_out(plan)
    if form == "json":
        print_json(undo_text.table(plan, taken, left, dry_run))
    else:
        undo_text.render(plan, taken, left, for_real(ctx) if dry_run else "")
    return 1 if left else 0
