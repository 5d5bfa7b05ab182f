"""Findings about texts of the interface: asked for in a domain that no theme of the lineage has."""

from __future__ import annotations

from collections.abc import Iterator

from protypon.core.model.nouns import Finding
from protypon.core.platform.arguments import literal_text
from protypon.core.platform.schema import nearest
from protypon.core.units.next_steps import by_hand
from protypon.core.units.places import place_words
from protypon.core.units.world import World


def find(world: World) -> Iterator[Finding]:
    """Told of the child's own calls, once a domain; where no manifest names a domain, nothing can be said."""
    domains = {str(domain) for t in world.lineage.themes if (domain := t.values.get("language_domain"))}
    told: set[str] = set()
    for each in world.behaviour.said if domains else ():
        domain = literal_text(each.meant.roles, "domain") if each.meaning.does == "translate" else None
        if domain is None or domain in domains | told or each.theme is not world.child:
            continue
        told.add(domain)
        near = nearest(domain, tuple(sorted(domains)))
        tail = f"; did you mean {near}?" if near else f"; those of the lineage are {', '.join(sorted(domains))}"
        because = (
            f"{place_words(each.place)} asks for a text of the domain {domain}, which no theme of the lineage has{tail}"
        )
        yield Finding(
            "strange-domain",
            "warning",
            world.child.slug,
            each.path,
            because,
            by_hand(world, world.child.slug, each.path),
            each.place.line,
        )
