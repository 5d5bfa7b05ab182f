"""One folder, and what lies below it: opened part by part through descriptors, so that no link leads anywhere else.

A path is walked with ``openat`` and ``O_NOFOLLOW`` (POSIX.1-2017, open). The folder itself may be reached through links:
whoever names it means it. Below it, only what ``doors`` names may be a link to a folder, and nothing is written through one
that leaves the folder.
"""

from __future__ import annotations

import errno
import os
import stat
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from typing import IO

from protypon.core.files.notes import note
from protypon.core.model.errors import BadInput
from protypon.core.model.limits import FILE_BYTES, PATH_PARTS
from protypon.core.model.paths import quote_path, rel_path

_OPEN = os.O_CLOEXEC | os.O_NOFOLLOW
_FOLDER = os.O_RDONLY | os.O_DIRECTORY | _OPEN
_FILE = os.O_RDONLY | os.O_NONBLOCK | os.O_NOCTTY | _OPEN
TAIL = 65_536
"""Bytes that are asked for where a file should be at its end."""
KEPT_OPEN = 2 * PATH_PARTS + 32
"""Folders whose descriptors are kept for the next path in them: those of two paths at least, so that neither is closed for the other."""


class NotPlain(BadInput):
    """What stands at a path is a link, a pipe, a device or a folder where a file was wanted, or the other way round."""


class _At:
    """A path's folder and name for a ``with``. A class of its own, for a generator costs more than the call that it is for."""

    def __init__(self, folder: Folder, rel: str) -> None:
        self._folder, self._rel = folder, rel

    def __enter__(self) -> tuple[int, str]:
        try:
            return self._folder._split_path(self._rel)
        except OSError as error:
            raise OSError(error.errno, error.strerror, self._rel) from error

    def __exit__(self, kind: object, error: BaseException | None, trace: object) -> None:
        if isinstance(error, OSError) and error.filename != self._rel:
            raise OSError(error.errno, error.strerror, self._rel) from error


class Folder:
    """A folder, given by its path, and all below it. Paths are relative and checked (:func:`rel_path`).

    Errors of the system come as ``OSError`` with the path below the folder; what is no plain file or folder as BadInput.
    """

    def __init__(self, root: str, doors: Callable[[str], bool] = lambda rel: False) -> None:
        self.root = os.path.abspath(root)
        self.doors = doors
        self._open: dict[str, int] = {}
        self._entered: set[str] = set()
        """Every folder that was ever opened here."""
        self._proved: set[str] = set()
        """Folders in which writing was proved to stay inside."""

    def __del__(self) -> None:
        self.close()

    def close(self) -> None:
        """Give the descriptors back; the folder can still be used."""
        while self._open:
            os.close(self._open.popitem()[1])

    def display_path(self, rel: str) -> str:
        """A path as messages name it."""
        return quote_path(rel) or quote_path(self.root)

    @property
    def writable(self) -> bool:
        """Whether this process may write into it."""
        return os.access(self.root, os.W_OK)

    # Walking

    def _folder(self, rel: str) -> int:
        """The descriptor of a folder, kept open for a while."""
        known = self._open.pop(rel, None)
        if known is not None:
            self._open[rel] = known  # the most recent stands last
            return known
        above, _, name = rel.rpartition("/")
        made = self._enter(self._folder(above), name, rel) if rel else os.open(self.root, _FOLDER & ~os.O_NOFOLLOW)
        if len(self._open) >= KEPT_OPEN:
            os.close(self._open.pop(next(iter(self._open))))
        self._open[rel] = made
        self._entered.add(rel)
        return made

    def _enter(self, parent: int, name: str, rel: str) -> int:
        try:
            return os.open(name, _FOLDER, dir_fd=parent)
        except OSError as error:
            if error.errno in (errno.ELOOP, errno.ENOTDIR, errno.EMLINK):
                if self.doors(rel):
                    return os.open(name, os.O_RDONLY | os.O_DIRECTORY | os.O_CLOEXEC, dir_fd=parent)
                if stat.S_ISLNK(os.lstat(name, dir_fd=parent).st_mode):
                    raise NotPlain(
                        f"{self.display_path(rel)}: is a link, and nothing is read or written through links",
                        "put a folder in its place",
                    ) from error
            raise OSError(error.errno, error.strerror, rel) from error

    def _forget(self, rel: str) -> None:
        """Close what is kept of a folder and of all below it; of a file nothing is."""
        if rel not in self._entered:
            return
        for path in [p for p in self._open if p == rel or p.startswith(rel + "/")]:
            os.close(self._open.pop(path))

    def _split_path(self, rel: str) -> tuple[int, str]:
        """The folder that a path stands in, and its name there; the path is checked, unless its folder was a moment ago."""
        above, _, name = rel.rpartition("/")
        if above not in self._open or name in ("", ".", "..") or "\0" in name:
            rel_path(rel)
        return self._folder(above), name

    def _at(self, rel: str) -> _At:
        """The same for a ``with``: errors name the path."""
        return _At(self, rel)

    # Looking

    def stat(self, rel: str) -> os.stat_result | None:
        """What stands at a path (links not followed), or None."""
        try:
            if not rel:
                return os.stat(self._folder(""))
            folder, name = self._split_path(rel)
            return os.stat(name, dir_fd=folder, follow_symlinks=False)
        except OSError as error:
            if error.errno in (errno.ENOENT, errno.ENOTDIR, errno.ENAMETOOLONG):
                return None
            raise OSError(error.errno, error.strerror, rel) from error

    def path(self, rel: str) -> str:
        """The whole path of what stands at ``rel``, for a library that opens files by themselves; its folder is no link."""
        with self._at(rel):
            return os.path.join(self.root, rel)

    def is_file(self, rel: str) -> bool:
        """Whether a plain file stands at a path."""
        found = self.stat(rel)
        return found is not None and stat.S_ISREG(found.st_mode)

    def is_folder(self, rel: str) -> bool:
        """Whether a folder stands at a path, or a link to one that may be entered."""
        found = self.stat(rel)
        return found is not None and (
            stat.S_ISDIR(found.st_mode) or (stat.S_ISLNK(found.st_mode) and self.doors(rel) and self._opens(rel))
        )

    def _opens(self, rel: str) -> bool:
        try:
            self._folder(rel)
        except (OSError, BadInput):
            return False
        return True

    def names(self, rel: str = "") -> list[str]:
        """What a folder holds, sorted; nothing where there is none."""
        try:
            return sorted(os.listdir(self._folder(rel)))
        except OSError as error:
            if error.errno == errno.ENOENT:
                return []
            raise OSError(error.errno, error.strerror, rel) from error

    def prove_plain(self, rel: str) -> None:
        """Raise NotPlain where anything below a folder is neither a plain file nor a folder; nothing is opened for it."""
        if self.stat(rel) is None:
            return
        waiting = [rel]
        while waiting:
            here = waiting.pop()
            with os.scandir(self._folder(here)) as entries:
                for entry in entries:
                    path = f"{here}/{entry.name}"
                    if entry.is_dir(follow_symlinks=False):
                        waiting.append(path)
                    elif not entry.is_file(follow_symlinks=False):
                        raise NotPlain(
                            f"{self.display_path(path)}: is no plain file", "take it away, then type the same again"
                        )

    def target(self, rel: str) -> bytes:
        """Where a link points, as it is written."""
        with self._at(rel) as (folder, name):
            return os.fsencode(os.readlink(name, dir_fd=folder))

    @contextmanager
    def reading(self, rel: str, most: int = FILE_BYTES) -> Iterator[IO[bytes]]:
        """A plain file, opened; raises NotPlain for anything else, and BadInput where it has over ``most`` bytes."""
        with self._at(rel) as (folder, name):
            handle, _ = self._plain(folder, name, rel, most)
        with open(handle, "rb") as stream:
            yield stream

    @contextmanager
    def changing(self, rel: str) -> Iterator[int]:
        """The descriptor of a plain file, to be read and written in place."""
        with self._at(rel) as (folder, name):
            handle, _ = self._plain(folder, name, rel, FILE_BYTES, os.O_RDWR | os.O_NONBLOCK | _OPEN)
        try:
            yield handle
        finally:
            os.close(handle)

    def _plain(self, folder: int, name: str, rel: str, most: int, way: int = _FILE) -> tuple[int, int]:
        """The descriptor of a plain file, and its size."""
        try:
            handle = os.open(name, way, dir_fd=folder)
        except OSError as error:
            if error.errno in (errno.ELOOP, errno.EMLINK):
                raise NotPlain(
                    f"{self.display_path(rel)}: is a link, and is not followed", "put a file in its place"
                ) from error
            if error.errno == errno.ENXIO:
                raise NotPlain(f"{self.display_path(rel)}: is no plain file", "put a file in its place") from error
            raise
        found = os.fstat(handle)
        if not stat.S_ISREG(found.st_mode):
            os.close(handle)
            raise NotPlain(f"{self.display_path(rel)}: is no plain file", "put a file in its place")
        if found.st_size > most:
            os.close(handle)
            raise BadInput(f"{self.display_path(rel)}: is {found.st_size:,} bytes, over {most:,}, and is not read")
        return handle, found.st_size

    def read(self, rel: str, most: int = FILE_BYTES) -> bytes:
        """The bytes of a plain file."""
        with self._at(rel) as (folder, name):
            handle, size = self._plain(folder, name, rel, most)
            try:
                data = os.read(handle, size + 1)
                while len(data) <= most and (more := os.read(handle, max(size + 1 - len(data), TAIL))):
                    data += more  # a file system may give less than is there, and a file may grow
            finally:
                os.close(handle)
        if len(data) > most:
            raise BadInput(f"{self.display_path(rel)}: grew over {most:,} bytes, and is not read")
        note("files", "read %s/%s, %d bytes", self.root, rel, len(data))
        return data

    # Writing

    def _prove_inside(self, rel: str) -> None:
        """Raise NotPlain where a path leads through a door out of this folder."""
        above = rel.rpartition("/")[0]
        if above in self._proved:
            return
        parts = rel.split("/")
        for count in range(1, len(parts)):
            door = "/".join(parts[:count])
            if self.doors(door) and os.path.islink(os.path.join(self.root, door)):
                real, root = os.path.realpath(os.path.join(self.root, door)), os.path.realpath(self.root)
                if not real.startswith(root + os.sep):
                    raise NotPlain(
                        f"{self.display_path(door)}: is a link out of this bench, to {quote_path(real)}; it is read, never written",
                        f"move the folder itself to {quote_path(door)}, and put a link where it stood",
                    )
        self._proved.add(above)

    def make(self, rel: str, rights: int = 0o777) -> list[str]:
        """Make a folder and those above it that are not there; returns the ones that were made, outer ones first."""
        if not rel:
            return []
        self._prove_inside(rel + "/x")
        parts = rel_path(rel).split("/")
        made = []
        for count in range(1, len(parts) + 1):
            path = "/".join(parts[:count])
            if path in self._open:
                continue
            with self._at(path) as (folder, name), suppress(FileExistsError):
                os.mkdir(name, rights if count == len(parts) else 0o777, dir_fd=folder)
                made.append(path)
            self._folder(path)
        return made

    @contextmanager
    def creating(self, rel: str, rights: int = 0o666) -> Iterator[IO[bytes]]:
        """A file that must not be there yet, opened to be written (and read again)."""
        self._prove_inside(rel)
        with self._at(rel) as (folder, name):
            handle = os.open(name, os.O_RDWR | os.O_CREAT | os.O_EXCL | _OPEN, rights, dir_fd=folder)
            with open(handle, "w+b") as stream:
                yield stream

    def sync(self) -> None:
        """Have all that was written on the file system of this folder on the disk (syncfs, where there is one)."""
        try:
            from ctypes import CDLL

            if CDLL(None).syncfs(self._folder("")) == 0:
                return
        except (AttributeError, ImportError, OSError):
            pass
        os.sync()

    def create(self, rel: str, data: bytes, rights: int = 0o666, sync: bool = False, exactly: int | None = None) -> int:
        """Write a file that must not be there yet; returns the permission bits it got.

        ``rights`` are what the umask takes from; ``exactly`` are the ones to be had whatever it says.
        """
        with self.creating(rel, rights) as stream:
            stream.write(data)
            stream.flush()
            if exactly is not None:
                os.fchmod(stream.fileno(), exactly)
            got = stat.S_IMODE(os.fstat(stream.fileno()).st_mode)
            if sync:
                os.fsync(stream.fileno())
        return got

    def put(self, rel: str, data: bytes, sync: bool = False) -> None:
        """Write a file beside its place and rename it there: what stood there stays until it is whole."""
        beside = f"{rel}.{os.getpid()}.new"
        self.remove(beside, missing=True)
        try:
            self.create(beside, data, sync=sync)
            self.move(beside, rel)
        except BaseException:
            with suppress(OSError):
                self.remove(beside, missing=True)
            raise

    def link(self, rel: str, target: bytes) -> None:
        """Make a link that points to ``target``, as it is written."""
        self._prove_inside(rel)
        with self._at(rel) as (folder, name):
            os.symlink(target, os.fsencode(name), dir_fd=folder)

    def move(self, rel: str, to: str, other: Folder | None = None) -> None:
        """Rename; what stands at the new place is replaced. ``other``: the new place is in another folder."""
        other = other or self
        self._prove_inside(rel)
        other._prove_inside(to)
        with self._at(rel) as (folder, name), other._at(to) as (new_folder, new_name):
            os.rename(name, new_name, src_dir_fd=folder, dst_dir_fd=new_folder)
        self._forget(rel)
        other._forget(to)

    def double(self, rel: str, to: str, other: Folder) -> None:
        """Give a file a second name in another folder (a hard link)."""
        with self._at(rel) as (folder, name), other._at(to) as (new_folder, new_name):
            os.link(name, new_name, src_dir_fd=folder, dst_dir_fd=new_folder, follow_symlinks=False)

    def remove(self, rel: str, missing: bool = False) -> None:
        """Take a file or link away."""
        self._prove_inside(rel)
        try:
            with self._at(rel) as (folder, name):
                os.unlink(name, dir_fd=folder)
        except FileNotFoundError:
            if not missing:
                raise

    def remove_folder(self, rel: str) -> None:
        """Take an empty folder away."""
        self._prove_inside(rel)
        self._forget(rel)
        with self._at(rel) as (folder, name):
            os.rmdir(name, dir_fd=folder)

    def remove_tree(self, rel: str) -> None:
        """Take a folder away with all in it; links in it are taken away, not followed."""
        found = self.stat(rel)
        if found is None:
            return
        if not stat.S_ISDIR(found.st_mode):
            self.remove(rel)
            return
        for name in self.names(rel):
            self.remove_tree(f"{rel}/{name}")
        self.remove_folder(rel)

    def set_rights(self, rel: str, rights: int) -> None:
        """Give a plain file or a folder its permission bits."""
        self._prove_inside(rel)
        with self._at(rel) as (folder, name):
            handle = os.open(name, _FILE, dir_fd=folder)
            try:
                os.fchmod(handle, rights)
            finally:
                os.close(handle)


def write_named(path: str, data: bytes) -> None:
    """Write a file that a person names, whole or not at all."""
    folder = Folder(os.path.dirname(os.path.abspath(path)))
    folder.put(os.path.basename(path), data)


def write_new(path: str, data: bytes) -> None:
    """Write a file that a person names and that is not there yet. Raises FileExistsError where it is."""
    folder = Folder(os.path.dirname(os.path.abspath(path)))
    folder.create(os.path.basename(path), data)


def make_folders(path: str) -> None:
    """Make a folder that a person names, and those above it."""
    os.makedirs(path, exist_ok=True)


@contextmanager
def reading_named(path: str, most: int) -> Iterator[IO[bytes]]:
    """A plain file that a person names by its path: links on the way are theirs, and are followed.

    Raises NotPlain for a pipe or device, BadInput where it has over ``most`` bytes, OSError where it can't be opened.
    """
    handle = os.open(path, os.O_RDONLY | os.O_NONBLOCK | os.O_NOCTTY | os.O_CLOEXEC)
    with open(handle, "rb") as stream:
        found = os.fstat(handle)
        if not stat.S_ISREG(found.st_mode):
            raise NotPlain(f"{quote_path(path)}: is no plain file")
        if found.st_size > most:
            raise BadInput(f"{quote_path(path)}: is {found.st_size:,} bytes, over {most:,}, and is not read")
        yield stream
