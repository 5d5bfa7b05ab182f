"""Blocks set over the lineage's: the light kind of override, a template that extends the parent's and sets one block."""

from __future__ import annotations

import os

from protypon.core.files.listing import blob_digest
from protypon.core.languages.jinja.blocks import Edited
from protypon.core.languages.registry import LANGUAGES
from protypon.core.model.actions import Explain, OpenInEditor, Override, Survey
from protypon.core.model.errors import ProtyponError, UnknownName
from protypon.core.model.nouns import Record, Unit, Written
from protypon.core.model.paths import quote_path
from protypon.core.platform.schema import nearest
from protypon.core.units.block_files import Further, above_of, block_file
from protypon.core.units.draft import Draft
from protypon.core.units.placing import Asked, Outcome
from protypon.core.units.world import World


def place(draft: Draft, unit: Unit, asked: Asked) -> Outcome:
    """Set a block: with the text of the lineage, to be edited, or around that text.

    Raises UnknownName for a block that nothing further up has; ProtyponError where it can't be set, or nothing would print it.
    """
    world = draft.world
    name = unit.name or ""
    further = _further(world, unit)
    around = asked.around or not further.whole or not further.line
    body = "\n{{ super() }}\n" if around else further.text.decode("utf-8")
    made, brought = _with_block(draft, unit, body)
    file = block_file(made.world, unit.path)
    if file is None or file.runs(name) is False:
        raise ProtyponError(
            f"{unit.address}: nothing would print it; nothing was changed",
            ("see how it stands with: ", Explain(unit.address)),
        )
    theme = world.ancestor(further.theme)
    label = (theme.label if theme is not None else f"the platform's {further.theme}") + f" ({further.path})"
    record = Record(
        unit, "extends", further.theme, theme.release if theme is not None else None, blob_digest(further.text), asked.why,
        written=Written(brought=("file",) if brought else (), at=further.at or ("",)),
    )  # fmt: skip
    words = f"it adds to the text of {label}" if around else f"it begins as the text of {label}"
    if around and not asked.around:
        words += ", which stands in several templates or with the platform and so can't be copied in one piece"
    return Outcome(made, (record,), ((theme, further.text),), words, unit.path)


def _further(world: World, unit: Unit) -> Further:
    """What stands there now without the child."""
    path, name = unit.path, unit.name or ""
    rule = world.platform.rule_of(path)
    if rule is None or rule.kind != "template" or not LANGUAGES[rule.language].extends:
        raise ProtyponError(f"{unit.address}: {quote_path(path)} is no template with blocks", Survey(units=True))
    standing = block_file(world, path)
    if path in world.child.files and standing is None:
        raise ProtyponError(
            f"{unit.address}: {world.child.slug} has {quote_path(path)} as a whole, so the block is edited there",
            OpenInEditor(os.path.join(world.child.folder, path)),
        )
    if standing is not None and standing.block(name) is not None:
        raise ProtyponError(
            f"{world.child.slug} sets the block {name} in {quote_path(path)} already; nothing was changed",
            OpenInEditor(os.path.join(world.child.folder, path)),
        )
    chains, open_end = (standing.above, standing.open) if standing is not None else above_of(world, path)
    found = [further for chain in chains if (further := chain.further(name)) is not None]
    if not found:
        names = list(dict.fromkeys(n for chain in chains for n in chain.names()))
        near = nearest(name, tuple(names))
        hint = (
            f"did you mean block:{quote_path(path)}#{near}?"
            if near
            else f"its blocks are: {', '.join(names[:12]) or 'none'}"
        )
        why = f"; {open_end}" if open_end else ""
        raise UnknownName(f"nothing further up has a block {name} for {quote_path(path)}{why}", hint)
    return found[0]


def _with_block(draft: Draft, unit: Unit, body: str) -> tuple[Draft, bool]:
    """The child's template with one block more, behind all that it has; begun where it is not there."""
    path = unit.path
    block = f"{{% block {unit.name} %}}{body}{{% endblock %}}\n"
    if draft.has(path):
        data = draft.read(path)
        edited = Edited(data)
        if not edited.exact:
            raise ProtyponError(
                f"{quote_path(path)} is not UTF-8, so nothing can be written into it", draft.in_editor(path)
            )
        gap = "" if edited.text.endswith("\n") or not edited.text else "\n"
        end = len(edited.text)
        return draft.with_file(path, edited.with_piece(end, end, f"{gap}\n{block}")), False
    return draft.with_file(path, f'{{% extends "{_name_of_parents(draft.world, unit)}" %}}\n\n{block}'.encode()), True


def _name_of_parents(world: World, unit: Unit) -> str:
    """How the platform's templates name the parent's of the same path."""
    names, path = world.platform.templates, unit.path
    if names.parent:
        return names.parent.replace("{path}", path)
    theme = next((t for t in world.ancestors if path in t.files), None)
    slug = theme.slug if theme is not None else world.lineage.root
    if names.exact and slug:
        return names.exact.replace("{slug}", slug).replace("{path}", path)
    raise ProtyponError(
        f"{unit.address}: templates of {world.platform.title} have no way to name the parent's {quote_path(path)}",
        ("take it over whole with: ", Override(f"template:{quote_path(path)}")),
    )
