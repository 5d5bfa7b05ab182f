"""Programs of the machine that the work of a reader depends on."""

from __future__ import annotations

import os
import sys


def program(name: str) -> str | None:
    """The path of a program, as a shell would find it; None where there is none."""
    for folder in os.environ.get("PATH", os.defpath).split(os.pathsep):
        path = os.path.join(folder, name)
        if folder and os.path.isfile(path) and os.access(path, os.X_OK):
            return path
    return None


def own_interpreter() -> str:
    """The interpreter that this runs on, whatever links lead to it."""
    return os.path.realpath(sys.executable)


def identity(path: str | None) -> str:
    """What tells one program from another at the same path: empty where there is none."""
    if path is None:
        return ""
    try:
        found = os.stat(path)
    except OSError:
        return ""
    return f"{path} {found.st_size} {found.st_mtime_ns}"
