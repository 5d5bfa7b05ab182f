"""Two states of a theme, as readers see them: what names the same and does the same need not be worked out twice."""

from __future__ import annotations

from typing import NamedTuple

from protypon.core.languages.registry import LANGUAGES, is_coded
from protypon.core.model.nouns import Theme
from protypon.core.platform.platform import Platform
from protypon.core.themes.snapshot import Snapshot
from protypon.core.themes.trace import digest_of

MOST_EDITED = 50
"""Files of a theme, of which so many are looked at to tell whether two states of it read alike."""


class Alike(NamedTuple):
    """What two states of a theme have in common, as readers see it."""

    reach: bool
    """The same paths and manifests, and their templates name the same."""
    code: bool
    """All code does the same besides."""


def alike(snapshot: Snapshot, platform: Platform, theme: Theme, other: Theme) -> Alike:
    """How much readers say the same of two states of a theme; asked once for all children."""
    if theme.files is other.files:
        return Alike(True, True)
    known: list[tuple[object, object, Alike]] = snapshot.worked_out.setdefault(("alike",), [])
    for one, two, found in known:
        if one is theme.files and two is other.files:
            return found
    known.append((theme.files, other.files, _compare(snapshot, platform, theme, other)))
    return known[-1][-1]


def _compare(snapshot: Snapshot, platform: Platform, theme: Theme, other: Theme) -> Alike:
    if theme.files.keys() != other.files.keys() or theme.values != other.values or theme.problems != other.problems:
        return Alike(False, False)
    changed = [path for path in theme.files if digest_of(theme, path) != digest_of(other, path)]
    rules = [(p, r) for p in changed if (r := platform.rule_of(p)) is not None]
    if len(rules) > MOST_EDITED:
        return Alike(False, False)
    names = all(snapshot.facts(theme, p, r.language) == snapshot.facts(other, p, r.language) for p, r in rules)
    coded = [(p, r.language) for p, r in rules if is_coded(r.language)]
    differing = [
        name for p, name in coded if snapshot.unnoted_code(theme, p, name) != snapshot.unnoted_code(other, p, name)
    ]
    return Alike(names and all(LANGUAGES[name].extends for name in differing), names and not differing)
