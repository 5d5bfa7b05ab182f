"""protypon pack"""

from __future__ import annotations

from pathlib import Path

import click

from protypon.cli import completing
from protypon.cli.context import subcommand, writing
from protypon.core.actions.pack import check_target, copy_out, plan_pack


@subcommand(
    "pack",
    epilog="""\b
Examples:
  protypon pack lantern-rock
  protypon pack lantern-rock --release 1.2.0 --out downloads
  protypon pack lantern-rock --despite conflicted""",
)
@click.argument("child", required=False, shell_complete=completing.children)
@click.option("--release", metavar="R", help="Make it this release: the number goes into the manifest first.")
@click.option(
    "--despite",
    multiple=True,
    metavar="CODE",
    shell_complete=completing.errors,
    help="Pack though a check finds an error of this verdict or code; may be given several times.",
)
@click.option(
    "--out", type=click.Path(path_type=Path), metavar="PATH", help="Put a copy here too; a folder or a file name."
)
@click.pass_context
def command(
    ctx: click.Context, child: str | None, release: str | None, despite: tuple[str, ...], out: Path | None
) -> None:
    """Make the archive that the platform installs, without ledger and junk; the same contents give the same bytes.

    What a check calls an error is not packed, unless --despite names it.
    """
    with writing(ctx) as bench:
        theme = bench.child(child)
        if out is not None:
            check_target(out, bench.platform.package.archive)
        plan, packed = plan_pack(bench, theme, release, despite)
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
