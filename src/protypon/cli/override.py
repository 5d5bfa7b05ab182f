"""protypon override"""

from __future__ import annotations

import json
import math
import sys
from pathlib import Path
from typing import Any

import click

from protypon.cli import completing
from protypon.cli.context import child_option, open_bench, subcommand, writing
from protypon.core.actions.override import Taken, plan_override
from protypon.core.model.errors import BadInput, Usage
from protypon.core.units.placing import Asked
from protypon.render.commands import command_line
from protypon.render.plain import write_note


@subcommand(
    "override",
    epilog="""\b
Examples:
  protypon override parts/footer.html --why "our own credit line"
  protypon override template:parts/head.html --from seabed
  protypon override template:leaves/page.php --for home
  protypon override block:pages/base.html#notices
  protypon override function:opening_hours
  protypon override hook:notice-board#tide_notice --detach
  protypon override hook:page-end#closing_line --order 20
  protypon override hook:notice-board --attach lamp_notice --order 40
  protypon override item:picture-size#card --remove
  protypon override value:page_width --value 1200
  protypon override setting:settings.json#home.cards --value 4
  protypon override 'text:lang/en.json#"footer.hours"' --value 'Open with the tide'
  protypon override 'rule:styles/exhibit.css#.gallery .plate-note' --set font-size=1rem
  protypon override --load hours.json --child old-pier""",
)
@click.argument("units", nargs=-1, metavar="UNIT...", shell_complete=completing.addresses)
@child_option
@click.option(
    "--from",
    "source",
    shell_complete=completing.slugs,
    metavar="SLUG",
    help="Take it from this ancestor, and go on comparing with it; default: the nearest.",
)
@click.option("--why", default="", metavar="TEXT", help="Why; goes into the ledger.")
@click.option("--detach", is_flag=True, help="Of a callback: take it off its point.")
@click.option("--order", type=int, metavar="N", help="Of a callback: run it with this order number.")
@click.option(
    "--attach", default="", metavar="NAME", help="Of a point: attach this function; it is begun if it is not there."
)
@click.option("--remove", is_flag=True, help="Of an item: take it away.")
@click.option(
    "--value", metavar="V", help="Of a value, variable, setting or text: what it is set to; JSON, or else a text."
)
@click.option(
    "--for",
    "kind",
    default="",
    metavar="KIND",
    shell_complete=completing.pages,
    help="Of a template: for pages of this kind only.",
)
@click.option("--around", is_flag=True, help="Of a block: print the parent's text too, and write around it.")
@click.option(
    "--set",
    "declared",
    multiple=True,
    metavar="PROPERTY=VALUE",
    help="Of a rule of a sheet: what yours says; can be repeated.",
)
@click.option(
    "--load",
    "loaded",
    metavar="FILE",
    type=click.Path(path_type=Path),
    help="Take the overrides of a file that drop --save-as wrote.",
)
@click.option("--yes", is_flag=True, help="Copy further functions too, where one can't be replaced without.")
@click.pass_context
def command(
    ctx: click.Context,
    units: tuple[str, ...],
    child: str | None,
    source: str | None,
    why: str,
    detach: bool,
    order: int | None,
    attach: str,
    remove: bool,
    value: str | None,
    kind: str,
    around: bool,
    declared: tuple[str, ...],
    loaded: Path | None,
    yes: bool,
) -> None:
    """Take something over from the parent, so that you can change it, in the way that works on this platform.

    UNIT is an address (template:parts/footer.html, function:opening_hours), a path, or a name that fits only one. A file
    is copied byte for byte; of a template one block alone, too, in a file that extends the parent's. A function, class or
    method is replaced, a callback taken off its point or given another number, one attached, an item removed, a value, a
    variable or a key of the settings and texts set, a region declared, a rule of a sheet written into yours with the
    least that wins. What goes into your code is followed first, to see that it has that effect.
    """
    if bool(units) == (loaded is not None):
        raise Usage("name units, or a file with --load", "as in: protypon override parts/footer.html")
    if loaded is not None:
        _load(ctx, child, loaded)
        return
    asked = Asked(why, detach, order, attach, remove, read_value(value), value is not None, kind, around, declared)
    with writing(ctx) as bench:
        theme = bench.child(child)
        plan, taken = plan_override(bench, theme, units, source, why, asked)
        ask_agreement(taken, yes)
        bench.carry_out(plan)
    from protypon.render.text import STYLES, Page

    page = Page()
    for item in taken:
        page.line(("taken     ", STYLES["ok"]), (item.unit.address, "bold"), f" from {item.source}")
        if item.words:
            page.paragraph(
                f"{item.words}; in {item.file}"
                + (f", as {item.called}" if item.called not in ("", item.unit.path, item.unit.name) else ""),
                10,
            )
        for also in item.chain:
            page.paragraph(also, 10)
        for words, step in item.notes:
            page.paragraph(words, 10)
            page.next(step, 10)
    page.paragraph(f"edit it in {theme.slug}, then:", 10)
    page.next(command_line("check", theme.slug), 10)


def _load(ctx: click.Context, child: str | None, file: Path) -> None:
    """Take a set of overrides, and tell how each stands with the release that is here."""
    from protypon.core.actions.sets import MOST_BYTES, plan_load
    from protypon.core.check.check import check
    from protypon.core.files.folder import reading_named
    from protypon.render.commands import with_commands
    from protypon.render.text import STYLES, Page

    with writing(ctx) as bench:
        theme = bench.child(child)
        try:
            with reading_named(str(file), MOST_BYTES) as stream:
                data = stream.read()
        except OSError as error:
            hint = "name a file that drop --save-as wrote"
            raise BadInput(f"{file}: can't be read: {error.strerror or error}", hint) from error
        plan, told = plan_load(bench, theme, data, str(file))
        bench.carry_out(plan)
    report = with_commands(check(open_bench(ctx), [theme.slug])[0][0])
    verdicts = {row["unit"]: row for row in report["overrides"]}
    page = Page()
    for item in told:
        row = verdicts.get(item.unit.address)
        if item.record is None or row is None:
            page.line(("left      ", STYLES["warning"]), (item.unit.address, "bold"))
            page.paragraph(item.why, 10)
            continue
        page.line(("taken     ", STYLES["ok"]), (item.unit.address, "bold"), f"  {row['verdict']}")
        if row["verdict"] != "holds":
            page.paragraph(row["because"], 10)
            page.next(row["next"], 10)
    page.next(command_line("check", theme.slug), 0)
    ctx.exit(1 if any(item.record is None for item in told) else 0)


def read_value(text: str | None) -> Any:
    """A value as it was typed: JSON where it is that, else the text itself."""
    if text is None:
        return None
    try:
        value = json.loads(text, parse_constant=_no_number)
    except (ValueError, RecursionError):
        return text
    if value is not None and not _can_be_kept(value):
        raise Usage(
            f"--value {text}: null inside of it, or a number past all bounds, can't be kept", "write it without"
        )
    return value


def _can_be_kept(value: Any) -> bool:
    """The ledger is TOML, which has no null."""
    if isinstance(value, dict | list):
        return all(map(_can_be_kept, value.values() if isinstance(value, dict) else value))
    return value is not None and not (isinstance(value, float) and math.isinf(value))


def _no_number(text: str) -> float:
    """NaN and the infinities are no JSON (RFC 8259, section 6)."""
    raise ValueError(text)


def ask_agreement(taken: list[Taken], yes: bool) -> None:
    """Ask before further functions are copied. Raises Usage where nobody can be asked."""
    chain = [also for item in taken for also in item.chain]
    if not chain or yes:
        return
    units = ", ".join(item.unit.address for item in taken if item.chain)
    if not sys.stdin.isatty():
        words = "; ".join(chain[:4]) + (f" and {len(chain) - 4} more" if len(chain) > 4 else "")
        raise Usage(f"{units} can't be replaced alone: {words}; nothing was changed", "if that is meant, add --yes")
    for item in taken:
        write_note(f"{item.unit.address}: {item.words}")
    for also in chain:
        write_note(f"  {also}")
    click.confirm("Copy them too?", abort=True, err=True)
