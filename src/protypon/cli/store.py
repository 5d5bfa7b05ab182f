"""protypon store"""

from __future__ import annotations

import click

from protypon.cli.context import Once, Several, bench_as_it_is
from protypon.core.model.errors import BadInput


@click.group(
    "store",
    cls=Several,
    epilog="""\b
Examples:
  protypon store check
  protypon store repair""",
)
def command() -> None:
    """Look after .protypon/: kept releases, former contents, the journal."""


@command.command("check", cls=Once)
@click.pass_context
def check_command(ctx: click.Context) -> int:
    """Say everything that is wrong with the store; change nothing. Ends with 1 where something is."""
    from protypon.core.check.health import troubles
    from protypon.render.store_text import render_troubles
    from protypon.render.text import Page

    found = troubles(bench_as_it_is(ctx))
    render_troubles(Page(), found)
    return 1 if found else 0


@command.command("repair", cls=Once)
@click.pass_context
def repair_command(ctx: click.Context) -> int:
    """Set aside what is damaged, and make anew what can be made from the rest; nothing is deleted."""
    from protypon.core.actions.repair import repair
    from protypon.render.store_text import render_repaired
    from protypon.render.text import Page

    bench = bench_as_it_is(ctx)
    if not bench.writable:
        raise BadInput(f"{bench.root}: is read-only", "make the bench writable")
    told = repair(bench)
    render_repaired(Page(), told)
    return 1 if told.left else 0
