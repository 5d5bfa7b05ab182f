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

from protypon.core.files.folder import Folder
from protypon.core.model.errors import BadInput, ProtyponError

WAIT = 10.0
"""Seconds to wait for another command."""


LOCK = ".protypon/lock"


@contextmanager
def hold(bench: Folder, command: str, wait: float = WAIT) -> Iterator[None]:
    """Hold the lock of a bench.

    Raises ProtyponError naming the holder where the lock stays taken, BadInput where there can be none.
    """
    with _open_lock(bench) as handle:
        _acquire(bench, handle, wait)
        since = datetime.now(UTC).isoformat(timespec="seconds")
        with suppress(OSError):  # who holds it is only told
            os.ftruncate(handle, 0)
            os.pwrite(handle, f"{os.getpid()} {command} since {since}".encode("utf-8", "replace"), 0)
        try:
            yield
        finally:
            with suppress(OSError):
                os.ftruncate(handle, 0)


@contextmanager
def _open_lock(bench: Folder) -> Iterator[int]:
    try:
        bench.make(".protypon")
        with suppress(FileExistsError):
            bench.create(LOCK, b"", 0o644)
        with bench.changing(LOCK) as handle:
            yield handle
    except OSError as error:
        if error.filename != LOCK and error.filename != ".protypon":
            raise
        raise BadInput(f"{LOCK}: can't be written: {error.strerror}", "make the bench writable") from error


def _acquire(bench: Folder, handle: int, wait: float) -> None:
    end = time.monotonic() + wait
    while True:
        try:
            fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError as error:
            if error.errno not in (errno.EAGAIN, errno.EACCES):
                raise BadInput(f"{LOCK}: can't be locked: {error.strerror}") from error
            if time.monotonic() > end:
                pid, _, what = os.pread(handle, 200, 0).decode("utf-8", "replace").partition(" ")
                raise ProtyponError(
                    f"another command holds this bench: process {pid or '?'}, {what or 'just begun'}",
                    "wait for it to end, then type the same again",
                ) from error
            time.sleep(0.05)
        else:
            return


@contextmanager
def without_interrupts() -> Iterator[None]:
    """Ctrl-C and a polite kill wait until files are whole again."""
    held = {signal.SIGINT, signal.SIGTERM, signal.SIGHUP}
    before = signal.pthread_sigmask(signal.SIG_BLOCK, held)
    try:
        yield
    finally:
        signal.pthread_sigmask(signal.SIG_SETMASK, before)
