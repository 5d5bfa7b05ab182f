"""protypon undo"""

from __future__ import annotations

import click

from protypon.cli.context import subcommand, writing
from protypon.core.actions.undo import undo
from protypon.core.model.paths import quote_path


@subcommand("undo", epilog="Example:  protypon undo   (again: the command before that)")
@click.pass_context
def command(ctx: click.Context) -> None:
    """Take back the last command that wrote, byte for byte; again, the one before it."""
    with writing(ctx) as bench:
        entry, plan = undo(bench)
    from protypon.render.text import Page, count

    page = Page()
    page.line("took back: protypon ", (entry.command, "bold"), f" of {entry.time}")
    paths = [c.path for c in plan.changes if not c.path.startswith(".protypon/")]
    shown = ", ".join(quote_path(p) for p in paths[:6]) + (f" and {len(paths) - 6} more" if len(paths) > 6 else "")
    page.paragraph(f"{count(len(paths), 'path')} as before" + (f": {shown}" if shown else ""), 2)
