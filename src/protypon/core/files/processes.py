"""Work in several processes at once: copies of this one, each with its share, that send back what they made."""

from __future__ import annotations

import os
import signal
from collections.abc import Callable, Sequence
from contextlib import suppress
from typing import TypeVar

Made = TypeVar("Made")


def cores() -> int:
    """How many processors this process may use."""
    try:
        return len(os.sched_getaffinity(0))
    except AttributeError:  # macOS has no such call
        return os.cpu_count() or 1


def in_processes(shares: Sequence[Callable[[], Made]]) -> list[Made | None]:
    """What each share makes, in the order of the shares; None where a process ended before it had sent it.

    What one raises is raised here. No thread may run beside this one.
    """
    started: list[tuple[int, int]] = []
    try:
        for share in shares:
            started.append(_start_share(share, [reading for _, reading in started]))
        return [_receive(reading) for _, reading in started]
    finally:
        for process, reading in started:
            os.close(reading)
            with suppress(ProcessLookupError):
                os.kill(process, signal.SIGKILL)
            os.waitpid(process, 0)


def _start_share(share: Callable[[], Made], others: list[int]) -> tuple[int, int]:
    """A process that does a share, and where its answer is read."""
    reading, writing = os.pipe()
    process = os.fork()
    if process:
        os.close(writing)
        return process, reading
    status = 1
    try:
        for other in (reading, *others):
            os.close(other)
        _send(share, writing)
        status = 0
    finally:
        os._exit(status)  # nothing that this process has open is its own to close


def _send(share: Callable[[], Made], writing: int) -> None:
    import pickle

    made: Made | None = None
    failed: Exception | None = None
    try:
        made = share()
    except Exception as error:
        failed = error
    with open(writing, "wb") as stream:
        pickle.dump((made, failed), stream, pickle.HIGHEST_PROTOCOL)


def _receive(reading: int) -> Made | None:
    import pickle

    data = bytearray()
    while chunk := os.read(reading, 1 << 20):
        data += chunk
    try:
        made, failed = pickle.loads(data)  # of a copy of this very process
    except (EOFError, pickle.UnpicklingError):
        return None
    if failed is not None:
        raise failed
    result: Made | None = made
    return result
