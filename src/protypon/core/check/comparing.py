"""What is to be compared: the three texts of an override, and the evidence with what they say of each other."""

from __future__ import annotations

from protypon.core.files.listing import blob_digest
from protypon.core.model.evidence import (
    Comparison,
    Evidence,
    Lost,
    Missing,
    Own,
    Part,
    Subject,
    Supplied,
    with_comparison,
)
from protypon.core.model.nouns import Theme
from protypon.core.model.paths import LINK
from protypon.core.themes.comparisons import Three, compare
from protypon.core.units.world import World


def with_comparisons(world: World, found: list[Evidence]) -> list[Evidence]:
    """Fill in, for all overrides at once, what B, O and T say of each other."""
    trace = world.snapshot.trace
    wanted: dict[int, Three] = {}
    for number, e in enumerate(found):
        with trace.override_of(e.subject.unit.path):
            three = three_of(world, e)
        if three is not None:
            wanted[number] = three
    results = compare(world.snapshot, wanted.values())
    filled = list(found)
    for number, three in wanted.items():
        if three.key in results:
            with trace.override_of(found[number].subject.unit.path):
                filled[number] = with_comparison(found[number], _unless_link(world, found[number], results[three.key]))
    return filled


def _unless_link(world: World, e: Evidence, result: Comparison) -> Comparison:
    """A link is no text: where either side is one, nothing is merged."""
    if not isinstance(e, Missing) and e.own.part is not None:
        return result
    o = e.subject
    mine, theirs = world.child.files.get(o.file), world.supplier(o.now_from)
    other = theirs.files.get(source_path(world, o)) if theirs else None
    links = LINK in (mine.mode if mine else 0, other.mode if other else 0)
    return Comparison("conflict") if links else result


def three_of(world: World, e: Evidence) -> Three | None:
    """The texts of an override that are to be merged, if they are."""
    if isinstance(e, Missing) or e.subject.base is None or e.own.text is None or not e.subject.base_here:
        return None
    if isinstance(e.source, Supplied) and e.source.digest in (e.subject.base, e.own.text):
        return None
    if e.subject.inside:
        return _three_of_part(e.subject.base, e.own.text, e.own.part) if e.own.part is not None else None
    return _three_of_file(world, e, e.subject, e.own) if e.own.adds is None else None


def _three_of_file(world: World, e: Evidence, o: Subject, own: Own) -> Three | None:
    found = _file_further_up(world, e)
    if found is None or found[1] not in found[0].files:
        return None
    assert o.base is not None and own.text is not None
    theme, path = found
    rule = world.platform.rule_of(o.unit.path)
    language = rule.language if rule else "plain"
    return Three(o.base, own.text, theme.files[path].digest, (world.child, o.file), found, language)


def _file_further_up(world: World, e: Evidence) -> tuple[Theme, str] | None:
    if isinstance(e.source, Supplied):
        theme, path = world.supplier(e.subject.now_from), source_path(world, e.subject)
    elif isinstance(e.source, Lost) and len(e.source.moved) == 1:
        theme, path = world.ancestor(e.source.moved[0].theme), e.source.moved[0].path
    else:
        return None
    return (theme, path) if theme is not None else None


def _three_of_part(base: str, ours: str, part: Part) -> Three:
    """The same for a unit inside files, whose texts are at hand."""
    return Three(base, ours, blob_digest(part.theirs), part.ours, part.theirs, part.language, part.base)


def source_path(world: World, o: Subject) -> str:
    """Where T lies in its theme: the unit's path, that of a broader template, or for look-up by name the file of that name."""
    if o.how == "variant" and o.now_at:
        return o.now_at
    theme = world.ancestor(o.now_from)
    if theme is None or o.unit.path in theme.files:
        return o.unit.path
    rule = world.platform.rule_of(o.unit.path)
    found = [s for s in world.resolver.ranking(o.unit.path, rule) if s.theme is theme] if rule else []
    return found[0].path if found else o.unit.path
