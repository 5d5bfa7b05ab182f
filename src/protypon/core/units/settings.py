"""What values and variables share: a name that code gives something to, of which the first or the last one counts."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, replace
from typing import Any

from protypon.core.analysis.state import Registered, State
from protypon.core.files.listing import blob_digest
from protypon.core.languages.values import is_known, readable
from protypon.core.languages.visible.pieces import format_pieces
from protypon.core.model.actions import Adopt, Drop, Explain, Mend, Override, ShowPlatform, Survey
from protypon.core.model.errors import ProtyponError, Usage
from protypon.core.model.evidence import Candidate, Evidence, Gone, Present, Subject, Told, Unreached
from protypon.core.model.nouns import Record, Theme, Unit, Written
from protypon.core.platform.platform import Platform
from protypon.core.platform.schema import nearest
from protypon.core.units import claims, run_differences
from protypon.core.units.claimed import (
    DOES,
    DOES_IN_VAIN,
    begun,
    claim_as_source,
    compared_claim,
    missing,
    moved_evidence,
    stranded_evidence,
    unknown,
)
from protypon.core.units.coder import Coder, coder
from protypon.core.units.draft import Draft
from protypon.core.units.explaining import Table, set_row, unknown_of
from protypon.core.units.moments import Hooked, beside, try_moments
from protypon.core.units.places import place_words
from protypon.core.units.placing import Asked, Outcome
from protypon.core.units.printing import EDIT_VALUE, SETTING_RANK, PrintedAt, PrintSource, Running, Sought, WayToChange
from protypon.core.units.steps import Test
from protypon.core.units.world import World


@dataclass(frozen=True)
class Setting:
    """One kind of such names."""

    kind: str
    does: str
    """What a call does that sets one."""
    verb: str
    counts: str
    """Which one counts: the ``first`` or the ``last``."""
    about: str
    """What must be certain of a lineage so that anything can be told."""
    comment: str
    """What is written above a call of the child's, behind the name."""
    tries: Callable[[State], Mapping[str, list[Registered]]]
    """By name who sets it, the one that counts first."""
    own: Callable[[Platform], Mapping[str, Any]]
    """What the platform has by itself."""
    uses: Callable[[World, str], list[str]]
    """The parents' files that ask for one that nobody sets."""
    by_language: Callable[[Draft, Coder, str, Any], str] | None = None
    """How the language itself sets one; empty where it does not."""

    # What it prints

    def sources(self, world: World, sought: Sought) -> Iterator[PrintSource]:
        """Each name that has a text in force."""
        for name, row in self.in_force(world.behaviour.state).items() if world.behaviour.speaks else ():
            theme = world.supplier(row.site.theme)
            if theme is not None and isinstance(row.value, str) and sought.may_be_in(row.value.encode()):
                line = row.site.line
                unit = Unit(self.kind, name)
                yield PrintSource(
                    unit, theme, row.site.path, format_pieces(row.value, line), line, line, -1, (name,), True
                )

    def running(self, world: World, standing: PrintedAt) -> Running:
        """Whether something that a source of this kind prints is used."""
        return Running("unknown", world.behaviour.uncertain) if world.behaviour.uncertain else Running("yes")

    def changes(self, world: World, standing: PrintedAt) -> Iterator[WayToChange]:
        """One of the child's own, that counts instead."""
        source = standing.source
        if source.unit.kind == self.kind and source.theme is not world.child:
            what = f"the {self.kind}, given another text in your code"
            yield WayToChange(SETTING_RANK, Override(source.unit.address, world.child.slug, EDIT_VALUE), what)

    # What there is

    def in_force(self, state: State) -> dict[str, Registered]:
        """By name, what counts of those who set it."""
        return {name: rows[0] for name, rows in self.tries(state).items()}

    def supplied_units(self, world: World, theme: Theme) -> list[Unit]:
        """Every unit of this kind that a theme supplies and a child may override."""
        if not world.behaviour.speaks or world.lineage.cut or world.behaviour.parents is None:
            return []
        found = self.in_force(world.behaviour.parents.state)
        return sorted(Unit(self.kind, name) for name, row in found.items() if row.site.theme == theme.slug)

    def names(self, world: World) -> list[str]:
        """Those that the child's own code offers."""
        slug = world.child.slug
        return sorted(name for name, row in self.in_force(world.behaviour.state).items() if row.site.theme == slug)

    def _of_parents(self, world: World) -> dict[str, Registered]:
        parents = world.behaviour.parents
        return self.in_force(parents.state) if parents is not None else {}

    def claim_of(self, world: World, name: str) -> dict[str, Any] | None:
        """What the parents alone set it to; of one that is only asked for, that."""
        found = self._of_parents(world).get(name)
        if found is not None:
            sure = is_known(found.value) and not found.doubt
            value = readable(found.value) if sure else "made at run time"
            return {"name": name, "value": value, "set_in": found.site.path}
        own = self.own(world.platform)
        if name in own:
            value = {} if own[name] is None else {"value": own[name]}
            return {"name": name, **value, "set_in": world.platform.title}
        asked = self.uses(world, name)
        return {"name": name, "asked_in": asked} if asked else None

    # Overrides

    def find(self, world: World) -> list[Evidence]:
        """Every override of this kind in a child, with what has become of it; comparisons are filled in later."""
        found = [self._listed_evidence(world, r) for r in world.records.values() if r.unit.kind == self.kind]
        if world.behaviour.speaks and not world.lineage.cut and not world.behaviour.uncertain:
            found += self._unlisted_evidence(world)
        return found

    def _unlisted_evidence(self, world: World) -> Iterator[Evidence]:
        listed = {r.unit for r in world.records.values()}
        parents = self._of_parents(world)
        side = "before" if self.counts == "first" else "after"
        for name, own in self.in_force(world.behaviour.state).items():
            unit, theirs = Unit(self.kind, name), parents.get(name)
            if own.site.theme != world.child.slug or theirs is None or unit in listed or own.doubt:
                continue
            theme = world.ancestor(theirs.site.theme)
            mine = f"{place_words(own.site)} {self.verb} {name} as {_plain(own)!r}"
            because = (
                f"{mine} {side} {place_words(theirs.site)} {self.verb} it as {_plain(theirs)!r}, and no record says so"
            )
            subject = Subject(
                unit=unit, listed=False, how="set", file=own.site.path, line=own.site.line, written=Written(own.site.path, value=own.value),
                origin=theirs.site.theme, now_from=theirs.site.theme, now=theme.release if theme else None,
                told={"unlisted": Told(because, Adopt(world.child.slug))},
            )  # fmt: skip
            yield Present(subject, DOES, claim_as_source(self.claim_of(world, name) or {}))

    def _listed_evidence(self, world: World, record: Record) -> Evidence:
        subject = begun(world, record)
        unknowable = unknown(world, subject, self.about)
        if unknowable is not None:
            return unknowable
        name, slug = record.unit.path, world.child.slug
        rows = self.tries(world.behaviour.state).get(name, [])
        mine = next((row for row in rows if row.site.theme == slug), None)
        if mine is None:
            words = f"the ledger says {slug} {self.verb} {name} as {record.written.value!r}, and nothing in its code does any more"
            return missing(subject, words)
        subject = replace(subject, file=mine.site.path, line=mine.site.line)
        now = self.claim_of(world, name)
        if now is None:
            return self._gone_evidence(world, subject, record)
        told = {"holds": Told(f"it is {_plain(mine)!r}; without yours it would be {now.get('value', 'not set')!r}")}
        if rows[0].site.theme != slug:
            side = "before" if self.counts == "first" else "after"
            words = f"{place_words(rows[0].site)} {self.verb} {name} as {_plain(rows[0])!r} {side} yours, and only the {self.counts} one counts"
            subject = replace(subject, told={"idle": Told(words, Mend)})
            return Unreached(subject, DOES_IN_VAIN, claim_as_source(now), Mend)
        if "value" in now and type(now["value"]) is type(mine.value) and now["value"] == mine.value:
            words = f"{now['set_in']} {self.verb} {name} as {_plain(mine)!r} too"
            return Present(
                replace(subject, told={"needless": Told(words, Drop)}), DOES, claim_as_source(now), same=True
            )
        return compared_claim(world, subject, record, now, told)

    def _gone_evidence(self, world: World, subject: Subject, record: Record) -> Gone:
        before, values = claims.read(world.snapshot.blob(record.digest)), self._of_parents(world)
        others = [
            n for n, found in values.items()
            if "value" in before and is_value(found, before["value"]) and found.site.path == before.get("set_in")
        ]  # fmt: skip
        near = nearest(record.unit.path, tuple(others), 0.5)
        now = world.label_now(record.source)
        if near:
            other = f"{place_words(values[near].site)} {self.verb} {near} as {_plain(values[near])!r}"
            words = f"{other}; nothing {self.verb} or asks for {record.unit.path} any more"
            return moved_evidence(subject, words, Candidate(values[near].site.theme, near, 1.0))
        return stranded_evidence(subject, f"{now} neither {self.verb} nor asks for {record.unit.path} any more")

    # Written

    def place(self, draft: Draft, unit: Unit, asked: Asked) -> Outcome:
        """Write an override into the child's code. Raises ProtyponError with what stands in the way."""
        if not asked.valued:
            step = Override(unit.address, options=("--value", "3"))
            raise Usage(f"{unit.address}: which value?", ("add --value V, as in: ", step))
        done = self._write_setting(draft, unit.path, asked.value)
        found = self._of_parents(draft.world).get(unit.path)
        theme = draft.world.ancestor(found.site.theme) if found is not None else None
        text = claims.claim_text(self.claim_of(draft.world, unit.path) or {})
        source, release = (theme.slug, theme.release) if theme else (draft.start.platform.name, None)
        written = Written(done.file, value=asked.value, brought=done.brought)
        record = Record(unit, "set", source, release, blob_digest(text), asked.why, written=written)
        notes = tuple((note, None) for note in done.notes)
        return Outcome(done.draft, (record,), ((theme, text),), done.why, done.file, notes)

    def _write_setting(self, draft: Draft, name: str, value: Any) -> Hooked:
        """The child's own call, at the first moment at which it is the one that counts."""
        code, _ = coder(draft)
        self._require_known_name(draft, code, name)
        words = code.writer.comment(f"{name} {self.comment}")
        for made, path, brought, when in try_moments(draft, code, words, self.expression(draft, code, name, value), ""):
            states = made.world.behaviour.states
            if (
                made.problem() is None
                and not run_differences.stops(made.world.behaviour)
                and all(is_value(self.in_force(state).get(name), value) for state in states)
            ):
                why = f"set {when}, and only the {self.counts} one to set it counts"
                return Hooked(made, path, None, brought, why, notes=tuple(beside(draft, made, name)))
        first = self.in_force(draft.world.behaviour.state).get(name)
        why = run_differences.stops(draft.world.behaviour) or (
            f"{place_words(first.site)} {self.verb} it {'before any code of yours runs' if self.counts == 'first' else 'after all code of yours has run'}"
            if first
            else "it would not be in force"
        )
        raise ProtyponError(f"{self.kind}:{name} can't be set: {why}", Explain(f"{self.kind}:{name}"))

    def expression(self, draft: Draft, code: Coder, name: str, value: Any) -> str:
        """A call that sets one. Raises ProtyponError where the platform has none."""
        made = self.by_language(draft, code, name, value) if self.by_language is not None else ""
        if made:
            return made
        if not code.has(self.does):
            raise ProtyponError(f"{draft.start.platform.title} has no call that sets a {self.kind}", ShowPlatform())
        return code.call(self.does, name=code.literal(name), value=code.literal(value))

    def _require_known_name(self, draft: Draft, code: Coder, name: str) -> None:
        behaviour = draft.world.behaviour
        known_names = set(self.own(behaviour.platform)) | set(self.in_force(behaviour.state)) | {
            s.name for s in behaviour.said if s.meaning.does in (self.does, self.kind) and s.name and s.call.name in code.rules.calls
        }  # fmt: skip
        computed = None in {s.name for s in behaviour.said if s.meaning.does == self.kind}
        if name not in known_names and not computed and not self.uses(draft.world, name):
            near = nearest(name, tuple(sorted(known_names)))
            hint = f"did you mean {self.kind}:{near}?" if near else Survey(units=True)
            slug = draft.child.slug
            raise ProtyponError(f"nothing in the lineage of {slug} {self.verb} or asks for a {self.kind} {name}", hint)

    def wrote(self, record: Record) -> Test:
        """The calls that an override wrote."""
        return lambda meaning, roles: meaning.does == self.does and roles.get("name") == record.unit.path

    # Explained

    def units(self, world: World) -> Iterator[Unit]:
        """Every unit of the kind that can be asked about."""
        for name in self.tries(world.behaviour.state).keys() | self.own(world.platform).keys():
            yield Unit(self.kind, name)

    def tell(self, world: World, unit: Unit) -> Table:
        """What is in force, what it hides, what would be without it: fields of ``protypon.explain/1``."""
        state, own = world.behaviour.state, self.own(world.platform)
        rows = self.tries(state).get(unit.path, [])
        alone = self._of_parents(world).get(unit.path)
        platform_own: Table | None = None
        if unit.path in own:
            value = {} if own[unit.path] is None else {"value": own[unit.path]}
            platform_own = {
                "theme": world.platform.name,
                "file": "",
                "line": None,
                **value,
                "how": "the platform's own",
            }
        late = "it was set already" if self.counts == "first" else "it is set again later"
        mine = bool(rows) and rows[0].site.theme == world.child.slug
        doubt = state.blind_about(self.about) or (rows[0].doubt if rows else "")
        return {
            "in_force": set_row(rows[0]) if rows else platform_own,
            "hidden": [{**set_row(r), "how": late} for r in rows[1:]]
            + ([platform_own] if rows and platform_own else []),
            "without": (set_row(alone) if alone is not None else platform_own) if mine else None,
            **unknown_of(world.behaviour, doubt),
        }


def is_value(found: Registered | None, value: Any) -> bool:
    """Whether something was set to just this value, for certain."""
    return found is not None and not found.doubt and type(found.value) is type(value) and found.value == value


def _plain(row: Registered) -> object:
    return readable(row.value)
