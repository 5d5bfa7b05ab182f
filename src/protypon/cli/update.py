"""protypon update"""

from __future__ import annotations

from contextlib import ExitStack
from pathlib import Path

import click

from protypon.cli.context import dry_run_option, format_option, print_json, slug_argument, subcommand, writing
from protypon.core.actions.update import plan_update
from protypon.core.files import archives


@subcommand(
    "update",
    epilog="""\b
Examples:
  protypon update breakwater --to ~/downloads/breakwater-2.0.0.zip --dry-run
  protypon update breakwater --to ~/downloads/breakwater-2.0.0.zip
  protypon update breakwater          (its folder was replaced already, or a proposal is finished)""",
)
@click.argument("parent", shell_complete=slug_argument)
@click.option(
    "--to",
    type=click.Path(path_type=Path),
    metavar="PATH",
    help="The new release: a theme's folder, one above it, or an archive.",
)
@click.option(
    "--child", "children", multiple=True, metavar="SLUG", help="Carry only this child over; may be given several times."
)
@dry_run_option
@format_option
@click.pass_context
def command(
    ctx: click.Context, parent: str, to: Path | None, children: tuple[str, ...], dry_run: bool, form: str
) -> None:
    """Bring in a parent's new release: merge what drifted, follow what moved, propose where a person is needed. Deletes no override."""
    with ExitStack() as stack:
        bench = stack.enter_context(writing(ctx))
        taken = stack.enter_context(archives.opened(to)) if to else None
        plan, told = plan_update(bench, parent, taken, children)
        if not dry_run:
            bench.carry_out(plan)
    if form == "json":
        from protypon.render.update_text import table

        print_json(table(told, plan, dry_run))
    else:
        from protypon.render.text import Page
        from protypon.render.update_text import render

        render(Page(), told, bench.platform, dry_run)
