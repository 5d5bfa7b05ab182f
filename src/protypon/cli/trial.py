"""protypon trial"""

from __future__ import annotations

from contextlib import ExitStack
from pathlib import Path

import click

from protypon.cli import completing
from protypon.cli.context import format_option, open_bench, print_json, subcommand
from protypon.core.model.errors import Usage
from protypon.core.themes.snapshot import Snapshot

FORMAT = "protypon.trial/1"


@subcommand(
    "trial",
    epilog="""\b
Examples:
  protypon trial
  protypon trial lantern-rock --page home --page exhibit
  protypon trial --recorded recorded --page home
  protypon trial --against downloads/breakwater-2.0.0.zip --format json

This RUNS the themes' code, which no other command does: apart, by this machine's PHP or Python, behind bubblewrap (no network, nothing to
write, bounds of time, memory and output). Exit status: 0 all came as worked out, 1 something did not, 2 wrong usage, 3 nothing could be run.""",
)
@click.argument("child", required=False, metavar="[CHILD]", shell_complete=completing.children)
@click.option(
    "--page",
    "kinds",
    multiple=True,
    metavar="KIND",
    shell_complete=completing.pages,
    help="Only pages of this kind; may be given again. Default: all.",
)
@click.option(
    "--against",
    type=click.Path(path_type=Path),
    metavar="PATH",
    help="As if this release of a parent were here: folder or archive.",
)
@click.option(
    "--recorded",
    multiple=True,
    type=click.Path(path_type=Path),
    metavar="PATH",
    help="Run nothing: hold recordings of your test site against what was worked out; files, or their folder.",
)
@click.option("--unconfined", is_flag=True, help="Run the code without bubblewrap: it can then do whatever you can.")
@format_option
@click.pass_context
def command(
    ctx: click.Context,
    child: str | None,
    kinds: tuple[str, ...],
    against: Path | None,
    recorded: tuple[Path, ...],
    unconfined: bool,
    form: str,
) -> int:
    """Run the lineage's code apart, on a host made from the platform file, and hold what ran against what was worked out."""
    from protypon.core.check.against import look_at
    from protypon.core.check.examine import present_world
    from protypon.core.trial.trial import held_against, try_out

    bench = open_bench(ctx)
    with ExitStack() as stack:
        theme = bench.theme(child) if child else bench.child(None)
        replaced = {}
        if against is not None:
            from protypon.core.files import archives

            other = look_at(bench, stack.enter_context(archives.open_intake(against))).theme
            replaced = {other.slug: other}
        world = present_world(bench, theme, Snapshot.of_bench(bench), replaced)
        if against is not None and not set(replaced) & set(world.lineage.slugs):
            raise Usage(f"{against}: is no release of an ancestor of {theme.slug}", "name one that is")
        trials = held_against(world, recorded, kinds) if recorded else try_out(world, kinds, unconfined)
    if form == "json":
        print_json({"format": FORMAT, "child": theme.slug, "pages": [_row(trial) for trial in trials]})
    else:
        from protypon.render.text import Page
        from protypon.render.trial_text import render

        render(Page(), theme.slug, list(world.lineage.slugs), trials, unconfined)
    failed = any(trial.differences for trial in trials)
    return 1 if failed else 3 if all(trial.untried for trial in trials) else 0


def _row(trial: object) -> dict[str, object]:
    from protypon.core.trial.trial import Trial

    assert isinstance(trial, Trial)
    told = [{"about": d.about, "worked_out": d.worked_out, "ran": d.ran} for d in trial.differences]
    warnings = [{"because": words, "file": file, "line": line} for words, file, line in trial.warnings]
    return {
        "page": trial.page,
        "held": trial.answers,
        "untried": trial.untried or None,
        "differences": told,
        "warnings": warnings,
    }
