"""Goes through code as the platform would run it, and knows of every value and effect whether it is certain.

No theme code is run: this follows calls, conditions, loops and values passed on, in the order of a run. What hangs on something
that can't be known is followed too, but *in doubt*, and all it does is marked so.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping
from contextlib import AbstractContextManager
from dataclasses import dataclass, field
from typing import NoReturn

from protypon.core.analysis.control import OVER, Control, Leaving
from protypon.core.analysis.memory import join
from protypon.core.analysis.state import Declared, Halted, Mark, Registered, State, Unsupplied
from protypon.core.analysis.values import ClassValue, Closure, Env, File, Stream, Thing
from protypon.core.languages.code import (
    Class,
    Declare,
    DeclareClass,
    Expression,
    Function,
    Invoke,
    Statement,
    declared_in,
    spreads,
)
from protypon.core.languages.values import ABSENT, Alias, Box, Failure, Unknown
from protypon.core.model.limits import CODE_DEPTH, CODE_STEPS
from protypon.core.platform.meanings import CodeRules, Meaning
from protypon.core.themes.reach import Location

CALL_STEPS = 5
"""What following one call costs, beside its statements."""
ACTIVE = 2
"""How often a function that is in doubt may call itself before that is a loop that can't be counted."""


@dataclass(eq=False, slots=True)
class LoopTargets:
    """One loop while it is followed: the targets of what breaks it off, and of what goes on with the next turn."""

    end: object = field(default_factory=object)
    next: object = field(default_factory=object)


@dataclass(eq=False, slots=True)
class Frame:
    """One function, file or template while it is followed."""

    file: File
    env: Env
    function: Function | None = None
    this: object = None
    line: int = 0
    cls: str = ""
    """The class in whose code it is."""
    static: str = ""
    """The class that it was called on."""
    loops: list[LoopTargets] = field(default_factory=list)
    elsewhere: dict[str, dict[object, object]] = field(default_factory=dict)
    """Names that stand for another scope's, and where that keeps them."""
    given: list[object] = field(default_factory=list)
    kept: dict[object, object] = field(default_factory=dict)
    in_class: bool = False
    """It is the body of a class, whose names functions in it don't see."""
    labels: dict[str, object] = field(default_factory=dict)
    """The targets of jumps, by label."""
    hoisted: set[object] = field(default_factory=set)
    """Functions (by number) and classes (by name) that were declared before the first statement."""
    body: object = None
    """How far the code of a generator has come, while it is followed as it is run."""
    items: dict[str, object] = field(default_factory=dict)
    """Variables that are another name of an item, each with what knows which one."""
    guards: int = 0
    """How many statements it is in of which something is done in any case."""
    strict: bool = False
    """It gets no value of another type than it asks for."""
    handling: list[object] = field(default_factory=list)
    """Errors that are being handled, the innermost last."""


Effect = Callable[["Machine", Meaning, dict[str, object], list[object], Frame], object]
Roles = dict[str, object]


class Machine:
    """One run over one lineage."""

    def __init__(self, rules: CodeRules, follow: Following) -> None:
        self.rules, self.follow = rules, follow
        self.state = State()
        self.control = Control()
        self.watch_loops()
        self.memory = self.control.memory
        self.frames: list[Frame] = []
        self.out: list[str | Unknown] = []
        self.buffers: list[list[str | Unknown]] = []
        """What was printed before each buffer that is open."""
        self.out_of_order = ""
        """Why nobody knows where what is printed goes; empty while it is known."""
        self.last: Location | None = None
        self.reasons: dict[Location, str] = {}
        """Why an error is raised at a place, where there are words for it."""
        """Where the program was left."""
        self.moment = "loading"
        self.strictly = False
        """What is called next gets no value of another type than it asks for."""
        self.strictly = False
        """What is called next is given no value of another type than it asks for."""
        self.steps = 0
        self.most = CODE_STEPS
        """How many steps this run may take."""
        self.waiting_marks: list[Closure] = []
        self.page_kind: object = Unknown("which page it is")
        self.page_asked = False
        """Whether anything hung on which page it is."""
        self.globals: dict[object, object] = {}
        self.kept: dict[object, dict[object, object]] = {}
        """Static variables, by function."""
        self.things: list[Thing] = []
        self.making: list[ClassValue] = []
        """Classes of Python that metaclasses are making."""
        self.special: set[str] = set()
        """Names of the methods by which classes of Python say what an operation is, of all that were declared."""
        self.boxes: list[Box] = []
        self.references: list[Alias] = []
        self.handed_out: list[object] = []
        """What was given to functions from elsewhere, which may call it at any time."""
        self.active: dict[tuple[str, str, int], int] = {}
        self.cut: set[tuple[str, str, int]] = set()
        """Functions that called themselves deeper than was followed."""
        self.loose = False
        """While anything that can be called is followed."""
        self.effectful: dict[int, bool] = {}
        """By function: whether it holds a call that means something."""
        self.is_own: Callable[[str], bool] = lambda name: False
        self.to_come: Callable[[], Mapping[tuple[str, str], tuple[str, str]]] = dict
        """What code that is still to be loaded declares in any case, and where."""
        self.guarded: frozenset[object] = frozenset()
        """Names that code sets only if they are not set yet."""
        self.declared: Callable[[], frozenset[tuple[str, str]]] | None = None
        """By kind and name in small letters, all functions and classes that some code of the lineage declares, followed or not."""
        """Whether a function may come with the language of the code itself."""
        self.slugs: list[str] = []
        """Of the lineage's themes, the child first."""
        self.finds: dict[str, Callable[..., object]] = {}
        """How files are found: by what a call does."""
        self.lookups: dict[str, Callable[..., object]] = {}
        """``pull``, ``part``, ``super`` …: what only the one who set the machine up can do."""

    def watch_loops(self) -> None:
        """Hear of loops that come to no end."""
        self.control.without_end = lambda why: self.give_up(f"holds {why}, which comes to no end")
        self.control.spend = self._spend

    def _spend(self, work: int) -> None:
        self.steps += work

    # Doubt

    @property
    def doubt(self) -> str:
        """Why it is not sure that what is followed runs; empty where it is."""
        return self.control.doubt

    def doubting(self, why: str) -> AbstractContextManager[None]:
        """While it lasts, all that is followed is in doubt, for that reason."""
        return self.control.doubting(why)

    def halt(self, halted: Halted) -> None:
        """The site stops; in doubt, it may."""
        if self.doubt:
            self.state.doubtful.append(halted)
        else:
            raise halted

    def site(self, line: int | None = None) -> Location:
        """The place that is being followed, or another line of its file."""
        frame = self.frames[-1]
        return Location(frame.file.theme, frame.file.path, line or frame.line)

    @property
    def place(self) -> str:
        """Where it is, for people."""
        site = self.site()
        return f"{site.theme}/{site.path} line {site.line}"

    def note_blind(self, what: str, about: str = "points") -> None:
        """From here on nothing is certain about points, items or values."""
        self.state.blind.append(Mark(about, self.site(), self.doubt, what))

    def give_up(self, what: str) -> None:
        """What comes from here on is not followed: nothing is certain any more."""
        if not self.state.blind_about("points"):
            for about in ("points", "items", "values"):
                self.note_blind(what, about)

    def note_unsupplied(self, kind: str, name: str) -> None:
        """Note that code asks for what no theme has."""
        row = Unsupplied(kind, name, self.site(), self.moment, self.doubt)
        if row not in self.state.unsupplied[-20:]:
            self.state.unsupplied.append(row)

    def may_declare(self, kind: str, name: str) -> bool:
        """Whether some code of the lineage declares a function or class of a name."""
        return (kind, name) in (
            self.declared() if self.declared is not None else declared_in(self.frames[-1].file.code)
        )

    def is_to_come(self, kind: str, name: str) -> bool:
        """Whether a function or class is not there yet for sure: code of the lineage declares it later, and nobody else can."""
        key = (kind, name.lstrip("\\").lower())
        if self.state.blind_about("points") or (kind == "class" and self.state.autoloads):
            return False
        place = self.to_come().get(key)
        file = self.frames[-1].file
        if place is None or place == (file.theme, file.path) or place in self.state.loaded:
            return False
        self.reasons[self.site()] = f"it asks for the {kind} {name}, which {place[0]}/{place[1]} declares only later"
        return True

    def step(self) -> None:
        """Count; what takes too long is not followed to its end."""
        self.steps += 1
        if self.steps > self.most:
            self.give_up("runs too long to be followed")
            raise Leaving("", OVER)

    # Files and functions

    def run_file(self, file: File, env: Env) -> object:
        """Follow a file from top to bottom; what it returns."""
        frame = Frame(file, env)
        self.frames.append(frame)
        if file.code.unread:
            self.give_up(file.code.unread)

        def run() -> object:
            if file.hoists:
                self._hoist(file, frame)
            self.block(file.code.body, frame)
            return None

        try:
            found = self.control.catching(frame, run)
        finally:
            self.frames.pop()
        return join(found, "what a file returns")

    def _hoist(self, file: File, frame: Frame) -> None:
        """What is there before the first statement."""
        for statement in file.code.body:
            if isinstance(statement, Declare):
                frame.line = statement.line
                frame.hoisted.add(statement.number)
                self.follow.declare(self, file.code.functions[statement.number], frame)
            elif isinstance(statement, DeclareClass):
                frame.line = statement.line
                self.follow.hoist_class(self, file.code.classes[statement.number], frame)

    def call(self, target: object, given: list[object], named: dict[str, object] | None = None) -> object:
        """Follow a call of a value."""
        return self.follow.call(self, target, given, named or {})

    def closure_of(self, target: object) -> tuple[Closure | None, object]:
        """The function that a value stands for, and its object."""
        return self.follow.closure_of(self, target)

    def enter(self, closure: Closure, given: list[object], named: dict[str, object], this: object) -> object:
        """Follow a function with its arguments; what it returns."""
        self.steps += CALL_STEPS
        self.step()
        strict, self.strictly = self.strictly, False
        active = self.active.get(closure.key, 0)
        if (active >= ACTIVE and self.doubt) or len(self.frames) > CODE_DEPTH:
            self.cut.add(closure.key)
            if not active:
                self.give_up("calls too deep to be followed")
            self.control.may_raise("a function that calls itself too deep")
            return Unknown("a function that calls itself")
        self.active[closure.key] = active + 1
        try:
            result = self._enter(closure, given, named, this, strict)
            if not active and closure.key in self.cut:
                result = self._endless(closure, this)
        finally:
            self.active[closure.key] = active
        return result

    def _endless(self, closure: Closure, this: object) -> object:
        """A function that calls itself nobody knows how often: whatever it is given."""
        why = f"{closure.name or 'a function'}, which calls itself"
        unknown = [Unknown(why) for _ in closure.function.params]
        self.control.repeat(why, lambda: self._enter(closure, list(unknown), {}, this))
        self.cut.discard(closure.key)
        return Unknown(why)

    def _enter(
        self, closure: Closure, given: list[object], named: dict[str, object], this: object, strict: bool = False
    ) -> object:
        function = closure.function
        self.state.entered.add(closure.key)
        env = self.scope(None if closure.file.hoists else closure.env)
        env.own = function.own
        static = closure.static or (this.cls if isinstance(this, Thing) else closure.cls)
        frame = Frame(closure.file, env, function, this, function.line, closure.cls, static)
        frame.kept, frame.strict = self._statics_of(closure), strict
        self.frames.append(frame)
        try:
            self.follow.bind(self, closure, given, named, frame)
            if function.generates or "async" in function.modifiers:
                return self.follow.begun(self, frame, lambda: self.block(function.body, frame))
            found = self.control.catching(frame, lambda: self.block(function.body, frame))
        finally:
            self.frames.pop()
        return self.follow.returned(self, function, frame, join(found, self._why_joined(found)))

    def _why_joined(self, found: list[object]) -> str:
        return next((v.why for v in found if isinstance(v, Unknown)), "it depends on a condition that can't be known")

    def _statics_of(self, closure: Closure) -> dict[object, object]:
        if not closure.name:
            return closure.kept
        return self.kept.setdefault((*closure.key, closure.cls), {})

    # Statements and expressions

    def block(self, body: tuple[Statement, ...], frame: Frame) -> None:
        """Follow statements one after the other."""
        self.follow.block(self, body, frame)

    def value(self, node: Expression, frame: Frame) -> object:
        """What an expression comes to."""
        return self.follow.value(self, node, frame)

    def write(self, holder: dict[object, object], key: object, value: object) -> None:
        """Change memory; a guarded constant or global variable is noted with who was first."""
        self.memory.write(holder, key, value)
        if key in self.guarded and (holder is self.globals or holder is self.state.constants):
            rows = self.state.defaults.setdefault(str(key), [])
            rows.insert(0 if holder is self.globals else len(rows), Registered(value, self.site(), self.doubt))

    def truth(self, value: object, frame: Frame) -> bool | Unknown:
        """Whether a value counts as true."""
        if isinstance(value, Closure | ClassValue | Stream):
            return True
        if isinstance(value, Thing) and not frame.file.semantics.COPIES:
            return self.follow.truth_of(self, value, frame)
        return frame.file.semantics.truth(value)

    def text(self, value: object, frame: Frame) -> str | Unknown:
        """A value as it is printed; an object says itself how."""
        if isinstance(value, Thing):
            php = frame.file.semantics.COPIES
            found = (
                self.follow.call_method(self, value, "__toString", [])
                if php
                else self.follow.text_of(self, value, frame)
            )
            return found if isinstance(found, str | Unknown) else Unknown("an object as a text")
        if isinstance(value, Unknown):
            self.follow.may_be_called(self, ("__toString", "__str__", "__html__"))
        return frame.file.semantics.text(value)

    def hand_out(self, values: Iterable[object], to: str, keeps: bool = True) -> None:
        """Somebody outside gets values."""
        self.follow.hand_out(self, values, to, keeps)

    def value_or_raise(self, found: object) -> object:
        """What an operation or function of the language gives; where it fails, the error is raised."""
        return self.follow.fail(self, found) if isinstance(found, Failure) else found

    def apply_operator(self, op: str, values: list[object], frame: Frame) -> object:
        """What an operation gives."""
        return self.value_or_raise(frame.file.semantics.operate(op, values))

    # What is made

    def scope(self, outer: Env | None = None, values: dict[object, object] | None = None) -> Env:
        """Variables of a new scope."""
        made = Env({} if values is None else values, outer)
        self.memory.born(made.values)
        return made

    def thing(self, cls: str) -> Thing:
        """A new object of a class."""
        made = Thing(cls)
        self.memory.born(made.values, made.lost)
        self.things.append(made)
        return made

    def note_box(self, made: object) -> object:
        """A list that is shared, noted; anything else as it is."""
        if isinstance(made, Box):
            self.memory.born(made.slots)
            self.boxes.append(made)
        return made

    def use_up(self, value: object) -> None:
        """Somebody may ask for values: nobody knows how many of them."""
        if isinstance(value, Stream):
            self.follow.lose(self, value, "a generator that was gone through already")

    def reference(self, value: object) -> Alias:
        """A variable that can have several names."""
        made = Alias({} if value is ABSENT else {"value": value})
        self.memory.born(made.slots)
        self.references.append(made)
        return made

    # Output

    def print(self, value: str | Unknown) -> None:
        """Print a text, or one that is not known."""
        why = self.doubt or self.out_of_order
        self.out.append(Unknown(why) if why else value)

    # Declarations

    def apply_marks(self) -> None:
        """Marks that count once a file has run."""
        waiting, self.waiting_marks = self.waiting_marks, []
        for closure in waiting:
            frame = Frame(closure.file, Env({}), line=closure.function.line)
            self.frames.append(frame)
            for mark in closure.function.marks:
                if mark.name in self.rules.marked:
                    self.mark(mark, closure.name, frame)
            self.frames.pop()

    def mark(self, mark: Invoke, target: object, frame: Frame, name: str = "") -> None:
        """Do what a mark on a function means."""
        line, frame.line = frame.line, mark.line
        given, named = self.arguments_of(mark, frame)
        known_as: object = name or (target.name if isinstance(target, Closure) else target)
        known: Roles = {"name": known_as, "callback": target}
        self.follow.apply_mark(self, self.rules.marked[mark.name], given, named, frame, known)
        frame.line = line

    def declare(self, name: str, closure: Closure, replaceable: bool) -> None:
        """Make a function known to the whole site. A second one stops it, unless the first may be replaced."""
        key = name.lower() if closure.file.folds else name
        new = Declared(name, closure, replaceable, self.doubt)
        old = self.state.functions.get(key)
        if old is not None and not old.replaceable:
            because = f"{name} is declared a second time"
            halted = Halted("declared-twice", name, because, new.site, old.site)
            if old.doubt:
                self.state.doubtful.append(halted)
            else:
                self.halt(halted)
                return
        if old is not None and old.replaceable:
            self.state.hidden.append((old, "replaced"))
        doubt = self.doubt or (old.doubt if old is not None and not replaceable else "")
        self.state.functions[key] = Declared(name, closure, replaceable, doubt)

    # Arguments

    def arguments_of(self, node: Invoke, frame: Frame) -> tuple[list[object], dict[str, object]]:
        """The arguments of a call: in order, and by name."""
        given: list[object] = []
        named: dict[str, object] = {}
        for part in node.arguments:
            if spreads(part):
                self._spread(part, given, named, frame)
            else:
                given.append(self.value(part, frame))
        for name, value in node.named:
            named[name] = self.value(value, frame)
        return given, named

    def _spread(self, part: Expression, given: list[object], named: dict[str, object], frame: Frame) -> None:
        """A list whose items are arguments; of what is not known, any number of them."""
        value = self.value(part.parts[0], frame)  # type: ignore[union-attr]
        inside = value.value if isinstance(value, Box) else value
        copies = frame.file.semantics.COPIES
        if isinstance(inside, dict) and (copies or part.op == "**"):  # type: ignore[union-attr]
            named.update({key: item for key, item in inside.items() if isinstance(key, str)})
            given += [item for key, item in inside.items() if not isinstance(key, str)]
            return
        entries = self.follow.every(self, value, frame) if part.op == "*" else Unknown("a table that is spread")  # type: ignore[union-attr]
        if isinstance(entries, Unknown) or (copies and any(isinstance(key, str) for key, _ in entries)):
            given.append(MANY)
        else:
            given += [item for _, item in entries]


class AnyNumber(Unknown):
    """Any number of arguments that can't be known."""


MANY = AnyNumber("arguments made at run time")


@dataclass(frozen=True)
class Following:
    """How a machine follows statements, expressions and calls: set together where all of them are known."""

    effects: Mapping[str, Effect]
    apply: Callable[[Machine, Iterable[Meaning], list[object], dict[str, object], Frame], object]
    apply_mark: Callable[[Machine, Iterable[Meaning], list[object], dict[str, object], Frame, Roles], None]
    block: Callable[[Machine, tuple[Statement, ...], Frame], None]
    value: Callable[[Machine, Expression, Frame], object]
    call: Callable[[Machine, object, list[object], dict[str, object]], object]
    closure_of: Callable[[Machine, object], tuple[Closure | None, object]]
    bind: Callable[[Machine, Closure, list[object], dict[str, object], Frame], None]
    returned: Callable[[Machine, Function, Frame, object], object]
    declare: Callable[[Machine, Function, Frame], None]
    declare_class: Callable[[Machine, Class, Frame], object]
    method: Callable[[Machine, object, Invoke, Frame], object]
    method_called: Callable[[Machine, object, str, list[object], dict[str, object]], object]
    of_class: Callable[[Machine, object, str, str, Invoke, Frame], object]
    without_method: Callable[[Machine, object, str, list[object], dict[str, object], Frame], object]
    begun: Callable[[Machine, Frame, Callable[[], object]], object]
    lose: Callable[[Machine, Stream, str], Unknown]
    spare: Callable[[Machine, Stream], None]
    steps: Callable[[Machine, object, Frame, bool], Iterator[tuple[object, object]]]
    every: Callable[[Machine, object, Frame], list[tuple[object, object]] | Unknown]
    lose_names: Callable[[Machine, str, Frame], None]
    check_class: Callable[[Machine, ClassValue], None]
    hoist_class: Callable[[Machine, Class, Frame], None]
    hand_out: Callable[..., None]
    may_be_called: Callable[[Machine, tuple[str, ...]], None]
    any_constructor: Callable[[Machine, list[object], dict[str, object]], object]
    described: Callable[[Machine, object, Thing | None, ClassValue], object]
    call_method: Callable[[Machine, Thing, str, list[object]], object]
    truth_of: Callable[[Machine, Thing, Frame], bool | Unknown]
    fail: Callable[[Machine, Failure], NoReturn]
    text_of: Callable[[Machine, Thing, Frame], object]
    members_of: Callable[[ClassValue], list[Thing] | None]
    record_of: Callable[[Machine, ClassValue, str], ClassValue | None]
    begin_record: Callable[[Machine, Thing, ClassValue, list[object], dict[str, object]], None]
    is_frozen: Callable[[Machine, ClassValue], bool]
    is_callable: Callable[[Machine, object], bool | Unknown]
    finished: Callable[[Machine, ClassValue, Frame], object]
    attribute: Callable[[Machine, object, object, Frame], object]


def why_at(frame: Frame, line: int, what: str) -> str:
    """A reason for doubt, with its place."""
    return f"{frame.file.theme}/{frame.file.path} line {line}: {what}"
