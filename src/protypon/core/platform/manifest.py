"""The manifest of one theme: found, read through the platform file, its problems told; and written."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from protypon.core.files.structured import NotRead
from protypon.core.model.errors import BadInput
from protypon.core.model.limits import FIELD_LENGTH
from protypon.core.model.nouns import Problem
from protypon.core.platform.manifests.registry import syntax, value_at
from protypon.core.platform.platform import ManifestForm, Platform

LISTS = ("tags", "sheets", "editor_sheets", "print_sheets", "scripts", "regions", "detached", "templates")
"""Meanings whose value is a list; the others are one text."""


def path_for(form: ManifestForm, slug: str) -> str:
    """Where a form's manifest stands in a theme of that slug."""
    return form.path.replace("{slug}", slug)


def form_of(platform: Platform, slug: str, path: str) -> ManifestForm:
    """The form of the manifest that stands at a path of the theme whose folder is called ``slug``."""
    return next(form for form in platform.manifests if path_for(form, slug) == path)


def forms_at(platform: Platform, path: str, top: str) -> tuple[str, ManifestForm] | None:
    """If a manifest of this platform can stand at ``path``: the theme's folder, and the form.

    ``top`` is the name of the folder that paths are relative to.
    """
    for form in platform.manifests:
        head, marker, tail = form.path.partition("{slug}")
        folder = _folder_before(path, head, tail if marker else None, top)
        if folder is not None:
            return folder, form
    return None


def _folder_before(path: str, head: str, tail: str | None, top: str) -> str | None:
    if tail is None:
        if path == head:
            return ""
        return path[: -len(head) - 1] if path.endswith("/" + head) else None
    folder = path.rpartition("/")[0]
    slug = folder.rpartition("/")[2] or top
    return folder if path == f"{folder}/{head}{slug}{tail}".lstrip("/") else None


def read(
    form: ManifestForm, data: bytes, file: str, separators: Mapping[str, str]
) -> tuple[dict[str, Any], list[Problem]]:
    """Read a manifest's bytes: values by meaning, and problems with line and column."""
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        line = data.count(b"\n", 0, error.start) + 1
        return {}, [Problem(file, f"not UTF-8: byte 0x{data[error.start]:02x}", line)]
    try:
        tables = syntax(form.syntax).read(text)
        return _meanings(form, tables, file, separators)
    except NotRead as error:
        return {}, [Problem(file, f"not {form.syntax.upper()}: {error.message}", error.line, error.column)]
    except BadInput as error:
        return {}, [Problem(file, error.message)]
    except (ValueError, OverflowError, RecursionError) as error:
        why = " ".join(str(error).split())[:120] or type(error).__name__
        return {}, [Problem(file, f"not {form.syntax.upper()}: can't be read: {why}")]


def _meanings(
    form: ManifestForm, tables: Mapping[str, Any], file: str, separators: Mapping[str, str]
) -> tuple[dict[str, Any], list[Problem]]:
    values: dict[str, Any] = {}
    problems = []
    for meaning, field in form.fields.items():
        found = value_at(tables, field)
        if found is None:
            continue
        value = _value(meaning, found, separators.get(meaning, ","))
        if not _is_text(value):
            problems.append(Problem(file, f"{field} holds half a character, which is no text"))
            continue
        if isinstance(value, str) and len(value) > FIELD_LENGTH:
            problems.append(Problem(file, f"{field} is {len(value):,} characters long, over {FIELD_LENGTH:,}"))
            continue
        if value is None:
            wanted = "a list of texts" if meaning in LISTS else "a text"
            problems.append(Problem(file, f"{field} is {type(found).__name__}, wanted is {wanted}"))
        else:
            values[meaning] = value
    problems += [
        Problem(file, f"{form.fields[meaning]} is not there")
        for meaning in form.required
        if meaning not in values and not any(form.fields[meaning] in p.message for p in problems)
    ]
    return values, problems


def _value(meaning: str, found: Any, separator: str) -> Any:
    if meaning in LISTS or (meaning == "parent" and (isinstance(found, list) or "," in str(found))):
        if isinstance(found, str):
            return [part.strip() for part in found.split(separator.strip() or ",") if part.strip()]
        return found if isinstance(found, list) and all(isinstance(item, str) for item in found) else None
    if isinstance(found, bool | int | float):
        return str(found) if not isinstance(found, int) or abs(found) < 1 << 64 else None
    return found if isinstance(found, str) else None


def _is_text(value: Any) -> bool:
    """Whether a value can be written as UTF-8: JSON and TOML can say half of a pair (Unicode, D71)."""
    try:
        "".join(value if isinstance(value, list) else [value or ""]).encode("utf-8")
    except UnicodeEncodeError:
        return False
    return True


def separators(platform: Platform) -> dict[str, str]:
    """How lists that are written as one text are split, by meaning."""
    return {r.field: r.separator for r in platform.registers if r.separator}


def write(platform: Platform, form: ManifestForm, text: str, values: Mapping[str, Any]) -> str:
    """Set values, given by meaning or by dotted field, in a manifest's text; an empty text starts one."""
    changes = {}
    for name, value in values.items():
        field = form.fields.get(name, name)
        if isinstance(value, list | tuple) and form.syntax in ("ini", "comment"):
            value = separators(platform).get(name, ", ").join(value)
        changes[(field,) if form.syntax == "pattern" else tuple(field.split("."))] = value
    try:
        return syntax(form.syntax).write(text, changes)
    except NotRead as error:
        raise BadInput(f"the manifest can't be edited: {error.message}", "mend it by hand first") from error
    except (ValueError, TypeError, RecursionError, AttributeError) as error:
        why = " ".join(str(error).split())[:200] or type(error).__name__
        raise BadInput(f"the manifest can't be edited: {why}", "mend it by hand first") from error
