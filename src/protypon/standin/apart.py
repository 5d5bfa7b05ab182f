"""Theme code runs apart: in a process of its own, with limits to time and memory, and only when asked to."""

from __future__ import annotations

import json
import os
import resource
import sys
from collections.abc import Callable
from typing import Any

SECONDS, MEMORY = 20, 1 << 30


def limit(seconds: int = SECONDS, memory: int = MEMORY) -> None:
    """Limit what this process may use from here on."""
    resource.setrlimit(resource.RLIMIT_CPU, (seconds, seconds))
    resource.setrlimit(resource.RLIMIT_AS, (memory, memory))
    resource.setrlimit(resource.RLIMIT_FSIZE, (1 << 20, 1 << 20))


def apart(work: Callable[[], Any]) -> Any:
    """Do some work in a child process and return its result, which must be plain data. None where the process died."""
    reading, writing = os.pipe()
    child = os.fork()
    if child == 0:
        status = 1
        try:
            os.close(reading)
            limit()
            with os.fdopen(os.dup(writing), "w") as stream:
                sys.stdout = sys.stderr = open(os.devnull, "w")  # noqa: SIM115  it lives as long as the process
                json.dump(work(), stream)
            status = 0
        finally:
            os._exit(status)
    os.close(writing)
    with os.fdopen(reading) as stream:
        text = stream.read()
    os.waitpid(child, 0)
    try:
        return json.loads(text)
    except ValueError:
        return None
