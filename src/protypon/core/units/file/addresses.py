"""Relative addresses in the child's sheets and scripts: which find nothing from where the file stands, and what would find it."""

from __future__ import annotations

import posixpath
import re

from protypon.core.languages.source import Reference
from protypon.core.model.nouns import Theme
from protypon.core.platform.platform import FileRule
from protypon.core.themes.resolve import relative
from protypon.core.units.world import World

MODULES = (".js", ".mjs", "/index.js")
"""What the name of a script may leave out where a program bundles them."""


def looked_in(world: World) -> tuple[Theme, ...]:
    """The themes in which a relative address of the child's finds something."""
    return (world.child,) if world.platform.served == "theme" else world.lineage.themes


def broken_addresses(world: World, path: str, rule: FileRule) -> list[tuple[str, int]]:
    """The targets of relative addresses in a file of the child that are not there, each with the first line that asks for it."""
    found: dict[str, int] = {}
    for reference in _broken_references(world, path, rule):
        found.setdefault(relative(path, reference.names) or "", reference.line)
    return sorted(found.items(), key=lambda row: row[1])


def _broken_references(world: World, path: str, rule: FileRule) -> list[Reference]:
    facts = world.snapshot.facts(world.child, path, rule.language)
    endings = ("", *_rendered_endings(world), *(MODULES if rule.kind == "script" else ()))
    found = []
    for reference in facts.references:
        target = relative(path, reference.names)
        from_root = target is not None and world.resolver.root_supplies(target)
        there = (f"{target}{ending}" in theme.files for theme in looked_in(world) for ending in endings)
        if target and not from_root and not reference.names[0].startswith("~") and not any(there):
            found.append(reference)
    return found


def _rendered_endings(world: World) -> tuple[str, ...]:
    """Endings of files that the platform renders, and serves without."""
    return tuple(dict.fromkeys(ending for rule in world.platform.rules for ending in rule.renders))


def meant_target(world: World, path: str, target: str) -> str:
    """The one file that an address was plainly meant for: of those of its name the one with most folders in common. Empty where that is not one."""
    wanted = target.split("/")
    scores: dict[str, int] = {}
    for theme in looked_in(world):
        for other in theme.files:
            parts = other.split("/")
            if parts[-1] == wanted[-1] and other != path:
                scores[other] = _in_common(parts, wanted)
    best = max(scores.values(), default=0)
    found = [other for other, score in scores.items() if score == best]
    return found[0] if len(found) == 1 else ""


def _in_common(one: list[str], other: list[str]) -> int:
    """How many parts two paths have in common, from the end on."""
    number = 0
    for mine, theirs in zip(reversed(one), reversed(other), strict=False):
        if mine != theirs:
            break
        number += 1
    return number


def mend_addresses(world: World, path: str, rule: FileRule) -> tuple[str, list[tuple[str, str]]]:
    """The file's text with each broken address that was plainly meant for another file made to find it, and what was changed."""
    text = world.snapshot.read(world.child, path).decode("utf-8", "surrogateescape")
    starts = [0, *(found.end() for found in re.finditer(r"\r\n|[\n\r\f]", text))]
    changes: list[tuple[str, str]] = []
    for reference in sorted(_broken_references(world, path, rule), key=lambda r: (r.line, r.column), reverse=True):
        old = reference.names[0]
        plain = re.split(r"[?#]", old, maxsplit=1)[0]
        to = meant_target(world, path, relative(path, reference.names) or "")
        begin = text.find(plain, starts[reference.line - 1] + reference.column - 1) if to else -1
        if begin < 0 or begin - (starts[reference.line - 1] + reference.column - 1) > len("url( '"):
            continue  # written with escapes
        new = posixpath.relpath(to, posixpath.dirname(path) or ".")
        new = new if new.startswith(".") or not plain.startswith("./") else f"./{new}"
        text = text[:begin] + new + text[begin + len(plain) :]
        changes.append((plain, new))
    return text, changes[::-1]
