"""protypon pack"""

from __future__ import annotations

from pathlib import Path

import click

from protypon.cli.context import slug_argument, subcommand, writing
from protypon.core.actions.pack import check_target, copy_out, plan_pack


@subcommand("pack", epilog="Example:  protypon pack lantern-rock --out ~/uploads/")
@click.argument("child", required=False, shell_complete=slug_argument)
@click.option(
    "--out", type=click.Path(path_type=Path), metavar="PATH", help="Put a copy here too; a folder or a file name."
)
@click.pass_context
def command(ctx: click.Context, child: str | None, out: Path | None) -> None:
    """Make the archive that the platform installs, without ledger and junk; the same contents give the same bytes."""
    with writing(ctx) as bench:
        theme = bench.child(child)
        if out is not None:
            check_target(out, bench.platform.package.archive)
        plan, packed = plan_pack(bench, theme)
        bench.carry_out(plan)
    from protypon.render.text import STYLES, Page, count

    page = Page()
    page.line((packed.archive, "bold"), f": {count(packed.files, 'file')}, {packed.size:,} bytes")
    if packed.left_out:
        page.paragraph(f"left out: {', '.join(packed.left_out)}", 2)
    for note in packed.notes:
        page.paragraph(note, 2, STYLES["warning"])
    if out is not None:
        page.line(f"  copied to {copy_out(bench, packed, out)}")
    for step in bench.platform.after_pack:
        page.paragraph(f"then: {step}", 2)
