"""What settings and texts share: keys of files that are laid over the parents', key by key, each an override of its own."""

from __future__ import annotations

import json
from collections.abc import Iterator
from dataclasses import dataclass, replace
from typing import Any

from protypon.core.files.listing import blob_digest
from protypon.core.languages.data.keys import GONE, Key, Keyed, as_json, key_of, name_of
from protypon.core.languages.source import NotEdited
from protypon.core.model.actions import Check, Drop, Explain, Mend, Override, Survey
from protypon.core.model.errors import ProtyponError, UnknownName
from protypon.core.model.evidence import (
    Evidence,
    Lost,
)
from protypon.core.model.nouns import Finding, Record, Unit, Written
from protypon.core.model.paths import quote_path
from protypon.core.platform.schema import nearest
from protypon.core.units import keyed_files
from protypon.core.units.draft import Draft
from protypon.core.units.explaining import Table
from protypon.core.units.keyed_evidence import KeyEvidence, sort_of, text_of_value, value_words
from protypon.core.units.keyed_files import (
    Overlaid,
    Standing,
    keyed_rule,
    laid,
    leaves_in,
    lines_in,
    module_of,
    place_of,
    value_at,
)
from protypon.core.units.placing import Asked, Outcome
from protypon.core.units.world import World


@dataclass(frozen=True)
class KeyKind(KeyEvidence):
    """One of the two kinds."""

    options = frozenset({"--value"})

    # Written

    def place(self, draft: Draft, unit: Unit, asked: Asked) -> Outcome:
        """Set a key in the child: to a value, or to what the parents have, to be edited."""
        world, path = draft.world, unit.path
        key, above = self._known_key(world, unit)
        theirs = above[key]
        rule = keyed_rule(world.platform, path)
        assert rule is not None
        own = leaves_in(world, world.child, path)
        if own is not None and any(k == key for k in own):
            raise ProtyponError(
                f"{world.child.slug} sets {name_of(key)} in {quote_path(path)} already; nothing was changed",
                ("see how it stands with: ", Explain(unit.address)),
            )
        value = asked.value if asked.valued else theirs.value
        begun = path not in world.child.files
        made = _edit_keys(draft, path, {key: value})
        label, place = theirs.theme.label, place_of(world, theirs.theme, path, key)
        words = f"{label} has {value_words(theirs.value)} there ({place})"
        notes = []
        if asked.valued and sort_of(value) != sort_of(theirs.value):
            notes.append((f"the parent's is {sort_of(theirs.value)}, and yours is {sort_of(value)}", None))
        record = Record(
            unit, "set", theirs.theme.slug, theirs.theme.release, blob_digest(text_of_value(theirs.value)), asked.why,
            written=Written(path, value=value, brought=("file",) if begun else ()),
        )  # fmt: skip
        return Outcome(made, (record,), ((theirs.theme, text_of_value(theirs.value)),), words, path, tuple(notes))

    def with_key(self, draft: Draft, path: str, key: Key, value: Any) -> Draft:
        """The child with a key that no parent has. Raises ProtyponError where it can't be set alone."""
        return _edit_keys(draft, path, {key: value})

    def _known_key(self, world: World, unit: Unit) -> tuple[Key, Overlaid]:
        """The key that is meant, and all that the parents have. Raises ProtyponError where it is none of theirs."""
        path, key = unit.path, key_of(unit.name or "")
        if keyed_rule(world.platform, path) is None:
            raise ProtyponError(
                f"{unit.address}: {world.platform.title} does not lay {quote_path(path)} over the parent's key by key",
                Survey(units=True),
            )
        above = laid(world, world.ancestors, path)
        if isinstance(above, str):
            raise ProtyponError(f"{unit.address}: {above}", Survey())
        if key is not None and key in above:
            return key, above
        below = [name_of(k) for k in above if key is not None and k[: len(key)] == key]
        if below:
            step = Override(f"{self.kind}:{quote_path(path)}#{below[0]}")
            raise ProtyponError(f"{unit.address}: is a table of {len(below)}; name a key of it", ("as in: ", step))
        near = nearest(unit.name or "", tuple(keyed_files.names_in(above)))
        hint = f"did you mean {self.kind}:{quote_path(path)}#{near}?" if near else Survey(units=True)
        raise UnknownName(f"no parent of {world.child.slug} has a key {unit.name} in {quote_path(path)}", hint)

    def out_of(self, draft: Draft, record: Record, others: list[Record]) -> Draft:
        """The child without a key; a file that came with it goes with its last one."""
        path, key = record.unit.path, key_of(record.unit.name or "")
        if not draft.has(path) or key is None:
            return draft
        made = _edit_keys(draft, path, {key: GONE})
        with_file = [record, *(o for o in others if o.unit.path == path)]
        brought = any("file" in r.written.brought for r in with_file)
        if brought and not leaves_in(made.world, made.child, path) and b"#" not in made.read(path):
            return draft.with_file(path, None)
        return made

    def mend_draft(self, draft: Draft, record: Record, evidence: Evidence) -> tuple[Draft, Record, str]:
        """A key under the name that the parents have for it now."""
        moved = evidence.source.moved if isinstance(evidence.source, Lost) else ()
        key = key_of(record.unit.name or "")
        mine = self.own(draft, record)
        if len(moved) != 1 or key is None or mine is None:
            raise ProtyponError(
                f"{record.unit.address}: no key can be said to have taken its place", Drop(record.unit.address)
            )
        new = Unit.parse(f"{self.kind}:{moved[0].path}")
        to = key_of(new.name or "") or ()
        made = _edit_keys(draft, new.path, {key: GONE, to: json.loads(mine)})
        return made, replace(record, unit=new), f"the key is called {new.name} now"

    # Explained, and what a check says besides

    def units(self, world: World) -> Iterator[Unit]:
        """Every unit of the kind that can be asked about."""
        for path in keyed_files.paths_of(world, self.kind, world.lineage.themes):
            found = laid(world, world.lineage.themes, path)
            yield from (self.unit(path, key) for key in (found if not isinstance(found, str) else ()))
        yield from self.records_of(world)

    def taking(self, world: World, unit: Unit) -> tuple[str, ...] | None:
        """The options with which a child takes a unit over; None where it can't."""
        mine = leaves_in(world, world.child, unit.path) or {}
        return None if key_of(unit.name or "") in mine else ("--value", "V")

    def tell(self, world: World, unit: Unit) -> Table:
        """What is in force, what it hides, what would be without it: fields of ``protypon.explain/1``."""
        key, path = key_of(unit.name or "") or (), unit.path
        rows: list[Table] = []
        why = world.lineage.cut
        for theme in world.lineage.themes:
            own = keyed_files.own(world, theme, path)
            if own is None:
                why = why or keyed_files.unread(world, theme, path)
                break
            row = value_at(own, key)
            if row is not None:
                place = {"theme": theme.slug, "file": path, "line": lines_in(world, theme, path).get(key)}
                rows.append(
                    {
                        **place,
                        "value": row.value
                        if isinstance(row.value, str | int | float | bool)
                        else value_words(row.value),
                    }
                )
        mine = bool(rows) and rows[0]["theme"] == world.child.slug
        notes = [
            f"listed: set over {r.source} {r.release or ''}".rstrip() for r in world.records.values() if r.unit == unit
        ]
        return {
            "in_force": rows[0] if rows else None,
            "hidden": [{**row, "how": "laid under it"} for row in rows[1:]],
            "without": rows[1] if mine and len(rows) > 1 else None,
            "unknown": why or None,
            "notes": notes,
        }

    def findings(self, world: World) -> Iterator[Finding]:
        """Files of the child that say much again that the parents say: a copy of the whole."""
        for path in keyed_files.paths_of(world, self.kind, [world.child]):
            again = self.said_again(world, path)
            if again:
                parents = list(dict.fromkeys(row.theme.slug for row in again.values()))
                names = ", ".join(map(name_of, list(again)[:3])) + (
                    f" and {len(again) - 3} more" if len(again) > 3 else ""
                )
                because = (
                    f"{quote_path(path)} says {len(again)} {'keys' if len(again) > 1 else 'key'} again just as {', '.join(parents)} has "
                    f"{'them' if len(again) > 1 else 'it'} ({names}): what a release changes there would not be seen"
                )
                step = Mend(f"{self.kind}:{quote_path(path)}", world.child.slug)
                yield Finding("says-again", "warning", world.child.slug, path, because, step)

    def said_again(self, world: World, path: str) -> dict[Key, Standing]:
        """The keys without a record that the child sets just as the parents have them."""
        above = laid(world, world.ancestors, path)
        listed = self.records_of(world)
        if isinstance(above, str) or world.lineage.cut:
            return {}
        own = leaves_in(world, world.child, path) or {}
        return {
            key: above[key]
            for key, value in own.items()
            if key in above and as_json(above[key].value) == as_json(value) and self.unit(path, key) not in listed
        }

    def without_repeats(self, draft: Draft, path: str) -> tuple[Draft, str]:
        """The child's file without what it says again."""
        again = self.said_again(draft.world, path)
        if not again:
            raise ProtyponError(f"{quote_path(path)} says nothing again that the parents say", Check(draft.child.slug))
        made = _edit_keys(draft, path, dict.fromkeys(again, GONE))
        left = len(leaves_in(made.world, made.child, path) or {})
        return made, f"{len(again)} {'keys' if len(again) > 1 else 'key'} taken out of {quote_path(path)}, {left} left"


def _edit_keys(draft: Draft, path: str, changes: dict[Key, Any]) -> Draft:
    """The child with some keys of a file changed. Raises ProtyponError where that can't be done alone."""
    rule = keyed_rule(draft.start.platform, path)
    assert rule is not None
    module: Keyed = module_of(rule)
    data = draft.read(path) if draft.has(path) else b""
    try:
        text = data.decode("utf-8")
        bom = "\ufeff" if text.startswith("\ufeff") else ""
        made = bom + module.with_values(text.removeprefix(bom) if bom else text, changes)
    except UnicodeDecodeError:
        raise ProtyponError(
            f"{quote_path(path)} is not UTF-8, so nothing can be written into it", draft.in_editor(path)
        ) from None
    except NotEdited as error:
        raise ProtyponError(
            f"{quote_path(path)} can't be changed key by key: {error}; edit it by hand", draft.in_editor(path)
        ) from error
    return draft.with_file(path, made.encode("utf-8"))
