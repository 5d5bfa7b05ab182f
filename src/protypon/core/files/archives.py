"""Folders, zips, tars and wheels -> a folder of plain files, safely. Whatever comes in is hostile until it has been read here.

Nothing is believed that an archive says of itself: names, sizes and numbers of members are held to the limits while they
are read, files are made through a :class:`Folder`, which follows no link, and links are looked at only once all are known.
"""

from __future__ import annotations

import bz2
import gzip
import io
import os
import re
import struct
import tarfile
import unicodedata
import zipfile
import zlib
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import IO

from protypon.core.files.folder import Folder, reading_named
from protypon.core.files.temporary import temporary_folder
from protypon.core.model.errors import BadInput
from protypon.core.model.limits import (
    ARCHIVE_BETWEEN,
    ARCHIVE_BYTES,
    ARCHIVE_HEADER,
    ARCHIVE_HEADERS,
    ARCHIVE_INDEX,
    ARCHIVE_MEMBERS,
    ARCHIVE_WINDOW,
    LINK_BYTES,
    MIB,
)
from protypon.core.model.paths import quote_path, why_too_long

ENDINGS = (".zip", ".whl", ".tar", ".tar.gz", ".tgz", ".tar.bz2", ".tbz2", ".tar.xz", ".txz")
NUMBER = re.compile(r"[-_. ]v?(\d+(?:\.\d+)+[A-Za-z0-9.+-]*?)(?=\.zip|\.whl|\.tar|\.tgz|\.tbz2|\.txz|-py\d|$)")
METADATA = MIB // 16
CHUNK = MIB // 16


@dataclass(frozen=True, slots=True)
class Intake:
    """Where the files lie, and what the outside says of their release."""

    folder: Path
    origin: str
    """The path as it was given."""
    release: str | None = None
    """The release number that an archive's metadata or a name tells."""
    archive: bool = False

    @property
    def name(self) -> str:
        """What the folder is called, or an archive without its ending and number: the slug of a theme at its top."""
        path = Path(self.origin)
        if not self.archive:
            return os.path.basename(os.path.realpath(self.origin))
        stem = NUMBER.sub("", path.name)
        return next((stem[: -len(e)] for e in sorted(ENDINGS, key=len, reverse=True) if stem.lower().endswith(e)), stem)


@contextmanager
def open_intake(path: Path) -> Iterator[Intake]:
    """Give the files of a folder or archive as a folder; unpacked ones are gone afterwards.

    Raises BadInput for what is neither, and for every archive that could harm.
    """
    if os.path.isdir(path):
        yield Intake(path, str(path), _number(path.name))
        return
    if not os.path.exists(path):
        raise BadInput(
            f"{quote_path(str(path))}: there is no such folder or archive",
            "name a theme's folder, one above it, or a .zip, .whl or .tar",
        )
    with temporary_folder("unpacked") as temporary:
        temporary.make("files")
        folder = Folder(os.path.join(temporary.root, "files"))
        unpack(path, folder)
        yield Intake(Path(folder.root), str(path), _metadata_release(folder) or _number(path.name), True)


def _number(name: str) -> str | None:
    found = NUMBER.search(name)
    return found[1] if found else None


def _metadata_release(folder: Folder) -> str | None:
    """The version of a wheel or source archive (Core metadata specifications, "Version")."""
    top = folder.names()
    places = [f"{name}/METADATA" for name in top if name.endswith(".dist-info")]
    places += [f"{name}/PKG-INFO" for name in top] + ["PKG-INFO"]
    for place in places:
        try:
            text = folder.read(place, METADATA).decode("utf-8", "replace")
        except (OSError, BadInput):
            continue
        found = re.search(r"^Version: *(\S+)", text, re.MULTILINE)
        if found:
            return found[1]
    return None


def unpack(archive: Path, folder: Folder) -> None:
    """Unpack an archive into an empty folder. Raises BadInput, and then the folder is worth nothing."""
    name = quote_path(archive.name)
    try:
        with reading_named(str(archive), ARCHIVE_BYTES) as stream:
            _unpack(stream, _Gate(name, folder), name)
    except (
        zipfile.BadZipFile,
        tarfile.TarError,
        zlib.error,
        gzip.BadGzipFile,
        EOFError,
        NotImplementedError,
        ValueError,
        RuntimeError,
        struct.error,
    ) as error:
        raise BadInput(f"{name}: damaged or cut short: {_one_line(error)}", "fetch the archive again") from error
    except OSError as error:
        raise BadInput(f"{name}: can't be unpacked: {error.strerror or error}", "look at it by hand") from error


def _unpack(stream: IO[bytes], gate: _Gate, name: str) -> None:
    magic = stream.read(6)
    stream.seek(0)
    if magic[:2] == b"\x1f\x8b":
        _unpack_tar(gzip.GzipFile(fileobj=stream), gate)
    elif magic[:3] == b"BZh":
        _unpack_tar(bz2.BZ2File(stream), gate)
    elif magic == b"\xfd7zXZ\0":
        _unpack_tar(io.BufferedReader(_Xz(stream)), gate)
    elif zipfile.is_zipfile(stream):
        _unpack_zip(stream, gate)
    elif _begins_tar(stream):
        _unpack_tar(stream, gate)
    else:
        raise BadInput(f"{name}: neither a zip, a wheel nor a tar", f"archives end in {', '.join(ENDINGS)}")
    gate.check_links()


def _begins_tar(stream: IO[bytes]) -> bool:
    stream.seek(0)
    try:
        tarfile.TarInfo.frombuf(stream.read(tarfile.BLOCKSIZE), "utf-8", "surrogateescape")
    except (tarfile.TarError, ValueError):
        return False
    finally:
        stream.seek(0)
    return True


def _one_line(error: BaseException) -> str:
    return " ".join(str(error).split())[:120] or type(error).__name__


class _Gate:
    """Judges every member before it is written: names, doubles, sizes; and writes it."""

    def __init__(self, archive: str, folder: Folder) -> None:
        self.archive, self.folder = archive, folder
        self.folded: dict[str, str] = {}
        self.links: dict[str, str] = {}
        self.bytes = 0
        self.members = 0
        self.pouring = False
        """Whether contents are being read, and not headers."""

    def refuse(self, member: str, why: str) -> BadInput:
        shown = quote_path(member)
        shown = shown if len(shown) <= 120 else f"{shown[:117]}..."
        return BadInput(f"{self.archive}: {shown!r} {why}; nothing was unpacked")

    def too_much(self, what: str) -> BadInput:
        return BadInput(f"{self.archive}: {what}; nothing was unpacked", "unpack it by hand if you trust it")

    def admit(self, member: str) -> str:
        """Return the relative path of a member, or raise."""
        self.members += 1
        if self.members > ARCHIVE_MEMBERS:
            raise self.too_much(f"more than {ARCHIVE_MEMBERS:,} files")
        if "\\" in member[:4096]:
            raise self.refuse(member, "has a backslash in its name")
        if member.startswith("/") or re.match(r"[A-Za-z]:", member):
            raise self.refuse(member, "has an absolute path")
        too_long = why_too_long(member, member.count("/") + 1)
        if too_long:
            raise self.refuse(member, too_long)
        parts = [part for part in member.split("/") if part not in ("", ".")]
        if ".." in parts:
            raise self.refuse(member, "climbs out of the archive")
        if not "/".join(parts).isprintable():
            raise self.refuse(member, "has a control character or a broken encoding in its name")
        self._once(parts, member)
        return "/".join(parts)

    def _once(self, parts: list[str], member: str) -> None:
        """Names that some file systems hold to be one: by letter case, or by Unicode form (UAX 15)."""
        for count in range(1, len(parts) + 1):
            path = "/".join(parts[:count])
            form = unicodedata.normalize("NFC", path)
            folded = unicodedata.normalize("NFC", form.casefold())
            other = self.folded.setdefault(folded, path)
            if other != path:
                how = "Unicode form" if unicodedata.normalize("NFC", other) == form else "letter case"
                raise self.refuse(member, f"differs from {quote_path(other)!r} in {how} only")

    def _place(self, rel: str) -> None:
        """Make the folders above a member, which stands not below a link, and not twice."""
        self._not_below_a_link(rel)
        above = rel.rpartition("/")[0]
        if above:
            self._make(above)
        if self.folder.stat(rel) is not None:
            raise self.refuse(rel, "stands in it twice")

    def _not_below_a_link(self, rel: str) -> None:
        parts = rel.split("/")
        if any("/".join(parts[:count]) in self.links for count in range(1, len(parts))):
            raise self.refuse(rel, "stands below a link")

    def _make(self, rel: str) -> None:
        try:
            self.folder.make(rel)
        except (NotADirectoryError, FileExistsError) as error:
            raise self.refuse(rel, "is a file and a folder") from error

    def make_folder(self, rel: str) -> None:
        if rel:
            self._not_below_a_link(rel)
            if rel in self.links:
                raise self.refuse(rel, "stands in it twice")
            self._make(rel)

    def pour(self, source: IO[bytes], rel: str, mode: int) -> None:
        """Copy a member's bytes, counting; the size that an archive declares is not believed."""
        self._place(rel)
        self.pouring = True
        with self.folder.creating(rel, 0o777 if mode & 0o100 else 0o666) as out:
            while chunk := source.read(CHUNK):
                self.count(len(chunk))
                out.write(chunk)
        self.pouring = False

    def count(self, number: int) -> None:
        self.bytes += number
        if self.bytes > ARCHIVE_BYTES:
            raise self.too_much(f"over {ARCHIVE_BYTES // MIB:,} MiB unpacked")

    def link(self, rel: str, target: str) -> None:
        if not target or len(target) > LINK_BYTES or "\0" in target:
            raise self.refuse(rel, "is a link with no target, or one too long")
        self._place(rel)
        self.links[rel] = target
        self.folder.link(rel, os.fsencode(target))

    def hard_link(self, rel: str, target: str) -> None:
        if not self.folder.is_file(target):
            raise self.refuse(rel, "is a link to something that is not in the archive")
        with self.folder.reading(target) as stream:
            self.pour(stream, rel, os.fstat(stream.fileno()).st_mode)

    def check_links(self) -> None:
        """A link may point to its own theme only: relative, not above the top folder that it stands in, through no other link."""
        for rel, target in self.links.items():
            inside = os.path.normpath(os.path.join(os.path.dirname(rel), target))
            top = rel.split("/")[0] if "/" in rel else ""
            parts = inside.split("/")
            out = os.path.isabs(target) or parts[0] == ".." or (top and parts[0] != top)
            if out or any("/".join(parts[:count]) in self.links for count in range(1, len(parts))):
                raise self.refuse(rel, "is a link out of the theme")


def _unpack_zip(stream: IO[bytes], gate: _Gate) -> None:
    _bounded_index(stream, gate)
    with zipfile.ZipFile(stream) as source:
        members = source.infolist()
        if len(members) > ARCHIVE_MEMBERS:
            raise gate.too_much(f"more than {ARCHIVE_MEMBERS:,} files")
        if sum(member.file_size for member in members) > ARCHIVE_BYTES:
            raise gate.too_much(f"over {ARCHIVE_BYTES // MIB:,} MiB unpacked")
        for member in members:
            _zip_member(source, member, gate)


def _zip_member(source: zipfile.ZipFile, member: zipfile.ZipInfo, gate: _Gate) -> None:
    raw = member.orig_filename
    rel = gate.admit(raw)
    if member.flag_bits & 0x1:
        raise BadInput(f"{gate.archive}: is encrypted; nothing was unpacked", "unpack it by hand, and name the folder")
    if member.compress_type not in (zipfile.ZIP_STORED, zipfile.ZIP_DEFLATED, zipfile.ZIP_BZIP2):
        raise gate.refuse(raw, f"is packed in a way that is not read (method {member.compress_type})")
    mode = member.external_attr >> 16
    if raw.endswith("/"):
        gate.make_folder(rel)
        return
    with source.open(member) as stream:
        if mode & 0o170000 == 0o120000:
            gate.link(rel, stream.read(LINK_BYTES + 1).decode("utf-8", "surrogateescape"))
        else:
            gate.pour(stream, rel, mode)


def _bounded_index(stream: IO[bytes], gate: _Gate) -> None:
    """Look at the end of a zip before its index is read whole (APPNOTE 4.3.14 to 4.3.16)."""
    size = stream.seek(0, os.SEEK_END)
    stream.seek(max(0, size - (1 << 16) - 22 - 20 - 56))
    tail = stream.read()
    stream.seek(0)
    end = tail.rfind(b"PK\5\6")
    wide = tail.rfind(b"PK\6\6")
    index = struct.unpack_from("<L", tail, end + 12)[0] if end >= 0 else 0
    if wide >= 0:
        index = max(index if index != 0xFFFFFFFF else 0, struct.unpack_from("<Q", tail, wide + 40)[0])
    if index > ARCHIVE_INDEX:
        raise gate.too_much(f"an index of {index:,} bytes, over {ARCHIVE_INDEX:,}")


class _Bounded:
    """A tar's bytes, with bounds on what is read that is no contents: tarfile itself reads headers of any size."""

    def __init__(self, stream: IO[bytes] | gzip.GzipFile, gate: _Gate) -> None:
        self.stream, self.gate = stream, gate
        self.headers = self.all = 0

    def read(self, size: int = -1) -> bytes:
        if size < 0 or size > ARCHIVE_HEADER:
            raise self.gate.too_much(f"a header of {size:,} bytes, over {ARCHIVE_HEADER:,}")
        data = self.stream.read(size)
        self.all += len(data)
        self.headers += len(data) if size > tarfile.BLOCKSIZE and not self.gate.pouring else 0
        if self.headers > ARCHIVE_HEADERS or self.all - self.gate.bytes > ARCHIVE_BETWEEN:
            raise self.gate.too_much("too many headers")
        return data

    def seek(self, position: int) -> int:
        if position > ARCHIVE_BYTES + ARCHIVE_BETWEEN:
            raise self.gate.too_much(f"over {ARCHIVE_BYTES // MIB:,} MiB unpacked")
        return self.stream.seek(position)

    def tell(self) -> int:
        return self.stream.tell()


def _unpack_tar(stream: IO[bytes] | gzip.GzipFile, gate: _Gate) -> None:
    with tarfile.open(fileobj=_Bounded(stream, gate), mode="r:") as source:  # type: ignore[call-overload]
        for member in source:
            _tar_member(source, member, gate)


def _tar_member(source: tarfile.TarFile, member: tarfile.TarInfo, gate: _Gate) -> None:
    rel = gate.admit(member.name)
    if member.isdir():
        gate.make_folder(rel)
    elif member.issym():
        gate.link(rel, member.linkname)
    elif member.islnk():
        gate.hard_link(rel, gate.admit(member.linkname))
    elif member.isfile() and not member.issparse():
        if member.size > ARCHIVE_BYTES - gate.bytes:
            raise gate.too_much(f"over {ARCHIVE_BYTES // MIB:,} MiB unpacked")
        stream = source.extractfile(member)
        assert stream is not None
        gate.pour(stream, rel, member.mode)
    else:
        raise gate.refuse(member.name, "is a device, a pipe or a file with holes")


class _Xz(io.RawIOBase):
    """A stream of xz, unpacked within a bound of memory, which :mod:`lzma`'s own file has none for."""

    def __init__(self, stream: IO[bytes]) -> None:
        self.stream = stream
        self._restart()

    def _restart(self) -> None:
        from lzma import FORMAT_XZ, LZMADecompressor

        self.stream.seek(0)
        self.unpacker = LZMADecompressor(FORMAT_XZ, ARCHIVE_WINDOW)
        self.position = 0

    def readable(self) -> bool:
        return True

    def seekable(self) -> bool:
        return True

    def tell(self) -> int:
        return self.position

    def seek(self, position: int, whence: int = os.SEEK_SET) -> int:
        if whence == os.SEEK_CUR:
            position += self.position
        elif whence == os.SEEK_END:
            raise ValueError("the end of an xz stream is not known")
        if position < self.position:
            self._restart()
        while self.position < position and self.read(min(CHUNK, position - self.position)):
            pass
        return self.position

    def readinto(self, buffer: object) -> int:
        from lzma import LZMAError

        view = memoryview(buffer)  # type: ignore[arg-type]
        data = b""
        try:
            while not data and not self.unpacker.eof:
                more = self.stream.read(CHUNK) if self.unpacker.needs_input else b""
                if self.unpacker.needs_input and not more:
                    raise EOFError("ends before its end")
                data = self.unpacker.decompress(more, len(view))
        except LZMAError as error:
            raise ValueError(str(error)) from error
        view[: len(data)] = data
        self.position += len(data)
        return len(data)
