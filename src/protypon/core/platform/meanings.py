"""What a platform file says of code: how files load, what calls and marks mean, the platform's own points, and page kinds."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from typing import Any

from protypon.core.languages.code import Code, Invoke, Lit, bodies, walk
from protypon.core.languages.source import Reference

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
    "pull": ("file",),
    "part": ("file",),
    "sheet": ("file",),
    "page": (),
    "folder": (),
}
"""What a call can do, and the roles that its arguments can have."""


@dataclass(frozen=True, slots=True)
class Argument:
    """One place in the arguments of a call: its role, the name it can be given by, and what it is if left out."""

    role: str
    keyword: str
    default: str | int | None = None

    @classmethod
    def read(cls, text: str) -> Argument:
        """Read ``role``, ``role=default`` or ``role:keyword=default``.

        >>> Argument.read("order:at=10")
        Argument(role='order', keyword='at', default=10)
        """
        head, _, default = text.partition("=")
        role, _, keyword = head.partition(":")
        number = re.fullmatch(r"-?\d+", default)
        return cls(role, keyword or role, int(default) if number else default or None)


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
    look: str = "lineage"
    """For ``pull``: ``lineage`` (child first) or ``beside`` (a fixed path from the file that asks).
    For ``folder``: the folder of the child, or of the theme that asks."""
    once: bool = False
    replaceable: bool = False
    """For ``declare``: a later declaration of the same name takes its place."""

    def default(self, role: str) -> str | int | None:
        return next((a.default for a in self.arguments if a.role == role), None)


@dataclass(frozen=True, slots=True)
class Point:
    """A point of the platform's own, known without any theme."""

    name: str
    about: str = ""
    arguments: int = 0
    passes: bool = False


@dataclass(frozen=True, slots=True)
class PageKind:
    """A kind of page, and the templates that it can have, the most special first."""

    kind: str
    templates: tuple[str, ...]


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
    pages: tuple[PageKind, ...] = ()
    functions: tuple[str, ...] = ()
    classes: tuple[str, ...] = ()
    constants: tuple[str, ...] = ()
    elsewhen: Mapping[tuple[str, str], Bounded] = field(default_factory=dict)
    """By kind, and name in small letters, what only other releases of the platform supply."""
    variables: tuple[str, ...] = ()
    values: Mapping[str, Any] = field(default_factory=dict)
    items: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    calls: Mapping[str, Meaning] = field(default_factory=dict)
    marked: Mapping[str, Meaning] = field(default_factory=dict)

    def meaning(self, does: str) -> Meaning | None:
        return next((m for m in self.meanings if m.does == does), None)

    def called(self, name: str) -> Meaning | None:
        """What a call of a name does; of a name in a namespace, what its last part does if the whole has no meaning."""
        return self.calls.get(name) or self.calls.get(name.rpartition("\\")[2])

    def point(self, name: str) -> Point | None:
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
        pages=tuple(PageKind(row["kind"], tuple(row["templates"])) for row in holding(data.get("page", ()), release)),
        functions=(*own.get("functions", ()), *_supplied(data, release, "function")),
        classes=(*own.get("classes", ()), *_supplied(data, release, "class")),
        constants=_supplied(data, release, "constant"),
        elsewhen=_elsewhen(data, release),
        variables=tuple(own.get("variables", ())),
        values=own.get("values", {}),
        items={kind: tuple(names) for kind, names in own.get("items", {}).items()},
        calls={name: m for m in meanings if "call" in m.form for name in m.name},
        marked={name: m for m in meanings if "mark" in m.form for name in m.name},
    )


def _supplied(data: Mapping[str, Any], release: str | None, kind: str) -> tuple[str, ...]:
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


def _meaning(row: Mapping[str, Any]) -> Meaning:
    return Meaning(
        row["does"],
        tuple(row["name"]),
        tuple(Argument.read(text) for text in row.get("arguments", DOES[row["does"]])),
        tuple(row.get("form", ("call",))),
        row.get("passes", False),
        row.get("look", "lineage"),
        row.get("once", False),
        row.get("replaceable", False),
    )


def _bare(row: Mapping[str, Any]) -> dict[str, Any]:
    return {key: value for key, value in row.items() if key not in ("since", "until")}


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


def said(code: Code, rules: CodeRules) -> Iterator[tuple[Meaning, Invoke, str | None]]:
    """Every call in a file that means something, with the name it is about: None where that is made at run time."""
    for statement in bodies(code):
        for node in walk(statement):
            if isinstance(node, Invoke) and node.on is None and (meaning := rules.called(node.name)) is not None:
                yield meaning, node, literal(node, meaning)


def literal(node: Invoke, meaning: Meaning) -> str | None:
    """The first argument of a call where it is a literal text."""
    first = meaning.arguments[0].keyword if meaning.arguments else ""
    given = node.arguments[0] if node.arguments else dict(node.named).get(first)
    return given.value if isinstance(given, Lit) and isinstance(given.value, str) else None


def part_references(code: Code, rules: CodeRules) -> tuple[Reference, ...]:
    """The templates that a template asks for by calls."""
    return tuple(
        Reference("include", () if name is None else (name,), node.line, node.column, True)
        for meaning, node, name in said(code, rules)
        if meaning.does == "part"
    )
