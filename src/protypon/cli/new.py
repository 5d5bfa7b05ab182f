"""protypon new"""

from __future__ import annotations

from contextlib import ExitStack
from pathlib import Path

import click

from protypon.cli.context import slug_argument, subcommand, writing
from protypon.core.actions.new import plan_new
from protypon.core.files import archives
from protypon.core.model.errors import Usage
from protypon.render.commands import command_line


@subcommand(
    "new",
    epilog="""\b
Example:
  protypon new lantern-rock --parent breakwater --set maker="Lantern Rock Museum" """,
)
@click.argument("slug")
@click.option("--parent", required=True, metavar="SLUG", shell_complete=slug_argument, help="The parent's slug.")
@click.option("--title", metavar="T", help="Title; default: made from the slug.")
@click.option(
    "--set",
    "fields",
    multiple=True,
    metavar="FIELD=VALUE",
    help="Any field of the manifest; lists are split at commas.",
)
@click.option(
    "--starter",
    type=click.Path(path_type=Path),
    metavar="PATH",
    help="Begin from this theme: its old name is replaced everywhere.",
)
@click.pass_context
def command(
    ctx: click.Context, slug: str, parent: str, title: str | None, fields: tuple[str, ...], starter: Path | None
) -> None:
    """Start a child theme beside its parent: manifest, own style sheet, what is not inherited, ledger."""
    pairs = field_pairs(fields)
    with ExitStack() as stack:
        bench = stack.enter_context(writing(ctx))
        begin = stack.enter_context(archives.opened(starter)) if starter else None
        plan, started = plan_new(bench, slug, parent, title, pairs, begin)
        bench.carry_out(plan)
    from protypon.render.text import Page

    page = Page()
    page.line((started.slug, "bold"), f" is in {started.folder}")
    page.columns(started.files)
    if started.renamed:
        page.paragraph(f"the starter's name was replaced in: {', '.join(started.renamed)}", 2)
    for note in started.notes:
        page.paragraph(note, 2)
    page.next(command_line("override", "UNIT", "--child", started.slug), 2)


def field_pairs(texts: tuple[str, ...]) -> dict[str, str]:
    """What ``--set`` was given. Raises Usage for what is not FIELD=VALUE."""
    return dict(_pair(text) for text in texts)


def _pair(text: str) -> tuple[str, str]:
    name, sign, value = text.partition("=")
    if not sign or not name:
        raise Usage(f"--set {text!r} is not FIELD=VALUE", "as in --set summary='For the lighthouse museum'")
    return name, value
