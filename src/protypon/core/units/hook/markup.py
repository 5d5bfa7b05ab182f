"""Findings about markup: a page that was whole and is not any more, because one of a pair of callbacks was taken away."""

from __future__ import annotations

import re
from collections.abc import Iterator

from protypon.core.analysis.site import PageRun
from protypon.core.analysis.state import Ran
from protypon.core.languages.values import Unknown
from protypon.core.model.actions import Action, Explain, Override
from protypon.core.model.nouns import Finding
from protypon.core.themes.reach import Location
from protypon.core.units.places import place_words
from protypon.core.units.world import World

_TAG = re.compile(
    r"<!--(?:.*?-->|.*)|<(script|style|textarea)\b(?:.*?</\1\s*>|.*)|<(/?)([a-zA-Z][\w-]*)((?:\"[^\"]*\"|'[^']*'|[^<>\"'])*)>",
    re.DOTALL,
)
VOID = frozenset(
    ["area", "base", "br", "col", "embed", "hr", "img", "input", "link", "meta", "param", "source", "track", "wbr"]
)
"""Elements that are never closed (HTML Living Standard, section 13.1.2)."""


def find(world: World) -> Iterator[Finding]:
    """Pages of the parents that are balanced, and are not with the child."""
    parents = world.behaviour.parents
    if parents is None or parents.state.stopped is not None or world.behaviour.state.stopped is not None:
        return
    before = {page.kind: page for page in parents.pages}
    found: dict[tuple[Location, str], tuple[Ran, Ran | None, list[str]]] = {}
    for page in world.behaviour.pages:
        old = before.get(page.kind)
        if old is None or page.state.stopped is not None or open_elements(old.out) or not open_elements(page.out):
            continue
        for ran, partner in _widowed_halves(old, page):
            gone = next(
                (c.gone for c in page.state.callbacks if c.gone is not None and _same(c.site, c.label, ran)), None
            )
            place = gone.site if gone is not None else ran.callback.site
            found.setdefault((place, ran.callback.label), (ran, partner, []))[2].append(page.kind)
    for (place, _), (ran, partner, kinds) in found.items():
        yield _finding(world, ran, partner, place, kinds)


def _same(site: Location, label: str, ran: Ran) -> bool:
    return site == ran.callback.site and label == ran.callback.label


def _widowed_halves(old: PageRun, new: PageRun) -> Iterator[tuple[Ran, Ran | None]]:
    """Callbacks that open or close something and run no more, each with one that still does the other half."""
    before = [ran for firing in old.state.firings[old.begins :] for ran in firing.ran]
    after = [ran for firing in new.state.firings[new.begins :] for ran in firing.ran]
    there = {(ran.callback.site, ran.callback.label) for ran in after}
    for ran in before:
        half = open_elements(ran.output)
        if half and (ran.callback.site, ran.callback.label) not in there:
            partner = next((other for other in after if _completes(half, open_elements(other.output))), None)
            yield ran, partner


def _completes(half: list[str], other: list[str]) -> bool:
    flipped = [name[1:] if name.startswith("/") else "/" + name for name in reversed(half)]
    return other == flipped


def _finding(world: World, ran: Ran, partner: Ran | None, place: Location, kinds: list[str]) -> Finding:
    half = open_elements(ran.output)
    what = ", ".join(f"</{n[1:]}>" if n.startswith("/") else f"<{n}>" for n in half)
    verb = "closes" if half[0].startswith("/") else "opens"
    other = (
        f", while {partner.callback.label} ({place_words(partner.callback.site)}) still does the other half"
        if partner is not None
        else ""
    )
    gone = (
        f"{ran.callback.label}, which {verb} {what} at {ran.callback.point}, runs no more ({place_words(place)}){other}"
    )
    more = f" and {len(kinds) - 3} more" if len(kinds) > 3 else ""
    because = f"{gone}: pages are out of balance ({', '.join(kinds[:3])}{more})"
    return Finding("out-of-balance", "error", place.theme, place.path, because, _step(world, ran, partner), place.line)


def _step(world: World, ran: Ran, partner: Ran | None) -> Action:
    """To take the other half off too, where it is a parent's callback and the first was taken off by the child."""
    point, child = ran.callback.point, world.child.slug
    if partner is None or partner.callback.site.theme == child or not isinstance(partner.callback.point, str):
        return Explain(f"hook:{point}", child)
    return Override(f"hook:{partner.callback.point}#{partner.callback.label}", child, ("--detach",))


def open_elements(out: list[str | Unknown]) -> list[str]:
    """The elements that a text opens and leaves open; with ``/`` those that it closes and has not opened.

    >>> open_elements(["<div><p>", "</p>"])
    ['div']
    """
    left: list[str] = []
    for closing, name, rest in _tags("".join(text if isinstance(text, str) else " " for text in out)):
        if name in VOID or rest.rstrip().endswith("/"):
            continue
        if not closing:
            left.append(name)
        elif left and left[-1] == name:
            left.pop()
        else:
            left.append("/" + name)
    return left


def _tags(text: str) -> Iterator[tuple[str, str, str]]:
    for found in _TAG.finditer(text):
        if found[3]:
            yield found[2], found[3].lower(), found[4]
