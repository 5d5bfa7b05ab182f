"""What a platform file keeps to the format with, and still can't be meant: what can never match, or says two things of one."""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import Any

from protypon.core.model.nouns import Problem
from protypon.core.platform.arguments import Argument
from protypon.core.platform.expand import WHERE, Tables
from protypon.core.platform.fields import fields_of
from protypon.core.platform.format import tables_of, with_lines
from protypon.core.platform.meanings import DOES, numbers
from protypon.core.platform.patterns import PathPatterns, matches

AGAINST = (
    ("attach", "detach"),
    ("attach", "clear"),
    ("register", "unregister"),
    ("sheet", "drop-sheet"),
    ("script", "drop-script"),
    ("fire", "attach"),
)
"""Words of which one undoes what the other does, or waits for it."""
NEEDED = {
    "attach": ("point",), "detach": ("point",), "clear": ("point",), "fire": ("point",), "register": ("name",), "unregister": ("name",),
    "default": ("name",), "value": ("name",), "region": ("name",), "print-region": ("name",), "provide": ("name",), "pull": ("file",), "part": ("file",),
    "find": ("file",), "summon": ("name",), "drop-sheet": ("handle",), "drop-script": ("handle",),
}  # fmt: skip
"""Roles without which a call of a word says nothing."""
_HOLE = re.compile(r"\{[a-z]\w*\}")


def doubts_of(text: str, file: str, beside: Any = None) -> list[Problem]:
    """What can't be meant in a platform file that keeps to the format, each with its line."""
    data = tables_of(text, file, beside)
    found = [*_calls(data), *_moments(data), *_paths(data), *_rows(data)]
    return with_lines([Problem(file, words) for words in dict.fromkeys(found)], text)


def _calls(data: Tables) -> Iterator[str]:
    rows = data.get("means", [])
    for number, row in enumerate(rows):
        roles = [a.role for text in row.get("arguments", DOES[row["does"]]) for a in Argument.read(text).roles()]
        for role in NEEDED.get(row["does"], ()):
            if role not in roles and "call" in row.get("form", ("call",)):
                yield f"{row[WHERE]}: {row['name'][0]} can't {row['does']} anything: none of its arguments is the {role}"
        for pattern in row.get("tries", ()):
            for hole in _HOLE.findall(pattern):
                if hole[1:-1] not in roles:
                    yield f'{row[WHERE]}.tries: {hole} in "{pattern}" is no argument of {row["name"][0]}, so it is never tried'
        for other in rows[:number]:
            yield from _two_meanings(other, row)
    words = {row["does"] for row in rows}
    for less, more in (
        ("detach", "attach"),
        ("clear", "attach"),
        ("unregister", "register"),
        ("drop-sheet", "sheet"),
        ("drop-script", "script"),
    ):
        if less in words and more not in words:
            where = next(row[WHERE] for row in rows if row["does"] == less)
            yield f'{where}: "{less}" undoes what "{more}" does, and nothing has that meaning'


def _two_meanings(one: Tables, other: Tables) -> Iterator[str]:
    forms = set(one.get("form", ("call",))) & set(other.get("form", ("call",)))
    for name in [name for name in other["name"] if name in one["name"]] if forms and _at_once(one, other) else ():
        pair = (one["does"], other["does"])
        if pair[0] == pair[1]:
            yield f'{other[WHERE]}: {name} has the meaning "{pair[1]}" twice ({one[WHERE]})'
        elif pair in AGAINST or pair[::-1] in AGAINST:
            yield f'{other[WHERE]}: {name} means "{pair[1]}" here and "{pair[0]}" in {one[WHERE]}; one call does not do both'


def _at_once(one: Tables, other: Tables) -> bool:
    """Whether there is a release of the platform for which both rows hold."""
    start = max(numbers(row.get("since", "0")) for row in (one, other))
    return all("until" not in row or start < numbers(row["until"]) for row in (one, other))


def _moments(data: Tables) -> Iterator[str]:
    points = {row["name"] for row in data.get("point", ())}
    for number, moment in enumerate(data.get("code", {}).get("moments", ()), 1):
        if moment not in points:
            yield f'code.moments[{number}]: "{moment}" is a moment, and no row of point is called so'


def _paths(data: Tables) -> Iterator[str]:
    """Paths that the file speaks of, and that no rule takes for what they should be."""
    rules = PathPatterns(row["match"] for row in data["files"])

    def wrong(where: str, path: str, kind: str) -> Iterator[str]:
        found = rules.first(_HOLE.sub("x", path))
        taken = data["files"][found]["kind"] if found is not None else "nothing"
        if taken != kind:
            yield f'{where}: "{path}" is to be a {kind}, and the files table takes it for {taken}, so it is never found'

    for row in data.get("page", ()):
        used = {hole[1:-1] for text in (row["kind"], *row["templates"]) for hole in _HOLE.findall(text)}
        for number, path in enumerate(row["templates"], 1):
            yield from wrong(f"{row[WHERE]}.templates[{number}]", path, "template")
        for name in row.get("names", {}):
            if name not in used:
                yield f'{row[WHERE]}.names: "{name}" stands in no template and in no kind'
    for row in data.get("register", ()):
        for key, paths in (("new", [row["new"]] if "new" in row else []), ("always", row.get("always", ()))):
            for path in paths:
                yield from wrong(
                    f"{row[WHERE]}.{key}",
                    f"{row.get('folder', '')}/{path}".lstrip("/") if key == "new" else path,
                    row["kind"],
                )
    for row in data["files"]:
        if "new" in row and not matches(_HOLE.sub("x", row["new"]), tuple(row["match"])):
            yield f'{row[WHERE]}.new: "{row["new"]}" does not fit what the row itself matches'


def _rows(data: Tables) -> Iterator[str]:
    """Patterns that an earlier row has taken already, and bounds between which there is no release."""
    seen: dict[str, str] = {}
    for row in data["files"]:
        for number, pattern in enumerate(row["match"], 1):
            if pattern in seen and "since" not in row and "until" not in row:
                yield f'{row[WHERE]}.match[{number}]: "{pattern}" stands in {seen[pattern]} already, which comes first'
            seen.setdefault(pattern, row[WHERE])
    for key in ("files", "manifest", "register", "means", "point", "page", "supplies"):
        for row in data.get(key, ()):
            if "since" in row and "until" in row and numbers(row["since"]) >= numbers(row["until"]):
                yield f"{row[WHERE]}: holds from {row['since']} and until {row['until']}: for no release"
    printed = next((row for row in data.get("means", ()) if row["does"] == "print-region"), None)
    declares = any(row["does"] == "region" for row in data.get("means", ()))
    if (
        printed is not None
        and not declares
        and not any(f.means == "regions" for m in data["manifest"] for f in fields_of(m))
    ):
        yield f"{printed[WHERE]}: regions are printed, and neither a call nor a field of the manifest declares any"


def unmatched_parts(text: str, file: str, paths: list[str], said: set[str], beside: Any = None) -> list[Problem]:
    """What of a platform file matches nothing in some theme: patterns of files, and calls that its code never makes."""
    data = tables_of(text, file, beside)
    found: list[str] = []
    for row in data["files"]:
        for number, pattern in enumerate(row["match"], 1):
            if not any(matches(path, (pattern,)) for path in paths):
                found.append(f'{row[WHERE]}.match[{number}]: "{pattern}" matches no file')
    for row in data.get("means", ()):
        found += [f"{row[WHERE]}: nothing calls {name}" for name in row["name"] if name not in said]
    return with_lines([Problem(file, words) for words in found], text)
