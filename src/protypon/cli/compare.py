"""protypon compare"""

from __future__ import annotations

from contextlib import ExitStack
from pathlib import Path

import click

from protypon.cli import completing
from protypon.cli.context import child_option, open_bench, print_json, subcommand

FORMAT = "protypon.compare/1"


@subcommand(
    "compare",
    epilog="""\b
Examples:
  protypon compare template:pages/search.html
  protypon compare 'block:pages/visit.html#aside' --child lantern-rock
  protypon compare parts/footer.html --against downloads/breakwater-2.0.0.zip
  protypon compare parts/footer.html --format patch > footer.patch

P is what the parent changed, Y what you changed, B what both did; - goes, + comes. ^ stands below changed words.
In a terminal of 120 columns the two stand side by side.""",
)
@click.argument("unit", metavar="UNIT", shell_complete=completing.overrides)
@child_option
@click.option(
    "--against",
    type=click.Path(path_type=Path),
    metavar="PATH",
    help="As if this release of a parent were here: folder or archive.",
)
@click.option("--no-pager", is_flag=True, help="Print a long comparison at once.")
@click.option(
    "--format",
    "form",
    type=click.Choice(["text", "json", "patch"]),
    default="text",
    show_default=True,
    help="For people, for programs, or two unified diffs that patch -p1 takes.",
)
@click.pass_context
def command(ctx: click.Context, unit: str, child: str | None, against: Path | None, no_pager: bool, form: str) -> None:
    """Show one override: what the parent changed since it was taken, what you changed, and how the two meet."""
    from protypon.core.actions.compare import comparison
    from protypon.core.check.against import look_at
    from protypon.core.files import archives

    bench = open_bench(ctx)
    with ExitStack() as stack:
        other = look_at(bench, stack.enter_context(archives.open_intake(against))) if against else None
        sides = comparison(bench, bench.child(child), unit, other)
    if form == "json":
        from protypon.render.compare_text import table

        print_json({"format": FORMAT, **table(sides)})
    elif form == "patch":
        from protypon.render.compare_text import patches
        from protypon.render.plain import write_document

        write_document(patches(sides))
    else:
        from protypon.render.compare_text import render
        from protypon.render.text import Page

        render(Page(wide=True, paged=not no_pager), sides)
