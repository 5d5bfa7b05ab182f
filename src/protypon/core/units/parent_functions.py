"""What the code of a child's parents supplies by itself: functions, where they are attached and who calls them."""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

from protypon.core.analysis.behaviour import Behaviour
from protypon.core.analysis.callbacks import closure_of
from protypon.core.analysis.state import Callback
from protypon.core.analysis.values import Closure
from protypon.core.languages.code import Function, Invoke, Node, walk
from protypon.core.languages.registry import LANGUAGES, coded_language, is_coded
from protypon.core.model.nouns import Theme
from protypon.core.themes.reach import Location
from protypon.core.units.world import World


class Origin(NamedTuple):
    """One function of a theme."""

    theme: Theme
    path: str
    function: Function

    @property
    def name(self) -> str:
        """The name of the function, as it is declared."""
        return self.function.name

    @property
    def key(self) -> tuple[str, str, int]:
        """Theme, path and offset: which function it is."""
        return self.theme.slug, self.path, self.function.start

    @property
    def start(self) -> int:
        """Where it begins in its file, in bytes."""
        return self.function.start

    @property
    def end(self) -> int:
        """Where it ends in its file, in bytes."""
        return self.function.end

    @property
    def place(self) -> Location:
        """Where it stands."""
        return Location(self.theme.slug, self.path, self.function.line)

    def is_it(self, closure: Closure | None) -> bool:
        """Whether a function that runs is this one."""
        return closure is not None and (closure.file.theme, closure.file.path, closure.function.start) == self.key


def folds(world: World) -> bool:
    """Whether letter case makes no difference in the names of functions."""
    return any(
        coded_language(r.language).SEMANTICS.FOLDS_CASE
        for r in world.platform.rules
        if r.kind == "code" and is_coded(r.language)
    )


def same_name(world: World, one: str, other: str) -> bool:
    """Whether two names are one in the language of the platform's code."""
    return one.lower() == other.lower() if folds(world) else one == other


def functions_in(behaviour: Behaviour, themes: tuple[Theme, ...]) -> Iterator[Origin]:
    """Every named function, no method, of some themes' code files; those of files that run first."""
    loaded = set(behaviour.state.loaded)
    waiting = []
    for theme in themes:
        for path in sorted(theme.files):
            rule = behaviour.platform.rule_of(path)
            if rule is not None and rule.kind == "code":
                if (theme.slug, path) in loaded:
                    yield from _functions(behaviour, theme, path)
                else:
                    waiting.append((theme, path))
    for theme, path in waiting:
        yield from _functions(behaviour, theme, path)


def _functions(behaviour: Behaviour, theme: Theme, path: str) -> Iterator[Origin]:
    found = behaviour.code_of(theme, path)
    for function in found[1].functions if found is not None else ():
        if function.name and "::" not in function.name:
            yield Origin(theme, path, function)


def origin_of(world: World, name: str) -> Origin | None:
    """The parents' function of a name: the one in force, else the nearest one of that name."""
    behaviour = world.behaviour.parents
    if behaviour is None:
        return None
    state = behaviour.state
    declared = state.functions.get(name.lower() if folds(world) else name)
    if declared is not None:
        theme = behaviour.theme(declared.site.theme)
        if theme is not None:
            return Origin(theme, declared.site.path, declared.closure.function)
    return next((o for o in functions_in(behaviour, world.ancestors) if same_name(world, o.name, name)), None)


def own_function(world: World, name: str, file: str = "") -> Origin | None:
    """The child's function of a name, in the file where it was written or in any other."""
    found = [o for o in functions_in(world.behaviour, (world.child,)) if same_name(world, o.name, name)]
    return next((o for o in found if o.path == file), found[0] if found else None)


def attachments(behaviour: Behaviour, origin: Origin) -> list[Callback]:
    """Where a function is attached, and not taken off again: each place once."""
    found: dict[tuple[str, Location], Callback] = {}
    for state in behaviour.states:
        for callback in state.callbacks:
            if callback.gone is None and origin.is_it(closure_of(state, callback)):
                found.setdefault((callback.point, callback.site), callback)
    return list(found.values())


class Call(NamedTuple):
    """One call of a function by its name, and the function that it stands in."""

    call: Invoke
    place: Location
    caller: Origin | None
    template: bool = False


def calls_of(world: World, behaviour: Behaviour, name: str) -> Iterator[Call]:
    """Every direct call of a function in code files and in templates in use."""
    for theme in behaviour.lineage.themes:
        for path in sorted(theme.files):
            rule = behaviour.platform.rule_of(path)
            if rule is None or rule.kind not in ("code", "template") or not is_coded(rule.language):
                continue
            if rule.kind == "template" and (LANGUAGES[rule.language].extends or not behaviour.resolver.templates.used):
                continue
            found = behaviour.code_of(theme, path)
            if found is None:
                continue
            bodies: list[tuple[Origin | None, tuple[Node, ...]]] = [(None, found[1].body)]
            bodies += [(Origin(theme, path, f), f.body) for f in found[1].functions]
            bodies += [(None, (*c.body, *c.members)) for c in found[1].classes]
            for caller, body in bodies:
                for node in (node for statement in body for node in walk(statement)):
                    if isinstance(node, Invoke) and node.on is None and same_name(world, node.name, name):
                        yield Call(node, Location(theme.slug, path, node.line), caller, rule.kind == "template")


def is_mark(callback: Callback, origin: Origin) -> bool:
    """Whether a mark on the function itself attaches it, so that a copy attaches itself too."""
    return callback.site.path == origin.path and any(m.line == callback.site.line for m in origin.function.marks)
