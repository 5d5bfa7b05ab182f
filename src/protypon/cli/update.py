"""protypon update"""

from __future__ import annotations

from contextlib import ExitStack
from pathlib import Path

import click

from protypon.cli import completing
from protypon.cli.context import dry_run_option, for_real, format_option, print_json, subcommand, writing
from protypon.core.actions.onto import plan_onto
from protypon.core.actions.update import plan_update
from protypon.core.files import archives
from protypon.core.model.errors import Usage


@subcommand(
    "update",
    epilog="""\b
Examples:
  protypon update breakwater --to downloads/breakwater-2.0.0.zip --dry-run
  protypon update breakwater --to downloads/breakwater-2.0.0.zip
  protypon update breakwater --onto seabed --child lantern-rock --dry-run
  protypon update breakwater    # its folder was replaced already, or a proposal is finished""",
)
@click.argument("parent", shell_complete=completing.slugs)
@click.option(
    "--to",
    type=click.Path(path_type=Path),
    metavar="PATH",
    help="The new release: a theme's folder, one above it, or an archive.",
)
@click.option(
    "--onto",
    metavar="SLUG",
    shell_complete=completing.slugs,
    help="Another theme of the bench: the children get that one as their parent.",
)
@click.option(
    "--bring", is_flag=True, help="With --onto: what only the old parent had and a child asks for becomes its own."
)
@click.option(
    "--child", "children", multiple=True, metavar="SLUG", help="Carry only this child over; may be given several times."
)
@dry_run_option
@format_option
@click.pass_context
def command(
    ctx: click.Context,
    parent: str,
    to: Path | None,
    onto: str | None,
    bring: bool,
    children: tuple[str, ...],
    dry_run: bool,
    form: str,
) -> None:
    """Bring in a parent's new release: merge what drifted, follow what moved, propose where a person is needed. Deletes no override."""
    if (to is not None or bring) and (onto is None or to is not None) and (onto is not None or bring):
        raise Usage(
            "--to brings a release in, --onto names another parent, and --bring goes with that", "give one of the two"
        )
    with ExitStack() as stack:
        bench = stack.enter_context(writing(ctx))
        if onto is not None:
            plan, told = plan_onto(bench, parent, onto, children, bring)
        else:
            taken = stack.enter_context(archives.open_intake(to)) if to else None
            plan, told = plan_update(bench, parent, taken, children)
        if not dry_run:
            bench.carry_out(plan)
    if form == "json":
        from protypon.render.update_text import table

        print_json(table(told, plan, dry_run))
    else:
        from protypon.render.text import Page
        from protypon.render.update_text import render

        render(Page(), told, bench.platform, for_real(ctx) if dry_run else "")
