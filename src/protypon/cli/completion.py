"""protypon completion"""

from __future__ import annotations

import os
from contextlib import suppress
from importlib import import_module
from pathlib import Path

import click

from protypon.cli.context import subcommand
from protypon.core.files.folder import make_folders, reading_named, write_named
from protypon.core.model.errors import ProtyponError, Usage
from protypon.render.plain import write_document

SHELLS = ("bash", "zsh", "fish")
VARIABLE = "_PROTYPON_COMPLETE"
"""What a shell sets when it asks; a script without it is not ours."""
MOST_BYTES = 1_000_000


@subcommand(
    "completion",
    epilog="""\b
Examples:
  protypon completion --install
  protypon completion zsh --install
  protypon completion bash

Completed are commands, options, themes, addresses, kinds of page, verdicts, codes, platforms and steps.""",
)
@click.argument("shell", required=False, type=click.Choice(SHELLS))
@click.option("--install", is_flag=True, help="Write it to where your shell looks for it, in your home folder.")
@click.pass_context
def command(ctx: click.Context, shell: str | None, install: bool) -> None:
    """Print what makes your shell complete the words of protypon, or install it; default: the shell that you use."""
    from click.shell_completion import get_completion_class

    import_module("protypon.cli.bash")
    name = shell or os.path.basename(os.environ.get("SHELL", ""))
    found = get_completion_class(name) if name in SHELLS else None
    if found is None:
        raise Usage(f"which shell: {name or 'SHELL is not set'}?", f"name one of: {', '.join(SHELLS)}")
    text = found(ctx.find_root().command, {}, "protypon", VARIABLE).source()
    if not install:
        write_document(text)
        return
    from protypon.render.text import Page

    place, then = _place(name)
    _write(place, text)
    page = Page()
    page.line("written to ", (str(place), "bold"))
    page.paragraph(then, 2)


def _place(shell: str) -> tuple[Path, str]:
    """Where a shell looks for completions of a person's own, and what is left to do. Raises ProtyponError without a home."""
    try:
        home = Path.home()
    except RuntimeError:  # HOME is not set, and the system knows no person of this number
        raise ProtyponError(
            "whose home folder: HOME is not set", "print it instead with: protypon completion"
        ) from None
    data = Path(os.environ.get("XDG_DATA_HOME") or home / ".local/share")
    config = Path(os.environ.get("XDG_CONFIG_HOME") or home / ".config")
    if shell == "bash":
        place = data / "bash-completion/completions/protypon"
        return place, f"begin a new shell; where bash-completion is not installed, put into ~/.bashrc: . {place}"
    if shell == "fish":
        return config / "fish/completions/protypon.fish", "begin a new shell"
    place = data / "zsh/site-functions/_protypon"
    return place, f"put into ~/.zshrc, before compinit: fpath=({place.parent} $fpath); then begin a new shell"


def _write(place: Path, text: str) -> None:
    """Write the script. Raises ProtyponError where another one is there, or the place can't be written."""
    try:
        with suppress(FileNotFoundError), reading_named(str(place), MOST_BYTES) as stream:
            if VARIABLE.encode() not in stream.read():
                raise ProtyponError(
                    f"{place}: is there already, and is not ours; nothing was overwritten", "move it aside"
                )
        make_folders(str(place.parent))
        write_named(str(place), text.encode())
    except OSError as error:
        raise ProtyponError(
            f"{place}: can't be written: {error.strerror}", "print it instead with: protypon completion"
        ) from error
