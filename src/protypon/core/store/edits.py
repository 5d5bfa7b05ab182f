"""Parents that were edited in their own folder: told from releases, and seen as they were released."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import replace

from protypon.core.model.nouns import Content, Release, Theme
from protypon.core.model.paths import LINK, Entry, RelPath, quote_path, rel_path
from protypon.core.store.plan_builder import content

Files = Mapping[str, tuple[int, str]]


def is_numbered(theme: Theme) -> bool:
    """Whether a theme's manifest says which release it is."""
    return "release" in theme.values


def edited_release(theme: Theme, releases: Iterable[Release]) -> Release | None:
    """The kept release that a theme of the bench is an edited state of; None where it is none.

    A theme that is the maintainer's own is exempt; so is one with a number that was never kept: somebody updated it.
    Where manifests have no number it can't be told what it is, and the last kept release counts.
    """
    kept = [r for r in releases if r.theme == theme.slug and r.edited_from is None]
    if theme.maintained or any(r.identity == theme.identity for r in kept):
        return None
    same = [r for r in kept if r.label == theme.release] if is_numbered(theme) else kept
    return same[-1] if same else None


def wiped_out(theme: Theme, releases: Iterable[Release], states: Iterable[Release]) -> Release | None:
    """The last kept state of a theme that was edited, if another release stands there now, and it was neither settled nor rescued.

    One that stands as the release that was edited was put back by somebody.
    """
    known = {r.name: r for r in releases if r.theme == theme.slug}
    found = [r for r in states if r.theme == theme.slug and r.edited_from in known]
    if not found or found[-1].why or found[-1].identity == theme.identity:
        return None
    return found[-1] if known[found[-1].edited_from or ""].identity != theme.identity else None


def changed_files(theme: Theme, files: Files) -> list[str]:
    """The files in which a theme differs from a kept release's files."""
    here = {path: entry.digest for path, entry in theme.files.items()}
    return sorted(path for path in files.keys() | here.keys() if files.get(path, (0, ""))[1] != here.get(path, ""))


def as_released(theme: Theme, release: Release, files: Files) -> Theme:
    """A theme as it was before it was edited; what differs is read from the store."""
    entries = {path: Entry(path, mode, 0, digest) for path, (mode, digest) in files.items()}
    stored = frozenset(path for path in changed_files(theme, files) if path in entries)
    return replace(theme, files=entries, identity=release.identity, stored=stored)


def patch_path(theme: Theme, release: Release) -> RelPath:
    """Where the patch of an edited state lies: named by what it holds, so that none takes the place of another."""
    return rel_path("proposals", theme.slug, f"edited-from-{_plain(release.name)}-{theme.identity[:8]}.patch")


def _plain(text: str) -> str:
    return "".join(c if c.isalnum() or c in "._+-" else "-" for c in text)[:60]


def patch_of(
    theme: Theme,
    release: Release,
    files: Files,
    blob: Callable[[str], bytes | None],
    read: Callable[[str], bytes],
    patch: Callable[[bytes | None, bytes | None, str], bytes],
) -> Content:
    """What was edited in a parent, as a patch that Git and patch(1) read, to be applied in the theme's folder.

    ``blob`` gives a text of the release, ``read`` one of the theme, ``patch`` the difference of two texts of one path.
    """
    out = [
        f"What was edited in {theme.slug} since {release.name} was released; to be applied in its folder.\n\n".encode()
    ]
    for path in changed_files(theme, files):
        before = blob(files[path][1]) if path in files else None
        after = read(path) if path in theme.files else None
        link = LINK in (files.get(path, (0, ""))[0], theme.files[path].mode if path in theme.files else 0)
        lost = path in files and before is None
        if lost or link or b"\0" in (before or b"") + (after or b""):
            out.append(f"{quote_path(path)}: no text; its bytes are in the store\n\n".encode())
        else:
            out.append(patch(before, after, path))
    return content(b"".join(out))
