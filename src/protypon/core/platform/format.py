"""The format of platform files: what may stand in one, and every way in which one breaks it."""

from __future__ import annotations

from collections.abc import Mapping
from functools import lru_cache
from typing import Any

from protypon.core.files.structured import NotRead, toml_table
from protypon.core.model.nouns import Problem
from protypon.core.platform.meanings import DOES, Argument
from protypon.core.platform.schema import Anything, Dictionary, Flag, Many, Number, Record, Text

FORMAT = "protypon.platform/1"
MEANINGS = (
    "slug", "title", "release", "parent", "summary", "maker", "maker_link", "home", "licence", "tags",
    "needs", "tested", "language_domain", "edition", "sheets", "scripts", "regions", "detached",
)  # fmt: skip
"""What a manifest's field can mean."""

KINDS = ("template", "style", "script", "asset", "setting", "text", "code")
LANGUAGES = ("jinja", "css", "javascript", "python", "php", "json", "toml", "plain")
SYNTAXES = ("toml", "json", "ini", "yaml", "comment", "pattern")

_PATHS = Many(Text())
_BOUNDS = {"since": Text(), "until": Text()}
_CODE = Record(
    {
        "order": Text(choices=("parent-first", "child-first")),
        "moments": Many(Text()),
        "numbers": Text(choices=("ascending", "descending")),
        "pattern": Text(),
        "declares": Text(choices=("all", "marked")),
        "marks": Text(choices=("at-once", "after-file")),
        "output": Text(choices=("print", "return")),
        "nearest": Text(choices=("template", "theme")),
    }
)
_MEANS = Record(
    {
        "does": Text(choices=tuple(DOES)),
        "name": Many(Text(), empty=False),
        "arguments": Many(Text()),
        "form": Many(Text(choices=("call", "mark"))),
        "passes": Flag(),
        "look": Text(choices=("lineage", "beside")),
        "once": Flag(),
        "replaceable": Flag(),
        **_BOUNDS,
    },
    ("does", "name"),
)
_POINT = Record({"name": Text(), "about": Text(), "arguments": Number(), "passes": Flag(), **_BOUNDS}, ("name",))
_PAGE = Record({"kind": Text(), "templates": Many(Text(), empty=False), **_BOUNDS}, ("kind", "templates"))
_OWN = Record(
    {
        "functions": Many(Text()),
        "variables": Many(Text()),
        "values": Dictionary(Anything()),
        "items": Dictionary(Many(Text())),
    }
)
SCHEMA = Record(
    {
        "format": Text(choices=(FORMAT,)),
        "name": Text(),
        "title": Text(),
        "summary": Text(),
        "slug": Record(
            {
                "from": Text(choices=("field", "folder")),
                "pattern": Text(regex=True),
                "says": Text(),
                "names_folder": Flag(),
            },
            ("from", "pattern", "says"),
        ),
        "manifest": Many(
            Record(
                {
                    "path": Text(relative=True),
                    "syntax": Text(choices=SYNTAXES),
                    "fields": Dictionary(Text(), MEANINGS),
                    "required": Many(Text(choices=MEANINGS)),
                    "start": Dictionary(Text()),
                    **_BOUNDS,
                },
                ("path", "syntax", "fields"),
            ),
            empty=False,
        ),
        "served": Text(choices=("theme", "lineage")),
        "root": Record({"slug": Text(), "no_parent": Text(), "themes": Many(Text()), "files": _PATHS}),
        "files": Many(
            Record(
                {
                    "kind": Text(choices=KINDS),
                    "match": Many(Text(), empty=False),
                    "language": Text(choices=LANGUAGES),
                    "lookup": Text(choices=("path", "name")),
                    "combine": Text(choices=("replace", "overlay", "load")),
                    "entry": _PATHS,
                    "if_broken": Text(choices=("theme", "page", "file")),
                    "new": Text(relative=True),
                    **_BOUNDS,
                },
                ("kind", "match"),
            ),
            empty=False,
        ),
        "templates": Record({"plain": Text(), "parent": Text(), "exact": Text()}),
        "register": Many(
            Record(
                {
                    "kind": Text(choices=("style", "script")),
                    "field": Text(choices=MEANINGS),
                    "folder": Text(relative=True),
                    "separator": Text(),
                    "lists": Text(choices=("add", "replace", "call")),
                    "new": Text(relative=True),
                    "elsewhere": Flag(),
                    **_BOUNDS,
                },
                ("kind", "lists"),
            )
        ),
        "inherit": Record({"not": _PATHS}),
        "junk": Record({"match": _PATHS}),
        "package": Record(
            {
                "archive": Text(choices=("zip", "tar.gz")),
                "top": Text(relative=True),
                "name": Text(relative=True),
                "leave_out": _PATHS,
            }
        ),
        "code": _CODE,
        "means": Many(_MEANS),
        "point": Many(_POINT),
        "page": Many(_PAGE),
        "own": _OWN,
        "afterwards": Record({"update": Many(Text()), "pack": Many(Text())}),
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
