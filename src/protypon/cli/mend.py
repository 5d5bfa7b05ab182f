"""protypon mend"""

from __future__ import annotations

import click

from protypon.cli import completing
from protypon.cli.context import child_option, dry_run_option, for_real, subcommand, writing
from protypon.core.actions.mend import PARENT_NAMES, plan_mend, plan_parent_name


@subcommand(
    "mend",
    epilog="""\b
Examples:
  protypon mend --dry-run
  protypon mend breadcrumbs
  protypon mend hook:notice-board#tide_notice
  protypon mend not-inherited --child skerry""",
)
@click.argument("wanted", nargs=-1, metavar="[UNIT|CODE]...", shell_complete=completing.mendable)
@child_option
@dry_run_option
@click.pass_context
def command(ctx: click.Context, wanted: tuple[str, ...], child: str | None, dry_run: bool) -> None:
    """Do what a check names and what takes no judgement; without names, all of it.

    Rename a copy to where the platform looks, register a sheet, name the parent rightly, copy what is not inherited, raise
    the release number; give a detachment the number, name, point or moment that matches; write a function anew whose guard
    has gone or come. A file that a person has to think about is never touched.
    """
    with writing(ctx) as bench:
        loose = bench.theme(child) if child is not None and not bench.theme(child).maintained else None
        if loose is not None and bench.misnamed_parent(loose) and not set(wanted) - set(PARENT_NAMES):
            plan, mended = plan_parent_name(bench, loose)
        else:
            plan, mended = plan_mend(bench, bench.child(child), wanted)
        if not dry_run:
            bench.carry_out(plan)
    from protypon.render.text import STYLES, Page

    page = Page()
    for item in mended:
        page.line(("would mend  " if dry_run else "mended      ", STYLES["ok"]), (item.what, "bold"), f": {item.done}")
    if not mended:
        page.line("nothing to mend")
    page.next(for_real(ctx) if dry_run and mended else "protypon check", 0)
