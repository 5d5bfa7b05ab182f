"""A disk that refuses: the n-th system call of a command fails, once or from then on, or the process is killed there."""

from __future__ import annotations

import errno
import os
import signal
from collections.abc import Callable
from typing import Any
from unittest import mock

CALLS = (
    "open", "rename", "link", "unlink", "mkdir", "rmdir", "symlink", "fsync", "sync", "fchmod", "listdir", "scandir", "readlink", "stat", "ftruncate", "pwrite",
)  # fmt: skip
ERRORS = {"EIO": errno.EIO, "ENOSPC": errno.ENOSPC, "EACCES": errno.EACCES, "EEXIST": errno.EEXIST}
KILL = "kill"


class Faults:
    """Counts the calls of a command below a folder, and lets one of them, or all from it on, fail."""

    def __init__(self, at: int, what: str, lasting: bool) -> None:
        self.at, self.what, self.lasting = at, what, lasting
        self.count = 0

    def step(self, name: str) -> None:
        self.count += 1
        hit = self.count == self.at or (self.lasting and self.count > self.at)
        if not hit or (name == "sync" and self.what != KILL):
            return
        if self.what == KILL:
            os.kill(os.getpid(), signal.SIGKILL)
        # from rmdir, EEXIST says that something is in the folder (POSIX.1-2017), and then it rightly stays
        what = "EACCES" if (name, self.what) == ("rmdir", "EEXIST") else self.what
        raise OSError(ERRORS[what], os.strerror(ERRORS[what]))

    def install(self) -> None:
        """Put the faults in place, in this process, for good."""
        for name in CALLS:
            mock.patch.object(os, name, self._counted(name, getattr(os, name))).start()
        mock.patch("builtins.open", self._opened(open)).start()

    def _counted(self, name: str, real: Callable[..., Any]) -> Callable[..., Any]:
        def call(*given: Any, **more: Any) -> Any:
            if self._is_of_the_bench(name, given, more):
                self.step(name)
            return real(*given, **more)

        return call

    @staticmethod
    def _is_of_the_bench(name: str, given: tuple[Any, ...], more: dict[str, Any]) -> bool:
        """Leave alone what Python does for itself, such as importing: the program goes through descriptors of folders."""
        through = {"dir_fd", "src_dir_fd"} & more.keys() or (given and isinstance(given[0], int))
        return bool(through) or name == "sync"

    def _opened(self, real: Callable[..., Any]) -> Callable[..., Any]:
        def call(file: Any, mode: str = "r", *given: Any, **more: Any) -> Any:
            stream = real(file, mode, *given, **more)
            return _Stream(stream, self) if isinstance(file, int) and set(mode) & set("wx+a") and file > 2 else stream

        return call


class _Stream:
    """A file whose writing can be refused."""

    def __init__(self, stream: Any, faults: Faults) -> None:
        self._stream, self._faults = stream, faults

    def write(self, data: bytes) -> Any:
        self._faults.step("write")
        return self._stream.write(data)

    def flush(self) -> None:
        self._faults.step("flush")
        self._stream.flush()

    def __getattr__(self, name: str) -> Any:
        return getattr(self._stream, name)

    def __enter__(self) -> _Stream:
        return self

    def __exit__(self, *given: object) -> None:
        self._stream.close()
