"""One changed file as the lightest overrides that give the same, tried and held against what it was."""

from __future__ import annotations

from typing import NamedTuple

from protypon.core.files.listing import blob_digest
from protypon.core.languages.registry import language
from protypon.core.model.nouns import Record, Theme, Unit
from protypon.core.platform.platform import FileRule
from protypon.core.units.draft import Draft
from protypon.core.units.effects import parting
from protypon.core.units.lightening import Lightening, peel_all
from protypon.core.units.registry import lightening
from protypon.core.units.world import World


class Edit(NamedTuple):
    """A file that two states of a theme have otherwise; None where one has it not."""

    path: str
    theirs: bytes | None
    """As it was released."""
    ours: bytes | None
    """As it was edited to."""


class Lightest(NamedTuple):
    """What becomes of one edit."""

    edit: Edit
    state: Lightening | None
    """None: it stays where it is."""
    words: tuple[tuple[Unit | None, str], ...]
    why: str = ""
    """Why it stays."""


def lightest(reference: World, base: Draft, theme: Theme, edit: Edit, whole: bool) -> Lightest:
    """The first way to say an edit in the child after which all is as in the ``reference``; ``whole``: also a copy of the file."""
    rule = base.start.platform.rule_of(edit.path)
    theirs, ours = edit.theirs or b"", edit.ours or b""
    if rule is None:
        return Lightest(edit, None, (), "the platform does not look at such a file")
    begun = Lightening(base, edit.path, rule, reference, theme, theirs, ours)
    if edit.path in base.child.files and rule.combine not in ("load", "overlay"):
        return _nothing(reference, begun, edit, "yours takes its place already")
    if edit.ours is None:
        return _nothing(
            reference,
            begun,
            edit,
            "nothing of the page came of it",
            "a child can't take away a file that its parent has",
        )
    if edit.theirs is None:
        return _own(reference, begun, edit)
    if _same_but_layout(rule, theirs, ours):
        return _nothing(
            reference, begun, edit, "only layout or comments", "it looks like layout, and changes something"
        )
    why = "no kind of override says it"
    for attempt in (peel_all(begun, [kind.peel for kind in lightening()]), *([_whole_copy(begun)] if whole else [])):
        if attempt is None or not attempt.is_done:
            continue
        differs = parting(reference, attempt.draft.world)
        if not differs:
            said = tuple(row for row in attempt.done if row[1])
            return Lightest(edit, attempt, said or ((None, "nothing comes of it here"),))
        why = f"it would not be the same: {differs}"
    return Lightest(edit, None, (), why)


def _same_but_layout(rule: FileRule, one: bytes, other: bytes) -> bool:
    try:
        texts = [data.decode("utf-8") for data in (one, other)]
    except UnicodeDecodeError:
        return False
    if rule.kind in ("asset", "template"):
        return False
    said = [language(rule.language).significant(text) for text in texts]
    return said[0] == said[1]


def _nothing(reference: World, begun: Lightening, edit: Edit, words: str, otherwise: str = "") -> Lightest:
    """An edit of which nothing has to be said."""
    differs = parting(reference, begun.draft.world)
    if differs:
        return Lightest(edit, None, (), otherwise or f"it would not be the same: {differs}")
    return Lightest(edit, begun, ((None, words),))


def _own(reference: World, begun: Lightening, edit: Edit) -> Lightest:
    """A file that only the edited theme has, as one of the child's own."""
    draft = begun.draft.with_file(edit.path, begun.ours)
    differs = parting(reference, draft.world)
    if differs:
        return Lightest(edit, None, (), f"it would not be the same: {differs}")
    return Lightest(edit, begun.with_added(draft, begun.theirs, ""), ((None, f"{edit.path} is yours now"),))


def _whole_copy(begun: Lightening) -> Lightening | None:
    """The whole file; None where the platform would run or lay over both."""
    if begun.rule.combine in ("load", "overlay") or not begun.draft.start.platform.is_inherited(begun.path):
        return None
    unit = Unit(begun.rule.kind, begun.path)
    record = Record(unit, "copy", begun.theme.slug, begun.theme.release, blob_digest(begun.theirs))
    made = begun.with_added(begun.draft.with_file(begun.path, begun.ours), begun.theirs, "")
    return Lightening(
        made.draft, begun.path, begun.rule, begun.reference, begun.theme, begun.theirs, begun.theirs, (record,), ((begun.theme, begun.theirs),),
        ((unit, "the whole file"),),
    )  # fmt: skip
