"""Ledgers in a plan, and where a name that was typed leads."""

from __future__ import annotations

import os
import shlex
from collections.abc import Iterable, Mapping
from difflib import get_close_matches
from functools import cached_property

from protypon.core.model.actions import Survey
from protypon.core.model.errors import UnknownName
from protypon.core.model.nouns import Content, Record, Theme, Unit
from protypon.core.model.paths import quote_path, unquote_path
from protypon.core.platform.format import KINDS
from protypon.core.store import ledger
from protypon.core.store.ledger import LEDGER
from protypon.core.store.plan_builder import PlanBuilder, content
from protypon.core.themes.bench import Bench
from protypon.core.units.registry import kinds, spelled_out
from protypon.core.units.world import World

MOST_NEAR = 3
ALIKE = 0.7
"""Names that are told for one that is mistyped: how many, and how alike they are at least."""


def write_ledger(builder: PlanBuilder, theme: Theme, records: Mapping[Unit, Record]) -> None:
    """Plan a theme's ledger to hold these records."""
    path = os.path.join(theme.folder, LEDGER)
    standing = builder.entry(path)
    text = builder.read(path).decode("utf-8") if standing else ""
    new = ledger.write(text, records).encode("utf-8")
    builder.write(path, content(new) if standing is None else Content(content(new).digest, standing.mode, new))


def records_now(builder: PlanBuilder, bench: Bench, world: World) -> dict[Unit, Record]:
    """The records of a child, spelled out as ledgers have them now; the texts that they name are put into the store."""
    found = dict(world.records)
    for record, whole, text in spelled_out(world):
        if text is not None:
            remember(builder, bench, record.digest, text)
        found.pop(whole, None)
        found[record.unit] = record
    return found


def remember(builder: PlanBuilder, bench: Bench, digest: str, data: bytes) -> None:
    """Have a text that a record names in the store."""
    if not bench.store.has(digest):
        builder.remember(content(data))


def find_unit(text: str, world: World, themes: Iterable[Theme]) -> Unit:
    """The unit that an address, a path or a name means among those that some themes supply.

    Raises UnknownName with the candidates, or with the nearest one.
    """
    themes = tuple(themes)
    key = ("names", *(theme.slug for theme in themes))
    if key not in world.memo:
        supplied = {unit for theme in themes for kind in kinds() for unit in kind.supplied_units(world, theme)}
        world.memo[key] = UnitNames(supplied | set(world.records))
    names = world.memo[key]
    assert isinstance(names, UnitNames)
    return names.choose(text)


def choose(text: str, units: Iterable[Unit]) -> Unit:
    """The one unit of some that a typed text means."""
    return UnitNames(units).choose(text)


class UnitNames:
    """Units, found by their address, their path, the end of it, the name of the file without its ending, or their name in it."""

    def __init__(self, units: Iterable[Unit]) -> None:
        self.units = frozenset(units)
        self._kinds = {unit.kind for unit in self.units}

    @cached_property
    def _by_name(self) -> dict[str, list[Unit]]:
        """By the last part of the path, and by that without its ending; parts of files by their name."""
        found: dict[str, list[Unit]] = {}
        for unit in self.units:
            for name in _names_of(unit):
                found.setdefault(name, []).append(unit)
        return found

    def choose(self, text: str) -> Unit:
        """The one unit that a typed text means. Raises UnknownName with the candidates, or with the nearest one."""
        kind, colon, _ = text.partition(":")
        if colon and (kind in KINDS or kind in self._kinds):
            wanted = Unit.parse(text)
            if wanted in self.units:
                return wanted
            raise self._not_found(text)
        text = text[2:] if text.startswith("./") else text
        near = {*self._by_name.get(text, ()), *self._by_name.get(unquote_path(text), ())}
        near |= set(self._by_name.get(text.rpartition("/")[2], ()))
        for fits in (_path_fits, _tail_fits, _stem_fits, _name_fits):
            found: list[Unit] = sorted((unit for unit in near if fits(unit, text)), key=_address)
            if len(found) == 1:
                return found[0]
            if found:
                raise UnknownName(
                    f"{text!r} could be several",
                    "type one of: "
                    + ", ".join(shlex.quote(u.address) for u in found[:6])
                    + (" …" if len(found) > 6 else ""),
                )
        raise self._not_found(text)

    def _not_found(self, text: str) -> UnknownName:
        if not self.units:
            return UnknownName(f"nothing here is called {text!r}: the lineage supplies nothing to override", Survey())
        kind, colon, rest = text.partition(":")
        if colon and kind in self._kinds:  # all addresses of a kind begin alike
            typed, names = rest, {u.address.partition(":")[2]: [u] for u in self.units if u.kind == kind}
        else:
            typed, names = text, {name: units for name, units in self._by_name.items() if name}
        lower = {name.lower(): name for name in names}
        alike = [lower[typed.lower()]] if typed.lower() in lower else get_close_matches(typed, names, MOST_NEAR, ALIKE)
        near = list(dict.fromkeys(unit for name in alike for unit in sorted(names[name], key=_address)))[:MOST_NEAR]
        words = " or ".join(shlex.quote(unit.address) for unit in near)
        hint = f"did you mean {words}?" if near else ("see what there is with: ", Survey(units=True))
        return UnknownName(f"nothing in the lineage is called {text!r}", hint)


def _names_of(unit: Unit) -> set[str]:
    if unit.name is not None:
        return {unit.name}
    last = unit.path.rpartition("/")[2]
    return {last, last.partition(".")[0], unit.path}


def _address(unit: Unit) -> str:
    return unit.address


def _path_fits(unit: Unit, text: str) -> bool:
    return unit.name is None and text in (unit.path, quote_path(unit.path))


def _tail_fits(unit: Unit, text: str) -> bool:
    return unit.name is None and unit.path.endswith("/" + text)


def _stem_fits(unit: Unit, text: str) -> bool:
    return unit.name is None and unit.path.rpartition("/")[2].partition(".")[0] == text


def _name_fits(unit: Unit, text: str) -> bool:
    return unit.name == text
