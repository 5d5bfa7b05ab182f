"""Overrides that are copies of declarations: both texts, where they stand, and what is said of them."""

from __future__ import annotations

from protypon.core.files.listing import blob_digest
from protypon.core.languages.registry import piece_of
from protypon.core.model.actions import Adopt, Drop, Update
from protypon.core.model.evidence import LinesOf, Part, Subject, Supplied, Told
from protypon.core.units.declarations import Declaration, first_line
from protypon.core.units.places import place_words
from protypon.core.units.world import World


def part_of(world: World, own: Declaration, ours: bytes, origin: Declaration, theirs: bytes) -> Part:
    """Both texts, and the lines of their files where they begin."""
    rule = world.platform.rule_of(own.path)
    language = piece_of(rule.language) if rule is not None else "plain"
    lines = first_line(world, own, ours), first_line(world, origin, theirs)
    return Part(ours, theirs, language, *lines, origin.path)


def supplied_text(text: bytes) -> Supplied:
    """A text as what stands further up."""
    return Supplied(blob_digest(text), text)


def words(o: Subject, now: str, own: Declaration, origin: Declaration) -> dict[str, Told]:
    """What is said of a copy of a declaration, by verdict."""
    beside = "" if own.name == origin.name else f" ({own.name})"
    parent = f"{origin.theme.label} ({place_words(origin.place)})"
    holds = (
        f"has what your copy{beside} was taken from"
        if now == o.base
        else f"changed only comments and layout of {origin.name}"
    )
    label, file = origin.theme.label, f"{origin.theme.slug}/{origin.path}"
    return {
        "needless": Told(f"{own.path} line {own.place.line} now says just what {parent} says", Drop),
        "holds": Told(f"{parent} {holds}"),
        "drifted": Told(
            (f"{label} changed {origin.name}: ", LinesOf.PARENT, f" of {origin.path}; ", LinesOf.OWN), Update
        ),
        "conflicted": Told(
            (
                f"{origin.name}: ",
                LinesOf.THEIRS,
                f" of {file} and ",
                LinesOf.OURS,
                f" of {own.path} change the same place",
            ),
            Update,
        ),
    }


def without_record(world: World, own: Declaration, origin: Declaration) -> dict[str, Told]:
    """What is said of one that nobody wrote down."""
    adopt = Adopt(world.child.slug)
    return {
        "unlisted": Told(
            f"{place_words(own.place)} stands in the place of {origin.name} ({place_words(origin.place)}), and no record says from which release it was made",
            adopt,
        ),
        "needless": Told(
            f"{place_words(own.place)} says just what {origin.theme.label} says, and no record says so", adopt
        ),
    }


def in_copied_file(world: World, path: str) -> bool:
    """Whether a file of the child stands in the place of an ancestor's as a whole."""
    rule = world.platform.rule_of(path)
    return rule is not None and rule.combine != "load" and any(path in t.files for t in world.ancestors)
