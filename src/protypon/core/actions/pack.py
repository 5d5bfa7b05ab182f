"""Pack a child: the archive that the platform installs, the same bytes for the same contents."""

from __future__ import annotations

import gzip
import io
import os
import shlex
import tarfile
import zipfile
from dataclasses import dataclass
from pathlib import Path

from protypon.core.actions.keep import theme_release
from protypon.core.check.check import check
from protypon.core.files.folder import Folder, write_named
from protypon.core.files.listing import look
from protypon.core.model.actions import Check, Mend, Words
from protypon.core.model.errors import BadInput, ProtyponError, Usage
from protypon.core.model.nouns import Plan, Theme
from protypon.core.model.paths import LINK, RUNNABLE, Entry, RelPath, is_name, quote_path, rel_path
from protypon.core.platform.patterns import matches
from protypon.core.store.plan_builder import PlanBuilder, content, from_disk
from protypon.core.themes.bench import Bench

EPOCH = (1980, 1, 1, 0, 0, 0)
"""The earliest time that a zip can say (APPNOTE 4.4.6); every member has it."""


@dataclass(frozen=True, slots=True)
class Packed:
    archive: str
    """Relative to the bench."""
    files: int
    size: int
    left_out: tuple[str, ...]
    notes: tuple[Words, ...] = ()


def plan_pack(bench: Bench, child: Theme) -> tuple[Plan, Packed]:
    """Plan the archive in ``packages/``. Raises ProtyponError for a theme that the platform would not load."""
    report = check(bench, [child.slug]).reports[0]
    for row in (*report["overrides"], *report["findings"]):
        if row["weight"] == "fatal":
            raise ProtyponError(
                f"{child.slug} would not load: {row['because']}", ("see more with: ", Check(child.slug))
            )
    rule = bench.platform.package
    files = {path: e for path, e in sorted(child.files.items()) if not matches(path, rule.leave_out)}
    top = rule.top.replace("{slug}", child.slug)
    make = _zip if rule.archive == "zip" else _tar
    data = make(
        {
            (f"{top}/{path}" if top else path): (e, from_disk(Folder(child.folder), e).read())
            for path, e in files.items()
        }
    )
    path = _archive_path(rule.name, child)
    builder = PlanBuilder(bench.folder)
    builder.write(path, content(data))
    notes = _notes(bench, child)
    if not any(
        r.theme == child.slug and r.identity == child.identity and r.label == child.release
        for r in bench.store.releases("packed")
    ):
        builder.keep(theme_release(child, child.release, path, "packed"))
    everything = set(_listing_paths(child))
    return builder.plan(f"pack {child.slug}"), Packed(
        path, len(files), len(data), tuple(sorted(everything - files.keys())), notes
    )


def _archive_path(pattern: str, child: Theme) -> RelPath:
    name = pattern.replace("{slug}", child.slug)
    name = name.replace("{release}", child.release) if child.release else name.replace("-{release}", "")
    if not is_name(name):
        raise BadInput(
            f"{quote_path(name)[:100]!r} can't be the name of an archive: the release of {child.slug} is {child.release!r}"[
                :300
            ],
            f"change it in {os.path.relpath(os.path.join(child.folder, child.manifest))}",
        )
    return rel_path("packages", name)


def _listing_paths(child: Theme) -> list[str]:
    return list(look(child.folder).paths)


def _notes(bench: Bench, child: Theme) -> tuple[Words, ...]:
    before = [r for r in bench.store.releases("packed") if r.theme == child.slug and r.label == child.release]
    if before and before[-1].identity != child.identity:
        words = f"release {child.release} was packed before with other contents: give it a new number with "
        return ((words, Mend("release-stands-still")),)
    return ()


def _zip(files: dict[str, tuple[Entry, bytes]]) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED, compresslevel=9) as archive:
        for path, (entry, data) in files.items():
            info = zipfile.ZipInfo(path, EPOCH)
            info.compress_type = zipfile.ZIP_DEFLATED
            info.create_system = 3
            info.external_attr = _mode(entry) << 16
            archive.writestr(info, data)
    return out.getvalue()


def _mode(entry: Entry) -> int:
    if entry.mode == LINK:
        return 0o120777
    return 0o100755 if entry.mode == RUNNABLE else 0o100644


def _tar(files: dict[str, tuple[Entry, bytes]]) -> bytes:
    plain = io.BytesIO()
    with tarfile.open(fileobj=plain, mode="w", format=tarfile.PAX_FORMAT) as archive:
        for path, (entry, data) in files.items():
            info = tarfile.TarInfo(path)
            info.mode = _mode(entry) & 0o777
            if entry.mode == LINK:
                info.type, info.linkname = tarfile.SYMTYPE, os.fsdecode(data)
                archive.addfile(info)
            else:
                info.size = len(data)
                archive.addfile(info, io.BytesIO(data))
    return gzip.compress(plain.getvalue(), 9, mtime=0)


def check_target(target: Path, archive: str) -> None:
    """Refuse a place to copy to that can't be meant, before anything is made."""
    wanted = "." + archive
    if os.path.isdir(target) or (os.path.isdir(target.parent) and target.name.endswith(wanted)):
        return
    missing = target.parent if target.name.endswith(wanted) else target
    raise Usage(
        f"--out {quote_path(str(target))}: there is no folder {quote_path(str(missing))}",
        f"make it first with: mkdir -p {shlex.quote(str(missing))}; or name a file that ends in {wanted}",
    )


def copy_out(bench: Bench, packed: Packed, target: Path) -> Path:
    """Put a copy of the archive elsewhere; a folder gets it under its own name."""
    place = target / os.path.basename(packed.archive) if os.path.isdir(target) else target
    try:
        write_named(str(place), bench.folder.read(packed.archive))
    except OSError as error:
        raise ProtyponError(
            f"{quote_path(str(place))}: can't be written: {error.strerror}", f"the archive is in {packed.archive}"
        ) from error
    return place
