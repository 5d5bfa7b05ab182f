"""protypon recorder"""

from __future__ import annotations

from pathlib import Path

import click

from protypon.cli.context import open_bench, subcommand
from protypon.core.files.folder import write_new
from protypon.core.model.errors import ProtyponError, Usage
from protypon.render.commands import command_line


@subcommand(
    "recorder",
    epilog="""\b
Example:
  protypon recorder --out recorder.php
  php -d auto_prepend_file=recorder.php -S localhost:8000 -t site
  protypon trial --recorded recorded

The file is PHP and nothing else: the site loads it first (auto_prepend_file). After each request it leaves what PHP itself knows, as JSON in
the folder recorded/ beside it. Nothing is sent anywhere. To be done with it, take the setting out again and delete the file.""",
)
@click.option(
    "--out",
    type=click.Path(path_type=Path),
    default=Path("recorder.php"),
    show_default=True,
    metavar="FILE",
    help="Where to write it.",
)
@click.pass_context
def command(ctx: click.Context, out: Path) -> None:
    """Write what your own test site loads first, to record what really runs on it."""
    from protypon.core.trial.recorded import recorder
    from protypon.render.text import Page

    data = recorder(open_bench(ctx).platform)
    try:
        write_new(str(out), data)
    except FileExistsError as error:
        raise Usage(f"--out {out}: is there already; nothing was overwritten", "name another file") from error
    except OSError as error:
        raise ProtyponError(f"--out {out}: can't be written: {error.strerror}", "name another file") from error
    page = Page()
    page.line(f"written: {out}")
    page.paragraph("have the test site load it first (auto_prepend_file in its php.ini), look at some pages, then:", 2)
    page.next(command_line("trial", "--recorded", "recorded"), 2)
