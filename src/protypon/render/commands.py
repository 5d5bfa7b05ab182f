"""Actions as commands that can be typed: the one place that writes and quotes them."""

from __future__ import annotations

import os
import shlex
from typing import Any, assert_never

from protypon.core.model.actions import (
    Action,
    Adopt,
    Check,
    CheckPlatform,
    CheckStore,
    Compare,
    Drop,
    Explain,
    Help,
    Init,
    Keep,
    Lighten,
    ListPlatforms,
    Mend,
    MovePath,
    New,
    OpenInEditor,
    Override,
    Pack,
    Points,
    RepairStore,
    Rescue,
    Settle,
    ShowPlatform,
    Survey,
    Undo,
    UndoList,
    Update,
    Words,
    unpack_words,
)


def command_line(*words: str) -> str:
    """A command of this program with each word quoted as a shell wants it; words that are empty are left out.

    >>> command_line("drop", "template:parts/a b.html", "--child", "gull")
    "protypon drop 'template:parts/a b.html' --child gull"
    """
    return shlex.join(["protypon", *(word for word in words if word)])


def command(action: Action | None) -> str:
    """An action as a command; nothing where there is none.

    >>> command(Keep("downloads/pier 2", "2.0.0"))
    "protypon keep 'downloads/pier 2' --release 2.0.0"
    """
    return "" if action is None else _command_text(action)


def sentence(text: Words | None) -> str:
    """A sentence with its commands written out."""
    if text is None or isinstance(text, str):
        return text or ""
    if isinstance(text, tuple):
        return "".join(part if isinstance(part, str) else _command_text(part) for part in text)
    return _command_text(text)


def with_commands(row: dict[str, Any]) -> dict[str, Any]:
    """A row of a report with its sentence and its next step written out; lists of rows in it likewise."""
    found = dict(row)
    for key, value in row.items():
        if isinstance(value, list) and value and isinstance(value[0], dict):
            found[key] = [with_commands(r) for r in value]
    for key in ("because", "next", "look"):
        if key in row:
            said = row[key]
            found[key] = said if isinstance(said, str) else sentence(unpack_words(said))
    return found


def _from_here(path: str) -> str:
    """A path as one would type it in the present folder."""
    here = os.getcwd() + os.sep
    return path.removeprefix(here)


def _option(name: str, value: str) -> tuple[str, ...]:
    return (f"--{name}", value) if value else ()


def _command_text(action: Action) -> str:
    match action:
        case Update(theme, to):
            return command_line("update", theme, *_option("to", to))
        case Mend(what, child):
            return command_line("mend", what, *_option("child", child))
        case Drop(unit, child):
            return command_line("drop", unit, *_option("child", child))
        case Lighten(child):
            return command_line("lighten", *_option("child", child))
        case Rescue(theme):
            return command_line("rescue", theme)
        case Settle(unit, child, why):
            return command_line("settle", unit, *_option("child", child), *_option("why", why))
        case Adopt(child):
            return command_line("adopt", child)
        case Override(unit, child, options):
            return command_line("override", unit, *options, *_option("child", child))
        case Check(child):
            return command_line("check", child)
        case Compare(unit, child, against):
            return command_line("compare", unit, *_option("child", child), *_option("against", against))
        case Explain(address, child):
            return command_line("explain", address, *_option("child", child))
        case Points(point, child):
            return command_line("points", point, *_option("child", child))
        case Survey(path, units):
            return command_line("survey", path, "--units" if units else "")
        case Keep(path, release):
            return command_line("keep", path, *_option("release", release))
        case Pack(child, release, despite):
            in_spite_of = (word for code in despite for word in ("--despite", code))
            return command_line("pack", child, *_option("release", release), *in_spite_of)
        case New(slug, parent):
            return command_line("new", slug, "--parent", parent)
        case Init(platform):
            return command_line("init", *_option("platform", platform))
        case Undo(step, to):
            return command_line("undo", step, *_option("to", to))
        case UndoList():
            return command_line("undo", "--list")
        case CheckStore():
            return command_line("store", "check")
        case RepairStore():
            return command_line("store", "repair")
        case ListPlatforms():
            return command_line("platform", "list")
        case ShowPlatform(name):
            return command_line("platform", "show", name)
        case CheckPlatform(file):
            return command_line("platform", "check", file)
        case Help(name):
            return command_line(name, "--help")
        case MovePath(path, to):
            return shlex.join(["mv", _from_here(path), _from_here(to)])
        case OpenInEditor(path):
            return f"${{EDITOR:-vi}} {shlex.quote(_from_here(path))}"
        case _:
            assert_never(action)
