"""Which way a run takes: what is sure, what is in doubt, and what leaves for where.

Where a condition can't be known, each way is followed from the same place, and what they leave behind is brought together. A way that leaves
(returns, breaks off, raises) waits as an :class:`Exit` for the place that it leaves for; until then all else is in doubt.
Ways that end the whole program are dropped: what is said is said of runs that go on.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import NoReturn

from protypon.core.analysis.memory import Exit, Trail, join
from protypon.core.languages.values import ABSENT, Unknown

NOWHERE = object()
"""The target of a run of which every way has left."""
OVER = object()
"""The target of what ends the program."""
MOST_TURNS = 8
"""How often a loop that can't be counted is followed until nothing new comes of it."""


class Leaving(Exception):
    """The run leaves for a target, with a value."""

    def __init__(self, kind: str, target: object, value: object = None) -> None:
        super().__init__(kind)
        self.kind, self.target, self.value = kind, target, value


class Control:
    """Doubts, exits, and the memory that they are kept in."""

    def __init__(self) -> None:
        self.memory = Trail()
        self.doubts: list[str] = []
        self.exits: list[Exit] = []
        self.tries: list[object] = [OVER]
        """The targets of errors, the inner ones last: an error that nobody handles ends the program."""
        self.spend: Callable[[int], None] = lambda work: None
        """Told how much work was done beside the statements that were followed."""
        self.without_end: Callable[[str], None] = lambda why: None
        """What to do about a loop that comes to no end."""

    @property
    def doubt(self) -> str:
        """Why it can't be told whether what is done is done; empty where it is."""
        if self.doubts:
            return self.doubts[-1]
        return self.exits[-1].why if self.exits else ""

    @contextmanager
    def doubting(self, why: str) -> Iterator[None]:
        """What is done meanwhile is done or not; what is written to memory is."""
        depth = len(self.doubts)
        self.doubts.append(why)
        try:
            yield
        finally:
            del self.doubts[depth:]

    def fork(self, why: str, *ways: Callable[[], object]) -> list[object]:
        """Follow several ways, of which one is taken; what each that went on came to."""
        memory = self.memory
        results: list[object] = []
        states = []
        with memory.watching() as start:
            for way in ways:
                first = len(self.exits)
                left: Leaving | None = None
                try:
                    with self.doubting(why):
                        results.append(way())
                except Leaving as leaving:
                    left = leaving
                for number, exit in enumerate(self.exits):
                    if number >= first:
                        memory.rebase(exit, start)
                    elif exit.lasting:
                        memory.blur(exit, start)
                self.spend(1 + (memory.place - start) // 3 + len(self.exits) // 3)
                cells = memory.take_back(start)
                if left is None:
                    states.append(cells)
                elif left.target not in (NOWHERE, OVER):
                    self._wait(Exit(left.kind, left.target, left.value, why, start, cells))
            if not states:
                raise Leaving("", NOWHERE if self.exits else OVER)
            memory.join(states, why)
        return results

    def either(self, why: str, *ways: Callable[[], object]) -> object:
        """The same, for a value: one that all ways come to, or one that is not known."""
        return join(self.fork(why, *ways), why)

    def perhaps(self, why: str, way: Callable[[], object]) -> None:
        """Follow a way that is taken or not."""
        self.fork(why, lambda: None, way)

    def forget(self) -> None:
        """No exit waits any more: the run is over."""
        for _ in self.exits:
            self.memory.unwatch()
        self.exits.clear()

    def leave(self, kind: str, target: object, value: object = None) -> NoReturn:
        """Leave what is being followed. Raises Leaving."""
        raise Leaving(kind, target, value)

    def _wait(self, exit: Exit) -> None:
        self.exits.append(exit)
        self.memory.watch()

    def put_by(self, leaving: Leaving, why: str) -> None:
        """Let what leaves wait, while another way is followed from here."""
        if leaving.target not in (NOWHERE, OVER):
            self._wait(Exit(leaving.kind, leaving.target, leaving.value, why, self.memory.place))

    def waiting(self, target: object) -> list[Exit]:
        """The exits that wait for a target."""
        return [exit for exit in self.exits if exit.target is target]

    def arrive(self, target: object, alive: bool) -> list[Exit]:
        """Bring together what waits for a target with what is so here."""
        found = self.waiting(target)
        if found:
            self.spend(sum(self.memory.place - exit.base for exit in found) // 3)
            self.exits = [exit for exit in self.exits if exit.target is not target]
            self.memory.settle(found, alive, found[0].why)
            for _ in found:
                self.memory.unwatch()
        return found

    def catching(self, target: object, run: Callable[[], object]) -> list[object]:
        """Run, and wait for all that leaves for a target: what each way came to."""
        values: list[object] = []
        try:
            values.append(run())
        except Leaving as leaving:
            if leaving.target is target:
                values.append(leaving.value)
            elif not self.waiting(target):
                raise
            else:
                self.put_by(leaving, "another way leaves")
        values += [exit.value for exit in self.arrive(target, bool(values))]
        return values

    def may_raise(self, why: str) -> None:
        """From here on, what is tried may be left by an error."""
        target = self.tries[-1]
        if target is not OVER and not any(exit.target is target and exit.lasting for exit in self.exits):
            self._wait(Exit("raise", target, Unknown(why), why, self.memory.place, lasting=True))

    def repeat(self, why: str, turn: Callable[[], object]) -> None:
        """Follow a loop of which nobody knows how often it turns: until another turn changes nothing that is still known."""
        memory = self.memory
        for _ in range(MOST_TURNS):
            with memory.watching() as start:
                self.perhaps(why, turn)
                before = memory.before(start)
                changed = False
                for cell, (holder, key, now) in memory.changes(start).items():
                    old = before[cell][2]
                    if not isinstance(old, Unknown) and now is not old:
                        changed = True
                        gone = old is ABSENT or (isinstance(now, Unknown) and now.absent)
                        memory.write(holder, key, Unknown(why, absent=gone) if now is not ABSENT else ABSENT)
            if not changed:
                return
        self.without_end(why)
