"""The kinds of unit: a folder each, behind Protocols, and a line here."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from importlib import import_module
from importlib.util import find_spec, resolve_name
from typing import NamedTuple, Protocol, cast, runtime_checkable

from protypon.core.model.evidence import Evidence
from protypon.core.model.nouns import Finding, Record, Release, Theme, Unit
from protypon.core.platform.platform import FileRule, Platform
from protypon.core.units.draft import Draft
from protypon.core.units.explaining import Table
from protypon.core.units.lightening import Lightening
from protypon.core.units.placing import Asked, Outcome
from protypon.core.units.printing import PrintedAt, PrintSource, Running, Sought, WayToChange
from protypon.core.units.steps import Mending, Removal, Taking
from protypon.core.units.world import World


class Kind(Protocol):
    """What the ``find`` of a kind offers."""

    @staticmethod
    def find(world: World) -> list[Evidence]:
        """Every override of this kind in a child, with what has become of it; comparisons are filled in later."""

    @staticmethod
    def supplied_units(world: World, theme: Theme) -> list[Unit]:
        """Every unit of this kind that a theme supplies and a child may override."""


class InCode(Kind, Protocol):
    """What the ``find`` of a kind that stands inside code offers besides."""

    OPTIONS: frozenset[str]
    """What can be asked of such a unit besides its name."""

    @staticmethod
    def place(draft: Draft, unit: Unit, asked: Asked) -> Outcome:
        """Write an override into the child's code. Raises ProtyponError with what stands in the way."""


class Explainer(Protocol):
    """The ``explain`` of a kind."""

    def units(self, world: World) -> Iterable[Unit]:
        """Every unit of the kind that can be asked about."""

    def taking(self, world: World, unit: Unit) -> tuple[str, ...] | None:
        """The options with which a child takes a unit over; None where it can't."""

    def tell(self, world: World, unit: Unit) -> Table:
        """What is in force, what it hides, what would be without it: fields of ``protypon.explain/1``."""


class Finder(Protocol):
    """The ``findings`` of a kind."""

    def find(self, world: World) -> Iterable[Finding]:
        """What the code and templates of a lineage would do wrong with such units."""


class Offering(Protocol):
    """The ``offers`` of a kind."""

    LABEL: str
    """What they are called together."""
    PLACE: int
    """Where they are told, counted from the first."""

    def names(self, world: World) -> list[str]:
        """What a theme's own code offers of them, as addresses name it."""


class Texts(Protocol):
    """The ``texts`` of a kind whose overrides are copies of parts of files."""

    def own(self, draft: Draft, record: Record) -> bytes | None:
        """The child's text, in the parent's words."""

    def in_release(self, world: World, release: Release, unit: Unit) -> bytes | None:
        """The text in a kept release."""

    def with_merged(self, draft: Draft, record: Record, text: bytes, label: str, records: list[Record]) -> Draft:
        """The child with another text where the copy stands; ``label`` is the release whose words it is in."""

    def under_new_name(self, world: World, text: bytes, old: Unit, new: Record) -> bytes | None:
        """What an override was taken from, under the name that the parent has for it now."""

    def settle_record(self, world: World, record: Record) -> Record:
        """The record as it is once what the parents do today is accepted."""


class Behind(Protocol):
    """The ``behind`` of a kind of which an override can stop the site."""

    def out_of_the_way(self, world: World, records: Iterable[Record]) -> World:
        """The child as it would be once what stops the site is mended, or out."""

    def is_its_doing(self, stopping: Unit, other: Evidence) -> bool:
        """Whether an override without a record is only there because that was done."""


class Loose(Protocol):
    """The ``loose`` of a kind of which something without a record can be mended."""

    def mend_draft(self, draft: Draft, unit: Unit | None, code: str) -> tuple[Draft, str]:
        """Mend one, or all that a finding's code is about: the draft, and what was done. Raises ProtyponError where nothing helps."""


class Former(Protocol):
    """The ``former`` of a kind of which ledgers had records of another form once."""

    def spelled_out(self, world: World) -> Iterable[tuple[Record, Unit, bytes | None]]:
        """Each record that another one stands for, the unit of that one, and the text that it was taken from."""


@runtime_checkable
class Prints(Protocol):
    """The ``prints`` of a kind whose units print something."""

    def sources(self, world: World, sought: Sought) -> Iterable[PrintSource]:
        """What such units print that may have the words, or elements of the selector, that are looked for."""

    def running(self, world: World, standing: PrintedAt) -> Running:
        """Whether something that a source of this kind prints is used."""


class Changing(Protocol):
    """The ``prints`` of any kind that has some."""

    def changes(self, world: World, standing: PrintedAt) -> Iterable[WayToChange]:
        """The ways in which an override of this kind changes what stands somewhere."""


class Lightens(Protocol):
    """The ``lighten`` of a kind by which a changed file can be said in less."""

    RANK: int
    """The one that goes stale least has the lowest, and is asked first."""

    def peel(self, state: Lightening) -> Lightening:
        """Say as much of a change as such overrides can; the same state where that is nothing. Raises ProtyponError."""


@runtime_checkable
class Fits(Protocol):
    """The ``lighten`` of a kind that can tell from two texts whether it may help."""

    def fits(self, platform: Platform, rule: FileRule, path: str, theirs: bytes, ours: bytes) -> bool:
        """Whether such overrides can say what a copy says otherwise than its original."""


class KindRow(NamedTuple):
    """One kind: where its folder is (a dot before those of this package), and what is so of all its units.

    The folder has ``find`` and ``explain``; a kind inside code has ``remove`` too (:class:`Removal`). It may have ``mend``
    (:class:`Mending`), ``findings`` (:class:`Finder`), ``offers`` (:class:`Offering`), ``texts`` (:class:`Texts`), ``behind``
    (:class:`Behind`), ``loose`` (:class:`Loose`), ``former`` (:class:`Former`), ``prints``
    (:class:`Prints`, :class:`Changing`) and ``lighten`` (:class:`Lightens`).
    """

    folder: str
    in_code: bool = True
    """They stand inside code or a template, and not in a file of their own."""
    texts: bool = False
    """An override is a copy of a text; of other kinds it is a claim."""
    does: str = ""
    """Of one that has no text of its own: what a call does that supplies one."""
    followed: bool = True
    """What is so of them hangs on what the code of a lineage does."""
    keyed: bool = False
    """They are keys of files, and the files are units of that kind too."""
    alone: bool = False
    """What an override says is a value or two, which does not tell from which release it was taken."""


FILE = "file"
KINDS: dict[str, KindRow] = {
    FILE: KindRow(".file", in_code=False, texts=True),
    "block": KindRow(".block", texts=True, followed=False),
    "function": KindRow(".function", texts=True),
    "class": KindRow(".class_", texts=True),
    "hook": KindRow(".hook"),
    "item": KindRow(".item", does="register"),
    "value": KindRow(".value", does="default"),
    "region": KindRow(".region", does="region"),
    "variable": KindRow(".variable", does="provide"),
    "setting": KindRow(".setting", texts=True, followed=False, keyed=True, alone=True),
    "text": KindRow(".text", texts=True, followed=False, keyed=True, alone=True),
    "rule": KindRow(".rule", texts=True, followed=False, alone=True),
}
"""The name of a kind inside code, or inside a template, is the one in its units' addresses; a file's units are called by the platform file."""


def kinds() -> list[Kind]:
    """The ``find`` of every kind."""
    return [cast(Kind, _part(row, "find")) for row in KINDS.values()]


def finders(*, followed: bool = True) -> list[Finder]:
    """The ``findings`` of all kinds that have some; without ``followed`` of those that do not hang on what code does."""
    rows = [row for row in KINDS.values() if followed or not row.followed]
    return [cast(Finder, found) for row in rows if (found := _part_if_there(row, "findings")) is not None]


def offerings() -> dict[str, Offering]:
    """The ``offers`` of all kinds that have some, in the order in which they are told."""
    parts = [(name, cast("Offering | None", _part_if_there(row, "offers"))) for name, row in KINDS.items()]
    found = [(name, module) for name, module in parts if module is not None]
    return dict(sorted(found, key=lambda pair: pair[1].PLACE))


def printing() -> dict[str, Prints]:
    """The ``prints`` of all kinds whose units print something."""
    parts = {name: _part_if_there(row, "prints") for name, row in KINDS.items()}
    return {name: part for name, part in parts.items() if isinstance(part, Prints)}


def changing() -> list[Changing]:
    """The ``prints`` of all kinds by which something that is printed can be changed."""
    parts = (_part_if_there(row, "prints") for row in KINDS.values())
    return [cast(Changing, part) for part in parts if part is not None]


def lightening() -> list[Lightens]:
    """The ``lighten`` of all kinds that have some, in the order in which they are asked."""
    parts = (_part_if_there(row, "lighten") for row in KINDS.values())
    return sorted((cast(Lightens, part) for part in parts if part is not None), key=lambda part: part.RANK)


def may_be_lighter(platform: Platform, rule: FileRule, path: str, theirs: bytes, ours: bytes) -> bool:
    """Whether some kind of override can say what a copy says otherwise than its original."""
    return any(isinstance(k, Fits) and k.fits(platform, rule, path, theirs, ours) for k in lightening())


def texts_of(kind: str) -> Texts | None:
    """How the copies of a kind inside code are handled; None for one whose overrides are claims."""
    return cast("Texts | None", _part_if_there(KINDS[kind], "texts"))


def behind_of(kind: str) -> Behind | None:
    """The ``behind`` of a kind, or None."""
    return cast("Behind | None", _part_if_there(KINDS[kind], "behind"))


def loose_of(kind: str) -> Loose | None:
    """The ``loose`` of a kind, or None."""
    return cast("Loose | None", _part_if_there(KINDS[kind], "loose"))


def spelled_out(world: World) -> Iterator[tuple[Record, Unit, bytes | None]]:
    """Each record that one of a form of earlier ledgers stands for, the unit of that one, and the text that it was taken from."""
    for row in KINDS.values():
        former = cast("Former | None", _part_if_there(row, "former"))
        if former is not None:
            yield from former.spelled_out(world)


def row_of(unit: Unit) -> KindRow:
    """What is so of a unit's kind. A file whose kind can be told key by key too is a file where no key is named."""
    row = KINDS.get(unit.kind, KINDS[FILE])
    return KINDS[FILE] if row.keyed and unit.name is None else row


def is_in_code(unit: Unit) -> bool:
    """Whether a unit stands inside code, or inside another file."""
    return row_of(unit).in_code


def has_text(unit: Unit) -> bool:
    """Whether an override of a unit is a copy of a text."""
    return row_of(unit).texts


def supplied_by(kind: str) -> str:
    """What a call does that supplies a unit of a kind; empty where that can't be told from one call."""
    return KINDS[kind].does


def is_followed(kind: str) -> bool:
    """Whether what is so of a kind hangs on what the code of a lineage does."""
    return kind in KINDS and KINDS[kind].followed


def is_part(unit: Unit) -> bool:
    """Whether an override of a unit is a copy of a part of a file."""
    return is_in_code(unit) and has_text(unit)


def kinds_in_code() -> list[str]:
    """The names of the kinds that stand inside code."""
    return [name for name, row in KINDS.items() if row.in_code]


def keys_of(world: World, theme: Theme) -> list[Unit]:
    """Every key of a theme's files that a child can set over it."""
    return [unit for name, row in KINDS.items() if row.keyed for unit in in_code(name).supplied_units(world, theme)]


def in_code(name: str) -> InCode:
    """The ``find`` of a kind inside code."""
    return cast(InCode, _part(KINDS[name], "find"))


def removal_of(name: str) -> Removal:
    """The ``remove`` of a kind."""
    return cast(Removal, _part(KINDS[name], "remove"))


def mend_of(name: str) -> Mending | None:
    """How a kind mends its overrides, where writing them anew is not all there is to it."""
    return cast("Mending | None", _part_if_there(KINDS[name], "mend"))


def explain_of(unit: Unit) -> Explainer:
    """The ``explain`` of a unit's kind."""
    return cast(Explainer, _part(row_of(unit), "explain"))


def explainers(code: bool) -> list[Explainer]:
    """The ``explain`` of all kinds; without ``code`` of those that stand in no code."""
    return [cast(Explainer, _part(row, "explain")) for row in KINDS.values() if code or not row.in_code]


def options_of() -> dict[str, frozenset[str]]:
    """What can be asked of the units of each kind."""
    found = {name: options for name in kinds_in_code() if (options := in_code(name).OPTIONS)}
    return found | {"template": frozenset({"--for"})}


def taken_out(draft: Draft, record: Record, others: list[Record]) -> Draft:
    """Take out what a record's override wrote; ``others`` are the records that stay.

    Raises ProtyponError where the code was changed so that it can't be told any more what belongs to it.
    """
    from protypon.core.units.taking_out import out_of

    kind = _part(KINDS[record.unit.kind], "remove")
    if isinstance(kind, Taking):
        return kind.out_of(draft, record, others)
    return out_of(draft, record, others, cast(Removal, kind))


def mend_draft(draft: Draft, record: Record, evidence: Evidence, others: list[Record]) -> tuple[Draft, Record, str]:
    """Carry out the mechanical next step of one override: the draft, its record, and what was done.

    Raises ProtyponError where there is none that works.
    """
    from protypon.core.units.mending import anew

    kind = record.unit.kind
    special = mend_of(kind)
    if special is not None:
        return special.mend_draft(draft, record, evidence, others)
    return anew(draft, record, evidence, others, in_code(kind).place, removal_of(kind))


def _part(row: KindRow, name: str) -> object:
    return import_module(f"{row.folder}.{name}", __package__)


def _part_if_there(row: KindRow, name: str) -> object | None:
    """A module that a kind need not have."""
    return _part(row, name) if find_spec(resolve_name(f"{row.folder}.{name}", __package__)) is not None else None
