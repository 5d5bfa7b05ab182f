"""Values, of the platform or the language: constants, and variables that are set only if they are not set yet. The first to set one counts."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from protypon.core.analysis.state import Registered, State
from protypon.core.units.coder import Coder
from protypon.core.units.draft import Draft
from protypon.core.units.settings import Setting
from protypon.core.units.world import World


def _tries(state: State) -> Mapping[str, list[Registered]]:
    found = {name: [row, *state.passed_over.get(name, [])] for name, row in state.values.items()}
    return found | state.defaults


def _askers(world: World, name: str) -> list[str]:
    said = world.behaviour.said
    return sorted({s.path for s in said if s.meaning.does == "value" and s.name == name and s.theme is not world.child})


def _by_language(draft: Draft, code: Coder, name: str, value: Any) -> str:
    """How the language sets it, where code of the lineage does; else a call of the platform."""
    parents = draft.world.behaviour.parents
    known = draft.world.behaviour.state.defaults.keys() | (
        parents.state.defaults.keys() if parents is not None else set()
    )
    return code.writer.default(name, code.literal(value), code.style.quote) if name in known else ""


VALUE = Setting(
    kind="value",
    does="default",
    verb="sets",
    counts="first",
    about="values",
    comment="is set before another theme sets it.",
    tries=_tries,
    own=lambda platform: platform.code.values,
    uses=_askers,
    by_language=_by_language,
)
