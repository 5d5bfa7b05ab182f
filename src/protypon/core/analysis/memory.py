"""What variables, lists and objects hold, so that several ways can be followed from one place and brought together.

Everything that changes is a ``dict``, and changes by :meth:`Trail.write`. While anybody watches, each change is noted with what was there before.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field

from protypon.core.languages.values import ABSENT, Box, Unknown

Holder = dict[object, object]
CellKey = tuple[int, object]
Cells = dict[CellKey, tuple[Holder, object, object]]
"""What some cells hold: the dict, the key, the value (ABSENT: nothing)."""


@dataclass(eq=False, slots=True)
class Exit:
    """One way that left for a target, perhaps, and what was so there."""

    kind: str
    target: object
    value: object
    why: str
    base: int
    """The place in the trail that ``cells`` are told from."""
    cells: Cells = field(default_factory=dict)
    lasting: bool = False
    """It may have left at any time since then."""


_BORN = object()
"""Stands for a key where a trail notes that a dict was made."""


class Trail:
    """The trail of changes, and how what several ways leave behind is brought together."""

    def __init__(self) -> None:
        self._trail: list[tuple[Holder, object, object]] = []
        self._watching = 0

    def write(self, holder: Holder, key: object, value: object) -> None:
        """Put a value into a cell; ABSENT empties it."""
        if self._watching:
            self._trail.append((holder, key, holder.get(key, ABSENT)))
        _put_value(holder, key, value)

    def born(self, *holders: Holder) -> None:
        """Note that something was made: nobody has it who does not come from here."""
        if self._watching:
            self._trail += [(holder, _BORN, ABSENT) for holder in holders]

    @contextmanager
    def watching(self) -> Iterator[int]:
        """Note changes from here on; the place in the trail."""
        self.watch()
        try:
            yield len(self._trail)
        finally:
            self.unwatch()

    def watch(self) -> int:
        """Begin to note what is written; the place to go back to."""
        self._watching += 1
        return len(self._trail)

    def unwatch(self) -> None:
        """Stop noting, once nobody else wants to go back."""
        self._watching -= 1
        if not self._watching:
            self._trail.clear()

    @property
    def place(self) -> int:
        """How much has been noted: the place to go back to."""
        return len(self._trail)

    def changes(self, start: int) -> Cells:
        """The cells that were written since a place, with what they hold now."""
        found: Cells = {}
        fresh = self._fresh(start)
        for holder, key, _ in self._trail[start:]:
            cell = (id(holder), key)
            if cell not in found and id(holder) not in fresh:
                found[cell] = (holder, key, holder.get(key, ABSENT))
        return found

    def _fresh(self, start: int) -> set[int]:
        """What was made since a place."""
        return {id(holder) for holder, key, _ in self._trail[start:] if key is _BORN}

    def before(self, start: int) -> Cells:
        """The same cells with what they held at that place."""
        found: Cells = {}
        fresh = self._fresh(start)
        for holder, key, old in self._trail[start:]:
            if id(holder) not in fresh:
                found.setdefault((id(holder), key), (holder, key, old))
        return found

    def take_back(self, start: int) -> Cells:
        """Make everything as it was at a place; what was changed since."""
        changed = self.changes(start)
        fresh = self._fresh(start)
        for holder, key, old in reversed(self._trail[start:]):
            if id(holder) not in fresh:
                _put_value(holder, key, old)
        made = [row for row in self._trail[start:] if row[1] is _BORN]
        self._trail[start:] = made
        return changed

    def rebase(self, exit: Exit, start: int) -> None:
        """Tell what was so at an exit from an earlier place on, before what came since is taken back."""
        states = self._at(exit)
        if exit.base > start:
            fresh = self._fresh(start)
            for holder, key, _ in self._trail[start : exit.base]:
                cell = (id(holder), key)
                if id(holder) in fresh:
                    continue
                states.setdefault(cell, (holder, key, holder.get(key, ABSENT)))
        exit.cells, exit.base, exit.lasting = states, start, False

    def _at(self, exit: Exit) -> Cells:
        """What was so at an exit, as far as it differs from now."""
        states = self.before(exit.base)
        if exit.lasting:
            for cell, (holder, key, value) in self.changes(exit.base).items():
                states[cell] = (holder, key, join([states[cell][2], value], exit.why))
            fresh = self._fresh(exit.base)
            for holder, key, old in self._trail[exit.base :]:
                cell = (id(holder), key)
                if id(holder) in fresh:
                    continue
                states[cell] = (holder, key, join([states[cell][2], old], exit.why))
        return states | exit.cells

    def blur(self, exit: Exit, start: int) -> None:
        """Note for an exit that may be taken at any time what was so on a way that is about to be taken back."""
        now = self.changes(start)
        for holder, key, old in self._trail[start:]:
            cell = (id(holder), key)
            if cell in now and not same(old, now[cell][2]):
                exit.cells[cell] = (holder, key, join([old, now[cell][2]], exit.why))

    def settle(self, exits: Iterable[Exit], alive: bool, why: str) -> None:
        """Bring together what was so at several exits, and what is so now."""
        states = [self._at(exit) for exit in exits]
        cells: Cells = {}
        for state in states:
            cells |= state
        for cell, (holder, key, _) in cells.items():
            now = holder.get(key, ABSENT)
            values = [state[cell][2] if cell in state else now for state in states]
            self.write(holder, key, join([now, *values] if alive else values, why))

    def join(self, ways: list[Cells], why: str) -> None:
        """Bring together what several ways changed, each from what is so now."""
        cells: Cells = {}
        for way in ways:
            cells |= way
        for cell, (holder, key, _) in cells.items():
            now = holder.get(key, ABSENT)
            self.write(holder, key, join([way[cell][2] if cell in way else now for way in ways], why))


def _put_value(holder: Holder, key: object, value: object) -> None:
    if value is ABSENT:
        holder.pop(key, None)
    else:
        holder[key] = value


def join(values: list[object], why: str) -> object:
    """One value that stands for any of several."""
    first = values[0]
    if all(same(first, other) for other in values[1:]):
        return first
    kinds = {type(value) for value in values}
    if len(kinds) == 1 and isinstance(first, list | dict):
        made = _joined_inside(values, why)
        if made is not None:
            return made
    return Unknown(
        why, absent=any(value is ABSENT or (isinstance(value, Unknown) and value.absent) for value in values)
    )


def _joined_inside(values: list[object], why: str) -> object | None:
    """Lists or tables with the same keys in the same order, item by item."""
    first = values[0]
    if isinstance(first, list):
        lists = [value for value in values if isinstance(value, list) and len(value) == len(first)]
        return [join(list(items), why) for items in zip(*lists, strict=True)] if len(lists) == len(values) else None
    if type(first) is dict:
        tables = [value for value in values if isinstance(value, dict) and list(value) == list(first)]
        return {k: join([t[k] for t in tables], why) for k in first} if len(tables) == len(values) else None
    return None


def same(a: object, b: object) -> bool:
    """Whether two values are one for sure, down to their types."""
    if a is b:
        return True
    if type(a) is not type(b):
        return False
    if isinstance(a, (Unknown, str | int | float | bool)):
        return a == b
    if isinstance(a, list | tuple) and isinstance(b, list | tuple):
        return len(a) == len(b) and all(map(same, a, b))
    if isinstance(a, dict) and isinstance(b, dict):
        alike = list(a) == list(b) and getattr(a, "next", None) == getattr(b, "next", None)
        return alike and all(same(a[key], b[key]) for key in a)
    return not isinstance(a, Box) and bool(a == b)
