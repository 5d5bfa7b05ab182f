"""The bench's lock: one command writes at a time; the next waits, and then says who holds it."""

from __future__ import annotations

import errno
import fcntl
import os
import signal
import time
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from datetime import UTC, datetime
from pathlib import Path

from protypon.core.errors import BadInput, ProtyponError

WAIT = 10.0
"""Seconds to wait for another command."""


@contextmanager
def held(folder: Path, command: str, wait: float = WAIT) -> Iterator[None]:
    """Hold the lock of a bench, given its ``.protypon`` folder.

    Raises ProtyponError naming the holder where the lock stays taken.
    """
    folder.mkdir(parents=True, exist_ok=True)
    path = folder / "lock"
    try:
        handle = os.open(path, os.O_RDWR | os.O_CREAT, 0o644)
    except OSError as error:
        raise BadInput(f"{path}: can't be written: {error.strerror}", "make the bench writable") from error
    try:
        _acquire(handle, path, wait)
        os.ftruncate(handle, 0)
        os.pwrite(
            handle,
            f"{os.getpid()} {command} since {datetime.now(UTC).isoformat(timespec='seconds')}".encode(
                "utf-8", "replace"
            ),
            0,
        )
        yield
    finally:
        with suppress(OSError):
            os.ftruncate(handle, 0)
        os.close(handle)


def _acquire(handle: int, path: Path, wait: float) -> None:
    end = time.monotonic() + wait
    while True:
        try:
            fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError as error:
            if error.errno not in (errno.EAGAIN, errno.EACCES):
                raise BadInput(f"{path}: can't be locked: {error.strerror}") from error
            if time.monotonic() > end:
                pid, _, what = path.read_text("utf-8", "replace").partition(" ")
                raise ProtyponError(
                    f"another command holds this bench: process {pid or '?'}, {what or 'just begun'}",
                    "wait for it to end, then type the same again",
                ) from error
            time.sleep(0.05)
        else:
            return


@contextmanager
def uninterrupted() -> Iterator[None]:
    """Ctrl-C and a polite kill wait until files are whole again."""
    held = {signal.SIGINT, signal.SIGTERM, signal.SIGHUP}
    before = signal.pthread_sigmask(signal.SIG_BLOCK, held)
    try:
        yield
    finally:
        signal.pthread_sigmask(signal.SIG_SETMASK, before)
