"""What can be done next, as data: one class a command. Only :mod:`protypon.render.commands` writes one as it is typed."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any, ClassVar, dataclass_transform, get_args


@dataclass_transform(frozen_default=True)
class _Step:
    """What all share. As a frozen dataclass, which would take a tenth of start-up to make for twenty classes."""

    _fields: ClassVar[tuple[str, ...]] = ()

    def __init_subclass__(cls) -> None:
        cls._fields = tuple(vars(cls).get("__annotations__", ()))
        type.__setattr__(cls, "__match_args__", cls._fields)

    def __init__(self, *given: Any, **named: Any) -> None:
        values = dict(zip(self._fields, given, strict=False)) | named
        if len(given) > len(self._fields) or not values.keys() <= set(self._fields):
            raise TypeError(f"{type(self).__name__} takes {', '.join(self._fields) or 'nothing'}")
        for name in self._fields:
            if name not in values and not hasattr(type(self), name):
                raise TypeError(f"{type(self).__name__} wants {name}")
        self.__dict__.update(values)

    def __setattr__(self, name: str, value: Any) -> None:
        raise AttributeError(f"{type(self).__name__} does not change")

    def _values(self) -> tuple[Any, ...]:
        return tuple(getattr(self, name) for name in self._fields)

    def __eq__(self, other: object) -> bool:
        return type(self) is type(other) and isinstance(other, _Step) and self._values() == other._values()

    def __hash__(self) -> int:
        return hash((type(self), self._values()))

    def __repr__(self) -> str:
        return f"{type(self).__name__}({', '.join(map(repr, self._values()))})"


class Update(_Step):
    """Carry the overrides over to a release of a parent: the one that is here, or the one at ``to``."""

    theme: str
    to: str = ""


class Mend(_Step):
    """Take the mechanical step for a unit, or for a finding's code."""

    what: str
    child: str = ""


class Drop(_Step):
    """Take overrides out."""

    unit: str
    child: str = ""


class Lighten(_Step):
    """See which copies could be lighter overrides."""

    child: str = ""


class Rescue(_Step):
    """Turn what was edited in a parent into overrides."""

    theme: str


class Settle(_Step):
    """Write down that a change was seen and the child's stays."""

    unit: str
    child: str = ""
    why: str = ""


class Adopt(_Step):
    """Write down what a child overrides already."""

    child: str = ""


class Override(_Step):
    """Begin an override; ``options`` say how."""

    unit: str
    child: str = ""
    options: tuple[str, ...] = ()


class Check(_Step):
    """Look at all overrides again."""

    child: str = ""


class Compare(_Step):
    """See what both sides of an override changed; ``against`` is the path of a release that lies elsewhere."""

    unit: str
    child: str = ""
    against: str = ""


class Explain(_Step):
    """See what bears on one unit or page."""

    address: str
    child: str = ""


class Points(_Step):
    """See what runs at one point, or at all."""

    point: str = ""
    child: str = ""


class Survey(_Step):
    """See what stands in a folder, or in the bench."""

    path: str = ""
    units: bool = False


class Keep(_Step):
    """Keep a release."""

    path: str
    release: str = ""


class Pack(_Step):
    """Make the archive, in spite of some verdicts and findings."""

    child: str
    release: str = ""
    despite: tuple[str, ...] = ()


class New(_Step):
    """Start a child."""

    slug: str = "SLUG"
    parent: str = "SLUG"


class Init(_Step):
    """Start a bench; without a platform, the one of the themes that are there."""

    platform: str = ""


class Undo(_Step):
    """Take the last command back, or the one of a ``step``, or all after the step ``to``."""

    step: str = ""
    to: str = ""


class UndoList(_Step):
    """See which commands wrote."""


class CheckStore(_Step):
    """See what is wrong with the store."""


class RepairStore(_Step):
    """Mend the store."""


class ListPlatforms(_Step):
    """See which platforms ship."""


class ShowPlatform(_Step):
    """See a platform file: the bench's own, or one that ships."""

    name: str = ""


class CheckPlatform(_Step):
    """See every problem of a platform file."""

    file: str


class Help(_Step):
    """See what a command can be asked."""

    command: str


class MovePath(_Step):
    """Move a file or folder, by their absolute paths; no command of this program, but of the shell."""

    path: str
    to: str


class OpenInEditor(_Step):
    """Open a file in the person's editor, by its absolute path: what is wrong in it is for a person to mend."""

    path: str


Action = (
    Update
    | Mend
    | Drop
    | Lighten
    | Rescue
    | Settle
    | Adopt
    | Override
    | Check
    | Compare
    | Explain
    | Points
    | Survey
    | Keep
    | Pack
    | New
    | Init
    | Undo
    | UndoList
    | CheckStore
    | RepairStore
    | ListPlatforms
    | ShowPlatform
    | CheckPlatform
    | Help
    | MovePath
    | OpenInEditor
)
Words = str | Action | tuple[str | Action, ...]
"""A sentence, with actions where a command stands in it."""
_CLASSES = {cls.__name__: cls for cls in get_args(Action)}


def action_of(words: Words) -> Action | None:
    """The action that a sentence names, if it names one."""
    parts = words if isinstance(words, tuple) else (words,)
    return next((part for part in parts if not isinstance(part, str)), None)


def join_words(parts: Iterable[Words]) -> Words:
    """Several sentences as one, with semicolons between them."""
    found: list[str | Action] = []
    for part in parts:
        found += ["; "] if found else []
        found += part if isinstance(part, tuple) else [part]
    texts = [part for part in found if isinstance(part, str)]
    return "".join(texts) if len(texts) == len(found) else tuple(found)


def pack_words(words: Words | None) -> Any:
    """A sentence or action as plain data, as it goes to a cache."""
    if words is None or isinstance(words, str):
        return words
    if isinstance(words, tuple):
        return [pack_words(part) for part in words]
    values = {name: getattr(words, name) for name in words._fields}
    plain = {name: list(value) if isinstance(value, tuple) else value for name, value in values.items()}
    return {"do": type(words).__name__, **plain}


def unpack_words(data: Any) -> Any:
    """The inverse of :func:`pack_words`. Raises KeyError or TypeError for what it did not make."""
    if isinstance(data, list):
        return tuple(unpack_words(part) for part in data)
    if not isinstance(data, dict):
        return data
    values = {key: tuple(value) if isinstance(value, list) else value for key, value in data.items() if key != "do"}
    return _CLASSES[data["do"]](**values)
