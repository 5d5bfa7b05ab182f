"""Variables that are another name of an item of a list (PHP manual, References Explained; foreach by reference).

A list that is copied shares such an item for as long as two names of it are left; with one alone, it is an item like others again.
"""

from __future__ import annotations

from dataclasses import dataclass

from protypon.core.analysis.machine import Frame, Machine
from protypon.core.analysis.places import INSIDE, ItemSlot, Slot, home_of, place_of
from protypon.core.languages.code import Expression, Op, Var
from protypon.core.languages.values import ABSENT, Alias, Unknown

SHARED = "shared"
"""Under this, whether an item may have more names than the one that is known."""


@dataclass(frozen=True, slots=True)
class SharedItem:
    """An item of a list, and what it and a variable have in common."""

    m: Machine
    base: Slot
    key: object
    held: Alias
    frame: Frame

    def settle(self) -> None:
        """The variable is no name of it any more: what it holds is an item like others, or nobody knows."""
        m, holder, semantics = self.m, self.base.get(), self.frame.file.semantics
        if self.held.slots.get(SHARED):
            m.write(self.held.slots, "value", Unknown("an item that has another name"))
            m.write(self.held.slots, "lost", True)
            return
        if isinstance(holder, list | dict) and semantics.item(holder, self.key) is self.held:
            self.base.set(semantics.with_item(holder, self.key, self.held.value))


def share_item(m: Machine, name: str, base: Slot, key: object, frame: Frame) -> bool:
    """Make a variable another name of an item; False where it can't be told which item that is."""
    holder, semantics = base.get(), frame.file.semantics
    if holder is ABSENT or holder is None:
        holder = []
    if not isinstance(holder, list | dict) or key is ABSENT or isinstance(key, Unknown):
        return False
    found = semantics.item(holder, key)
    if isinstance(found, Unknown) and found.why and not _is_item(holder, found):
        return False
    before = frame.items.get(name)
    if isinstance(found, Alias):
        held = found
        m.write(held.slots, SHARED, True)
    else:
        held = m.reference(None if found is ABSENT else found)
        made = semantics.with_item(holder, key, held)
        if isinstance(made, Unknown):
            return False
        base.set(made)
    m.write(held.slots, INSIDE, True)
    m.write(home_of(m, name, frame), name, held)
    if isinstance(before, SharedItem):
        before.settle()
    frame.items[name] = SharedItem(m, base, key, held, frame)
    return True


def _is_item(holder: list[object] | dict[object, object], found: object) -> bool:
    return any(each is found for each in (holder if isinstance(holder, list) else holder.values()))


def is_item(base: Slot, key: object, shared: object, frame: Frame) -> bool:
    """Whether an item is still the one that a variable is another name of."""
    holder = base.get()
    if not isinstance(shared, SharedItem) or not isinstance(holder, list | dict):
        return False
    found = frame.file.semantics.item(holder, key)
    return found is shared.held or shared.held.value is found


def share(m: Machine, target: Expression, source: Expression, frame: Frame) -> bool:
    """``$x = &$list['key']``; False where that can't be followed."""
    if not (isinstance(target, Var) and isinstance(source, Op) and source.op == "[]"):
        return False
    place = place_of(m, source, frame)
    return isinstance(place, ItemSlot) and share_item(m, target.name, place.base, place.key, frame)


def let_go(m: Machine, name: str, frame: Frame) -> None:
    """A variable is taken away: where it was another name of an item, that is settled."""
    found = frame.items.get(name)
    if isinstance(found, SharedItem) and home_of(m, name, frame).get(name) is found.held:
        m.write(home_of(m, name, frame), name, ABSENT)
        found.settle()


def let_all_go(frame: Frame, given: object) -> object:
    """The variables of a function are gone when it has run: what it gives, without names that only those were."""
    alone = []
    for found in frame.items.values():
        if isinstance(found, SharedItem):
            found.settle()
            alone.append(found.held)
    if isinstance(given, list):
        return [
            item.value if any(item is held for held in alone) and isinstance(item, Alias) else item for item in given
        ]
    if type(given) is dict:
        return {
            k: v.value if any(v is held for held in alone) and isinstance(v, Alias) else v for k, v in given.items()
        }
    return given
