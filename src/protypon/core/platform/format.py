"""The format of platform files: what may stand in one, and every way in which one breaks it."""

from __future__ import annotations

from dataclasses import replace
from functools import lru_cache
from pathlib import Path
from typing import Any

from protypon.core.files.structured import NotRead, toml_table
from protypon.core.languages.registry import named_languages
from protypon.core.model.errors import UnknownName
from protypon.core.model.nouns import Problem
from protypon.core.platform.arguments import Argument, NotASignature
from protypon.core.platform.expand import WHERE, Tables, expand_tables
from protypon.core.platform.fields import fields_of
from protypon.core.platform.lines import line_of
from protypon.core.platform.meanings import DOES
from protypon.core.platform.schema import (
    Anything,
    Dictionary,
    Either,
    Flag,
    Many,
    Number,
    Shape,
    Signature,
    String,
    Table,
    nearest,
)
from protypon.core.platform.shipped import shipped_platforms, text_of

FORMAT = "protypon.platform/1"
MEANINGS = (
    "slug", "title", "release", "parent", "summary", "maker", "maker_link", "home", "licence", "tags",
    "needs", "tested", "language_domain", "edition", "sheets", "editor_sheets", "print_sheets", "scripts", "regions", "detached", "templates",
)  # fmt: skip
"""What a manifest's field can mean."""

SUPPLIED = ("function", "class", "constant")
"""What a platform can supply to code by name."""
KINDS = ("template", "style", "script", "asset", "setting", "text", "code")
SYNTAXES = ("toml", "json", "ini", "yaml", "comment", "pattern")

_PATHS = Many(String())
_BOUNDS = {"since": String(), "until": String()}
_CODE = Table(
    {
        "order": String(choices=("parent-first", "child-first")),
        "moments": Many(String()),
        "numbers": String(choices=("ascending", "descending")),
        "pattern": String(),
        "scope": String(choices=("own", "shared")),
        "declares": String(choices=("all", "marked")),
        "marks": String(choices=("at-once", "after-file")),
        "output": String(choices=("print", "return")),
        "nearest": String(choices=("template", "theme")),
    }
)
_OPTIONS: dict[str, Shape] = {
    "form": Many(String(choices=("call", "mark"))),
    "passes": Flag(),
    "of": String(choices=("child", "parent", "asking")),
    "tries": Many(String(), empty=False),
    "nearest": String(choices=("template", "theme")),
    "gives": String(choices=("path", "address")),
    "loads": Flag(),
    "again": String(choices=("replaces", "ignored")),
    "surface": String(choices=("site", "editor", "print")),
    "place": String(choices=("head", "foot")),
    "once": Flag(),
    "replaceable": Flag(),
    **_BOUNDS,
}
_MEANS = Table(
    {
        "does": String(choices=tuple(DOES)),
        "name": Many(String(), empty=False),
        "arguments": Many(String()),
        **_OPTIONS,
    },
    ("does", "name"),
)
_CALL = Either({str: Signature(), dict: Table({"call": Signature(), "mark": Signature(), **_OPTIONS})})
_FIELD = Either(
    {
        str: String(),
        dict: Table({"means": String(choices=MEANINGS), "at": String(), "required": Flag(), **_BOUNDS}, ("means",)),
    }
)
_POINT = Table({"name": String(), "about": String(), "arguments": Number(), "passes": Flag(), **_BOUNDS}, ("name",))
_PAGE = Table(
    {
        "kind": String(),
        "templates": Many(String(), empty=False),
        "names": Dictionary(Many(String(), empty=False)),
        **_BOUNDS,
    },
    ("kind", "templates"),
)
_OWN = Table(
    {
        "functions": Many(String()),
        "classes": Many(String()),
        "variables": Many(String()),
        "values": Dictionary(Anything()),
        "items": Dictionary(Many(String())),
    }
)
_SUPPLIES = Table(
    {"name": Many(String(), empty=False), "kind": String(choices=SUPPLIED), "instead": String(), **_BOUNDS}, ("name",)
)
SCHEMA = Table(
    {
        "format": String(choices=(FORMAT,)),
        "like": String(relative=True),
        "name": String(),
        "title": String(),
        "summary": String(),
        "slug": Table(
            {
                "from": String(choices=("field", "folder")),
                "pattern": String(regex=True),
                "says": String(),
                "names_folder": Flag(),
            },
            ("from", "pattern", "says"),
        ),
        "manifest": Many(
            Table(
                {
                    "path": String(relative=True),
                    "syntax": String(choices=SYNTAXES),
                    "fields": Either({dict: Dictionary(String(), MEANINGS), list: Many(_FIELD)}),
                    "required": Many(String(choices=MEANINGS)),
                    "below": String(),
                    "unique": Many(String(choices=MEANINGS)),
                    "start": Dictionary(String()),
                    **_BOUNDS,
                },
                ("path", "fields"),
            ),
            empty=False,
        ),
        "served": String(choices=("theme", "lineage", "site")),
        "root": Table(
            {
                "slug": String(),
                "no_parent": String(),
                "themes": Many(String()),
                "files": _PATHS,
                "extends": Dictionary(String(relative=True)),
                "blocks": Dictionary(Many(String(), empty=False)),
            }
        ),
        "files": Many(
            Table(
                {
                    "kind": String(choices=KINDS),
                    "match": Many(String(), empty=False),
                    "language": String(choices=named_languages),
                    "lookup": String(choices=("path", "name")),
                    "combine": String(choices=("replace", "overlay", "load")),
                    "entry": _PATHS,
                    "if_broken": String(choices=("theme", "page", "file")),
                    "new": String(relative=True),
                    "renders": Many(String(), empty=False),
                    **_BOUNDS,
                },
                ("kind", "match"),
            ),
            empty=False,
        ),
        "templates": Table(
            {
                "plain": String(),
                "parent": String(),
                "exact": String(),
                "also": Many(String(), empty=False),
                "folders": Many(String(), empty=False),
                "elsewhere": String(),
            }
        ),
        "register": Many(
            Table(
                {
                    "kind": String(choices=("style", "script")),
                    "field": String(choices=MEANINGS),
                    "folder": String(relative=True),
                    "separator": String(),
                    "lists": String(choices=("add", "replace", "call")),
                    "surface": String(choices=("site", "editor", "print")),
                    "place": String(choices=("head", "foot")),
                    "new": String(relative=True),
                    "always": _PATHS,
                    "elsewhere": Flag(),
                    **_BOUNDS,
                },
                ("kind", "lists"),
            )
        ),
        "picture": Many(
            Table(
                {"path": String(relative=True), "width": Number(), "height": Number(), **_BOUNDS},
                ("path", "width", "height"),
            )
        ),
        "inherit": Table({"not": _PATHS}),
        "junk": Table({"match": _PATHS}),
        "package": Table(
            {
                "archive": String(choices=("zip", "tar.gz")),
                "top": String(relative=True),
                "name": String(relative=True),
                "leave_out": _PATHS,
            }
        ),
        "code": _CODE,
        "means": Either({dict: Dictionary(Many(_CALL), tuple(DOES)), list: Many(_MEANS)}),
        "point": Many(_POINT),
        "page": Many(_PAGE),
        "own": _OWN,
        "record": Table({"points": String(), "page": String()}),
        "supplies": Many(_SUPPLIES),
        "afterwards": Table({"update": Many(String()), "pack": Many(String())}),
    },
    ("format", "name"),
)
NEEDED = ("slug", "manifest", "files")
"""What every platform says of itself, or takes over."""


LIKE_DEEP = 8
"""Platform files that are each like the next."""


class NotAPlatform(Exception):
    """A platform file that breaks the format, with all its problems."""

    def __init__(self, problems: list[Problem]) -> None:
        super().__init__()
        self.problems = problems


@lru_cache(maxsize=4)
def _toml(text: str) -> dict[str, Any]:
    return toml_table(text)


def tables_of(text: str, file: str, beside: Path | None = None, above: tuple[str, ...] = ()) -> Tables:
    """A platform file with all that it leaves unsaid; another that it is like is looked for ``beside`` it.

    Raises NotAPlatform with every way in which it breaks the format.
    """
    try:
        data = _toml(text)
    except NotRead as error:
        raise NotAPlatform([Problem(file, f"not TOML: {error}")]) from error
    found = SCHEMA.check(data, "", file)
    if found:
        raise NotAPlatform(with_lines(found, text))
    try:
        made = expand_tables(data, lambda name: _other(name, file, beside or Path(file).parent, above))
    except UnknownName as error:
        near = nearest(data["like"], tuple(shipped_platforms()))
        tail = f'; did you mean "{near}"?' if near else ""
        raise NotAPlatform(with_lines([Problem(file, f"like: {error}{tail}")], text)) from error
    except NotASignature as error:
        raise NotAPlatform(with_lines([Problem(file, f'means: "{error}" is no argument')], text)) from error
    missing = [Problem(file, f"{key}: not there, needed is a {key} table") for key in NEEDED if key not in made]
    found = missing or _contradictions(made, file)
    if found:
        raise NotAPlatform(with_lines(found, text))
    return made


def _other(name: str, file: str, beside: Path | None, above: tuple[str, ...]) -> Tables:
    """The tables of the platform file that one is like."""
    text, path = text_of(name, beside)
    if path in above or len(above) > LIKE_DEEP:
        raise UnknownName(f"{name} is like itself")
    try:
        return tables_of(text, path, Path(path).parent, (*above, path))
    except NotAPlatform as error:
        raise UnknownName(f"{name} breaks the format: {error.problems[0]}") from error


def problems_of(text: str, file: str, beside: Path | None = None) -> list[Problem]:
    """Every way in which a platform file breaks the format; an empty list where it keeps to it."""
    try:
        tables_of(text, file, beside)
    except NotAPlatform as error:
        return error.problems
    return []


def with_lines(problems: list[Problem], text: str) -> list[Problem]:
    """Problems with the line of what they name."""
    return [replace(p, line=line_of(text, p.message.split(":")[0])) for p in problems]


def _contradictions(data: Tables, file: str) -> list[Problem]:
    problems = []
    for row in data.get("means", ()):
        if not row["name"]:
            problems.append(Problem(file, f"{row[WHERE]}: says no call and no mark"))
    for form in data["manifest"]:
        said = {field.means for field in fields_of(form)}
        if "syntax" not in form:
            problems.append(Problem(file, f"{form[WHERE]}.syntax: not there, and {form['path']} does not tell it"))
        for word in sorted(said - set(MEANINGS)):
            near = nearest(word, MEANINGS)
            tail = f'; did you mean "{near}"?' if near else ""
            problems.append(Problem(file, f'{form[WHERE]}.fields: no meaning is called "{word}"{tail}'))
        needed = {"slug"} if data["slug"]["from"] == "field" else set()
        needed |= set(form.get("required", ())) | set(form.get("unique", ())) | {"parent"}
        problems += [
            Problem(file, f'{form[WHERE]}.fields: says nothing of "{meaning}", which this platform needs')
            for meaning in sorted(needed - said)
        ]
    fields = {field.means for form in data["manifest"] for field in fields_of(form)}
    problems += [
        Problem(
            file,
            f'{entry[WHERE]}.field: "{entry.get("field", "")}" is a field of no manifest, allowed is {", ".join(sorted(fields))}',
        )
        for entry in data.get("register", ())
        if entry["lists"] != "call" and entry.get("field") not in fields
    ]
    return problems + _wrong_arguments(data, file)


def _wrong_arguments(data: Tables, file: str) -> list[Problem]:
    """Arguments with a role that a call of that effect does not have."""
    return [
        Problem(
            file,
            f'{row[WHERE]}.arguments: found "{text}", "{row["does"]}" has the roles {", ".join(DOES[row["does"]]) or "none"}',
        )
        for row in data.get("means", ())
        for text in row.get("arguments", ())
        for argument in Argument.read(text).roles()
        if argument.role not in (*DOES[row["does"]], "-")
    ]
