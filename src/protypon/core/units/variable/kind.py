"""Variables of templates: the last one to provide one counts."""

from __future__ import annotations

import re
from collections.abc import Mapping

from protypon.core.analysis.state import Registered, State
from protypon.core.units.settings import Setting
from protypon.core.units.world import World


def _tries(state: State) -> Mapping[str, list[Registered]]:
    found: dict[str, list[Registered]] = {}
    for mark in reversed(state.provided):
        if isinstance(mark.name, str):
            found.setdefault(mark.name, []).append(Registered(mark.value, mark.site, mark.doubt))
    return found


def _templates_using(world: World, name: str) -> list[str]:
    """The templates in use, of any theme, in which the name stands."""
    word = re.compile(rb"\b" + re.escape(name.encode()) + rb"\b")
    found = [s.path for s in world.behaviour.templates if word.search(world.snapshot.read(s.theme, s.path))]
    return sorted(set(found))


VARIABLE = Setting(
    kind="variable",
    does="provide",
    verb="provides",
    counts="last",
    about="points",
    comment="is provided after other themes did.",
    tries=_tries,
    own=lambda platform: dict.fromkeys(platform.code.variables),
    uses=_templates_using,
)
