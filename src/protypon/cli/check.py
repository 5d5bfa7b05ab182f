"""protypon check"""

from __future__ import annotations

from contextlib import ExitStack
from pathlib import Path
from typing import Any

import click

from protypon.cli import completing
from protypon.cli.context import format_option, open_bench, print_json, subcommand
from protypon.core.check.against import Against, look_at
from protypon.core.check.check import check
from protypon.core.check.weights import SAYS, VERDICTS, WEIGHTS
from protypon.core.files.processes import cores
from protypon.core.model.errors import Usage
from protypon.core.themes.bench import Bench
from protypon.render.commands import with_commands

FORMAT = "protypon.check/1"
VERDICTS_TOLD = "\n".join(
    f"  {name:<12}{SAYS[name]}" for name in sorted(VERDICTS, key=lambda v: -WEIGHTS.index(VERDICTS[v]))
)


@subcommand(
    "check",
    epilog=f"""\b
Examples:
  protypon check
  protypon check lantern-rock --against downloads/breakwater-2.0.0.zip
  protypon check --brief
  protypon check --fail-on error --format json

\b
Verdicts, heaviest first:
{VERDICTS_TOLD}

Exit status: 0 nothing at or above --fail-on, 1 something is, 2 wrong usage, 3 bad input.""",
)
@click.argument("children", nargs=-1, metavar="[CHILD]...", shell_complete=completing.children)
@click.option(
    "--against",
    type=click.Path(path_type=Path),
    metavar="PATH",
    help="As if this release of a parent were here: folder or archive. Changes nothing.",
)
@click.option(
    "--fail-on",
    "limit",
    shell_complete=completing.limits,
    default="warning",
    show_default=True,
    metavar="WEIGHT|VERDICT",
    help=f"Weights: {', '.join(WEIGHTS[1:])}.",
)
@click.option(
    "--jobs",
    type=click.IntRange(1, 64),
    default=cores,
    show_default="the processors there are",
    metavar="N",
    help="Examine so many children at once, where that takes a while.",
)
@click.option("--brief", is_flag=True, help="One line an override, one a finding, and how many there are.")
@format_option
@click.pass_context
def command(
    ctx: click.Context,
    children: tuple[str, ...],
    against: Path | None,
    limit: str,
    jobs: int,
    brief: bool,
    form: str,
) -> int:
    """Say of every override whether it still applies, which hide changes, which merge, which moved or are dead, and what to do next."""
    if limit not in WEIGHTS and limit not in VERDICTS:
        from protypon.core.platform.schema import nearest

        near = nearest(limit, (*WEIGHTS[1:], *VERDICTS))
        known = f"weights: {', '.join(WEIGHTS[1:])}; verdicts: {', '.join(VERDICTS)}"
        raise Usage(
            f"--fail-on {limit!r} is neither a weight nor a verdict", f"did you mean {near}?" if near else known
        )
    if brief and form == "json":
        raise Usage("--brief is for people, and --format json for programs", "leave one of them out")
    bench = open_bench(ctx)
    with ExitStack() as stack:
        other = _against(bench, against, stack) if against else None
        found, platform, label = check(bench, children, other, jobs)
        reports = [with_commands(report) for report in found]
        loose = [] if children or not bench.without_ledger else _loose(bench)
        if form == "json":
            print_json({"format": FORMAT, "platform": platform, "children": reports, "without_ledger": loose})
        else:
            _show(reports, label, loose, brief)
    return (
        1
        if any(_fails(row, limit) for row in loose)
        or any(_fails(row, limit) for r in reports for row in (*r["overrides"], *r["findings"]))
        else 0
    )


def _loose(bench: Bench) -> list[dict[str, Any]]:
    """Children without a ledger."""
    from protypon.core.check.bench_findings import loose_children

    return [with_commands(row) for row in loose_children(bench)]


def _against(bench: Bench, path: Path, stack: ExitStack) -> Against:
    """The theme that stands for a parent of the bench."""
    from protypon.core.files import archives

    return look_at(bench, stack.enter_context(archives.open_intake(path)))


def _fails(row: dict[str, str], limit: str) -> bool:
    """``fatal`` is a weight and a verdict; as a weight it takes in both."""
    if limit in WEIGHTS:
        return row["weight"] != "ok" and WEIGHTS.index(row["weight"]) >= WEIGHTS.index(limit)
    return row.get("verdict") == limit


def _show(reports: list[dict[str, Any]], against: str | None, loose: list[dict[str, Any]], brief: bool) -> None:
    """Print the reports; ``loose`` are children without a ledger."""
    from protypon.render.check_text import render, render_brief
    from protypon.render.text import Page

    page = Page()
    for row in loose:
        page.paragraph(f"{row['theme']}: {row['because']}", 0)
        page.next(row["next"], 0)
    if not reports and not loose:
        page.line("no child in this bench yet")
        page.next("protypon new SLUG --parent SLUG", 0)
    if brief:
        render_brief(page, reports)
    else:
        render(page, reports, against)
