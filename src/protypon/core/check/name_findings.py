"""The name of another theme, left in one that was made of it: told of themes that have files in common, or where the ledger says so."""

from __future__ import annotations

import re
from collections.abc import Iterator

from protypon.core.model.actions import Mend
from protypon.core.model.nouns import Finding, Theme
from protypon.core.model.paths import FILE, RUNNABLE, quote_path
from protypon.core.store.ledger import LEDGER, origin_said
from protypon.core.themes.renaming.occurrences import COUNTING, Occurrence
from protypon.core.themes.renaming.spelling import words_of
from protypon.core.units.old_names import Renaming, renaming
from protypon.core.units.world import World

CODE = "old-name"
IN_COMMON = 3
"""Files that no parent has, and that two themes have alike: so many say that one was made of the other."""
SHOWN = 3


def left_names(world: World, themes: list[Theme]) -> Iterator[Finding]:
    """One finding for each other theme whose name still counts somewhere in the child."""
    for old, renamed in renamings(world, themes):
        places = [f"{quote_path(each.path)} line {each.line} ({each.old})" for each in renamed.sure]
        places += [quote_path(path) for path in renamed.moved]
        first = renamed.sure[0] if renamed.sure else None
        more = f" and {len(places) - SHOWN} more places" if len(places) > SHOWN else ""
        because = (
            f"{world.child.slug} was made of {old}, and that name still stands in {', '.join(places[:SHOWN])}{more}"
        )
        file = first.path if first is not None else next(iter(renamed.moved))
        line = first.line if first is not None else None
        yield Finding(CODE, "warning", world.child.slug, file, because, Mend(CODE, world.child.slug), line)


def renamings(world: World, themes: list[Theme]) -> Iterator[tuple[str, Renaming]]:
    """For each theme that the child was made of: what would still have to be renamed."""
    child = world.child
    if not child.maintained or child.problems or world.lineage.cut:
        return
    for old, title, told in _origins(world, themes):
        if _may_have(world, child, old):
            found = renaming(world, old, child.slug, (title, child.title))
            kept = tuple(each for each in found.found if each.sure and (told or each.kind in COUNTING))
            kept = tuple(each for each in kept if not _is_own(child.slug, each))
            moved = {was: now for was, now in found.moved.items() if was != child.manifest}
            if kept or moved:
                yield old, Renaming.of(world, kept, moved, found)


def _is_own(slug: str, found: Occurrence) -> bool:
    """Whether a name has the old one in it only because the child's has."""
    return "".join(words_of(slug)) in "".join(words_of(found.old))


def _origins(world: World, themes: list[Theme]) -> Iterator[tuple[str, str, bool]]:
    """The themes that the child may have been made of: slug, title, whether the ledger says so."""
    child = world.child
    said = origin_said(world.snapshot.read(child, LEDGER))
    known = {theme.slug: theme for theme in themes}
    if said and said not in world.lineage.slugs:
        yield said, known[said].title if said in known else "", True
    parents = {entry.digest for theme in world.ancestors for entry in theme.files.values()}
    own = {entry.digest for entry in child.files.values() if entry.size} - parents
    for theme in themes:
        if theme.slug in (said, *world.lineage.slugs):
            continue
        if len(own & {entry.digest for entry in theme.files.values()}) >= IN_COMMON:
            yield theme.slug, theme.title, False


def _may_have(world: World, child: Theme, old: str) -> bool:
    """Whether the bytes of the child have a name at all."""
    words = words_of(old)
    if not words:
        return False
    pattern = re.compile("[-_]?".join(map(re.escape, words)).encode(), re.IGNORECASE)
    texts = (path for path, entry in child.files.items() if entry.mode in (FILE, RUNNABLE))
    return any(pattern.search(path.encode()) or pattern.search(world.snapshot.read(child, path)) for path in texts)
