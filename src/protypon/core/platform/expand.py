"""A platform file with all that it leaves unsaid: what it takes over from another one, and its short forms written out."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from typing import Any

from protypon.core.platform.arguments import Argument, NotASignature, read_signature

Tables = dict[str, Any]
WHERE = "\0where"
"""The key under which a row says where in the file it stands."""
KEYED = {"page": "kind", "point": "name", "picture": "path"}
"""Lists of rows of which each has a name: one that is said anew takes the place of the one of that name."""
BEGUN = ("files", "manifest", "supplies")
"""Lists of rows of which the first that fits counts: what a file says itself comes before what it takes over."""
BY_KIND = ("register",)
"""Lists of rows of which one that is said anew takes the place of all of its kind."""
SUFFIXES = {
    "php": "php", "py": "python", "css": "css", "js": "javascript", "json": "json",
    "toml": "toml", "yaml": "yaml", "yml": "yaml", "ini": "ini", "po": "po",
}  # fmt: skip
"""What a file is written in that ends so: the language of its code, or the syntax of a manifest."""
SYNTAXES = ("json", "toml", "yaml", "ini")
LANGUAGES = ("php", "python", "css", "javascript", "po", *SYNTAXES)
BREAKS = {"code": "theme", "template": "page"}
"""What a file of a kind that does not parse stops, where nothing else is said."""


def expand_tables(data: Mapping[str, Any], other: Callable[[str], Tables]) -> Tables:
    """The tables of a platform file, written out. ``other`` gives those of the file that it is like; ``data`` keeps to the schema."""
    made = {key: value for key, value in data.items() if key != "like"}
    if "means" in data:
        made["means"] = list(_meanings(data["means"]))
    for key in ("page", "point", "register", "supplies", "picture"):
        if key in data:
            made[key] = [{**row, WHERE: f"{key}[{number}]"} for number, row in enumerate(data[key], 1)]
    if "files" in data:
        made["files"] = [row for number, said in enumerate(data["files"], 1) for row in _files(said, number)]
    if "manifest" in data:
        made["manifest"] = [_manifest(row, number) for number, row in enumerate(data["manifest"], 1)]
    return laid_over(_of_another(other(data["like"]), data["like"]), made) if "like" in data else made


def _of_another(tables: Tables, name: str) -> Tables:
    """What another file says, its rows marked as that one's."""

    def mark_row(row: Any) -> Any:
        if not isinstance(row, dict) or WHERE not in row or ": " in row[WHERE]:
            return row
        return {**row, WHERE: f"{name}: {row[WHERE]}"}

    return {key: list(map(mark_row, value)) if isinstance(value, list) else value for key, value in tables.items()}


def laid_over(base: Tables, above: Tables) -> Tables:
    """What one file says over what another says: key by key, rows by their names."""
    made = dict(base)
    for key, value in above.items():
        old = base.get(key)
        if old is None:
            made[key] = value
        elif key in KEYED:
            named = {row[KEYED[key]] for row in value}
            made[key] = value + [row for row in old if row[KEYED[key]] not in named]
        elif key in BEGUN:
            made[key] = value + old
        elif key in BY_KIND:
            kinds = {row["kind"] for row in value}
            made[key] = value + [row for row in old if row["kind"] not in kinds]
        elif key == "means":
            made[key] = [row for row in map(_without(value), old) if row["name"]] + value
        elif isinstance(value, dict) and isinstance(old, dict):
            made[key] = laid_over(old, value)
        else:
            made[key] = value
    return made


def _without(rows: list[Tables]) -> Callable[[Tables], Tables]:
    """What is left of a row whose calls are given another meaning."""
    told = {(form, name) for row in rows for form in row.get("form", ("call",)) for name in row["name"]}

    def without_meanings(row: Tables) -> Tables:
        forms = row.get("form", ("call",))
        return {**row, "name": [name for name in row["name"] if not any((form, name) in told for form in forms)]}

    return without_meanings


# Meanings


def _meanings(said: Any) -> Iterator[Tables]:
    if isinstance(said, list):
        for number, row in enumerate(said, 1):
            yield _complete_row({**row, WHERE: f"means[{number}]"})
        return
    for does, rows in said.items():
        for number, row in enumerate(rows, 1):
            yield _from_signature(does, row, f"means.{does}[{number}]")


def _from_signature(does: str, said: Any, where: str) -> Tables:
    """A row of ``name(role, role=default)``, or of a table that has such a text as its ``call`` or ``mark``."""
    row: Tables = {"call": said} if isinstance(said, str) else dict(said)
    text = row.pop("call", "")
    if not text:
        text = row.pop("mark", "")
        row.setdefault("form", ["mark"])
    if not text:
        return {"does": does, "name": [], WHERE: where}
    name, arguments = read_signature(text)
    made = {"does": does, "name": [name], WHERE: where, **row}
    if arguments is not None:
        made["arguments"] = arguments
    return _complete_row(made)


def _complete_row(row: Tables) -> Tables:
    """A point that is given a value passes it on, unless something else is said."""
    given = [role.role for text in row.get("arguments", ()) for role in Argument.read(text).roles()]
    return {"passes": True, **row} if row["does"] == "fire" and "value" in given else row


def signature_problem(text: str) -> str:
    """What is wrong with a signature; empty where nothing is."""
    try:
        _, arguments = read_signature(text)
        for argument in arguments or ():
            Argument.read(argument)
    except NotASignature as error:
        return str(error)
    return ""


# Files and manifests


def _files(row: Mapping[str, Any], number: int) -> Iterator[Tables]:
    """One row a language: where none is said, that of the endings of the patterns."""
    made = {"if_broken": BREAKS.get(row["kind"], "file"), **row, WHERE: f"files[{number}]"}
    if "language" in row:
        yield made
        return
    by_language: dict[str, list[str]] = {}
    for pattern in row["match"]:
        language = suffix(pattern)
        by_language.setdefault(language if language in LANGUAGES else "", []).append(pattern)
    for language, patterns in by_language.items():
        yield {**made, "match": patterns, **({"language": language} if language else {})}


def _manifest(row: Mapping[str, Any], number: int) -> Tables:
    found = suffix(row["path"])
    made = {**row, WHERE: f"manifest[{number}]"}
    return {"syntax": found, **made} if found in SYNTAXES else made


def suffix(path: str) -> str:
    """The language that the ending of a path stands for, or nothing."""
    return SUFFIXES.get(path.rpartition("/")[2].rpartition(".")[2].lower(), "")
