"""The format of platform files: what may stand in one, and every way in which one breaks it."""

from __future__ import annotations

from collections.abc import Mapping
from functools import lru_cache
from typing import Any

from protypon.core.files.structured import NotRead, toml_table
from protypon.core.languages.registry import named_languages
from protypon.core.model.nouns import Problem
from protypon.core.platform.meanings import DOES, Argument
from protypon.core.platform.schema import Anything, Dictionary, Flag, Many, Number, String, Table

FORMAT = "protypon.platform/1"
MEANINGS = (
    "slug", "title", "release", "parent", "summary", "maker", "maker_link", "home", "licence", "tags",
    "needs", "tested", "language_domain", "edition", "sheets", "scripts", "regions", "detached",
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
        "declares": String(choices=("all", "marked")),
        "marks": String(choices=("at-once", "after-file")),
        "output": String(choices=("print", "return")),
        "nearest": String(choices=("template", "theme")),
    }
)
_MEANS = Table(
    {
        "does": String(choices=tuple(DOES)),
        "name": Many(String(), empty=False),
        "arguments": Many(String()),
        "form": Many(String(choices=("call", "mark"))),
        "passes": Flag(),
        "look": String(choices=("lineage", "beside")),
        "once": Flag(),
        "replaceable": Flag(),
        **_BOUNDS,
    },
    ("does", "name"),
)
_POINT = Table({"name": String(), "about": String(), "arguments": Number(), "passes": Flag(), **_BOUNDS}, ("name",))
_PAGE = Table({"kind": String(), "templates": Many(String(), empty=False), **_BOUNDS}, ("kind", "templates"))
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
                    "fields": Dictionary(String(), MEANINGS),
                    "required": Many(String(choices=MEANINGS)),
                    "start": Dictionary(String()),
                    **_BOUNDS,
                },
                ("path", "syntax", "fields"),
            ),
            empty=False,
        ),
        "served": String(choices=("theme", "lineage")),
        "root": Table({"slug": String(), "no_parent": String(), "themes": Many(String()), "files": _PATHS}),
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
                    **_BOUNDS,
                },
                ("kind", "match"),
            ),
            empty=False,
        ),
        "templates": Table({"plain": String(), "parent": String(), "exact": String()}),
        "register": Many(
            Table(
                {
                    "kind": String(choices=("style", "script")),
                    "field": String(choices=MEANINGS),
                    "folder": String(relative=True),
                    "separator": String(),
                    "lists": String(choices=("add", "replace", "call")),
                    "new": String(relative=True),
                    "elsewhere": Flag(),
                    **_BOUNDS,
                },
                ("kind", "lists"),
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
        "means": Many(_MEANS),
        "point": Many(_POINT),
        "page": Many(_PAGE),
        "own": _OWN,
        "supplies": Many(_SUPPLIES),
        "afterwards": Table({"update": Many(String()), "pack": Many(String())}),
    },
    ("format", "name", "slug", "manifest", "files"),
)


@lru_cache(maxsize=4)
def table_of(text: str) -> dict[str, Any]:
    """A platform file as TOML has it; to be read only. Raises NotRead."""
    return toml_table(text)


def problems_of(text: str, file: str) -> list[Problem]:
    """Every way in which a platform file breaks the format; an empty list where it keeps to it."""
    try:
        data = table_of(text)
    except NotRead as error:
        return [Problem(file, f"not TOML: {error}")]
    found = SCHEMA.check(data, "", file)
    return found or _contradictions(data, file)


def _contradictions(data: Mapping[str, Any], file: str) -> list[Problem]:
    problems = []
    for number, form in enumerate(data["manifest"], 1):
        needed = {"slug"} if data["slug"]["from"] == "field" else set()
        needed |= set(form.get("required", ())) | {"parent"}
        problems += [
            Problem(file, f'manifest[{number}].fields: says nothing of "{meaning}", which this platform needs')
            for meaning in sorted(needed - set(form["fields"]))
        ]
    fields = {meaning for form in data["manifest"] for meaning in form["fields"]}
    problems += [
        Problem(
            file,
            f'register[{number}].field: "{entry.get("field", "")}" is a field of no manifest, allowed is {", ".join(sorted(fields))}',
        )
        for number, entry in enumerate(data.get("register", ()), 1)
        if entry["lists"] != "call" and entry.get("field") not in fields
    ]
    return problems + _wrong_arguments(data, file)


def _wrong_arguments(data: Mapping[str, Any], file: str) -> list[Problem]:
    """Arguments with a role that a call of that effect does not have."""
    return [
        Problem(
            file,
            f'means[{number}].arguments: found "{text}", "{row["does"]}" has the roles {", ".join(DOES[row["does"]]) or "none"}',
        )
        for number, row in enumerate(data.get("means", ()), 1)
        for text in row.get("arguments", ())
        if Argument.read(text).role not in (*DOES[row["does"]], "-")
    ]
