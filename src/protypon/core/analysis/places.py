"""Where values are kept: variables, items, attributes. Each is worked out once, and then read and written."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Protocol

from protypon.core.analysis import classes, objects, outside, visibility
from protypon.core.analysis.machine import Frame, Machine
from protypon.core.analysis.values import HELD, ClassValue, Closure, PlatformCall, Thing, held_items, own_class
from protypon.core.languages.code import Expression, Invoke, Items, Lit, Op, Opaque, Var
from protypon.core.languages.values import (
    ABSENT,
    ELLIPSIS,
    FOLDER,
    NOT_IMPLEMENTED,
    Alias,
    Box,
    Failure,
    Unknown,
    foreign,
    in_theme,
    within_bounds,
)

INSIDE = "inside"
"""Under this, whether a variable has an item of a list as another name."""
ANY_NAME = "\0any"
"""In the variables of a scope: why any name may have any value there."""


class Slot(Protocol):
    """What can be read and written."""

    def get(self) -> object:
        """What is there; ABSENT where nothing is."""

    def set(self, value: object) -> None:
        """Put a value there."""


@dataclass(frozen=True, slots=True)
class NameSlot:
    """A variable, as something that can be read and set."""

    m: Machine
    name: str
    frame: Frame

    def get(self) -> object:
        """What the variable holds."""
        return read_name(self.m, self.name, self.frame)

    def set(self, value: object) -> None:
        """Have the variable hold a value."""
        bind_name(self.m, self.name, value, self.frame)


@dataclass(frozen=True, slots=True)
class ItemSlot:
    """An item of a list or table that stands in another slot."""

    m: Machine
    base: Slot
    key: object
    frame: Frame
    quietly: bool = False
    """It is only looked whether it is there."""

    def get(self) -> object:
        """The item."""
        return objects.item(self.m, self.base.get(), self.key, self.frame, self.quietly)

    def set(self, value: object) -> None:
        """Set the item: lists that are copied are written back into their own slot."""
        m, holder, semantics = self.m, self.base.get(), self.frame.file.semantics
        if isinstance(holder, Box):
            made = m.value_or_raise(semantics.with_item(holder.value, self.key, value))
            if isinstance(made, Unknown):
                m.control.may_raise("an item that is set")
            m.write(holder.slots, "value", within_bounds(made) if isinstance(value, Box | tuple) else made)
        elif isinstance(holder, Thing) and isinstance(held_items(holder), Box) and self._own(holder) is None:
            ItemSlot(m, Temporary(held_items(holder)), self.key, self.frame).set(value)
        elif isinstance(holder, Thing) and isinstance(held_items(holder), list | dict):
            m.write(holder.values, HELD, semantics.with_item(held_items(holder), self.key, value))
        elif isinstance(holder, Thing):
            objects.call_method(m, holder, "offsetSet" if semantics.COPIES else "__setitem__", [self.key, value])
        elif isinstance(holder, Unknown):
            changed_inside(m, holder, f"{m.place} changes an item of what can't be known", semantics.COPIES)
            if semantics.COPIES:
                self.base.set(Unknown(holder.why, (), holder.foreign))
        elif semantics.COPIES:
            if isinstance(holder, list | dict) and self.key is not ABSENT:
                held = semantics.item(holder, self.key)
                if isinstance(held, Alias):
                    write_through(m, held, value)
                    return
            made = m.value_or_raise(semantics.with_item(None if holder is ABSENT else holder, self.key, value))
            if isinstance(made, Unknown):
                m.control.may_raise("an item of what has none")
            self.base.set(within_bounds(made) if isinstance(value, list | dict) else made)
        else:
            m.control.may_raise("an item of what has none")

    def _own(self, holder: Thing) -> object | None:
        """A method of an object's own that sets its items."""
        found = classes.method(self.m, holder.cls, "__setitem__")
        return found if isinstance(found, Closure) else None


@dataclass(frozen=True, slots=True)
class AttributeSlot:
    """An attribute of an object."""

    m: Machine
    on: object
    key: object
    frame: Frame

    def get(self) -> object:
        """The attribute."""
        return objects.attribute(self.m, self.on, self.key, self.frame)

    def set(self, value: object) -> None:
        """Set the attribute."""
        objects.set_attribute(self.m, self.on, self.key, value, self.frame)


@dataclass(frozen=True, slots=True)
class StaticSlot:
    """An attribute of a class."""

    m: Machine
    owner: object
    key: object
    frame: Frame

    def get(self) -> object:
        """The attribute."""
        return objects.static(self.m, self.owner, self.key, self.frame)

    def set(self, value: object) -> None:
        """Set the attribute."""
        objects.set_static(self.m, self.owner, self.key, value, self.frame)


@dataclass(frozen=True, slots=True)
class GlobalSlot:
    """A global variable by its name: ``$GLOBALS['x']``."""

    m: Machine
    name: object

    def get(self) -> object:
        """What the global variable holds; of one that a guard asks for, it is noted that it was read."""
        held = self.m.globals.get(self.name, ABSENT) if isinstance(self.name, str) else ABSENT
        found = held.value if isinstance(held, Alias) else held
        if found is ABSENT and self.name in self.m.guarded and not self.m.state.blind_about("points"):
            return None  # set only if nobody has set it, and nobody has
        return Unknown(f"the global variable {self.name}") if found is ABSENT else found

    def set(self, value: object) -> None:
        """Have the global variable hold a value; with a name made at run time, any of them may."""
        if not isinstance(self.name, str):
            for name in list(self.m.globals):
                GlobalSlot(self.m, name).set(
                    Unknown(f"{self.m.place} sets a global variable whose name is made at run time")
                )
            return
        held = self.m.globals.get(self.name)
        if isinstance(held, Alias):
            write_through(self.m, held, value)
        else:
            self.m.write(self.m.globals, self.name, value)


@dataclass(slots=True)
class Temporary:
    """A value that is kept nowhere."""

    value: object

    def get(self) -> object:
        """The value."""
        return self.value

    def set(self, value: object) -> None:
        """Hold another value, which nobody else sees."""
        self.value = value


def place_of(m: Machine, node: Expression, frame: Frame, quietly: bool = False) -> Slot:
    """Where an expression is kept; what stands inside it is worked out here, once."""
    if isinstance(node, Var):
        return NameSlot(m, node.name, frame)
    if isinstance(node, Op) and node.op == "[]":
        if _is_globals(node.parts[0]) and len(node.parts) > 1:
            return _module_name(m, m.value(node.parts[1], frame), frame)
        if is_table_of(node.parts[0]) and len(node.parts) > 1:
            on = m.value(node.parts[0].parts[0], frame)  # type: ignore[union-attr]
            return AttributeSlot(m, on, m.value(node.parts[1], frame), frame)
        if node.parts[0] == Var("$GLOBALS") and len(node.parts) > 1:
            key = m.value(node.parts[1], frame)
            return GlobalSlot(m, f"${key}" if isinstance(key, str) else key)
        base = place_of(m, node.parts[0], frame, quietly)
        key = m.value(node.parts[1], frame) if len(node.parts) > 1 else ABSENT
        return ItemSlot(m, base, key, frame, quietly)
    if isinstance(node, Op) and node.op in ("attr", "?attr"):
        return AttributeSlot(m, m.value(node.parts[0], frame), m.value(node.parts[1], frame), frame)
    if isinstance(node, Op) and node.op == "named":
        return _variable_by_name(m, m.value(node.parts[0], frame), frame)
    if isinstance(node, Op) and node.op == "static":
        return StaticSlot(m, classes.class_value(m, node.parts[0], frame), m.value(node.parts[1], frame), frame)
    return Temporary(m.value(node, frame))


def is_table_of(node: Expression) -> bool:
    """``x.__dict__``"""
    return isinstance(node, Op) and node.op == "attr" and node.parts[1] == Lit("__dict__")


def _is_globals(node: Expression) -> bool:
    """``globals()``"""
    return (
        isinstance(node, Invoke)
        and node.name == "globals"
        and node.on is None
        and not node.arguments
        and not node.named
    )


def _module_name(m: Machine, name: object, frame: Frame) -> Slot:
    """``globals()['x']``: a name of the module (https://docs.python.org/3/library/functions.html#globals)."""
    if not isinstance(name, str):
        return AnyNameSlot(m, frame)
    env = frame.env
    while env.outer is not None:
        env = env.outer
    return NameSlot(m, name, Frame(frame.file, env, None, None, frame.line))


@dataclass(frozen=True, slots=True)
class AnyNameSlot:
    """Some variable, nobody knows which."""

    m: Machine
    frame: Frame

    def get(self) -> object:
        """Unknown: it may be any variable."""
        return Unknown("a variable whose name is made at run time")

    def set(self, value: object) -> None:
        """Nothing is known of any variable afterwards."""
        outside.lose_names(self.m, "a variable whose name is made at run time is set", self.frame)


def _variable_by_name(m: Machine, name: object, frame: Frame) -> Slot:
    """``$$x``: a variable by its name."""
    if isinstance(name, str) and name and name != "this" and not name.startswith(("_", "GLOBALS")) and "\0" not in name:
        return NameSlot(m, f"${name}", frame)
    return AnyNameSlot(m, frame)


def is_there(m: Machine, place: Slot) -> object:
    """What stands somewhere, or true; nothing (or ABSENT) where that is not so. Objects are asked in their own way."""
    asked = _ask_presence(m, place)
    if asked is None:
        return place.get()
    return asked if isinstance(asked, Unknown) else (True if asked else None)


def if_there(m: Machine, place: Slot) -> object:
    """What stands somewhere, looked at only if it is there."""
    asked = _ask_presence(m, place)
    if asked is False:
        return ABSENT
    found = place.get()
    return Unknown(asked.why) if isinstance(asked, Unknown) else found


def _ask_presence(m: Machine, place: Slot) -> bool | Unknown | None:
    """Whether an object says that it has an item or attribute; None where it is not the object that is asked."""
    if isinstance(place, ItemSlot):
        holder = place.base.get()
        if isinstance(holder, Thing) and held_items(holder) is None:
            return m.truth(objects.call_method(m, holder, "offsetExists", [place.key]), place.frame)
    if not isinstance(place, AttributeSlot) or not isinstance(place.on, Thing) or not isinstance(place.key, str):
        return None
    cls, on = classes.find(m, place.on.cls), place.on
    hidden = cls is not None and cls.file.folds and visibility.is_hidden(m, cls, place.key, place.frame)
    if not hidden and visibility.kept_as(m, on, place.key, place.frame) in on.values:
        return None
    if "" not in on.lost and isinstance(classes.method(m, on.cls, "__isset"), Closure):
        return m.truth(objects.call_method(m, on, "__isset", [place.key]), place.frame)
    return False if hidden and "" not in on.lost else None


# Names


def home_of(m: Machine, name: str, frame: Frame) -> dict[object, object]:
    """Where a name is kept that is assigned here."""
    return frame.elsewhere.get(name, frame.env.values)


def bind_name(m: Machine, name: str, value: object, frame: Frame) -> None:
    """Give a variable a value; or a constant, where names of variables begin with a sign."""
    if not name.startswith(frame.file.semantics.SIGN):
        if name not in m.state.constants:
            m.write(m.state.constants, name, value)
        return
    home = home_of(m, name, frame)
    held = home.get(name)
    if isinstance(held, Alias):
        write_through(m, held, value)
    else:
        m.write(home, name, value)


def write_through(m: Machine, held: Alias, value: object) -> None:
    """Give a variable with several names a value; what is put where nobody sees it, may be changed there."""
    if not held.lost:
        m.write(held.slots, "value", value)
        return
    for item in value if isinstance(value, list) else value.values() if isinstance(value, dict) else ():
        if isinstance(item, Alias):
            m.write(item.slots, "value", Unknown("a variable that is changed where nobody sees it"))
            m.write(item.slots, "lost", True)


def read_name(m: Machine, name: str, frame: Frame) -> object:
    """What a name stands for; ABSENT where it stands for nothing."""
    home: dict[object, object] | None = frame.elsewhere.get(name)
    if home is None:
        unset = frame.function is not None and name in frame.function.own and name not in frame.env.values
        if unset and not frame.file.semantics.COPIES and ANY_NAME not in frame.env.values:
            return ABSENT
        home = None if unset else frame.env.holder(name)
    if home is not None and name in home:
        held = home[name]
        return held.value if isinstance(held, Alias) else held
    if not name.startswith(frame.file.semantics.SIGN):
        return _constant(m, name, frame)
    if ANY_NAME in frame.env.values:
        return Unknown(str(frame.env.values[ANY_NAME]))
    if _to_be_set(name, frame):
        return ABSENT
    if frame.file.semantics.COPIES:
        inside = frame.function is not None and not name.startswith("$_") and name != "$GLOBALS"
        return ABSENT if inside else foreign(f"{name} is not known")
    return _by_another_name(m, name, frame)


def _to_be_set(name: str, frame: Frame) -> bool:
    """Whether a name is one of a function around this one, that has not set it yet (Python: Naming and binding)."""
    env = frame.env.outer if not frame.file.semantics.COPIES else None
    while env is not None:
        if name in env.own:
            return name not in env.values
        env = env.outer
    return False


def _by_another_name(m: Machine, name: str, frame: Frame) -> object:
    if name in m.state.classes:
        return m.state.classes[name]
    if name in m.rules.calls:
        return PlatformCall(name)
    held = frame.file.semantics.constant(name) if "." in name else ABSENT
    if held is not ABSENT:
        return held
    single = next((each for each in (NOT_IMPLEMENTED, ELLIPSIS) if each.name == name), None)
    if single is not None:
        return single
    return own_class(name) if m.frames[-1].file.semantics.bases(name) is not None else foreign(f"{name} is not known")


def _constant(m: Machine, name: str, frame: Frame) -> object:
    if name == "__DIR__":
        return frame.file.folder
    if name == "__FILE__":
        return in_theme(FOLDER, frame.file.theme, frame.file.path)
    for each in (name, name.rpartition("\\")[2]):
        if each in m.state.constants:
            return m.state.constants[each]
    if frame.file.semantics.SIGN:
        own = frame.file.semantics.constant(name.rpartition("\\")[2])
        if own is not ABSENT:
            return own
        m.note_unsupplied("constant", name)
    return foreign(f"{name.rpartition(chr(92))[2]} is not known")


def referring(m: Machine, name: str, frame: Frame) -> Alias:
    """The variable of a name, as one that can have other names too."""
    home = home_of(m, name, frame)
    held = home.get(name, ABSENT)
    if not isinstance(held, Alias):
        value = read_name(m, name, frame) if held is ABSENT else held
        held = m.reference(None if value is ABSENT else value)
        m.write(home, name, held)
    else:
        m.write(held.slots, "shared", True)
    return held


# Assignments


def assign(m: Machine, target: Expression, value: object, frame: Frame) -> None:
    """Put a value where a target says."""
    if isinstance(target, Items):
        _take_apart(m, target, value, frame)
    elif isinstance(target, Op) and target.op in ("&", "*"):
        lose(m, target.parts[0], f"{m.place} gives a variable another name", frame)
    elif isinstance(target, Opaque):
        m.value(target, frame)
    else:
        place_of(m, target, frame).set(value)


def _take_apart(m: Machine, target: Items, value: object, frame: Frame) -> None:
    """Several targets get the items of a list or table."""
    if target.kind == "table":
        for key, part in target.pairs:
            wanted = m.value(key, frame) if key is not None else ABSENT
            found = objects.item(m, value, wanted, frame)
            assign(m, part, None if found is ABSENT else found, frame)
        return
    parts = [part for _, part in target.pairs]
    entries = m.follow.every(m, value, frame)
    stars = [n for n, part in enumerate(parts) if isinstance(part, Op) and part.op == "*"]
    items = None if isinstance(entries, Unknown) else [item for _, item in entries]
    if items is not None and (len(items) != len(parts) if not stars else len(items) < len(parts) - 1):
        m.value_or_raise(Failure("ValueError"))
    if items is None:
        m.control.may_raise("a list that is taken apart")
        for part in parts:
            inner = part.parts[0] if isinstance(part, Op) and part.op == "*" else part
            assign(m, inner, Unknown("a part of what can't be known"), frame)
        return
    if stars:
        first, behind = stars[0], len(parts) - stars[0] - 1
        rest = items[first : len(items) - behind]
        items = [*items[:first], rest, *items[len(items) - behind :]]
    for number, (part, item) in enumerate(zip(parts, items, strict=True)):
        if stars and number == stars[0]:
            assert isinstance(part, Op) and isinstance(item, list)
            assign(
                m, part.parts[0], frame.file.semantics.literal_value([(ABSENT, each) for each in item], "list"), frame
            )
        else:
            assign(m, part, item, frame)


def alias(m: Machine, target: Expression, source: Expression, frame: Frame) -> object:
    """Make a target another name of a source."""
    if isinstance(target, Var) and isinstance(source, Var) and target.name.startswith(frame.file.semantics.SIGN):
        held = referring(m, source.name, frame)
        m.write(home_of(m, target.name, frame), target.name, held)
        return held.value
    why = f"{m.place} gives something another name"
    if not isinstance(source, Var) and not (isinstance(source, Op) and source.op in ("[]", "attr", "static")):
        value = m.value(source, frame)
        assign(m, target, value, frame)
        return value
    lose(m, source, why, frame)
    lose(m, target, why, frame)
    return Unknown(why)


def lose(m: Machine, node: Expression, why: str, frame: Frame) -> None:
    """From here on, what is kept somewhere may be changed from where nobody sees it."""
    if isinstance(node, Var):
        held = referring(m, node.name, frame)
        m.write(held.slots, "value", Unknown(why))
        m.write(held.slots, "lost", True)
    elif isinstance(node, Items):
        for _, part in node.pairs:
            lose(m, part, why, frame)
    elif isinstance(node, Op) and node.op in ("[]", "&", "*"):
        lose(m, node.parts[0], why, frame)
    elif isinstance(node, Op) and node.op in ("attr", "?attr"):
        on = m.value(node.parts[0], frame)
        if isinstance(on, Thing):
            m.write(on.lost, "", why)
        else:
            objects.set_attribute(m, on, Unknown(why), Unknown(why), frame)
    elif isinstance(node, Op) and node.op == "named":
        outside.lose_names(m, why, frame)
    elif isinstance(node, Op) and node.op == "static":
        owner = classes.class_value(m, node.parts[0], frame)
        if isinstance(owner, ClassValue):
            m.write(owner.statics, "", why)
    else:
        m.value(node, frame)


def unset(m: Machine, target: Expression, frame: Frame) -> None:
    """Take away what is kept somewhere."""
    if isinstance(target, Var):
        if not frame.file.semantics.COPIES:
            _must_be_there(m, target.name, frame)
        m.write(home_of(m, target.name, frame), target.name, ABSENT)
        return
    place = place_of(m, target, frame)
    if isinstance(place, ItemSlot):
        _unset_item(m, place, frame)
    elif isinstance(place, NameSlot):
        m.write(home_of(m, place.name, frame), place.name, ABSENT)
    elif isinstance(place, AttributeSlot):
        objects.unset_attribute(m, place.on, place.key, frame)
    else:
        place.set(Unknown(f"{m.place} takes something away"))


def _must_be_there(m: Machine, name: str, frame: Frame) -> None:
    """Raise the error of Python for a name that is taken away and is not there."""
    found = home_of(m, name, frame).get(name, ABSENT)
    own = frame.function is not None and name in frame.function.own
    if found is ABSENT and own and ANY_NAME not in frame.env.values:
        m.value_or_raise(Failure("UnboundLocalError"))
    if found is ABSENT or (isinstance(found, Unknown) and found.absent):
        m.control.may_raise(f"{name} may not be there")


def _unset_item(m: Machine, place: ItemSlot, frame: Frame) -> None:
    holder, semantics = place.base.get(), frame.file.semantics
    if isinstance(holder, Box):
        made = m.value_or_raise(semantics.without_item(holder.value, place.key))
        if isinstance(made, Unknown):
            m.control.may_raise("an item that is taken out")
        m.write(holder.slots, "value", made)
    elif isinstance(holder, Thing) and isinstance(held_items(holder), list | dict):
        m.write(holder.values, HELD, semantics.without_item(held_items(holder), place.key))
    elif isinstance(holder, Thing):
        objects.call_method(m, holder, "offsetUnset" if semantics.COPIES else "__delitem__", [place.key])
    elif isinstance(holder, Unknown):
        changed_inside(m, holder, f"{m.place} takes an item out of what can't be known", semantics.COPIES)
    elif semantics.COPIES and holder is not ABSENT:
        if not isinstance(holder, list | dict | None):
            m.control.may_raise("an item of what has none")
        place.base.set(semantics.without_item(holder, place.key))


def changed_inside(m: Machine, holder: Unknown, why: str, copies: bool) -> None:
    """Something that can't be known is changed inside: it may be any list or object that is shared."""
    m.control.may_raise(why)
    if holder.foreign:
        return
    for each in list(m.boxes):
        m.write(each.slots, "value", Unknown(why))
    if copies:
        m.follow.may_be_called(m, ("offsetSet", "offsetUnset"))
        for held in list(m.references):
            if INSIDE in held.slots:
                m.write(held.slots, "value", Unknown(why))
