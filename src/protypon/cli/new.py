"""protypon new"""

from __future__ import annotations

import sys
from contextlib import ExitStack
from pathlib import Path

import click

from protypon.cli import completing
from protypon.cli.context import open_bench, subcommand, writing
from protypon.core.actions.naming import ASKED, PURPOSES, field_rows, meaning_of
from protypon.core.actions.new import plan_new
from protypon.core.files import archives
from protypon.core.model.errors import Usage
from protypon.render.commands import command_line
from protypon.render.plain import write_line


@subcommand(
    "new",
    epilog="""\b
Examples:
  protypon new lantern-rock --parent breakwater --set maker="Lantern Rock Museum"
  protypon new gull-point --parent breakwater --starter themes/old-pier
  protypon new --fields""",
)
@click.argument("slug", required=False)
@click.option(
    "--parent", metavar="SLUG", shell_complete=completing.slugs, help="The parent's slug; asked for at a terminal."
)
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
@click.option("--fields", "tell", is_flag=True, help="Tell which fields a manifest has, with what each is for.")
@click.pass_context
def command(
    ctx: click.Context,
    slug: str | None,
    parent: str | None,
    title: str | None,
    fields: tuple[str, ...],
    starter: Path | None,
    tell: bool,
) -> None:
    """Start a child theme beside its parent: manifest, own style sheet, what is not inherited, ledger.

    At a terminal it asks for what it was not given. Fields may be called by usual other words too: author is the maker,
    description the summary.
    """
    if tell:
        _tell_fields(ctx)
        return
    if slug is None or parent is None:
        slug, parent, title, fields = _ask_answers(ctx, slug, parent, title, fields)
    pairs = field_pairs(fields)
    with ExitStack() as stack:
        bench = stack.enter_context(writing(ctx))
        begin = stack.enter_context(archives.open_intake(starter)) if starter else None
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


def _tell_fields(ctx: click.Context) -> None:
    """The fields of the bench's platform."""
    from protypon.render.text import Page

    page, platform = Page(), open_bench(ctx).platform
    page.line(f"fields of a manifest of {platform.title}, as --set FIELD=VALUE takes them")
    page.columns((name, purpose) for name, _, purpose in field_rows(platform.manifests[0]))


Answers = tuple[str, str, str | None, tuple[str, ...]]


def _ask_answers(
    ctx: click.Context, slug: str | None, parent: str | None, title: str | None, fields: tuple[str, ...]
) -> Answers:
    """Ask a person at a terminal for what was not given. Raises Usage elsewhere."""
    bench = open_bench(ctx)
    parents = sorted(bench.themes)
    if not (sys.stdin.isatty() and sys.stdout.isatty()):
        what = "SLUG" if slug is None else "--parent"
        known = f"; themes here: {', '.join(parents[:6])}" if parents else ""
        raise Usage(
            f"{what} is wanted{known}",
            f"as in: {command_line('new', slug or 'SLUG', '--parent', parents[0] if parents else 'SLUG')}",
        )
    platform = bench.platform
    slug = slug or click.prompt(f"slug ({platform.slug_says})")
    default = next(
        (s for s in parents if any(s in t.parents for t in bench.themes.values())), parents[0] if parents else None
    )
    if len(parents) > 1 and parent is None:
        write_line(f"themes here: {', '.join(parents)}")
    parent = parent or click.prompt("parent: the slug of the theme that it builds on", default=default)
    form, given = platform.manifests[0], {meaning_of(platform.manifests[0], name) for name in field_pairs(fields)}
    for name in ASKED:
        if name not in form.fields or name in given or (name == "title" and title):
            continue
        usual = str(slug).replace("-", " ").replace("_", " ").title() if name == "title" else ""
        answer = click.prompt(f"{name.replace('_', ' ')}: {PURPOSES[name]}", default=usual, show_default=bool(usual))
        if name == "title":
            title = answer
        elif answer:
            fields = (*fields, f"{name}={answer}")
    return str(slug), str(parent), title, fields


def field_pairs(texts: tuple[str, ...]) -> dict[str, str]:
    """What ``--set`` was given. Raises Usage for what is not FIELD=VALUE."""
    return dict(_pair(text) for text in texts)


def _pair(text: str) -> tuple[str, str]:
    name, sign, value = text.partition("=")
    if not sign or not name:
        raise Usage(f"--set {text!r} is not FIELD=VALUE", "as in --set summary='For the lighthouse museum'")
    return name, value
