"""What was worked out, held against what ran: only what was said for sure can be wrong."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass
from itertools import zip_longest
from typing import Any

from protypon.core.analysis.site import PageRun
from protypon.core.analysis.state import Halted, State, label_of
from protypon.core.analysis.values import Bound, ClassValue, Closure
from protypon.core.languages.values import Unknown, is_known, plain
from protypon.core.themes.reach import Location

Report = dict[str, Any]
STUB = "Protypon_Stub"
UNSURE = object()


@dataclass(frozen=True, slots=True)
class Difference:
    """One thing that was said for sure and did not come so."""

    about: str
    worked_out: str
    ran: str


def differences(state: State, page: PageRun | None, ran: Report, descending: bool) -> tuple[list[Difference], str]:
    """Every difference of one run; and where the run came to what nobody has, so that nothing can be held against it."""
    untried = _missing_place(ran)
    if untried:
        return [], untried
    fatal = list(_ends(state, ran))
    if fatal or ran["fatal"] or ran["ended"] or state.stopped is not None:
        return fatal, ""
    blind = bool(state.blind_about("points"))
    return [
        *declaration_differences(
            "function", {d.name: (d.site, d.doubt) for d in state.functions.values()}, ran["functions"], blind
        ),
        *(
            declaration_differences("class", dict(classes_of(state)), ran["classes"], blind)
            if ran["classes"] is not None
            else ()
        ),
        *points_of(state, ran["points"], descending),
        *_firings(state, ran, blind),
        *_values(state, ran),
        *_items(state, ran),
        *_defaults(state, ran),
        *_compare_names(
            "region", [m.name for m in state.regions], [bool(m.doubt) for m in state.regions], ran["regions"], blind
        ),
        *_compare_names(
            "variable",
            [m.name for m in state.provided],
            [bool(m.doubt) for m in state.provided],
            list(ran["given"]),
            blind,
        ),
        *_sheets(state, ran, blind),
        *_files(state, ran, blind),
        *(_templates(page, ran, blind) if page is not None else ()),
    ], ""


def _missing_place(ran: Report) -> str:
    """The place at which a run ended because of something that nobody has."""
    fatal = ran["fatal"]
    return f"{fatal[1]} line {fatal[2]}" if fatal and STUB in fatal[0] else ""


# The end


def _ends(state: State, ran: Report) -> Iterator[Difference]:
    stopped, fatal = state.stopped, ran["fatal"]
    ended = bool(fatal or ran["ended"])
    if stopped is not None and not ended:
        yield Difference("the end", f"the site stops at {_halt_words(stopped)}", "it went through to its end")
    elif stopped is None and ended and not (state.doubtful or state.blind_about("points")):
        yield Difference("the end", "it goes through to its end", _fatal(ran))
    elif stopped is not None and fatal and stopped.code == "declared-twice" and not _is_at(stopped, fatal):
        yield Difference("the end", f"the site stops at {_halt_words(stopped)}", _fatal(ran))


def _is_at(stopped: Halted, fatal: Any) -> bool:
    """Whether a run ended where it was said to: at that line, or at a mark above what stands there."""
    file, line = place_of(stopped)
    marked = stopped.site.path.endswith(".py") and fatal[2] < line
    return file == fatal[1] and (fatal[2] == line or marked)


def place_of(stopped: Halted) -> tuple[str, int]:
    """File and line where a run stopped."""
    return f"{stopped.site.theme}/{stopped.site.path}", stopped.site.line


def _halt_words(stopped: Halted) -> str:
    return f"{stopped.site.theme}/{stopped.site.path} line {stopped.site.line}: {stopped.because}"


def _fatal(ran: Report) -> str:
    return shown_fatal(ran["fatal"])


def shown_fatal(fatal: Any) -> str:
    """How a run ended that did not come to its end."""
    return (
        f"it ended at {fatal[1]} line {fatal[2]}: {fatal[0].splitlines()[0][:200]}"
        if fatal
        else "it ended before its time"
    )


# What is declared


def classes_of(state: State) -> Iterator[tuple[str, tuple[Any, str]]]:
    """The classes that a run left, but for those without a name: name, place, and the doubt about it."""
    for cls in state.classes.values():
        if isinstance(cls, ClassValue) and "class@" not in cls.name:
            yield cls.node.name, (Location(cls.file.theme, cls.file.path, cls.node.line), cls.doubt)


def declaration_differences(
    kind: str, found: dict[str, tuple[Any, str]], ran: Report, blind: bool
) -> Iterator[Difference]:
    """Where functions or classes were said to be declared otherwise than they were."""
    real = {name.lower(): (file, line) for name, (file, line) in ran.items()}
    for name, (site, doubt) in found.items():
        there = real.get(name.lower())
        place = (f"{site.theme}/{site.path}", site.line)
        if not doubt and (there is None or there[0] != place[0]):
            said = f"declared in {place[0]} line {place[1]}"
            yield Difference(
                f"{kind} {name}", said, f"declared in {there[0]} line {there[1]}" if there else "not there"
            )
    if not blind:
        mine = {name.lower() for name in found}
        for name, (file, line) in ran.items():
            if name.lower() not in mine:
                yield Difference(f"{kind} {name}", "not there", f"declared in {file} line {line}")


# Points


def label(target: object) -> str:
    """How a host calls a callback."""
    if isinstance(target, Closure) and not target.file.hoists:
        name, where = target.name or "<lambda>", f"{target.file.theme}/{target.file.path}"
        return f"{name} {where}" + ("" if target.name else f" {target.function.line}")
    if isinstance(target, Closure):
        return f"closure {target.file.theme}/{target.file.path} {target.function.line}"
    if isinstance(target, Bound):
        return f"{target.thing.cls}::{target.name}"
    return label_of(target)


def points_of(
    state: State, ran: Mapping[str, list[tuple[str, object]]], descending: bool, others: bool = False
) -> Iterator[Difference]:
    """Callbacks in order, point by point. With ``others``, code that is none of the lineage's may have attached more."""
    points = dict.fromkeys([*(c.point for c in state.callbacks), *ran])
    for point in points:
        if state.uncertain(point):
            continue
        mine: list[tuple[str, object]] = [(label(c.target), c.order) for c in state.at(point, descending)]
        real = [(str(name), order) for name, order in ran.get(point, [])]
        if any("?" in name for name, _ in mine):
            continue
        if others:
            known_as = {name.lower() for name, _ in mine}
            real = [row for row in real if row[0].lower() in known_as]
        if [(name.lower(), order) for name, order in mine] != [(name.lower(), order) for name, order in real]:
            yield Difference(f"point {point}", _rows(mine), _rows(real))


def _firings(state: State, ran: Report, blind: bool) -> Iterator[Difference]:
    """Every point that was fired, in order, with what ran there; nothing where one hangs on what can't be known."""
    fired = state.firings
    if blind or state.anywhere or state.doubtful or any(f.doubt or any(r.doubt for r in f.ran) for f in fired):
        return
    mine = [(f.point, [label(r.callback.target) for r in f.ran]) for f in fired]
    real = [(str(point), [str(name) for name in names]) for point, names in ran["rung"]]
    if any("?" in name for _, names in mine for name in names):
        return
    none: tuple[str, list[str]] = ("", [])
    for number, (one, other) in enumerate(zip_longest(mine, real, fillvalue=none), 1):
        if (one[0], [n.lower() for n in one[1]]) != (other[0], [n.lower() for n in other[1]]):
            yield Difference(f"firing {number}", _firing_words(one), _firing_words(other))
            return


def _firing_words(row: tuple[str, list[str]]) -> str:
    return f"{row[0]}: {', '.join(row[1]) or 'nothing'}" if row[0] else "no more"


def _rows(rows: Iterable[tuple[str, object]]) -> str:
    return ", ".join(f"{name} ({order})" for name, order in rows) or "nothing"


# Values


def comparable(value: object) -> object:
    """A value as JSON has it; UNSURE for what is not known, or has no such form."""
    found = plain(value)
    if not is_known(found):
        return UNSURE
    return _json(found)


def _json(value: object) -> object:
    if isinstance(value, str | int | float | bool | None):
        return value
    if isinstance(value, list | tuple):
        made: list[object] = [_json(item) for item in value]
        return UNSURE if UNSURE in made else made
    if isinstance(value, dict):
        table = {str(key): _json(item) for key, item in value.items()}
        if any(item is UNSURE for item in table.values()):
            return UNSURE
        return list(table.values()) if list(table) == [str(n) for n in range(len(table))] else table
    return UNSURE


def _values(state: State, ran: Report) -> Iterator[Difference]:
    if state.blind_about("values"):
        return
    for name, row in state.values.items():
        mine = UNSURE if row.doubt else comparable(row.value)
        if mine is not UNSURE and not same(mine, ran["values"].get(name)):
            yield Difference(f"value {name}", repr(mine), repr(ran["values"].get(name, "not set")))
    for name, value in ran["values"].items():
        if name not in state.values:
            yield Difference(f"value {name}", "not set", repr(value))


def _defaults(state: State, ran: Report) -> Iterator[Difference]:
    """Constants and global variables that are set only if they are not set yet."""
    for name, rows in state.defaults.items():
        mine = UNSURE if rows[0].doubt else comparable(rows[0].value)
        real = ran["globals" if name.startswith("$") else "constants"]
        if mine is not UNSURE and not same(mine, real.get(name.removeprefix("$"))):
            yield Difference(f"value {name}", repr(mine), repr(real.get(name.removeprefix("$"), "not set")))


def _items(state: State, ran: Report) -> Iterator[Difference]:
    if state.blind_about("items"):
        return
    real = {(kind, str(name)): value for kind, rows in ran["items"].items() for name, value in _entries(rows)}
    for (kind, name), row in state.items.items():
        mine = UNSURE if row.doubt else comparable(row.value)
        if not row.doubt and (kind, name) not in real:
            yield Difference(f"item {kind} {name}", "registered", "not there")
        elif mine is not UNSURE and not same(mine, real[kind, name]):
            yield Difference(f"item {kind} {name}", repr(mine), repr(real[kind, name]))


def _entries(rows: Any) -> Iterable[tuple[Any, Any]]:
    return rows.items() if isinstance(rows, dict) else enumerate(rows)


def same(mine: object, real: object) -> bool:
    """Whether a value that was worked out is the one that came; an empty list and an empty table are one."""
    if isinstance(mine, dict | list) and isinstance(real, dict | list) and not mine and not real:
        return True
    if isinstance(mine, list) and isinstance(real, list):
        return len(mine) == len(real) and all(map(same, mine, real))
    if isinstance(mine, dict) and isinstance(real, dict):
        return list(mine) == list(real) and all(same(mine[key], real[key]) for key in mine)
    return (type(mine) is type(real) and mine == real) or (
        isinstance(mine, float) and isinstance(real, int) and mine == real
    )


# What is named


def _compare_names(
    kind: str, names: list[str | Unknown], doubts: list[bool], real: list[Any], blind: bool
) -> Iterator[Difference]:
    sure = {n for n, doubt in zip(names, doubts, strict=True) if isinstance(n, str) and not doubt}
    for name in sorted(sure - {str(each) for each in real}):
        yield Difference(f"{kind} {name}", "there", "not there")
    if not blind and not any(isinstance(n, Unknown) for n in names):
        for name in sorted({str(each) for each in real} - {str(n) for n in names}):
            yield Difference(f"{kind} {name}", "not there", "there")


def _sheets(state: State, ran: Report, blind: bool) -> Iterator[Difference]:
    for (kind, handle), sheet in state.sheets.items():
        if sheet.doubt or not isinstance(sheet.path, str) or not isinstance(handle, str):
            continue
        does = "script" if kind == "script" else "sheet"
        there = ran["sheets"].get(does, {})
        row = there.get(handle) if isinstance(there, dict) else None
        mine = f"@{sheet.theme}/{sheet.path}" if sheet.theme else sheet.path
        if row is None:
            yield Difference(f"{does} {handle}", f"registered: {mine}", "not there")
        elif (row["file"], row["loads"]) != (mine, sheet.loads) and mine:
            yield Difference(
                f"{does} {handle}", f"{mine}, {_loads(sheet.loads)}", f"{row['file']}, {_loads(row['loads'])}"
            )


def _files(state: State, ran: Report, blind: bool) -> Iterator[Difference]:
    """Files that ran, each once, in the order in which they did; one that runs only perhaps may be left out."""
    mine = list(dict.fromkeys(f"{slug}/{path}" for slug, path in state.loaded))
    shown = {f"{slug}/{path}" for slug, path in state.shown}
    real = [file for file in ran["files"] if file in mine or file not in shown]
    if not blind and [file for file in mine if file in real] != real:
        yield Difference("files, in order", ", ".join(mine) or "none", ", ".join(real) or "none")


def _loads(loads: bool) -> str:
    return "it loads" if loads else "it does not load by itself"


def _templates(page: PageRun, ran: Report, blind: bool) -> Iterator[Difference]:
    mine = [f"{slug}/{path}" for slug, path in page.state.shown]
    real = list(dict.fromkeys(ran["templates"]))
    if page.template is not None and real and f"{page.template.theme.slug}/{page.template.path}" not in real:
        yield Difference("template of the page", f"{page.template.theme.slug}/{page.template.path}", real[0])
    strange = [file for file in real if file not in mine]
    if strange and not blind:
        yield Difference("templates of the page", ", ".join(dict.fromkeys(mine)) or "none", ", ".join(real))
