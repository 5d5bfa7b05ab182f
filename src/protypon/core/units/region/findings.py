"""Findings about regions: declared and printed nowhere, printed and not declared, hidden by a copy."""

from __future__ import annotations

from collections.abc import Iterator

from protypon.core.analysis.behaviour import Behaviour, Said
from protypon.core.analysis.state import Mark
from protypon.core.model.actions import Explain, Override
from protypon.core.model.nouns import Finding
from protypon.core.platform.meanings import meant_calls
from protypon.core.themes.inheritance import Supply
from protypon.core.themes.reach import Location
from protypon.core.units.places import place_words
from protypon.core.units.world import World


def find(world: World) -> Iterator[Finding]:
    """What the code and templates of a lineage would do wrong with such units."""
    behaviour = world.behaviour
    rules = behaviour.platform.code
    if rules.meaning("print-region") is None or behaviour.uncertain:
        return  # what a site that stops would declare further down is not known
    if any(not isinstance(m.name, str) for m in behaviour.state.regions):
        return
    declared = {m.name: m for m in behaviour.state.regions if isinstance(m.name, str)}
    printed = printed_regions(behaviour)
    if None not in printed:
        for name in sorted(declared.keys() - printed.keys()):
            yield from _not_printed(world, declared[name])
    for name, calls in sorted((n, c) for n, c in printed.items() if n is not None and n not in declared):
        own = [c for c in calls if c.theme is world.child]
        if own:
            if any(s.meaning.does == "region" and s.name in (name, None) for s in behaviour.said):
                continue  # some code would declare it, and whether that runs is another question
            because = f"{place_words(own[0].place)} prints the region {name}, which no theme of the lineage declares: nothing shows there"
            yield Finding(
                "region-not-declared",
                "warning",
                world.child.slug,
                own[0].path,
                because,
                Override(f"region:{name}", world.child.slug),
                own[0].place.line,
            )


def printed_regions(behaviour: Behaviour) -> dict[str | None, list[Said]]:
    """Region -> the calls that print it; None: a name made at run time."""
    found: dict[str | None, list[Said]] = {}
    for each in behaviour.said:
        if each.meaning.does == "print-region":
            found.setdefault(each.name, []).append(each)
    return found


def hiding_copies(behaviour: Behaviour, name: str) -> list[tuple[Location, Supply]]:
    """Templates further up that print a region, with the child's file that takes their place."""
    child = behaviour.lineage.child
    found = []
    for theme in behaviour.lineage.themes[1:]:
        for path in sorted(theme.files.keys() & child.files.keys()):
            rule = behaviour.platform.rule_of(path)
            read = behaviour.code_of(theme, path) if rule is not None and rule.kind == "template" else None
            for each in meant_calls(read[1], behaviour.platform.code) if read else ():
                if each.meaning.does == "print-region" and each.name == name:
                    found.append((Location(theme.slug, path, each.call.line), Supply(child, path)))
    return found


def _not_printed(world: World, mark: Mark) -> Iterator[Finding]:
    """Told where the child has to do with it: it declares the region, or its copy hides the template that prints it."""
    hiding = hiding_copies(world.behaviour, str(mark.name))
    if hiding:
        place, copy = hiding[0]
        because = f"{place_words(place)} prints the region {mark.name}; your {copy.path} takes its place and does not, so it never shows"
        step = Explain(f"region:{mark.name}", world.child.slug)
        yield Finding("region-hidden", "warning", world.child.slug, copy.path, because, step)
    elif mark.site.theme == world.child.slug:
        because = f"{place_words(mark.site)} declares the region {mark.name}, and no template in use prints it"
        yield Finding(
            "region-not-printed",
            "warning",
            world.child.slug,
            mark.site.path,
            because,
            Explain(f"region:{mark.name}", world.child.slug),
            mark.site.line or None,
        )
