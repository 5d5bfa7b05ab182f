"""Pack a child: the archive that the platform installs, the same bytes for the same contents."""

from __future__ import annotations

import gzip
import io
import os
import shlex
import tarfile
import zipfile
from collections.abc import Iterable
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

from protypon.core.actions.keep import theme_release
from protypon.core.check.check import check
from protypon.core.check.codes import CODES
from protypon.core.check.examine import world_of
from protypon.core.check.weights import VERDICTS, WEIGHTS
from protypon.core.files.folder import Folder, write_named
from protypon.core.files.listing import look
from protypon.core.model.actions import Check, Mend, Pack, Words
from protypon.core.model.errors import BadInput, ProtyponError, Usage
from protypon.core.model.nouns import Plan, Theme
from protypon.core.model.paths import LINK, RUNNABLE, Entry, RelPath, is_name, quote_path, rel_path
from protypon.core.platform import manifest
from protypon.core.platform.patterns import matches
from protypon.core.platform.schema import nearest
from protypon.core.store.plan_builder import PlanBuilder, content, from_disk
from protypon.core.themes.bench import Bench
from protypon.core.themes.discover import identity_of
from protypon.core.themes.snapshot import Snapshot
from protypon.core.units.draft import Draft

EPOCH = (1980, 1, 1, 0, 0, 0)
"""The earliest time that a zip can say (APPNOTE 4.4.6); every member has it."""
MOST_NAMED = 4
"""Errors that are named where there are many."""
LONGEST_RELEASE = 100


@dataclass(frozen=True, slots=True)
class Packed:
    """The archive that was made."""

    archive: str
    """Relative to the bench."""
    files: int
    size: int
    left_out: tuple[str, ...]
    notes: tuple[Words, ...] = ()


def plan_pack(
    bench: Bench, child: Theme, release: str | None = None, despite: Iterable[str] = ()
) -> tuple[Plan, Packed]:
    """Plan the archive in ``packages/``, and with ``release`` that number in the manifest.

    Raises ProtyponError where a check finds an error that is not among the verdicts and codes of ``despite``, Usage for
    a word that is neither.
    """
    builder = PlanBuilder(bench.folder)
    _refuse_errors(bench, child, tuple(despite), release)
    draft = None
    if release is not None and release != child.release:
        draft, child = _under_release(bench, child, release)
    if draft is not None:
        draft.put_into(builder)
    rule = bench.platform.package
    files = {path: e for path, e in sorted(child.files.items()) if not matches(path, rule.leave_out)}
    top = rule.top.replace("{slug}", child.slug)
    make = _zip if rule.archive == "zip" else _tar
    data = make(
        {
            (f"{top}/{path}" if top else path): (
                e,
                draft.read(path) if draft is not None else from_disk(Folder(child.folder), e).read(),
            )
            for path, e in files.items()
        }
    )
    path = _archive_path(rule.name, child)
    builder.write(path, content(data))
    notes = _notes(bench, child)
    if not any(
        r.theme == child.slug and r.identity == child.identity and r.label == child.release
        for r in bench.store.releases("packed")
    ):
        kept = theme_release(child, child.release, path, "packed")
        builder.keep(replace(kept, files={**kept.files, **(draft.contents if draft is not None else {})}))
    everything = set(_listing_paths(child))
    words = shlex.join(["pack", child.slug, *(("--release", release) if release else ())])
    return builder.plan(words), Packed(path, len(files), len(data), tuple(sorted(everything - files.keys())), notes)


def _refuse_errors(bench: Bench, child: Theme, despite: tuple[str, ...], release: str | None) -> None:
    """Raises ProtyponError for what a check calls an error or worse, but for what ``despite`` names."""
    for word in despite:
        if word not in VERDICTS and word not in CODES:
            near = nearest(word, (*VERDICTS, *CODES))
            raise Usage(
                f"--despite {word!r} is neither a verdict nor a code of a finding",
                f"did you mean {near}?" if near else ("see what there is with: ", Check(child.slug)),
            )
    report = check(bench, [child.slug]).reports[0]
    rows = [
        row
        for row in (*report["overrides"], *report["findings"])
        if WEIGHTS.index(row["weight"]) >= WEIGHTS.index("error") and _word(row) not in despite
    ]
    if not rows:
        return
    named = [f"{_word(row)} {row.get('unit') or '(' + row['theme'] + ')'}" for row in rows]
    more = f" and {len(named) - MOST_NAMED} more" if len(named) > MOST_NAMED else ""
    wanted = tuple(dict.fromkeys([*despite, *map(_word, rows)]))
    raise ProtyponError(
        f"{child.slug} has errors, so it was not packed: {', '.join(named[:MOST_NAMED])}{more}",
        (
            "see what to do with: ",
            Check(child.slug),
            "\nif it is to go out as it is: ",
            Pack(child.slug, release or "", wanted),
        ),
    )


def _word(row: dict[str, Any]) -> str:
    """What a row of a report is told by."""
    return str(row["verdict"] if "unit" in row else row["code"])


def _under_release(bench: Bench, child: Theme, release: str) -> tuple[Draft | None, Theme]:
    """The child under another release number: with it in its manifest, where that has a place for it."""
    if not release.strip() or not is_name(release) or len(release) > LONGEST_RELEASE:
        raise Usage(f"--release {release[:80]!r} can be no release number", "as in --release 1.2.0")
    form = manifest.form_of(bench.platform, os.path.basename(child.folder), child.manifest)
    if "release" not in form.fields:
        return None, replace(child, release=release)
    draft = Draft(world_of(bench, child, Snapshot.of_bench(bench), {})).with_manifest({"release": release})
    return draft, replace(draft.child, release=release, identity=identity_of(draft.child.files))


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
