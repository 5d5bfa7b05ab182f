"""The program under test: the built one, or the same code in a process forked from this one, which spares its start.

The first run of each command, and all with ``PROTYPON_BUILT=1``, are of the built program.
"""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import tempfile
from collections.abc import Callable
from importlib import import_module
from pathlib import Path

from protypon.cli import main

PROGRAM = [str(Path(sys.executable).with_name("protypon"))]
if not Path(PROGRAM[0]).exists():
    PROGRAM = [sys.executable, "-m", "protypon"]
SECONDS = 300
Done = subprocess.CompletedProcess[str]

_built: set[str] = set()
_always_built = bool(os.environ.get("PROTYPON_BUILT"))


def preload() -> None:
    """Import what commands import when they need it: a forked process has it then."""
    for name in main.COMMANDS:
        import_module(f"protypon.cli.{name}")
    for name in (
        "core.check.examine",
        "core.store.apply",
        "core.store.git",
        "render.text",
        "render.check_text",
        "render.survey_text",
        "core.actions.keep",
    ):
        import_module(f"protypon.{name}")


def run(
    arguments: tuple[str, ...], cwd: Path, env: dict[str, str] | None = None, prepare: Callable[[], None] | None = None
) -> Done:
    """Run one command in a folder; what it prints is caught. ``prepare`` is called first, in a process that is forked."""
    command = next((a for a in arguments if a in main.COMMANDS), "")
    if prepare is None and (_always_built or command not in _built):
        _built.add(command)
        return run_built(arguments, cwd, env)
    return _run_forked(arguments, cwd, env or {}, prepare or _nothing)


def _nothing() -> None:
    pass


def run_built(arguments: tuple[str, ...], cwd: Path, env: dict[str, str] | None = None) -> Done:
    return subprocess.run(
        [*PROGRAM, *arguments],
        cwd=cwd,
        env={**os.environ, **(env or {})},
        stdin=subprocess.DEVNULL,
        capture_output=True,
        text=True,
        errors="surrogateescape",
        timeout=SECONDS,
    )


def _run_forked(arguments: tuple[str, ...], cwd: Path, env: dict[str, str], prepare: Callable[[], None]) -> Done:
    with tempfile.TemporaryFile() as out, tempfile.TemporaryFile() as err:
        child = os.fork()
        if child == 0:
            _in_child(list(arguments), cwd, env, (out.fileno(), err.fileno()), prepare)
        status = os.waitstatus_to_exitcode(os.waitpid(child, 0)[1])
        texts = []
        for stream in (out, err):
            stream.seek(0)
            texts.append(stream.read().decode("utf-8", "surrogateescape"))
    return subprocess.CompletedProcess(["protypon", *arguments], status, *texts)


def _in_child(
    arguments: list[str], cwd: Path, env: dict[str, str], streams: tuple[int, int], prepare: Callable[[], None]
) -> None:
    """Become the program: its folder, environment and streams; never comes back."""
    status = 99
    try:
        signal.alarm(SECONDS)
        streams_to(*streams)
        os.environ.update(env)
        os.chdir(cwd)
        prepare()
        status = main.run(arguments)
        sys.stdout.flush()
        sys.stderr.flush()
    finally:
        os._exit(status)


def streams_to(out: int, err: int) -> None:
    """Let this process print to two descriptors, and read nothing."""
    for number, descriptor in ((1, out), (2, err)):
        os.dup2(descriptor, number)
    os.dup2(os.open(os.devnull, os.O_RDONLY), 0)
    sys.stdin, sys.stdout, sys.stderr = open(0, closefd=False), open(1, "w", closefd=False), open(2, "w", closefd=False)  # noqa: SIM115


preload()
