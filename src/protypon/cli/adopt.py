"""protypon adopt"""

from __future__ import annotations

import click

from protypon.cli.context import slug_argument, subcommand, writing
from protypon.core.actions.adopt import plan_adopt
from protypon.render.commands import command_line


@subcommand(
    "adopt",
    epilog="Example:  protypon adopt old-mill   (keep the parent's older releases first, so that origins can be told)",
)
@click.argument("child", shell_complete=slug_argument)
@click.pass_context
def command(ctx: click.Context, child: str) -> None:
    """Begin a ledger for a child made by hand: each override with the kept release it is nearest to, and how sure that is."""
    with writing(ctx) as bench:
        theme = bench.theme(child)
        plan, adopted, strays = plan_adopt(bench, theme)
        bench.carry_out(plan)
    from protypon.render.text import Page, count

    page = Page()
    page.line((theme.slug, "bold"), f": {count(len(adopted), 'override')} adopted")
    for item in adopted:
        record = item.record
        origin = f"{record.source} {record.release}" if record.release else record.source
        near = f"; next best {item.runner_up}" if item.runner_up and record.sure != "exact" else ""
        page.line("  ", record.sure.ljust(8), (record.unit.address, "bold"))
        if record.how == "extends":
            page.paragraph(f"extends the one of {origin}, the release that the whole child is nearest to", 10)
        else:
            page.paragraph(f"from {origin}, {item.alike:.0%} alike{near}", 10)
    for stray in strays:
        page.line("  ", "stray   ", (stray.subject.file, "bold"))
        page.paragraph(f"never used: {stray.own.why}; not adopted", 10)
    page.next(command_line("check", theme.slug), 2)
