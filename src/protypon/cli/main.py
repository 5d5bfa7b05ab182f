"""The command line: one group, its commands imported when they are called, expected errors as a few lines."""

from __future__ import annotations

import os
import sys
from contextlib import suppress
from importlib import import_module
from pathlib import Path

import click

from protypon import __version__
from protypon.core.model.errors import ProtyponError
from protypon.render.commands import command_line, sentence
from protypon.render.plain import write_document, write_error, write_note

COMMANDS = {
    "survey": "Look at a folder or archive: which themes, who is whose parent, what looks wrong.",
    "init": "Start a bench, and keep the present release of every theme in it.",
    "keep": "Keep a release of every theme found in a folder or archive.",
    "new": "Start a child theme beside its parent.",
    "twin": "Copy a theme under a new name, in every place that repeats it.",
    "override": "Take something over from the parent: a file, or a unit inside one.",
    "points": "List hook points in page order: what runs at each, and what a child changes there.",
    "explain": "Say what is in force for one unit, from where, and what it hides.",
    "find": "From words on a page to what prints them, and every way to change it.",
    "trial": "RUN the lineage's code apart, and hold what ran against what was worked out.",
    "recorder": "Write what your own test site loads first, to record what really runs on it.",
    "check": "Say of every override whether it still applies, and what to do next.",
    "compare": "Show what the parent and the child each changed of one unit, and how they meet.",
    "update": "Bring in a parent's new release and carry the overrides over.",
    "settle": "Keep yours: compare it with the parent's present text from now on.",
    "drop": "Take an override out and fall back to the parent's.",
    "lighten": "Turn a copied file into overrides that say just what differs.",
    "mend": "Carry out the mechanical next steps that a check names.",
    "adopt": "Begin a ledger for a child made by hand.",
    "pack": "Make the archive that the platform installs.",
    "rescue": "Turn edits in a parent's folder into overrides, and put it back.",
    "undo": "Take back the last command that wrote, byte for byte.",
    "store": "Check and repair what the bench remembers: kept releases, the journal.",
    "platform": "List, show and check platform files.",
    "demo": "Lay out the demo bench and play its story.",
    "completion": "Have your shell complete commands, addresses and names.",
}
"""Every command with its short help, in the order of the work; the module of the same name is imported on demand."""


READING = ("survey", "points", "explain", "find", "check", "compare", "platform")
"""Commands that change nothing."""
DEEPEST = 4000
"""How deep calls may go: what a theme's code does is followed call by call."""


class Commands(click.Group):
    """A group whose commands are modules of this package."""

    def list_commands(self, ctx: click.Context) -> list[str]:
        return list(COMMANDS)

    def get_command(self, ctx: click.Context, cmd_name: str) -> click.Command | None:
        if cmd_name not in COMMANDS:
            return None
        found = import_module(f"protypon.cli.{cmd_name}").command
        assert isinstance(found, click.Command)
        return found

    def format_commands(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:
        with formatter.section("Commands, in the order of the work"):
            formatter.write_dl(list(COMMANDS.items()))

    def resolve_command(
        self, ctx: click.Context, args: list[str]
    ) -> tuple[str | None, click.Command | None, list[str]]:
        try:
            return super().resolve_command(ctx, args)
        except click.UsageError as error:
            from difflib import get_close_matches

            near = get_close_matches(args[0], list(COMMANDS), 1, 0.5)
            # what is mistyped is never answered with something that writes
            reads = bool(near) and near[0] in READING
            hint = f"did you mean: {command_line(near[0])}?" if reads else f"see: {command_line(*near, '--help')}"
            raise click.UsageError(f"{error.message.rstrip('.')}\n{hint}", ctx) from None


@click.command(
    cls=Commands,
    context_settings={"help_option_names": ["-h", "--help"], "max_content_width": 100},
    epilog="Try it:  protypon demo",
)
@click.option(
    "-C",
    "bench",
    metavar="BENCH",
    type=click.Path(path_type=Path),
    help="Work in this bench; default: the nearest folder up that has protypon.toml.",
)
@click.version_option(__version__, "--version", prog_name="protypon")
@click.pass_context
def cli(ctx: click.Context, bench: Path | None) -> None:
    """Know what each override of a child theme claims, what the platform will really do, and what a release changed under it."""
    ctx.obj = bench


def main() -> None:
    """Run the program; exit status as the contract says: 0, 1, 2 wrong usage, 3 bad input or a failed operation."""
    status = run()
    for stream in (sys.stdout, sys.stderr):
        with suppress(OSError, ValueError):
            stream.flush()
    os._exit(status)  # all is closed: to take apart what was read would be a tenth of a check where nothing changed


def run(arguments: list[str] | None = None) -> int:
    """Run the program in this process and return its exit status."""
    sys.setrecursionlimit(DEEPEST)
    if "_PROTYPON_COMPLETE" in os.environ:
        import_module("protypon.cli.bash")
    try:
        status = cli.main(arguments, prog_name="protypon", standalone_mode=False)
        sys.stdout.flush()
        return status if isinstance(status, int) else 0
    except ProtyponError as error:
        _trace()
        alone = error.hint is not None and not isinstance(error.hint, str | tuple)
        write_error(error.message, f"{'next: ' if alone else ''}{sentence(error.hint)}")
        return error.exit_code
    except click.exceptions.NoArgsIsHelpError as error:
        write_document((error.ctx.get_help() if error.ctx else "see: protypon --help") + "\n")
        return 2
    except click.exceptions.Exit as error:
        return error.exit_code
    except click.ClickException as error:
        message, _, hint = error.format_message().partition("\n")
        ctx = getattr(error, "ctx", None)
        write_error(message, hint or (f"see: {ctx.command_path} --help" if ctx else ""))
        return 2
    except (click.Abort, KeyboardInterrupt) as error:
        if isinstance(error.__cause__, EOFError):  # which Click takes for the end of what is typed
            return _report_unexpected(error.__cause__)
        write_error("stopped; nothing is half-written")
        return 130
    except BrokenPipeError:
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        return 0
    except OSError as error:
        _trace()
        where = f"{os.fsdecode(error.filename)}: " if error.filename else ""
        write_error(f"{where}{error.strerror or error}", "free space or mend the rights, then type the same again")
        return 3
    except Exception as error:
        return _report_unexpected(error)


def _report_unexpected(error: Exception) -> int:
    """The last net: one line that names the file in hand, and asks for a report."""
    _trace()
    file = "; ".join(getattr(error, "__notes__", ()))
    where = f"{file}: " if file else ""
    what = f"{type(error).__name__}: {' '.join(str(error).split())}"
    if isinstance(error, RecursionError | MemoryError):
        write_error(
            f"{where}too deep or too large to be read ({type(error).__name__})", "move that file aside, and go on"
        )
    else:
        write_error(
            f"{where}unexpected: {what}; nothing was half-written",
            "please report it, with what the same command prints with --verbose",
        )
    return 3


def _trace() -> None:
    """With ``--verbose``: where it happened."""
    if "logging" not in sys.modules:
        return
    from protypon.cli.telling import is_on

    if is_on():
        import traceback

        for line in traceback.format_exc().splitlines():
            write_note(line)
