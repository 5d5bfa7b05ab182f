"""protypon rescue"""

from __future__ import annotations

from contextlib import ExitStack
from pathlib import Path

import click

from protypon.cli import completing
from protypon.cli.context import dry_run_option, for_real, subcommand, writing
from protypon.core.actions.rescue import plan_rescue
from protypon.core.files import archives


@subcommand(
    "rescue",
    epilog="""\b
Examples:
  protypon rescue breakwater --dry-run
  protypon rescue breakwater --pristine downloads/breakwater-1.5.0
  protypon rescue breakwater --into lantern-rock""",
)
@click.argument("parent", shell_complete=completing.slugs)
@click.option(
    "--pristine",
    type=click.Path(path_type=Path),
    metavar="PATH",
    help="The release as its maker made it; default: the kept one.",
)
@click.option(
    "--into",
    multiple=True,
    metavar="CHILD",
    shell_complete=completing.slugs,
    help="Which child; default: every child of it, or a new one. A name that is not there yet is started.",
)
@dry_run_option
@click.pass_context
def command(ctx: click.Context, parent: str, pristine: Path | None, into: tuple[str, ...], dry_run: bool) -> None:
    """Turn what was edited in a parent's own folder into overrides of a child, and put the parent back as it was released.

    Each edit becomes the lightest override that gives the same: a text, a rule, a setting, a function, a callback, a block, at last
    the whole file. Child and parent are followed before and after; an edit of which the effect would not be the same stays where it
    is, and is told: exit status 1. Edits that an update has wiped out are brought back too, if they were kept.
    """
    with ExitStack() as stack:
        bench = stack.enter_context(writing(ctx))
        taken = stack.enter_context(archives.open_intake(pristine)) if pristine else None
        plan, told = plan_rescue(bench, parent, taken, into)
        if not dry_run:
            bench.carry_out(plan)
    from protypon.render.rescue_text import render
    from protypon.render.text import Page

    render(Page(), told, for_real(ctx) if dry_run else "")
    ctx.exit(1 if told.stays else 0)
