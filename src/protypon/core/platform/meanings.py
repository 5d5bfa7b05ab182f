"""What a platform file says of code: how files load, what calls and marks mean, the platform's own points, and page kinds."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from typing import Any, NamedTuple

from protypon.core.languages.code import Assignment, Code, Expression, Invoke, Items, Lit, Op, Var, bodies, walk
from protypon.core.languages.source import Reference
from protypon.core.languages.values import Unknown, join_texts
from protypon.core.platform.arguments import Argument, literal_text, said_of, text_of
from protypon.core.platform.expand import WHERE

DOES: dict[str, tuple[str, ...]] = {
    "attach": ("point", "callback", "order", "takes"),
    "detach": ("point", "callback", "order"),
    "clear": ("point",),
    "fire": ("point", "value"),
    "attached": ("point", "callback"),
    "declare": ("name",),
    "exists": ("name",),
    "summon": ("name",),
    "register": ("kind", "name", "value"),
    "unregister": ("kind", "name"),
    "default": ("name", "value"),
    "value": ("name", "fallback"),
    "region": ("name",),
    "print-region": ("name",),
    "provide": ("name", "value"),
    "pull": ("file", "shade"),
    "part": ("file", "shade", "variables"),
    "find": ("file", "shade"),
    "sheet": ("file", "handle", "needs", "place", "surface"),
    "script": ("file", "handle", "needs", "place", "surface"),
    "drop-sheet": ("handle",),
    "drop-script": ("handle",),
    "translate": ("words", "domain"),
    "page": ("kind",),
    "folder": ("file",),
    "address": ("file",),
}
"""What a call can do, and the roles that its arguments can have."""
NAMED_BY = {
    "attach": "point",
    "detach": "point",
    "clear": "point",
    "fire": "point",
    "attached": "point",
    "register": "name",
    "unregister": "name",
    "drop-sheet": "handle",
    "drop-script": "handle",
    "translate": "words",
}
"""The role that says what a call is about, where it is neither ``name`` nor ``file``."""


@dataclass(frozen=True, slots=True)
class Meaning:
    """What calls or marks of some names do."""

    does: str
    name: tuple[str, ...]
    arguments: tuple[Argument, ...] = ()
    form: tuple[str, ...] = ("call",)
    """``call``, ``mark`` (a decorator or attribute, whose function is the callback), or both."""
    passes: bool = False
    """For ``fire``: the point passes a value on and gives it back; else it prints."""
    of: str = "child"
    """For ``folder`` and ``address``: whose, the ``child``'s, its ``parent``'s, or that of the theme that is ``asking``."""
    tries: tuple[str, ...] = ("{file}",)
    """For ``pull``, ``part`` and ``find``: the paths that are tried, with roles in braces; the first that a theme has counts."""
    nearest: str = "template"
    """Which goes first: the first path that any theme has (``template``), or the nearest ``theme`` that has one of them."""
    gives: str = "path"
    """For ``find``: what it gives back, a ``path`` or an ``address``."""
    loads: bool = True
    """For ``sheet`` and ``script``: what is registered loads; else only where it is asked for by its handle, or another one needs it."""
    again: str = "replaces"
    """What a second file of the same handle does: it ``replaces`` the first, or is ``ignored``."""
    surface: str = "site"
    """Where it counts: on the ``site``, in the ``editor``, in ``print``."""
    place: str = "head"
    once: bool = False
    replaceable: bool = False
    """For ``declare``: a later declaration of the same name takes its place."""

    @property
    def patterns(self) -> tuple[tuple[str, ...], ...]:
        """Each path that is tried, divided into texts and roles in braces."""
        return tuple(tuple(p for p in re.split(r"(\{\w+\})", path) if p) for path in self.tries)

    @property
    def about(self) -> str:
        """The role that says what a call is about."""
        return NAMED_BY.get(self.does, "file" if "file" in DOES[self.does] else "name")

    def default(self, role: str) -> str | int | None:
        """What a role is where a call leaves it out; None where nothing says."""
        return next((a.default for a in self.roles if a.role == role), None)

    @property
    def roles(self) -> Iterator[Argument]:
        """Every argument that has a role, also inside arrays."""
        for argument in self.arguments:
            yield from argument.roles()

    def takes(self, role: str) -> bool:
        """Whether its calls have an argument of some role."""
        return any(argument.role == role for argument in self.roles)


@dataclass(frozen=True, slots=True)
class Point:
    """A point of the platform's own, known without any theme."""

    name: str
    about: str = ""
    arguments: int = 0
    passes: bool = False


@dataclass(frozen=True, slots=True)
class PagePattern:
    """A kind of page, and the templates that it can have, the most special first."""

    kind: str
    templates: tuple[str, ...]
    """Paths, which may have names in braces, as ``kind`` may."""
    names: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    """For a name in braces all that it can be, where the platform knows."""


@dataclass(frozen=True, slots=True)
class Bounded:
    """Something that another release of the platform supplies, and this one does not."""

    name: str
    kind: str = "function"
    since: str = ""
    """The release from which it is there."""
    until: str = ""
    """The release with which it is gone."""
    instead: str = ""
    """What does it now."""


@dataclass(frozen=True, slots=True)
class CodeRules:
    """All that a platform file says of code."""

    order: str = "parent-first"
    moments: tuple[str, ...] = ()
    """Points that the platform fires once all code has loaded, in this order."""
    numbers: str = "ascending"
    pattern: str = "{name}"
    """The name under which a summoned function is looked for; ``{prefix}`` is the slug with ``_`` for ``-``."""
    scope: str = "own"
    """What variables at the top of a code file are: its ``own``, or ``shared`` by all of them."""
    declares: str = "all"
    """``all``: every function is known to the whole site; ``marked``: those that a mark or call declares."""
    marks: str = "at-once"
    """When marks count: ``at-once``, or ``after-file``, when the file has run."""
    output: str = "print"
    """How a callback gives its markup: it prints, or it returns it."""
    nearest: str = "template"
    """Of a page's templates: the most special ``template`` that any theme has, or the nearest ``theme`` that has one."""
    meanings: tuple[Meaning, ...] = ()
    points: tuple[Point, ...] = ()
    pages: tuple[PagePattern, ...] = ()
    functions: tuple[str, ...] = ()
    classes: tuple[str, ...] = ()
    constants: tuple[str, ...] = ()
    elsewhen: Mapping[tuple[str, str], Bounded] = field(default_factory=dict)
    """By kind, and name in small letters, what only other releases of the platform supply."""
    variables: tuple[str, ...] = ()
    values: Mapping[str, Any] = field(default_factory=dict)
    items: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    calls: Mapping[str, tuple[Meaning, ...]] = field(default_factory=dict)
    marked: Mapping[str, tuple[Meaning, ...]] = field(default_factory=dict)

    def meaning(self, does: str) -> Meaning | None:
        """The first call or mark that does something, or None."""
        return next((m for m in self.meanings if m.does == does), None)

    def meanings_of(self, name: str) -> tuple[Meaning, ...]:
        """What a call of a name does; of a name in a namespace, what its last part does if the whole has no meaning."""
        return self.calls.get(name) or self.calls.get(name.rpartition("\\")[2], ())

    def point(self, name: str) -> Point | None:
        """A point that the platform has by itself, or None."""
        return next((p for p in self.points if p.name == name), None)

    def function_name(self, name: str, slug: str) -> str:
        """The name of the function that is summoned as ``name``, in the theme of a slug."""
        return self.pattern.replace("{prefix}", slug.replace("-", "_")).replace("{slug}", slug).replace("{name}", name)


def code_rules(data: Mapping[str, Any], release: str | None) -> CodeRules:
    """Read the tables about code; what holds only from or up to a release of the platform counts for a fitting ``release``."""
    table: dict[str, Any] = {k: tuple(v) if isinstance(v, list) else v for k, v in data.get("code", {}).items()}
    own = data.get("own", {})
    meanings = tuple(_meaning(row) for row in holding(data.get("means", ()), release))
    return CodeRules(
        **table,
        meanings=meanings,
        points=tuple(Point(**_bare(row)) for row in holding(data.get("point", ()), release)),
        pages=tuple(_page_kind(row) for row in holding(data.get("page", ()), release)),
        functions=(*own.get("functions", ()), *_supplied_names(data, release, "function")),
        classes=(*own.get("classes", ()), *_supplied_names(data, release, "class")),
        constants=_supplied_names(data, release, "constant"),
        elsewhen=_elsewhen(data, release),
        variables=tuple(own.get("variables", ())),
        values=own.get("values", {}),
        items={kind: tuple(names) for kind, names in own.get("items", {}).items()},
        calls=_by_name(meanings, "call"),
        marked=_by_name(meanings, "mark"),
    )


def _supplied_names(data: Mapping[str, Any], release: str | None, kind: str) -> tuple[str, ...]:
    rows = holding(data.get("supplies", ()), release)
    return tuple(name for row in rows if row.get("kind", "function") == kind for name in row["name"])


def _elsewhen(data: Mapping[str, Any], release: str | None) -> dict[tuple[str, str], Bounded]:
    """What the rows that don't hold would supply, but for what another row supplies."""
    rows = [*data.get("supplies", ()), *(row for row in data.get("means", ()) if "call" in row.get("form", ("call",)))]
    here = {(row.get("kind", "function"), name.lower()) for row in holding(rows, release) for name in row["name"]}
    found = {}
    for row in rows:
        for name in row["name"]:
            made = Bounded(
                name, row.get("kind", "function"), *(row.get(key, "") for key in ("since", "until", "instead"))
            )
            found[made.kind, name.lower()] = made
    return {key: made for key, made in found.items() if key not in here}


def _page_kind(row: Mapping[str, Any]) -> PagePattern:
    names = {name: tuple(words) for name, words in row.get("names", {}).items()}
    return PagePattern(row["kind"], tuple(row["templates"]), names)


def _by_name(meanings: Iterable[Meaning], form: str) -> dict[str, tuple[Meaning, ...]]:
    found: dict[str, tuple[Meaning, ...]] = {}
    for meaning in meanings:
        for name in meaning.name if form in meaning.form else ():
            found[name] = (*found.get(name, ()), meaning)
    return found


def _meaning(row: Mapping[str, Any]) -> Meaning:
    """A meaning of a row; lists become tuples, and the bounds of releases are left out."""
    arguments = tuple(Argument.read(text) for text in row.get("arguments", DOES[row["does"]]))
    rest = {key: value for key, value in _bare(row).items() if key not in ("does", "name", "arguments")}
    plain: dict[str, Any] = {key: tuple(value) if isinstance(value, list) else value for key, value in rest.items()}
    return Meaning(row["does"], tuple(row["name"]), arguments, **plain)


def _bare(row: Mapping[str, Any]) -> dict[str, Any]:
    return {key: value for key, value in row.items() if key not in ("since", "until", WHERE)}


def holding(rows: Iterable[Mapping[str, Any]], release: str | None) -> list[Mapping[str, Any]]:
    """The rows that hold for a release of the platform; no release stands for the newest."""
    return [row for row in rows if _holds(row, release)]


def _holds(row: Mapping[str, Any], release: str | None) -> bool:
    if release is None:
        return "until" not in row
    number = numbers(release)
    return numbers(row.get("since", "0")) <= number and ("until" not in row or number < numbers(row["until"]))


def numbers(release: str) -> tuple[int, ...]:
    """A release number for comparing: ``2.10`` comes after ``2.9``."""
    found = [int(n) for n in re.findall(r"\d{1,18}", release)]
    while found and not found[-1]:
        found.pop()
    return tuple(found)


class MeantCall(NamedTuple):
    """One call that means something."""

    meaning: Meaning
    call: Invoke
    roles: Mapping[str, Expression | None]
    """What stands there for each role; None where that is made at run time."""

    @property
    def name(self) -> str | None:
        """What the call is about; None where that is made at run time."""
        return literal_text(self.roles, self.meaning.about)

    @property
    def tried(self) -> tuple[str | Unknown, ...]:
        """The paths that it tries, in order, as far as they are written out."""
        given = self.roles.get("file")
        files = [item for _, item in given.pairs] if isinstance(given, Items) else [given]
        found: list[str | Unknown] = []
        for file in files:
            roles = {**self.roles, "file": file}
            for pattern in self.meaning.patterns:
                asked = [piece[1:-1] if piece[:1] == "{" else "" for piece in pattern]
                if all(not role or role in roles for role in asked):
                    pairs = zip(pattern, asked, strict=True)
                    made = join_texts([text_of(roles[role]) if role else piece for piece, role in pairs])
                    found.append(made if isinstance(made, str | Unknown) else Unknown())
        return tuple(found)

    @property
    def paths(self) -> tuple[str, ...]:
        """The paths that it tries; none where a part of one is made at run time."""
        known = tuple(path for path in self.tried if isinstance(path, str))
        return known if len(known) == len(self.tried) else ()

    def may_mean(self, path: str) -> bool:
        """Whether it may ask for a file of a theme, also by an address or a longer path."""
        return any(
            name == path or (isinstance(name, Unknown) and (name.may_be(path) or name.may_be(f"/{path}")))
            for name in self.tried
        )


def meant_calls(code: Code, rules: CodeRules) -> Iterator[MeantCall]:
    """Every call in a file that means something, once for each of its meanings."""
    for statement in bodies(code):
        for node in walk(statement):
            if isinstance(node, Invoke) and node.on is None:
                yield from said_by(node, rules)
            elif isinstance(node, Assignment):
                yield from said_by_assignment(node, getattr(statement, "line", 0))


def said_by_assignment(node: Assignment, line: int) -> Iterator[MeantCall]:
    """``$GLOBALS['x'] ??= 1``: a value that is set only if it is not set yet."""
    target = node.target
    name = target.parts[1] if isinstance(target, Op) and target.op == "[]" and len(target.parts) == 2 else None
    if node.op == "??" and isinstance(name, Lit) and isinstance(target, Op) and target.parts[0] == Var("$GLOBALS"):
        call = Invoke("??=", None, (), (), line, 1)
        yield MeantCall(_DEFINE, call, {"name": Lit(f"${name.value}"), "value": node.value})


_DEFINE = Meaning("default", ("define",), (Argument("name", "name"), Argument("value", "value")))
"""Constants are values too, which code of PHP sets by a function of the language."""


def said_by(node: Invoke, rules: CodeRules) -> Iterator[MeantCall]:
    """What one call means."""
    if node.name == "define" and not rules.meanings_of(node.name):
        yield from (MeantCall(_DEFINE, node, roles) for roles in said_of(node, _DEFINE.arguments))
    for meaning in rules.meanings_of(node.name):
        for roles in said_of(node, meaning.arguments):
            yield MeantCall(meaning, node, roles)


def meaning_of_mark(node: Invoke, rules: CodeRules) -> Iterator[MeantCall]:
    """What a mark on a function means."""
    for meaning in rules.marked.get(node.name, ()):
        for roles in said_of(node, tuple(a for a in meaning.arguments if a.role != "callback")):
            yield MeantCall(meaning, node, roles)


def part_references(code: Code, rules: CodeRules) -> tuple[Reference, ...]:
    """The templates that a template asks for by calls."""
    return tuple(
        Reference("include", each.paths, each.call.line, each.call.column, True)
        for each in meant_calls(code, rules)
        if each.meaning.does == "part"
    )
