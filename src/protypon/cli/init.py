"""protypon init"""

from __future__ import annotations

from pathlib import Path

import click

from protypon.cli.context import start_folder, subcommand
from protypon.core.actions.init import plan_init
from protypon.core.files.folder import make_folders
from protypon.core.store import apply
from protypon.core.themes.bench import Bench
from protypon.render.commands import command_line


@subcommand("init", epilog="Example:  protypon init --platform quayside museum-sites")
@click.argument("folder", metavar="[DIR]", required=False, type=click.Path(path_type=Path, file_okay=False))
@click.option("--platform", "name", required=True, metavar="NAME|FILE", help="A shipped platform, or a platform file.")
@click.pass_context
def command(ctx: click.Context, folder: Path | None, name: str) -> None:
    """Start a bench; a folder that has themes already keeps them where they are, and their present release is kept."""
    root = (start_folder(ctx) / folder if folder else start_folder(ctx)).resolve()
    from protypon.core.platform import platform

    here = start_folder(ctx)
    platform.load(name, here)
    make_folders(str(root))
    plan, bench, told = plan_init(root, name, here)
    with apply.locked(bench.store, "init"):
        plan, bench, told = plan_init(root, name, here)
        apply.carry_out(plan, bench.store)
    from protypon.render.kept_text import render
    from protypon.render.text import Page

    page = Page()
    bench = Bench(root)
    page.line(f"a bench for {bench.platform.title} in {root}")
    render(page, told)
    bench.close()
    shelf = bench.themes_folder
    page.line(f"themes go into {shelf.relative_to(root) if shelf != root else 'this folder'}")
    page.next("protypon survey" if told else f"cp -r PARENT {shelf}/ && " + command_line("keep", f"{shelf}/PARENT"), 0)
