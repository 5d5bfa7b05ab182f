"""A lineage run apart: its files laid out for the host, the interpreter started, the report read."""

from __future__ import annotations

import importlib.util
import json
import sys
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import Any, NamedTuple

from msgspec import Struct

from protypon.core.files.confined import WALL, Finished, run_bounded, wall, walled_command
from protypon.core.files.folder import Folder
from protypon.core.files.programs import own_interpreter, program
from protypon.core.files.temporary import temporary_folder
from protypon.core.model.actions import Help
from protypon.core.model.errors import ProtyponError
from protypon.core.model.nouns import Lineage
from protypon.core.model.paths import LINK
from protypon.core.themes.snapshot import Snapshot
from protypon.core.trial.spec import HOSTS, OFF

HOSTS_IN = Path(__file__).parent
INSIDE, HOST_INSIDE, ORDERS_INSIDE, LIBRARIES_INSIDE = "/trial", "/host", "/orders", "/libraries"
"""Where things lie for code that is run behind a wall: the themes, the program that runs them, what it is told, and what that program imports."""
LIBRARIES = ("jinja2", "markupsafe")


class Interpreter(NamedTuple):
    """What runs a host, and with it the themes' code."""

    language: str
    program: str

    @property
    def visible_paths(self) -> dict[str, str]:
        """What must be seen behind a wall besides the system: there -> here."""
        if self.language != "python":
            return {}
        own = {} if sys.base_prefix == "/usr" else {sys.base_prefix: sys.base_prefix}
        return own | {f"{LIBRARIES_INSIDE}/{name}": str(folder) for name, folder in _libraries().items()}

    def command(self, host: str, orders: str, confined: bool, root: str) -> list[str]:
        """How it is started."""
        if self.language == "python":
            folders = [str(folder.parent) for folder in _libraries().values()]
            libraries = [LIBRARIES_INSIDE] if confined else list(dict.fromkeys(folders))
            return [self.program, "-I", "-S", "-B", host, orders, *libraries]
        return [
            self.program, "-n", "-d", "memory_limit=512M", "-d", "max_execution_time=20", "-d", f"disable_functions={','.join(OFF)}", "-d", "allow_url_fopen=0",
            "-d", "zend.assertions=-1", *(() if confined else ("-d", f"open_basedir={root}:{HOSTS_IN}")), host, orders,
        ]  # fmt: skip


def _libraries() -> dict[str, Path]:
    """The folders of what the host for Python imports."""
    found = {name: importlib.util.find_spec(name) for name in LIBRARIES}
    return {name: Path(spec.origin).parent for name, spec in found.items() if spec is not None and spec.origin}


def interpreter(unconfined: bool, language: str = "php") -> Interpreter:
    """What runs code of a language. Raises ProtyponError where it is not here, or where nothing would hold it in."""
    found = program("php") if language == "php" else own_interpreter()
    if found is None:
        raise ProtyponError(
            "there is no PHP interpreter on this machine, and a trial runs the themes' code", "install php-cli"
        )
    if wall() is None and not unconfined:
        raise ProtyponError(
            f"a trial runs the themes' code, and there is no {WALL} here to hold it in",
            (
                "install bubblewrap; or, for code that you trust with all that you can reach, add --unconfined: ",
                Help("trial"),
            ),
        )
    return Interpreter(language, found)


class Laid:
    """The files of a lineage, as the host finds them."""

    def __init__(self, folder: Folder, root: str, confined: bool) -> None:
        self.folder, self.root, self.confined = folder, root, confined
        self.themes = INSIDE if confined else f"{root}/themes"
        """Where the code that is run finds the themes."""


@contextmanager
def laid_out(lineage: Lineage, snapshot: Snapshot, unconfined: bool) -> Iterator[Laid]:
    """A copy of all files of a lineage, gone in the end; links are left out."""
    confined = wall() is not None and not unconfined
    with temporary_folder("trial") as folder:
        for theme in lineage.themes:
            folder.make(f"themes/{theme.slug}")
            for path, entry in theme.files.items():
                if entry.mode != LINK:
                    above = path.rpartition("/")[0]
                    folder.make(f"themes/{theme.slug}/{above}".rstrip("/"))
                    folder.create(f"themes/{theme.slug}/{path}", snapshot.read(theme, path))
        folder.make("orders")
        yield Laid(folder, folder.display_path("").rstrip("/"), confined)


def run(laid: Laid, spec: dict[str, Any], by: Interpreter) -> tuple[dict[str, Any] | None, str]:
    """Run the host once: its report, or why there is none."""
    laid.folder.remove("orders/spec.json", missing=True)
    laid.folder.create("orders/spec.json", json.dumps(spec).encode("utf-8", "replace"))
    orders, host = (ORDERS_INSIDE, HOST_INSIDE) if laid.confined else (f"{laid.root}/orders", str(HOSTS_IN))
    command = by.command(f"{host}/{HOSTS[by.language]}", f"{orders}/spec.json", laid.confined, laid.root)
    if laid.confined:
        shown = {INSIDE: f"{laid.root}/themes", orders: f"{laid.root}/orders", host: str(HOSTS_IN), **by.visible_paths}
        command = walled_command(command, shown)
    try:
        ran = run_bounded(command)
    except OSError as error:
        return None, f"it can't be started: {error.strerror or error}"
    if ran.why:
        return None, ran.why
    return _read_report(ran)


class _Registered(Struct):
    file: str
    loads: bool


class _Report(Struct):
    """What the host prints in the end; code that it has run may have printed something else."""

    fatal: tuple[str, str, int] | None
    ended: bool
    functions: dict[str, tuple[str, int]]
    classes: dict[str, tuple[str, int]] | None
    points: dict[str, list[tuple[str, Any]]]
    rung: list[tuple[Any, list[str]]]
    items: dict[str, dict[str, Any] | list[Any]]
    values: dict[str, Any]
    constants: dict[str, Any]
    globals: dict[str, Any]
    given: dict[str, Any]
    regions: list[Any]
    sheets: dict[str, dict[str, _Registered] | list[Any]]
    templates: list[str]
    files: list[str]
    warnings: list[tuple[str, str, int]]


def _read_report(ran: Finished) -> tuple[dict[str, Any] | None, str]:
    """The last line of what was printed that is a report."""
    import msgspec

    for line in reversed(ran.out.split(b"\n")[-50:]):
        if line.startswith(b"{"):
            with suppress(msgspec.MsgspecError, ValueError, RecursionError):
                return msgspec.to_builtins(msgspec.json.decode(line, type=_Report)), ""
    return None, f"the interpreter gave no report (status {ran.status})"
