"""Goes through code as the platform would run it, and knows of every value and effect whether it is certain.

No theme code is run: this follows calls, conditions, loops over literal lists and values passed on, in the order of a run.
What hangs on something that can't be known is followed too, but *in doubt*, and all it does is marked so.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from typing import Any

from protypon.core.analysis.state import Declared, Halted, Mark, State
from protypon.core.analysis.values import Bound, Closure, Env, File, Thing, Unknown, as_text, identical, truth
from protypon.core.languages.code import Declare, Function, Invoke, Node, Op, spreads, walk
from protypon.core.model.limits import CODE_DEPTH, CODE_STEPS
from protypon.core.platform.meanings import Argument, CodeRules, Meaning
from protypon.core.themes.reach import Location

CALL_STEPS = 5
"""What following one call costs, beside its statements."""
GOES_ON, LEFT, MAY_HAVE_LEFT = range(3)


@dataclass(slots=True)
class Frame:
    """One function, file or template while it is followed."""

    file: File
    env: Env
    function: Function | None = None
    this: Any = None
    results: list[Any] = field(default_factory=list)
    line: int = 0
    ended: bool = False
    """Some path, but not every one, has left already."""


Effect = Callable[["Machine", Meaning, dict[str, Any], list[Any], Frame], Any]
Expression = Callable[["Machine", Any, Frame], Any]


class Machine:
    """One run over one lineage."""

    def __init__(self, rules: CodeRules, effects: dict[str, Effect], expressions: dict[str, Expression]) -> None:
        self.rules, self.effects, self.expressions = rules, effects, expressions
        self.state = State()
        self.doubts: list[str] = []
        self.frames: list[Frame] = []
        self.out: list[str | Unknown] = []
        self.buffers: list[list[str | Unknown]] = []
        """What was printed before each buffer that is open."""
        self.moment = "loading"
        self.steps = 0
        self.most = CODE_STEPS
        """How many steps this run may take."""
        self.waiting_marks: list[Closure] = []
        self.page_kind: Any = Unknown("which page it is")
        self.page_asked = False
        """Whether anything hung on which page it is."""
        self.things = 0
        """How many objects were made: they change, and states share them."""
        self.is_own: Callable[[str], bool] = lambda name: False
        """Whether a function may come with the language of the code itself."""
        self.lookups: dict[str, Callable[..., Any]] = {}
        """``pull``, ``part``, ``super`` …: what only the one who set the machine up can do."""

    def thing(self, cls: str) -> Thing:
        self.things += 1
        return Thing(cls)

    # Doubt

    @property
    def doubt(self) -> str:
        return self.doubts[-1] if self.doubts else ""

    @contextmanager
    def doubting(self, why: str) -> Iterator[None]:
        self.doubts.append(why)
        try:
            yield
        finally:
            self.doubts.pop()

    def halt(self, halted: Halted) -> None:
        """The site stops; in doubt, it may."""
        if self.doubts:
            self.state.doubtful.append(halted)
        else:
            raise halted

    def site(self, line: int | None = None) -> Location:
        frame = self.frames[-1]
        return Location(frame.file.theme, frame.file.path, line or frame.line)

    # Files and functions

    def run_file(self, file: File, env: Env) -> Any:
        """Follow a file from top to bottom; what it returns."""
        for name, base in file.code.classes:
            self.state.classes[name.lower() if file.folds else name] = (file, base)
        frame = Frame(file, env)
        self.frames.append(frame)
        if file.code.unread:
            self.give_up(file.code.unread)
        try:
            if file.hoists:
                for statement in file.code.body:
                    if isinstance(statement, Declare):
                        frame.line = statement.line
                        self._declare(file.code.functions[statement.number], frame)
            self.block(file.code.body, frame, file.hoists)
        finally:
            self.frames.pop()
        return self._result(frame)

    def call(self, target: Any, given: list[Any], named: dict[str, Any] | None = None) -> Any:
        """Follow a call of a value."""
        closure, this = self.closure_of(target)
        if closure is None:
            return Unknown("a function that is not known")
        return self.enter(closure, given, named or {}, this)

    def closure_of(self, target: Any) -> tuple[Closure | None, Any]:
        """The function that a value stands for, and its object."""
        if isinstance(target, Closure):
            return target, target.this
        target = target.lstrip("\\") if isinstance(target, str) else target
        if isinstance(target, str) and "::" in target:
            owner, _, name = target.partition("::")
            return self.method(owner, name), None
        if isinstance(target, str):
            declared = self.state.functions.get(target.lower()) or self.state.functions.get(target)
            return (declared.closure if declared else None), None
        if isinstance(target, Bound):
            return self.method(target.thing.cls, target.name), target.thing
        if isinstance(target, list) and len(target) == 2 and isinstance(target[1], str):
            owner = target[0].cls if isinstance(target[0], Thing) else target[0]
            if isinstance(owner, str):
                return self.method(owner, target[1]), target[0] if isinstance(target[0], Thing) else None
        return None, None

    def method(self, cls: str, name: str) -> Closure | None:
        seen: set[str] = set()
        while cls not in seen:
            seen.add(cls)
            found = self.state.classes.get(cls) or self.state.classes.get(cls.lower())
            if found is None:
                return None
            file, base = found
            wanted = f"{cls}::{name}".lower()
            for function in file.code.functions:
                if function.name.lower() == wanted:
                    return Closure(function, file)
            cls = base
        return None

    def enter(self, closure: Closure, given: list[Any], named: dict[str, Any], this: Any) -> Any:
        self.steps += CALL_STEPS
        if self.steps > self.most:
            self.give_up("runs too long to be followed")
            return Unknown("it runs too long to be followed")
        if len(self.frames) > CODE_DEPTH:
            self.give_up("calls itself too deep to be followed")
            return Unknown("too deep to follow")
        self.state.entered.add((closure.file.theme, closure.file.path, closure.function.start))
        env = Env(self._captured(closure), closure.env if not closure.file.hoists else None)
        frame = Frame(closure.file, env, closure.function, this, line=closure.function.line)
        self.frames.append(frame)
        try:
            self._bind(closure.function, given, named, frame, this)
            if closure.opaque:
                with self.doubting("a decorator that is not known wraps it"):
                    self.block(closure.function.body, frame)
                return Unknown("a decorator that is not known wraps it")
            self.block(closure.function.body, frame)
        finally:
            self.frames.pop()
        return self._result(frame)

    def _captured(self, closure: Closure) -> dict[str, Any]:
        if not closure.file.hoists or closure.env is None:
            return {}
        return dict(closure.env.values)

    def _bind(self, function: Function, given: list[Any], named: dict[str, Any], frame: Frame, this: Any) -> None:
        values = frame.env.values
        rest = list(given)
        if this is not None and frame.file.hoists:
            values["$this"] = this
        elif this is not None:
            rest.insert(0, this)
        for param in function.params:
            bare = param.name.lstrip("$")
            if param.way == "*":
                values[param.name], rest = rest, []
            elif bare in named:
                values[param.name] = named[bare]
            elif rest and param.way in ("", "&"):
                values[param.name] = rest.pop(0)
            elif param.default is not None:
                values[param.name] = self.value(param.default, frame)
            else:
                values[param.name] = Unknown("an argument that is not given")

    def _result(self, frame: Frame) -> Any:
        if not frame.results:
            return None
        if frame.ended or len(frame.results) > 1:
            first = frame.results[0]
            same = all(identical(first, other) is True for other in frame.results[1:])
            return first if same and not frame.ended else Unknown("it depends on a condition that can't be known")
        return frame.results[0]

    # Statements

    def block(self, body: tuple[Node, ...], frame: Frame, hoisted: bool = False) -> int:
        for number, statement in enumerate(body):
            self.steps += statement.tag != "declare"
            if self.steps > self.most:
                self.give_up("runs too long to be followed")
                return LEFT
            frame.line = getattr(statement, "line", frame.line)
            if hoisted and statement.tag == "declare":
                continue
            status = _STATEMENTS[statement.tag](self, statement, frame)
            if status == LEFT:
                return LEFT
            if status == MAY_HAVE_LEFT:
                frame.ended = True
                with self.doubting("a return or exit before it hangs on what can't be known"):
                    rest = self.block(body[number + 1 :], frame, hoisted)
                return LEFT if rest == LEFT else MAY_HAVE_LEFT
        return GOES_ON

    def note_blind(self, what: str, about: str = "points") -> None:
        """From here on nothing is certain about points, items or values."""
        self.state.blind.append(Mark(about, self.site(), self.doubt, what))

    def give_up(self, what: str) -> None:
        """What comes from here on is not followed: nothing is certain any more."""
        if not self.state.blind_about("points"):
            for about in ("points", "items", "values"):
                self.note_blind(what, about)

    def _do(self, statement: Any, frame: Frame) -> int:
        self.value(statement.value, frame)
        return GOES_ON

    def _let(self, statement: Any, frame: Frame) -> int:
        value = self.value(statement.value, frame)
        for name in statement.name.split(","):
            self.assign(name, value, frame)
        return GOES_ON

    def assign(self, name: str, value: Any, frame: Frame) -> None:
        """Give a variable a value; or a constant, which is known for sure only outside of doubt."""
        if frame.file.hoists and not name.startswith("$"):
            self.state.constants.setdefault(name, Unknown(self.doubt) if self.doubts else value)
        else:
            frame.env.values[name] = value

    def _if(self, statement: Any, frame: Frame) -> int:
        test = truth(self.value(statement.test, frame), frame.file.hoists)
        if not isinstance(test, Unknown):
            if not test:
                self._kept_out(statement, frame)
            return self.block(statement.then if test else statement.other, frame)
        why = f"{frame.file.theme}/{frame.file.path} line {statement.line}: a condition that can't be known"
        with self.doubting(why):
            before = dict(frame.env.values)
            statuses = {self.block(statement.then, frame)}
            after, frame.env.values = frame.env.values, before
            statuses.add(self.block(statement.other, frame))
        frame.env.values = _joined(after, frame.env.values, why)
        if statuses == {LEFT}:
            return LEFT
        return GOES_ON if statuses == {GOES_ON} else MAY_HAVE_LEFT

    def _kept_out(self, statement: Any, frame: Frame) -> None:
        """Functions that a guard does not let be declared."""
        for inner in statement.then:
            if inner.tag == "declare":
                function = frame.file.code.functions[inner.number]
                self.state.hidden.append((Declared(function.name, Closure(function, frame.file), False), "guard"))

    def _each(self, statement: Any, frame: Frame) -> int:
        over = self.value(statement.over, frame)
        if isinstance(over, list | dict) and len(over) < 1000:
            pairs = list(over.items()) if isinstance(over, dict) else list(enumerate(over))
            python_table = isinstance(over, dict) and not frame.file.hoists
            for key, item in pairs:
                if statement.key:
                    self.assign(statement.key, key, frame)
                self._bind_item(statement.item, key if python_table else item, frame)
                status = self.block(statement.body, frame)
                if status != GOES_ON:
                    return status
            return GOES_ON
        with self.doubting(f"{frame.file.theme}/{frame.file.path} line {statement.line}: a loop that can't be counted"):
            for name in _assigned(statement) - {""}:
                self.assign(name, Unknown("an item of a list that is not known"), frame)
            before = dict(frame.env.values)
            status = self.block(statement.body, frame)
        frame.env.values = _joined(before, frame.env.values, "it hangs on a loop that can't be counted")
        return GOES_ON if status == GOES_ON else MAY_HAVE_LEFT

    def _bind_item(self, names: str, item: Any, frame: Frame) -> None:
        parts = names.split(",")
        if len(parts) == 1:
            if names:
                self.assign(names, item, frame)
            return
        fits = isinstance(item, list) and len(item) == len(parts)
        for number, name in enumerate(parts):
            if name:
                self.assign(name, item[number] if fits else Unknown(), frame)

    def _declare_statement(self, statement: Any, frame: Frame) -> int:
        self._declare(frame.file.code.functions[statement.number], frame)
        return GOES_ON

    def _return(self, statement: Any, frame: Frame) -> int:
        value = None if statement.value is None else self.value(statement.value, frame)
        frame.results.append(value)
        return LEFT

    def _print(self, statement: Any, frame: Frame) -> int:
        text = as_text(self.value(statement.value, frame), frame.file.hoists)
        self.out.append(Unknown(self.doubt) if self.doubts else text)
        return GOES_ON

    def _part(self, statement: Any, frame: Frame) -> int:
        self.lookups["block"](statement.name, 0)
        return GOES_ON

    # Declarations

    def _declare(self, function: Function, frame: Frame) -> None:
        marked = self.rules.declares == "marked"
        known = [m for m in function.marks if m.name in self.rules.marked]
        closure = Closure(function, frame.file, frame.env, opaque=marked and len(known) < len(function.marks))
        if marked:
            self.assign(function.name, closure, frame)
        else:
            self.declare(function.name, closure, False)
        if self.rules.marks == "after-file":
            self.waiting_marks += [closure] if known else []
        else:
            for mark in reversed(known):
                self._mark(mark, closure, frame)

    def apply_marks(self) -> None:
        """Marks that count once a file has run."""
        waiting, self.waiting_marks = self.waiting_marks, []
        for closure in waiting:
            frame = Frame(closure.file, Env({}), line=closure.function.line)
            self.frames.append(frame)
            for mark in closure.function.marks:
                if mark.name in self.rules.marked:
                    self._mark(mark, closure.name, frame)
            self.frames.pop()

    def _mark(self, mark: Invoke, target: Any, frame: Frame) -> None:
        meaning = self.rules.marked[mark.name]
        line, frame.line = frame.line, mark.line
        arguments = tuple(a for a in meaning.arguments if a.role != "callback")
        roles, rest = self.roles(arguments, mark, frame)
        name = target if isinstance(target, str) else target.name
        self.effects[meaning.does](self, meaning, {"name": name, **roles, "callback": target}, rest, frame)
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

    # Expressions

    def value(self, node: Node, frame: Frame) -> Any:
        """What an expression comes to."""
        return self.expressions[node.tag](self, node, frame)

    def roles(self, arguments: tuple[Argument, ...], node: Invoke, frame: Frame) -> tuple[dict[str, Any], list[Any]]:
        """What a call gives for each role of its meaning, and what is left over."""
        given, named = self.given(node, frame)
        roles: dict[str, Any] = {}
        for argument in arguments:
            if argument.keyword in named:
                roles[argument.role] = named.pop(argument.keyword)
            elif given:
                roles[argument.role] = given.pop(0)
            elif argument.default is not None:
                roles[argument.role] = argument.default
        return roles, given

    def given(self, node: Invoke, frame: Frame) -> tuple[list[Any], dict[str, Any]]:
        """The arguments of a call: in order, and by name."""
        given: list[Any] = []
        for part in node.arguments:
            if isinstance(part, Op) and spreads(part):
                spread = self.value(part.parts[0], frame)
                given += spread if isinstance(spread, list) else [Unknown("arguments made at run time")]
            else:
                given.append(self.value(part, frame))
        return given, {name: self.value(value, frame) for name, value in node.named}


def _joined(one: dict[str, Any], other: dict[str, Any], why: str) -> dict[str, Any]:
    """Variables after either of two ways: those on which both agree are known."""
    names = one.keys() | other.keys()
    missing = Unknown(why)
    pairs = {name: (one.get(name, missing), other.get(name, missing)) for name in names}
    return {name: a if identical(a, b) is True else missing for name, (a, b) in pairs.items()}


def _assigned(statement: Node) -> set[str]:
    """The variables that a loop may change."""
    found: set[str] = set()
    for node in walk(statement):
        if node.tag == "let":
            found |= set(node.name.split(","))
        elif node.tag == "each":
            found |= {node.key, *node.item.split(",")}
    return found


_STATEMENTS: dict[str, Callable[[Machine, Any, Frame], int]] = {
    "do": Machine._do, "let": Machine._let, "if": Machine._if, "each": Machine._each, "declare": Machine._declare_statement,
    "return": Machine._return, "print": Machine._print, "halt": lambda m, s, f: LEFT, "part": Machine._part,
}  # fmt: skip
