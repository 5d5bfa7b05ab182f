"""Code of strangers, run: in a process of its own, with nothing to write, no network, and bounds of time, memory and output."""

from __future__ import annotations

import os
import resource
import signal
import subprocess
from collections.abc import Sequence
from contextlib import suppress
from typing import NamedTuple

from protypon.core.files.programs import program
from protypon.core.model.limits import TRIAL_BYTES, TRIAL_MEMORY, TRIAL_SECONDS

WALL = "bwrap"
"""Bubblewrap, which gives a process a file system, a network and processes of its own (https://github.com/containers/bubblewrap)."""
SYSTEM = ("/usr", "/lib", "/lib64", "/lib32", "/bin", "/etc/alternatives", "/etc/ld.so.cache")
"""All of this machine that such a process sees, to be read."""


class Finished(NamedTuple):
    """What came of it."""

    out: bytes
    status: int
    why: str = ""
    """Why it was ended before its time; empty where it was not."""


def wall() -> str | None:
    """Where Bubblewrap is; None where there is none."""
    return program(WALL)


def walled_command(command: Sequence[str], shown: dict[str, str]) -> list[str]:
    """A command behind a wall: it sees the folders ``shown`` (there -> here), to be read only, and a small empty one to write in."""
    found = wall()
    assert found is not None
    made = [
        found,
        "--unshare-all",
        "--die-with-parent",
        "--new-session",
        "--clearenv",
        "--setenv",
        "PATH",
        "/usr/bin:/bin",
    ]
    for path in SYSTEM:
        made += ["--ro-bind-try", path, path]
    made += ["--proc", "/proc", "--dev", "/dev", "--size", str(1 << 24), "--tmpfs", "/tmp"]
    for there, here in shown.items():
        made += ["--ro-bind", here, there]
    return [*made, "--chdir", "/tmp", "--", *command]


def _set_limits() -> None:
    resource.setrlimit(resource.RLIMIT_CPU, (TRIAL_SECONDS, TRIAL_SECONDS))
    resource.setrlimit(resource.RLIMIT_AS, (TRIAL_MEMORY, TRIAL_MEMORY))
    resource.setrlimit(resource.RLIMIT_FSIZE, (1 << 20, 1 << 20))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    resource.setrlimit(resource.RLIMIT_NOFILE, (256, 256))


def run_bounded(command: Sequence[str]) -> Finished:
    """Run a command; what it prints is read up to a bound, and all of it is over when this returns. Raises OSError where it can't be started."""
    started = subprocess.Popen(
        command, stdin=subprocess.DEVNULL, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, start_new_session=True,
        preexec_fn=_set_limits, env={"PATH": os.defpath},
    )  # fmt: skip
    why = ""
    try:
        out, why = _read_output(started)
    finally:
        with suppress(ProcessLookupError):
            os.killpg(started.pid, signal.SIGKILL)
        started.wait()
        if started.stdout is not None:
            started.stdout.close()
    if not why and started.returncode in (-signal.SIGXCPU, -signal.SIGKILL, 128 + signal.SIGKILL, 128 + signal.SIGXCPU):
        why = f"it was ended after {TRIAL_SECONDS} seconds, or took too much memory"
    return Finished(out, started.returncode, why)


def _read_output(started: subprocess.Popen[bytes]) -> tuple[bytes, str]:
    """What a process prints, until it ends, prints too much, or takes too long."""
    import selectors
    import time

    assert started.stdout is not None
    until, found = time.monotonic() + TRIAL_SECONDS + 5, bytearray()
    stream = started.stdout.fileno()
    with selectors.DefaultSelector() as waiting:
        waiting.register(stream, selectors.EVENT_READ)
        while True:
            left = until - time.monotonic()
            if left <= 0 or not waiting.select(left):
                return bytes(found), f"it was ended after {TRIAL_SECONDS} seconds"
            piece = os.read(stream, 1 << 16)
            if not piece:
                return bytes(found), ""
            found += piece
            if len(found) > TRIAL_BYTES:
                return bytes(found), f"it printed more than {TRIAL_BYTES:,} bytes"
