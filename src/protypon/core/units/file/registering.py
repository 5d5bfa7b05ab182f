"""A sheet or script that no code registers, registered by a call in the child's own code."""

from __future__ import annotations

import re

from protypon.core.model.actions import Explain
from protypon.core.model.errors import ProtyponError
from protypon.core.model.nouns import Unit
from protypon.core.model.paths import quote_path
from protypon.core.units.coder import Coder, coder
from protypon.core.units.draft import Draft
from protypon.core.units.file import use
from protypon.core.units.moments import try_moments


def by_call(draft: Draft, kind: str, path: str) -> tuple[Draft, str]:
    """The draft with a call that makes a file of the child load, and what was done. Raises ProtyponError where none does."""
    code, _ = coder(draft)
    rule = draft.start.platform.rule_of(path)
    assert rule is not None
    words = code.writer.comment(f"{path} loads.")
    for made, file, _, when in try_moments(draft, code, words, _call(code, draft.child.slug, kind, path), ""):
        if made.problem() is None and use.of(made.world, path, rule).reach == "yes":
            return made, f"{quote_path(path)} is registered {when} in {quote_path(file)}"
    unit = Unit(kind, path)
    raise ProtyponError(
        f"{unit.address}: no call in the code of {draft.child.slug} would make it load", Explain(unit.address)
    )


def _call(code: Coder, slug: str, kind: str, path: str) -> str:
    bare = re.sub(r"[^a-z0-9]+", "-", path.rpartition("/")[2].rpartition(".")[0].lower()).strip("-") or kind
    handle = bare if bare.startswith(slug) else f"{slug}-{bare}"
    return code.call(use.DOES[kind], file=code.address(path), handle=code.literal(handle))
