"""The format of platform files: what may stand in one, and every way in which one breaks it."""

from __future__ import annotations

import tomllib
from collections.abc import Mapping
from typing import Any

from protypon.core.model import Problem
from protypon.core.schema import Dictionary, Flag, Many, Record, Text

FORMAT = "protypon.platform/1"
MEANINGS = (
    "slug", "title", "release", "parent", "summary", "maker", "maker_link", "home", "licence", "tags",
    "needs", "tested", "language_domain", "edition", "sheets", "scripts",
)  # fmt: skip
"""What a manifest's field can mean."""

KINDS = ("template", "style", "script", "asset", "setting", "text", "code")
LANGUAGES = ("jinja", "css", "javascript", "python", "json", "toml", "plain")
SYNTAXES = ("toml", "json", "ini")

_PATHS = Many(Text())
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
                    "lists": Text(choices=("add", "replace")),
                    "new": Text(relative=True),
                    "elsewhere": Flag(),
                },
                ("kind", "field", "lists"),
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
        "afterwards": Record({"update": Many(Text()), "pack": Many(Text())}),
    },
    ("format", "name", "slug", "manifest", "files"),
)


def problems_of(text: str, file: str) -> list[Problem]:
    """Every way in which a platform file breaks the format; an empty list where it keeps to it."""
    try:
        data = tomllib.loads(text)
    except (tomllib.TOMLDecodeError, RecursionError) as error:
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
            f'register[{number}].field: "{entry["field"]}" is a field of no manifest, allowed is {", ".join(sorted(fields))}',
        )
        for number, entry in enumerate(data.get("register", ()), 1)
        if entry["field"] not in fields
    ]
    return problems
