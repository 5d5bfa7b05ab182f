"""What a run leaves behind: functions in force, callbacks at points, items, values, regions; and what happened on the way."""

from __future__ import annotations

from collections.abc import Iterable
from copy import copy
from dataclasses import dataclass, field, fields, replace
from typing import NamedTuple

from protypon.core.analysis.values import Bound, ClassValue, Closure, Thing, written_name
from protypon.core.languages.values import Unknown, plain
from protypon.core.themes.reach import Location


@dataclass(frozen=True, slots=True)
class Declared:
    """A function that the whole site knows."""

    name: str
    closure: Closure
    replaceable: bool
    doubt: str = ""

    @property
    def site(self) -> Location:
        """Where the function is declared."""
        return Location(self.closure.file.theme, self.closure.file.path, self.closure.function.line)


@dataclass(eq=False, slots=True)
class Callback:
    """One thing that is attached to a point."""

    point: str
    target: object
    label: str
    order: object
    takes: int | None
    site: Location
    """Where it was attached."""
    moment: str
    """What ran when it was attached: ``loading``, or the point that was fired."""
    number: int
    doubt: str = ""
    """Why it can't be told whether it is there; empty where it is."""
    gone: Detachment | None = None

    def copy(self) -> Callback:
        """The same callback, to be changed on its own."""
        return Callback(
            self.point, self.target, self.label, self.order, self.takes, self.site, self.moment, self.number, self.doubt, self.gone
        )  # fmt: skip


class Unsupplied(NamedTuple):
    """Something that code asks for by a name under which no theme has anything: the platform may have it, or something else outside."""

    kind: str
    """``function``, ``class``, ``method``, ``constant`` or ``class constant``."""
    name: str
    site: Location
    moment: str
    doubt: str = ""


class Anywhere(NamedTuple):
    """A callback that is attached at a point whose name can't be known."""

    point: Unknown
    callback: Callback
    why: str


@dataclass(frozen=True, slots=True)
class Detachment:
    """One try to take a callback off a point."""

    point: object
    label: str
    order: object
    site: Location
    moment: str
    number: int
    matched: tuple[Callback, ...]
    doubt: str
    everything: bool = False
    """The whole point was cleared."""


@dataclass(slots=True)
class Ran:
    """One callback that ran when a point was fired."""

    callback: Callback
    decl: Closure | None
    output: list[str | Unknown]
    value: object = None
    """For a point that passes a value on: what it made of it."""
    result: object = None
    doubt: str = ""


@dataclass(slots=True)
class Firing:
    """One time that a point was fired."""

    point: str
    site: Location
    passes: bool
    given: int
    """How many arguments it gives, the value included."""
    ran: list[Ran]
    doubt: str
    start: object = None
    final: object = None


class Registered(NamedTuple):
    """An item or value, and who set it."""

    value: object
    site: Location
    doubt: str = ""


class Mark(NamedTuple):
    """Something that was named at one place: a region, a sheet, a variable."""

    name: str | Unknown
    site: Location
    doubt: str = ""
    value: object = None


class MissingFile(NamedTuple):
    """A file that code asks for at a fixed path, and that its theme has not."""

    site: Location
    theme: str
    path: str
    needed: bool
    """Without it the program ends."""
    doubt: str = ""


class Sheet(NamedTuple):
    """A style sheet or script that code registers."""

    kind: str
    """``style`` or ``script``."""
    handle: str | Unknown
    """The name under which other code speaks of it: its own, or else that of the file."""
    theme: str
    """The theme whose file it is, where its address says so; empty: it is looked for from the child on."""
    path: str | Unknown
    """Where it lies in its theme; empty: elsewhere."""
    needs: tuple[str, ...]
    place: str
    surface: str
    loads: bool
    """It loads by itself, and not only where another one needs it."""
    site: Location
    doubt: str = ""


class Halted(Exception):
    """The site stops here, whatever comes after."""

    def __init__(
        self, code: str, name: str, because: str, site: Location, other: Location | None = None, doubt: str = ""
    ) -> None:
        super().__init__(because)
        self.code, self.name, self.because, self.site, self.other, self.doubt = code, name, because, site, other, doubt


@dataclass(slots=True)
class State:
    """All of it."""

    functions: dict[str, Declared] = field(default_factory=dict)
    hidden: list[tuple[Declared, str]] = field(default_factory=list)
    """Functions that another one took the place of, or that a guard kept out, with how."""
    callbacks: list[Callback] = field(default_factory=list)
    detachments: list[Detachment] = field(default_factory=list)
    firings: list[Firing] = field(default_factory=list)
    items: dict[tuple[str, str], Registered] = field(default_factory=dict)
    removed: dict[tuple[str, str], list[tuple[Registered | None, Location, str]]] = field(default_factory=dict)
    values: dict[str, Registered] = field(default_factory=dict)
    passed_over: dict[str, list[Registered]] = field(default_factory=dict)
    """Values that were set when there was one already."""
    defaults: dict[str, list[Registered]] = field(default_factory=dict)
    """Constants, and global variables with the sign before them, that some code sets only if they are not set yet: who set each, the one that counts first."""
    regions: list[Mark] = field(default_factory=list)
    printed: list[Mark] = field(default_factory=list)
    provided: list[Mark] = field(default_factory=list)
    sheets: dict[tuple[str, object], Sheet] = field(default_factory=dict)
    """By kind and handle."""
    pulled: dict[tuple[str, str], Location] = field(default_factory=dict)
    """(theme, path) of each code file that ran because another one asked for it, with who asked."""
    loaded: list[tuple[str, str]] = field(default_factory=list)
    asked: set[Location] = field(default_factory=set)
    """Places that asked for a file by a call of the platform, or by what the language has for it."""
    handed: dict[tuple[str, str], dict[str, Location]] = field(default_factory=dict)
    """(theme, path) of a template -> the variables that it alone was handed, and where."""
    missing: list[MissingFile] = field(default_factory=list)
    shown: list[tuple[str, str]] = field(default_factory=list)
    """(theme, path) of every template that was shown, in order."""
    classes: dict[str, ClassValue] = field(default_factory=dict)
    autoloads: bool = False
    """Code says how classes are found that are not there yet."""
    constants: dict[object, object] = field(default_factory=dict)
    stopped: Halted | None = None
    blind: list[Mark] = field(default_factory=list)
    """Places after which nothing is certain any more: code was not followed."""
    anywhere: list[Anywhere] = field(default_factory=list)
    """What is attached at some point, nobody knows which."""
    unsupplied: list[Unsupplied] = field(default_factory=list)
    checked: set[str] = field(default_factory=set)
    """Names in small letters of which code asked whether they are there, and nobody knows."""
    entered: set[tuple[str, str, int]] = field(default_factory=set)
    """Functions that ran, or may have: theme, file, and where they begin."""
    doubtful: list[Halted] = field(default_factory=list)
    """What would stop the site if a condition that can't be known holds."""

    def copy(self) -> State:
        """Another state of the same: what is done to one leaves the other as it is. Objects that it holds are shared."""
        callbacks = {id(c): c.copy() for c in self.callbacks}
        matched = {
            id(d): replace(d, matched=tuple(callbacks.get(id(c), c) for c in d.matched)) for d in self.detachments
        }
        for callback in callbacks.values():
            if callback.gone is not None:
                callback.gone = matched[id(callback.gone)]
        made = replace(
            self,
            **{f.name: copy(getattr(self, f.name)) for f in fields(self) if f.name not in _MAPPED},
            callbacks=list(callbacks.values()),
            detachments=list(matched.values()),
            firings=[
                replace(f, ran=[replace(r, callback=callbacks.get(id(r.callback), r.callback)) for r in f.ran])
                for f in self.firings
            ],
        )
        made.handed = {place: dict(names) for place, names in self.handed.items()}
        made.defaults = {name: list(rows) for name, rows in self.defaults.items()}
        made.removed = {key: list(rows) for key, rows in self.removed.items()}
        made.passed_over = {key: list(rows) for key, rows in self.passed_over.items()}
        return made

    def settle(self) -> None:
        """Hold lists and tables as they are now, whatever becomes of them."""
        self.items = {key: row._replace(value=plain(row.value)) for key, row in self.items.items()}
        self.values = {key: row._replace(value=plain(row.value)) for key, row in self.values.items()}

    def blind_about(self, what: str) -> str:
        """Where anything may have been done to points, items or values; empty where nothing was."""
        mark = next((m for m in self.blind if m.name == what), None)
        return f"{mark.site.theme}/{mark.site.path} line {mark.site.line} {mark.value}" if mark else ""

    def at(self, point: str, descending: bool) -> list[Callback]:
        """The callbacks at a point in the order in which they run; ties by the order of attaching."""
        return in_running_order((c for c in self.callbacks if c.point == point and c.gone is None), descending)

    def uncertain(self, point: str) -> str:
        """Why what runs at a point can't be told; empty where it can."""
        blind = self.blind_about("points")
        if blind:
            return blind
        for each in self.anywhere:
            if each.point.may_be(point):
                return each.why
        for callback in self.callbacks:
            if callback.point == point and callback.gone is None:
                if callback.doubt:
                    return callback.doubt
                if not isinstance(callback.order, int | float):
                    return f"the order number of {callback.label} is made at run time"
        return ""


_MAPPED = ("callbacks", "detachments", "firings", "stopped")


def in_running_order(callbacks: Iterable[Callback], descending: bool) -> list[Callback]:
    """Callbacks in the order in which they run: by number, then as they were attached."""

    def key(callback: Callback) -> tuple[float, int]:
        order = callback.order if isinstance(callback.order, int | float) else 0
        return (-order if descending else order, callback.number)

    return sorted(callbacks, key=key)


def label_of(target: object) -> str:
    """What to call a callback."""
    if isinstance(target, str):
        return target
    if isinstance(target, Closure):
        return target.name or f"the function at {target.file.path} line {target.function.line}"
    if isinstance(target, Bound):
        return f"{written_name(target.thing.cls)}::{target.name}"
    if isinstance(target, Thing):
        return f"{written_name(target.cls)}::__invoke"
    if isinstance(target, list) and len(target) == 2 and isinstance(target[1], str):
        owner = written_name(target[0].cls) if isinstance(target[0], Thing) else target[0]
        return f"{owner}::{target[1]}" if isinstance(owner, str) else f"?::{target[1]}"
    return "?"


def same_target(a: object, b: object, folds: bool) -> bool | None:
    """Whether two values stand for the same callback; None: it can't be told.

    A name stands for whatever is called so. Functions as values are the same only if they are one.
    """
    if isinstance(a, Unknown) or isinstance(b, Unknown) or label_of(a).startswith("?") or label_of(b).startswith("?"):
        return None
    if isinstance(a, str) or isinstance(b, str):
        if folds and (isinstance(a, Closure) or isinstance(b, Closure)):
            return False
        if _is_of_object(a) or _is_of_object(b):
            return False
        names = [label_of(x) for x in (a, b)]
        return names[0].lower() == names[1].lower() if folds else names[0] == names[1]
    if isinstance(a, list) and isinstance(b, list):
        same = (
            a[0] is b[0]
            if isinstance(a[0], Thing) or isinstance(b[0], Thing)
            else str(a[0]).lower() == str(b[0]).lower()
        )
        return same and str(a[1]).lower() == str(b[1]).lower()
    return a is b or (isinstance(a, Bound) and a == b)


def _is_of_object(target: object) -> bool:
    """A method of one object, which no name stands for."""
    return isinstance(target, Bound) or (isinstance(target, list) and isinstance(target[0], Thing))
