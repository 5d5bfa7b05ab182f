"""Folders, zips, tars and wheels -> a folder of plain files, safely. Whatever comes in is hostile until it has been read here."""

from __future__ import annotations

import os
import re
import tarfile
import tempfile
import zipfile
import zlib
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import IO

from protypon.core.errors import BadInput
from protypon.core.paths import quote_path

LIMIT = 1 << 30
"""Bytes an archive may have unpacked."""
MEMBERS = 200_000
"""Files an archive may have."""
ENDINGS = (".zip", ".whl", ".tar", ".tar.gz", ".tgz", ".tar.bz2", ".tbz2", ".tar.xz", ".txz")
NUMBER = re.compile(r"[-_. ]v?(\d+(?:\.\d+)+[A-Za-z0-9.+-]*?)(?=\.zip|\.whl|\.tar|\.tgz|\.tbz2|\.txz|-py\d|$)")


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
            return path.resolve().name
        stem = NUMBER.sub("", path.name)
        return next((stem[: -len(e)] for e in sorted(ENDINGS, key=len, reverse=True) if stem.lower().endswith(e)), stem)


@contextmanager
def opened(path: Path) -> Iterator[Intake]:
    """Give the files of a folder or archive as a folder; unpacked ones are gone afterwards.

    Raises BadInput for what is neither, and for every archive that could harm.
    """
    if path.is_dir():
        yield Intake(path, str(path), _number(path.name))
        return
    if not path.exists():
        raise BadInput(
            f"{quote_path(str(path))}: there is no such folder or archive",
            "name a theme's folder, one above it, or a .zip, .whl or .tar",
        )
    with tempfile.TemporaryDirectory(prefix="protypon-") as temporary:
        folder = Path(temporary) / "files"
        folder.mkdir()
        unpack(path, folder)
        yield Intake(folder, str(path), _metadata_release(folder) or _number(path.name), True)


def _number(name: str) -> str | None:
    found = NUMBER.search(name)
    return found[1] if found else None


def _metadata_release(folder: Path) -> str | None:
    """The version of a wheel or source archive (Core metadata specifications, "Version")."""
    for metadata in [*folder.glob("*.dist-info/METADATA"), *folder.glob("*/PKG-INFO"), *folder.glob("PKG-INFO")]:
        found = re.search(r"^Version: *(\S+)", metadata.read_text("utf-8", "replace"), re.MULTILINE)
        if found:
            return found[1]
    return None


def unpack(archive: Path, folder: Path) -> None:
    """Unpack an archive into an empty folder. Raises BadInput, and then the folder is worth nothing."""
    name = quote_path(archive.name)
    try:
        if zipfile.is_zipfile(archive):
            _unpack_zip(archive, folder, name)
        elif tarfile.is_tarfile(archive):
            _unpack_tar(archive, folder, name)
        else:
            raise BadInput(f"{name}: neither a zip, a wheel nor a tar", f"archives end in {', '.join(ENDINGS)}")
    except (
        zipfile.BadZipFile,
        tarfile.TarError,
        zlib.error,
        EOFError,
        NotImplementedError,
        ValueError,
        RuntimeError,
    ) as error:
        raise BadInput(f"{name}: damaged or cut short: {_one_line(error)}", "fetch the archive again") from error
    except OSError as error:
        raise BadInput(f"{name}: can't be unpacked: {error.strerror or error}") from error


def _one_line(error: BaseException) -> str:
    return " ".join(str(error).split())[:120] or type(error).__name__


class _Gate:
    """Judges every member before it is written: names, doubles, sizes."""

    def __init__(self, archive: str) -> None:
        self.archive = archive
        self.folded: dict[str, str] = {}
        self.bytes = 0
        self.members = 0

    def refuse(self, member: str, why: str) -> BadInput:
        return BadInput(f"{self.archive}: {quote_path(member)!r} {why}; nothing was unpacked")

    def admit(self, member: str) -> str:
        """Return the relative path of a member, or raise."""
        self.members += 1
        if self.members > MEMBERS:
            raise BadInput(f"{self.archive}: more than {MEMBERS:,} files; nothing was unpacked")
        if "\\" in member:
            raise self.refuse(member, "has a backslash in its name")
        if member.startswith("/") or re.match(r"[A-Za-z]:", member):
            raise self.refuse(member, "has an absolute path")
        parts = [part for part in member.split("/") if part not in ("", ".")]
        if ".." in parts:
            raise self.refuse(member, "climbs out of the archive")
        if not "/".join(parts).isprintable():
            raise self.refuse(member, "has a control character or a broken encoding in its name")
        self._once(parts, member)
        return "/".join(parts)

    def _once(self, parts: list[str], member: str) -> None:
        for count in range(1, len(parts) + 1):
            path = "/".join(parts[:count])
            other = self.folded.setdefault(path.casefold(), path)
            if other != path:
                raise self.refuse(member, f"differs from {quote_path(other)!r} in letter case only")

    def place(self, folder: Path, rel: str) -> Path:
        """Where a member goes: not below a link, and nothing stands there yet."""
        above = folder
        for part in rel.split("/")[:-1]:
            above = above / part
            if above.is_symlink():
                raise self.refuse(rel, "stands below a link")
        above.mkdir(parents=True, exist_ok=True)
        target = folder / rel
        if target.is_symlink() or target.exists():
            raise self.refuse(rel, "stands in it twice")
        return target

    def pour(self, source: IO[bytes], folder: Path, rel: str, mode: int) -> None:
        """Copy a member's bytes, counting; the size that an archive declares is not believed."""
        target = self.place(folder, rel)
        with open(target, "xb") as out:
            while chunk := source.read(1 << 20):
                self.bytes += len(chunk)
                if self.bytes > LIMIT:
                    raise BadInput(
                        f"{self.archive}: over 1 GiB unpacked; nothing was unpacked",
                        "unpack it by hand if you trust it",
                    )
                out.write(chunk)
        if mode & 0o100:
            target.chmod(0o755)


def _unpack_zip(archive: Path, folder: Path, name: str) -> None:
    gate = _Gate(name)
    with zipfile.ZipFile(archive) as source:
        for member in source.infolist():
            raw = member.orig_filename
            rel = gate.admit(raw)
            mode = member.external_attr >> 16
            if mode & 0o170000 == 0o120000:
                _link(gate, folder, rel, source.read(member)[:4096].decode("utf-8", "surrogateescape"))
            elif raw.endswith("/"):
                (folder / rel).mkdir(parents=True, exist_ok=True)
            else:
                with source.open(member) as stream:
                    gate.pour(stream, folder, rel, mode)


def _unpack_tar(archive: Path, folder: Path, name: str) -> None:
    gate = _Gate(name)
    with tarfile.open(archive, "r:*") as source:
        for member in source:
            rel = gate.admit(member.name)
            if member.isdir():
                (folder / rel).mkdir(parents=True, exist_ok=True)
            elif member.issym():
                _link(gate, folder, rel, member.linkname)
            elif member.islnk():
                _hard_link(gate, folder, rel, gate.admit(member.linkname))
            elif member.isfile():
                stream = source.extractfile(member)
                assert stream is not None
                gate.pour(stream, folder, rel, member.mode)
            else:
                raise gate.refuse(member.name, "is a device or a pipe")


def _link(gate: _Gate, folder: Path, rel: str, target: str) -> None:
    """A link may point to its own theme only: relative, and not above the archive's folder that it stands in."""
    inside = os.path.normpath(os.path.join(os.path.dirname(rel), target))
    top = rel.split("/")[0] if "/" in rel else ""
    if os.path.isabs(target) or inside.startswith("..") or (top and inside.split("/")[0] != top) or "\0" in target:
        raise gate.refuse(rel, "is a link out of the theme")
    os.symlink(target, gate.place(folder, rel))


def _hard_link(gate: _Gate, folder: Path, rel: str, target: str) -> None:
    source = folder / target
    if not source.is_file() or source.resolve() != (folder.resolve() / target):
        raise gate.refuse(rel, "is a link to something that is not in the archive")
    with open(source, "rb") as stream:
        gate.pour(stream, folder, rel, source.stat().st_mode)
