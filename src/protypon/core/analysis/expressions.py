"""What expressions come to, as far as it is known."""

from __future__ import annotations

from functools import partial
from typing import NoReturn, assert_never

from protypon.core.analysis import (
    assignments,
    calls,
    classes,
    evaluating,
    functions,
    lists,
    missing,
    objects,
    operations,
    outside,
    patterns,
    streams,
)
from protypon.core.analysis.control import OVER
from protypon.core.analysis.machine import Frame, Machine
from protypon.core.analysis.places import (
    INSIDE,
    ItemSlot,
    NameSlot,
    bind_name,
    if_there,
    is_there,
    lose,
    place_of,
    read_name,
    referring,
)
from protypon.core.analysis.raising import raise_value
from protypon.core.analysis.values import ClassValue, Closure, OwnCall, OwnClass, PlatformCall, Thing
from protypon.core.languages.code import (
    Assignment,
    ClassName,
    Comprehend,
    Expression,
    Fn,
    Invoke,
    Items,
    Leave,
    Lit,
    Matching,
    Op,
    Opaque,
    Var,
    Yield,
)
from protypon.core.languages.values import ABSENT, Alias, Failure, Unknown, foreign


def value(m: Machine, node: Expression, frame: Frame) -> object:
    """What an expression comes to; nothing where it names what is not there."""
    match node:
        case Lit():
            return node.value
        case Var():
            return _var(m, node, frame)
        case Op():
            return _op(m, node, frame)
        case Invoke():
            return calls.invoke(m, node, frame)
        case Items():
            return lists.written_list(m, node, frame)
        case Assignment():
            return assignments.follow_assignment(m, node, frame)
        case Fn():
            return functions.make(m, node, frame)
        case ClassName():
            return _class(classes.class_by_name(m, node.name, frame))
        case Matching():
            return _match(m, node, frame)
        case Leave():
            _leave(m, node, frame)
        case Yield():
            return _yield(m, node, frame)
        case Comprehend():
            return lists.follow_comprehension(m, node, frame)
        case Opaque():
            return _opaque(m, node, frame)
        case _:
            assert_never(node)


def _class(found: object) -> object:
    return found.name if isinstance(found, ClassValue) and found.file.folds else found


def _var(m: Machine, node: Var, frame: Frame) -> object:
    found = read_name(m, node.name, frame)
    copies = frame.file.semantics.COPIES
    if found is not ABSENT:
        own = not copies and (
            frame.file.semantics.bases(node.name) is not None or frame.file.semantics.own(node.name) is not None
        )
        if isinstance(found, Unknown) and found.foreign and not own and not (copies and node.name.startswith("$")):
            m.control.may_raise(f"{node.name} may not be there")
        if isinstance(found, Unknown) and found.absent and not copies:
            m.control.may_raise(f"{node.name} may not be there")
        return found
    if copies:
        return None
    own = frame.function is not None and node.name in frame.function.own
    return m.value_or_raise(missing.NO_NAME if own else Failure("NameError"))


# Operations


def _op(m: Machine, node: Op, frame: Frame) -> object:
    match node.op:
        case "and" | "or":
            return _logic(m, node, frame)
        case "?:":
            return _condition(m, node.parts[0], node.parts[1], node.parts[2], frame)
        case "or else":
            return _or_else(m, node, frame)
        case "??":
            return _coalesce(m, list(node.parts), frame)
        case "isset":
            return _isset(m, node, frame)
        case "empty":
            found = if_there(m, place_of(m, node.parts[0], frame, True))
            test = m.truth(None if found is ABSENT else found, frame)
            return test if isinstance(test, Unknown) else not test
        case "last":
            return [m.value(part, frame) for part in node.parts][-1]
        case "[]":
            return _subscript(m, node, frame)
        case "attr" | "?attr":
            return _attribute(m, node, frame)
        case "static":
            return objects.static(m, classes.class_value(m, node.parts[0], frame), m.value(node.parts[1], frame), frame)
        case "constant":
            return objects.constant(
                m, classes.class_value(m, node.parts[0], frame), m.value(node.parts[1], frame), frame
            )
        case "instanceof":
            on = m.value(node.parts[0], frame)
            return classes.is_a(m, on, classes.class_value(m, node.parts[1], frame))
        case "await":
            waited = m.value(node.parts[0], frame)
            found = streams.await_value(m, waited)
            if isinstance(found, Unknown):
                m.hand_out([waited], "what waits for it")
                m.control.may_raise(found.why)
            return found
        case op if op in patterns.OPERATIONS:
            return patterns.ask(m, op, [m.value(part, frame) for part in node.parts], frame)
        case "eval" | "exec":
            return evaluating.run(m, node, frame)
        case "clone":
            return _clone(m, m.value(node.parts[0], frame))
        case "handle":
            return _handle(m, node.parts[0], frame)
        case "print":
            m.print(m.text(m.value(node.parts[0], frame), frame))
            return 1
        case "chain":
            return _chain(m, node, frame)
        case "slice":
            ends = [m.value(part, frame) for part in node.parts]
            return slice(*ends) if all(isinstance(end, int | None) for end in ends) else Unknown("a slice")
        case "&" if len(node.parts) == 1:
            return _share_variable(m, node.parts[0], frame)
        case "*" | "**" if len(node.parts) == 1:
            return Unknown("several values")
        case "maybe":
            return _maybe(m, node, frame)
        case "named":
            found = place_of(m, node, frame).get()
            return None if found is ABSENT else found
    return operations.follow_operation(m, node, frame)


def _condition(m: Machine, test: Expression, one: Expression, other: Expression, frame: Frame) -> object:
    found = m.truth(m.value(test, frame), frame)
    if not isinstance(found, Unknown):
        return m.value(one if found else other, frame)
    return m.control.either(
        "a condition that can't be known", lambda: m.value(one, frame), lambda: m.value(other, frame)
    )


def _or_else(m: Machine, node: Op, frame: Frame) -> object:
    """``$a ?: $b``."""
    first = m.value(node.parts[0], frame)
    test = m.truth(first, frame)
    if not isinstance(test, Unknown):
        return first if test else m.value(node.parts[1], frame)
    return m.control.either("a condition that can't be known", lambda: first, lambda: m.value(node.parts[1], frame))


def _coalesce(m: Machine, parts: list[Expression], frame: Frame) -> object:
    """The first that is there and is not nothing."""
    if len(parts) == 1:
        return m.value(parts[0], frame)
    first = if_there(m, place_of(m, parts[0], frame, True))
    if first is None or first is ABSENT:
        return _coalesce(m, parts[1:], frame)
    if not isinstance(first, Unknown):
        return first
    return m.control.either("whether something is there", lambda: first, lambda: _coalesce(m, parts[1:], frame))


def _logic(m: Machine, node: Op, frame: Frame) -> object:
    """``and`` and ``or`` look at the next value only where the first does not decide."""
    return _decide_between(m, node, 0, frame)


def _decide_between(m: Machine, node: Op, number: int, frame: Frame) -> object:
    copies = frame.file.semantics.COPIES
    found = m.value(node.parts[number], frame)
    test = m.truth(found, frame)
    if number == len(node.parts) - 1:
        return test if copies else found
    if isinstance(test, Unknown):
        here = node.op == "or"
        return m.control.either(
            "a condition that can't be known",
            lambda: here if copies else found,
            lambda: _decide_between(m, node, number + 1, frame),
        )
    if test == (node.op == "or"):
        return test if copies else found
    return _decide_between(m, node, number + 1, frame)


def _isset(m: Machine, node: Op, frame: Frame) -> object:
    unknown: Unknown | None = None
    for part in node.parts:
        found = is_there(m, place_of(m, part, frame, True))
        if found is None or found is ABSENT:
            return False
        unknown = found if isinstance(found, Unknown) else unknown
    return True if unknown is None else Unknown(unknown.why)


def _chain(m: Machine, node: Op, frame: Frame) -> object:
    """``a < b <= c``: each is done once, as long as all before hold."""
    left = m.value(node.parts[0], frame)

    def go_on(left: object, number: int) -> object:
        sign, right = node.parts[number], m.value(node.parts[number + 1], frame)
        assert isinstance(sign, Lit)
        held = m.apply_operator(str(sign.value), [left, right], frame)
        if number + 2 >= len(node.parts) or held is False:
            return held
        if isinstance(held, Unknown):
            return m.control.either(held.why, lambda: False, lambda: go_on(right, number + 2))
        return go_on(right, number + 2)

    return go_on(left, 1)


def _subscript(m: Machine, node: Op, frame: Frame) -> object:
    if len(node.parts) == 1:
        return Unknown("an item without a key")
    by_place = frame.file.semantics.COPIES or isinstance(node.parts[0], Invoke)
    place = place_of(m, node, frame) if by_place else None
    if isinstance(place, NameSlot) and isinstance(place.get(), Unknown):
        m.control.may_raise("a name that a module may not have")
    if frame.file.semantics.COPIES or isinstance(place, NameSlot):
        return missing.there(m, place.get() if place is not None else ABSENT, frame, Failure("KeyError"))
    if isinstance(place, ItemSlot):
        return missing.there(
            m, _item(m, place.base.get(), place.key, frame), frame, missing.no_item(place.base.get(), place.key)
        )
    on, key = m.value(node.parts[0], frame), m.value(node.parts[1], frame)
    return missing.there(m, _item(m, on, key, frame), frame, missing.no_item(on, key))


def _item(m: Machine, on: object, key: object, frame: Frame) -> object:
    found = objects.item(m, on, key, frame)
    return m.note_box(found) if isinstance(key, slice) else found


def _attribute(m: Machine, node: Op, frame: Frame) -> object:
    on = m.value(node.parts[0], frame)
    if node.op == "?attr" and on is None:
        return None
    return missing.there(m, objects.attribute(m, on, m.value(node.parts[1], frame), frame), frame, missing.NO_ATTRIBUTE)


def _clone(m: Machine, on: object) -> object:
    if not isinstance(on, Thing):
        return Unknown("a copy of an object")
    made = m.thing(on.cls)
    made.values.update(on.values)
    made.lost.update(on.lost)
    found = classes.method(m, on.cls, "__clone")
    if isinstance(found, Closure):
        m.enter(found, [], {}, made)
    return made


def _handle(m: Machine, node: Expression, frame: Frame) -> object:
    """The function that a call would call, as a value of its own."""
    assert isinstance(node, Invoke)
    if node.on is None and "::" in node.name:
        owner, _, name = node.name.partition("::")
        found: object = classes.method(m, classes.class_by_name(m, owner, frame), name, frame)
        this = frame.this if owner in ("self", "parent", "static") else None
    elif node.on is None:
        found, this = calls.function_named(m, node.name), None
        if found is None and m.rules.meanings_of(node.name):
            return PlatformCall(node.name.rpartition("\\")[2])
        bare = node.name.rpartition("\\")[2]
        if found is None and frame.file.semantics.own(bare) is not None:
            return OwnCall(bare)
    elif node.name:
        this = m.value(node.on, frame)
        found = classes.method(m, this.cls, node.name, frame) if isinstance(this, Thing) else None
    else:
        found, this = m.closure_of(m.value(node.on, frame))
    if not isinstance(found, Closure):
        return Unknown("a function that is not known")
    return Closure(found.function, found.file, found.env, this, found.cls, found.static)


def _share_variable(m: Machine, node: Expression, frame: Frame) -> Alias:
    """``&$x`` in a list: the variable itself."""
    if isinstance(node, Var):
        held = referring(m, node.name, frame)
        m.write(held.slots, INSIDE, True)
        return held
    why = f"{m.place} gives something another name"
    lose(m, node, why, frame)
    made = m.reference(Unknown(why))
    made.slots["lost"] = True
    return made


def _maybe(m: Machine, node: Op, frame: Frame) -> object:
    """Parts that are done or not, of which the first gives the value."""
    found: list[object] = [Unknown("it stands in an expression that can't be followed")]

    def run() -> None:
        found[0] = next(m.value(part, frame) for part in node.parts)

    m.control.perhaps("it stands in an expression that can't be followed", run)
    return found[0]


# Ways


def _match(m: Machine, node: Matching, frame: Frame) -> object:
    subject = m.value(node.subject, frame)
    return _arm(m, node, subject, 0, 0, frame)


def _arm(m: Machine, node: Matching, subject: object, number: int, test: int, frame: Frame) -> object:
    """The first arm that fits, from a test of an arm on; the one for the rest comes last."""
    while number < len(node.arms):
        arm = node.arms[number]
        if test >= len(arm.tests):
            number, test = number + 1, 0
            continue
        fits = m.apply_operator("===", [subject, m.value(arm.tests[test], frame)], frame)
        if isinstance(fits, Unknown):
            others = partial(_arm, m, node, subject, number, test + 1, frame)
            return m.control.either(fits.why, partial(m.value, arm.value, frame), others)
        if fits:
            return m.value(arm.value, frame)
        test += 1
    rest = next((arm for arm in node.arms if not arm.tests), None)
    if rest is not None:
        return m.value(rest.value, frame)
    made = objects.new(m, "UnhandledMatchError", [], {}, frame)
    raise_value(m, [made])


def _leave(m: Machine, node: Leave, frame: Frame) -> NoReturn:
    given = m.value(node.value, frame) if node.value is not None else None
    if node.how == "exit":
        if isinstance(given, str):
            m.print(given)
        m.last = m.site()
        m.control.leave("exit", OVER)
    if node.value is None:
        given = frame.handling[-1] if frame.handling else Unknown("an error that is raised again")
    if isinstance(given, ClassValue | OwnClass):
        given = objects.new(m, given, [], {}, frame)
    elif (
        isinstance(given, Unknown)
        and isinstance(node.value, Var)
        and frame.file.semantics.bases(node.value.name) is not None
    ):
        given = objects.new(m, node.value.name, [], {}, frame)
    raise_value(m, [given])


def _yield(m: Machine, node: Yield, frame: Frame) -> object:
    """Whoever gets the value may do whatever he likes before it goes on."""
    if frame.body is not None:
        return streams.give(m, node, frame)
    m.hand_out([m.value(part, frame) for part in node.parts], "who asks for the next value")
    return foreign("what a generator is sent")


def _opaque(m: Machine, node: Opaque, frame: Frame) -> object:
    if node.sure:
        for part in node.parts:
            m.value(part, frame)
    elif node.parts:
        m.control.repeat("it stands in what can't be followed", lambda: _parts(m, node, frame))
    if node.writes == ("*",) or node.calls:
        outside.anything(m, node, frame)
    else:
        for name in node.writes:
            bind_name(m, name, Unknown(f"{node.text.strip()[:40]!r} can't be followed"), frame)
    m.control.may_raise("what can't be followed")
    return foreign(f"{node.text.strip()[:40]!r} can't be followed" if node.text else "made at run time")


def _parts(m: Machine, node: Opaque, frame: Frame) -> None:
    for part in node.parts:
        m.control.perhaps("it stands in what can't be followed", partial(m.value, part, frame))
