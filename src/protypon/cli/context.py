"""What every command shares: the bench, options that mean the same everywhere, and where output goes."""

from __future__ import annotations

import sys
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any, TypeVar

import click

from protypon.cli import completing
from protypon.core.files.listing import Progress
from protypon.core.model.errors import BadInput, Usage
from protypon.core.model.nouns import Theme
from protypon.core.themes.bench import Bench, find
from protypon.render.plain import write_json, write_progress

Command = TypeVar("Command", bound=Callable[..., Any])


TYPED = "protypon.typed"
DRY_RUN = "--dry-run"


class Once(click.Command):
    """A command that refuses an option which means one thing and is given twice, and that can tell what it does."""

    def __init__(self, *given: Any, **more: Any) -> None:
        super().__init__(*given, **more)
        help_text = "Tell on standard error what is read, asked and decided; of a failure, the trace."
        self.params.append(
            click.Option(["-v", "--verbose"], is_flag=True, expose_value=False, callback=_begin_telling, help=help_text)
        )

    def parse_args(self, ctx: click.Context, args: list[str]) -> list[str]:
        ctx.meta[TYPED] = list(args)
        _, _, order = self.make_parser(ctx).parse_args(list(args))
        for option in () if ctx.resilient_parsing else order:  # completion never complains
            if (
                isinstance(option, click.Option)
                and not option.multiple
                and not option.is_flag
                and order.count(option) > 1
            ):
                raise click.UsageError(f"{option.opts[-1]} is given twice, and means one thing", ctx)
        return super().parse_args(ctx, args)


class Several(click.Group):
    """A group of commands. What is mistyped is never answered with one that writes, as Click's own suggestion may be."""

    def resolve_command(
        self, ctx: click.Context, args: list[str]
    ) -> tuple[str | None, click.Command | None, list[str]]:
        try:
            return super().resolve_command(ctx, args)
        except click.UsageError as error:
            raise click.UsageError(f"{error.message.rstrip('.')}\nsee: {ctx.command_path} --help", ctx) from None


def subcommand(name: str, **more: Any) -> Callable[[Callable[..., Any]], click.Command]:
    """Declare a command of the program."""
    return click.command(name, cls=Once, **more)


def _begin_telling(ctx: click.Context, param: click.Parameter, value: bool) -> None:
    if value:
        from protypon.cli.telling import begin

        begin()


def start_folder(ctx: click.Context) -> Path:
    """The folder that ``-C`` names, or the one we are in. Raises BadInput where it is none."""
    folder = ctx.find_root().obj or Path()
    if not folder.is_dir():
        raise BadInput(f"{folder}: there is no such folder", "name a bench with -C BENCH")
    return Path(folder)


def progress() -> Progress | None:
    """On a terminal, one line on standard error that tells what has taken over a second so far; elsewhere nothing."""
    if not sys.stderr.isatty():
        return None
    begun = said = time.monotonic()

    def tell(what: str, number: int) -> None:
        nonlocal said
        now = time.monotonic()
        if now - begun > 1 and now - said > 0.1:
            said = now
            write_progress(f"{number:,} {what} …")

    return tell


def shortest(path: Path) -> Path:
    """A path as one would type it here."""
    return path.relative_to(Path.cwd()) if path.is_relative_to(Path.cwd()) else path


def bench_as_it_is(ctx: click.Context) -> Bench:
    """The bench of this command, with nothing finished first; closed when the command ends."""
    bench = Bench(find(start_folder(ctx)), progress=progress())
    ctx.call_on_close(bench.close)
    return bench


def open_bench(ctx: click.Context) -> Bench:
    """The bench of this command, with whatever a killed one left finished."""
    bench = bench_as_it_is(ctx)
    bench.finish_pending()
    return bench


@contextmanager
def writing(ctx: click.Context) -> Iterator[Bench]:
    """The bench of this command, locked while it reads, plans and writes."""
    bench = bench_as_it_is(ctx)
    with bench.writing(ctx.info_name or "a command"):
        yield bench


def child_option(command: Command) -> Command:
    return click.option(
        "--child",
        metavar="SLUG",
        shell_complete=completing.children,
        help="Which child; may be left out where there is one.",
    )(command)


def children_options(command: Command) -> Command:
    """Options of a command that can do the same in several children: ``children``, ``all_children``."""
    command = click.option("--all-children", is_flag=True, help="In every child that has it.")(command)
    return click.option(
        "--child",
        "children",
        multiple=True,
        metavar="SLUG",
        shell_complete=completing.children,
        help="Which child; may be left out where there is one, and given several times.",
    )(command)


def chosen_children(bench: Bench, children: tuple[str, ...], all_children: bool) -> list[Theme]:
    """The children that the options of :func:`children_options` mean. Raises UnknownName, and Usage for both at once."""
    if children and all_children:
        raise Usage("--child and --all-children can't both be meant", "leave one of them out")
    if all_children and bench.children:
        return list(bench.children)
    return [bench.child(slug) for slug in dict.fromkeys(children)] or [bench.child(None)]


def format_option(command: Command) -> Command:
    return click.option(
        "--format",
        "form",
        type=click.Choice(["text", "json"]),
        default="text",
        show_default=True,
        help="For people or for programs.",
    )(command)


def dry_run_option(command: Command) -> Command:
    return click.option(DRY_RUN, is_flag=True, help="Say what would change, and change nothing.")(command)


def for_real(ctx: click.Context) -> str:
    """What was typed, without ``--dry-run``: the next step of a dry run."""
    from protypon.render.commands import command_line

    return command_line(ctx.info_name or "", *(word for word in ctx.meta[TYPED] if word != DRY_RUN))


def print_json(table: Any) -> None:
    write_json(table)
