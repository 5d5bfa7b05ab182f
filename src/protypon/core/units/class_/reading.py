"""The classes of a lineage as its code declares them, and which method of an ancestor one of the child's takes the place of."""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

from protypon.core.analysis.behaviour import Behaviour
from protypon.core.languages.code import Class, Code, Function
from protypon.core.model.nouns import Theme, Unit
from protypon.core.themes.reach import Location
from protypon.core.units.parent_functions import same_name
from protypon.core.units.world import World

MOST_ABOVE = 60


class ClassDeclaration(NamedTuple):
    """A class of a theme, or a method of one."""

    theme: Theme
    path: str
    node: Class | Function

    @property
    def name(self) -> str:
        """Its name, as it is declared."""
        return self.node.name

    @property
    def start(self) -> int:
        """Where it begins in its file, in bytes."""
        return self.node.start

    @property
    def end(self) -> int:
        """Where it ends in its file, in bytes."""
        return self.node.end

    @property
    def place(self) -> Location:
        """Where it stands."""
        return Location(self.theme.slug, self.path, self.node.line)

    @property
    def key(self) -> tuple[str, str, int]:
        """Theme, path and offset: which class it is."""
        return self.theme.slug, self.path, self.node.start


def classes_in(behaviour: Behaviour, themes: tuple[Theme, ...]) -> Iterator[ClassDeclaration]:
    """Every class with a name in the code files of some themes."""
    for theme in themes:
        for path, code in behaviour.code_files(theme):
            yield from (ClassDeclaration(theme, path, c) for c in code.classes if not c.name.startswith("class@"))


def code_of(behaviour: Behaviour, declared: ClassDeclaration) -> Code:
    """What the file of a class says."""
    found = behaviour.code_of(declared.theme, declared.path)
    assert found is not None
    return found[1]


def methods_of(behaviour: Behaviour, declared: ClassDeclaration) -> list[ClassDeclaration]:
    """The methods that stand in a class."""
    assert isinstance(declared.node, Class)
    functions = code_of(behaviour, declared).functions
    return [ClassDeclaration(declared.theme, declared.path, functions[number]) for number in declared.node.methods]


def in_force(behaviour: Behaviour, name: str) -> ClassDeclaration | None:
    """The class that a name stands for once all has loaded, or on a page."""
    for state in behaviour.states:
        found = state.classes.get(name.lower()) or state.classes.get(name)
        theme = behaviour.theme(found.file.theme) if found is not None else None
        if found is not None and theme is not None:
            return ClassDeclaration(theme, found.file.path, found.node)
    return None


def origin_of(world: World, name: str) -> ClassDeclaration | None:
    """The parents' class of a name: the one in force, else the nearest one of that name."""
    parents = world.behaviour.parents
    if parents is None:
        return None
    declared = in_force(parents, name)
    return declared or next((c for c in classes_in(parents, world.ancestors) if same_name(world, c.name, name)), None)


def own_class(world: World, name: str, file: str = "") -> ClassDeclaration | None:
    """The child's class of a name, in the file where it was written or in any other."""
    found = [c for c in classes_in(world.behaviour, (world.child,)) if same_name(world, c.name, name)]
    return next((c for c in found if c.path == file), found[0] if found else None)


def own_method(world: World, unit: Unit, file: str = "") -> ClassDeclaration | None:
    """The child's method that a unit ``class:OWN#METHOD`` names."""
    cls = own_class(world, unit.path, file)
    return method_in(world, cls, unit.name or "") if cls is not None else None


def method_in(world: World, cls: ClassDeclaration, name: str) -> ClassDeclaration | None:
    """A method that a class declares itself, or None."""
    found = methods_of(world.behaviour, cls)
    return next((m for m in found if same_name(world, bare(m), name)), None)


def bare(declared: ClassDeclaration) -> str:
    """A method's name without its class."""
    return declared.name.rpartition("::")[2]


def above(world: World, cls: ClassDeclaration) -> list[ClassDeclaration]:
    """The classes and traits that a class inherits from, as far as the lineage has them, the nearest first."""
    assert isinstance(cls.node, Class)
    waiting, found = [*cls.node.bases], list[ClassDeclaration]()
    while waiting and len(found) < MOST_ABOVE:
        name = waiting.pop(0)
        each = own_class(world, name) or origin_of(world, name)
        if each is None or each in found or each == cls:
            continue
        found.append(each)
        assert isinstance(each.node, Class)
        waiting = [*each.node.traits, *each.node.bases, *waiting]
    return found


def parents_method(world: World, cls: ClassDeclaration, method: str) -> ClassDeclaration | None:
    """The method of an ancestor theme that one of a name in a class of the child takes the place of."""
    for each in above(world, cls):
        found = method_in(world, each, method)
        if found is not None:
            return found if found.theme.slug != world.child.slug else None
    return None


def extends_parents(world: World, cls: ClassDeclaration) -> bool:
    """Whether a class of the child inherits from one of a parent."""
    return any(each.theme.slug != world.child.slug for each in above(world, cls))
