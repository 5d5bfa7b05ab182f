"""Make the man pages in docs/man/man1/ anew from the help of the commands: man -M docs/man protypon-check

    python docs/make_man_pages.py            writes them
    python docs/make_man_pages.py --check    ends with 1 where one is not what it would write

The form is that of man(7): a title, NAME, SYNOPSIS, DESCRIPTION, OPTIONS and what the help says at its end.
"""

from __future__ import annotations

import inspect
import sys
from collections.abc import Iterator
from pathlib import Path

import click

from protypon import __version__
from protypon.cli.main import COMMANDS, cli

TARGET = Path(__file__).parent.resolve() / "man/man1"


def pages() -> Iterator[tuple[str, str]]:
    """The name and the text of every page."""
    top = click.Context(cli, info_name="protypon", **cli.context_settings)
    others = [f".BR protypon-{name} (1):\n{_escaped(short)}" for name, short in COMMANDS.items()]
    yield "protypon", _page(top, "protypon", "carry the overrides of a child theme through its parent's releases", others)
    for name, short in COMMANDS.items():
        command = cli.get_command(top, name)  # type: ignore[attr-defined]
        context = click.Context(command, top, info_name=name)
        below = []
        for inner, each in getattr(command, "commands", {}).items():
            title = f"protypon-{name}-{inner}"
            below.append(f".BR {title} (1):\n{_escaped(each.get_short_help_str(200))}")
            yield title, _page(click.Context(each, context, info_name=inner), title, each.get_short_help_str(200), [])
        yield f"protypon-{name}", _page(context, f"protypon-{name}", short, below)


def _page(context: click.Context, title: str, short: str, commands: list[str]) -> str:
    command = context.command
    usage = " ".join(command.collect_usage_pieces(context))
    rows = [
        f'.TH "{title.upper()}" "1" "" "protypon {__version__}" "Protypon"',
        ".SH NAME",
        f"{title} \\- {_escaped(short.rstrip('.'))}",
        ".SH SYNOPSIS",
        f".B {_escaped(context.command_path)}",
        _escaped(usage),
        ".SH DESCRIPTION",
        *_paragraphs(inspect.cleandoc(command.help or "")),
        ".SH OPTIONS",
    ]
    for parameter in command.get_params(context):
        record = parameter.get_help_record(context) if isinstance(parameter, click.Option) else None
        if record is not None:
            rows += [".TP", f".B {_escaped(record[0])}", _escaped(record[1])]
    if commands:
        rows += [".SH COMMANDS", *(f".TP\n{each}" for each in commands)]
    rows += list(_epilog(command.epilog or ""))
    return "\n".join(rows) + "\n"


def _paragraphs(text: str) -> Iterator[str]:
    for number, part in enumerate(text.split("\n\n")):
        if number:
            yield ".PP"
        yield _escaped(" ".join(part.split()))


def _epilog(text: str) -> Iterator[str]:
    """Its parts: a heading with lines that stay as they are, or a paragraph."""
    for part in text.split("\n\n"):
        lines = [line for line in part.strip().split("\n") if line.strip() and line != "\b"]
        if not lines:
            continue
        if lines[0].endswith(":") and len(lines) > 1:
            yield f".SH {_escaped(lines[0].rstrip(':').upper())}"
            yield from (".nf", *(_escaped(line.strip()) for line in lines[1:]), ".fi")
        else:
            head, colon, rest = " ".join(lines).partition(": ")
            yield from (f".SH {_escaped(head.upper())}", _escaped(rest)) if colon and len(head) < 20 else (".PP", _escaped(head + colon + rest))


def _escaped(text: str) -> str:
    """A line that troff takes as text: no escape of its own, no request at its beginning."""
    plain = text.replace("\\", "\\e").replace("-", "\\-")
    return f"\\&{plain}" if plain.startswith((".", "'")) else plain


def main() -> int:
    """Write the pages, or say which are not as they would be."""
    wanted = {f"{name}.1": text for name, text in pages()}
    there = {path.name: path.read_text("utf-8") for path in TARGET.glob("*.1")}
    if "--check" in sys.argv:
        for name in sorted(name for name in {*wanted, *there} if wanted.get(name) != there.get(name)):
            print(f"docs/man/man1/{name} is not what the help says now: python docs/make_man_pages.py")
        return int(wanted != there)
    TARGET.mkdir(parents=True, exist_ok=True)
    for name in there.keys() - wanted.keys():
        (TARGET / name).unlink()
    for name, text in wanted.items():
        (TARGET / name).write_text(text, "utf-8")
    return 0


if __name__ == "__main__":
    sys.exit(main())
