"""protypon init"""

from __future__ import annotations

from pathlib import Path

import click

from protypon.cli import completing
from protypon.cli.context import start_folder, subcommand
from protypon.core.actions.init import plan_init
from protypon.core.files.folder import make_folders
from protypon.core.model.errors import ProtyponError, Usage
from protypon.core.platform.shipped import shipped_platforms
from protypon.core.store import apply
from protypon.core.themes.bench import Bench
from protypon.render.commands import command_line

MOST_LOOSE = 5
"""Children made by hand of which the next step is told one by one."""


@subcommand(
    "init",
    epilog="""\b
Examples:
  protypon init
  protypon init museum-sites --platform quayside""",
)
@click.argument("folder", metavar="[DIR]", required=False, type=click.Path(path_type=Path, file_okay=False))
@click.option(
    "--platform",
    "name",
    shell_complete=completing.platforms,
    metavar="NAME|FILE",
    help="A shipped platform, or a platform file; default: the one of the themes that are there.",
)
@click.pass_context
def command(ctx: click.Context, folder: Path | None, name: str | None) -> None:
    """Start a bench; a folder that has themes already keeps them where they are, and their present release is kept."""
    root = (start_folder(ctx) / folder if folder else start_folder(ctx)).resolve()
    from protypon.core.platform import platform

    here = start_folder(ctx)
    taken = name is None
    name = name or _platform_of(root)
    platform.load(name, here)
    make_folders(str(root))
    plan, bench, told = plan_init(root, name, here)
    with apply.hold_lock(bench.store, "init"):
        plan, bench, told = plan_init(root, name, here)
        apply.carry_out(plan, bench.store)
    from protypon.render.kept_text import render
    from protypon.render.text import Page

    page = Page()
    bench = Bench(root)
    page.line(f"a bench for {bench.platform.title}{', as the themes here are' if taken else ''} in {root}")
    render(page, told)
    loose = [theme.slug for theme in bench.without_ledger]
    bench.close()
    shelf = bench.themes_folder
    page.line(f"themes go into {shelf.relative_to(root) if shelf != root else 'this folder'}")
    if loose:
        page.paragraph(f"with a parent here and no ledger: {', '.join(loose)}", 0)
        for slug in loose[:MOST_LOOSE]:
            page.next(command_line("adopt", slug), 0, f"if {slug} is yours, made by hand: ")
        page.next(
            command_line("new", "SLUG", "--parent", loose[0]),
            0,
            "to build on it: " if len(loose) == 1 else "to build on one: ",
        )
        return
    page.next("protypon survey" if told else f"cp -r PARENT {shelf}/ && " + command_line("keep", f"{shelf}/PARENT"), 0)


def _platform_of(root: Path) -> str:
    """The platform that the themes in a folder are of. Raises Usage where that can't be told."""
    from protypon.core.files.folder import Folder
    from protypon.core.themes.guess import guess_here

    try:
        guess = guess_here(Folder(str(root)), root.name)
    except (OSError, ProtyponError):  # there is no such folder yet
        guess = None
    if guess is None:
        raise Usage(
            "which platform? No theme of one lies here to tell",
            f"add --platform, one of: {', '.join(shipped_platforms())}",
        )
    return guess.platform.name
