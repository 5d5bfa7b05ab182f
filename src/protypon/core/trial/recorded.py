"""Recordings of a person's own test site, held against what was worked out."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from pathlib import Path
from typing import Any

from msgspec import Struct

from protypon.core.analysis.site import PageRun
from protypon.core.analysis.state import State
from protypon.core.files.folder import Folder, reading_named
from protypon.core.model.actions import Help
from protypon.core.model.errors import BadInput
from protypon.core.model.limits import RECORDING_BYTES
from protypon.core.model.nouns import Lineage, Theme
from protypon.core.model.paths import quote_path
from protypon.core.platform.platform import Platform
from protypon.core.trial.difference import (
    UNSURE,
    Difference,
    classes_of,
    comparable,
    declaration_differences,
    place_of,
    points_of,
    same,
    shown_fatal,
)

SOURCE = Path(__file__).parent / "recorder.php"
FORMAT = "protypon.recorded/1"


class Recording(Struct):
    """What PHP itself knew at the end of one request."""

    format: str
    page: str | None
    php: str
    fatal: tuple[str, str, int] | None
    files: list[str]
    functions: dict[str, tuple[str, int]]
    classes: dict[str, tuple[str, int]]
    constants: dict[str, Any]
    points: dict[str, list[tuple[str, Any]]] | None


def recorder(platform: Platform) -> bytes:
    """The file that a site loads first, with the expressions that the platform file has for its callbacks and its kind of page."""
    with reading_named(str(SOURCE), RECORDING_BYTES) as stream:
        text = stream.read()
    for mark, expression in ((b"POINTS", platform.record_points), (b"PAGE", platform.record_page)):
        if expression:
            text = text.replace(b"/*%s*/null/*END*/" % mark, expression.encode())
    return text


def read(path: str) -> Recording:
    """One recording. Raises BadInput for a file that is none."""
    import msgspec

    hint = ("they are made by what this writes: ", Help("recorder"))
    try:
        with reading_named(path, RECORDING_BYTES) as stream:
            found = msgspec.json.decode(stream.read(), type=Recording)
    except (OSError, msgspec.MsgspecError, ValueError, RecursionError) as error:
        raise BadInput(f"{quote_path(path)}: is no recording: {str(error)[:200]}", hint) from error
    if found.format != FORMAT:
        raise BadInput(f"{quote_path(path)}: the format is {found.format!r}, wanted is {FORMAT!r}", hint)
    return found


class _Places:
    """Where the themes of a lineage lie on the site: told by files whose paths end as theirs do."""

    def __init__(self, lineage: Lineage, recording: Recording) -> None:
        self.roots: dict[str, str] = {}
        every = [*recording.files, *(file for file, _ in (*recording.functions.values(), *recording.classes.values()))]
        for theme in lineage.themes:
            for file in every:
                root = self._root(theme, file)
                if root is not None:
                    self.roots[root] = theme.slug
                    break

    @staticmethod
    def _root(theme: Theme, file: str) -> str | None:
        head, found, path = file.rpartition(f"/{theme.slug}/")
        while found:
            if path in theme.files:
                return f"{head}/{theme.slug}/"
            head, found, more = head.rpartition(f"/{theme.slug}/")
            path = f"{more}/{theme.slug}/{path}"
        return None

    def theme_path(self, file: str) -> str | None:
        """A file as ``THEME/PATH``; None for one of no theme of the lineage."""
        for root, slug in self.roots.items():
            if file.startswith(root):
                return f"{slug}/{file[len(root) :]}"
        return None

    def of(self, rows: Mapping[str, tuple[str, int]]) -> dict[str, tuple[str, int]]:
        return {
            name: (place, line) for name, (file, line) in rows.items() if (place := self.theme_path(file)) is not None
        }


def differences(
    lineage: Lineage, platform: Platform, state: State, page: PageRun | None, recording: Recording
) -> tuple[list[Difference], str]:
    """Every difference of one recorded request; and why nothing could be held against it, if so."""
    places = _Places(lineage, recording)
    child = lineage.child.slug
    if not places.roots:
        return [], f"no file of {child} or its parents ran in it"
    found = list(_all(platform, state, recording, places))
    if page is not None and state.stopped is None and recording.fatal is None:
        found += _templates(platform, page, recording, places)
    return found, ""


def _templates(platform: Platform, page: PageRun, recording: Recording, places: _Places) -> Iterator[Difference]:
    """The templates that were shown, against those that the page comes to."""
    ran = [shown for file in recording.files if (shown := places.theme_path(file)) is not None]
    real = [shown for shown in ran if _kind(platform, shown) == "template"]
    mine = list(dict.fromkeys(f"{slug}/{path}" for slug, path in page.state.shown))
    own = f"{page.template.theme.slug}/{page.template.path}" if page.template is not None else "none"
    blind = bool(page.state.blind_about("points"))
    if (page.template is not None and own not in real) or (not blind and not set(real) <= set(mine)):
        yield Difference("templates of the page", ", ".join(mine) or "none", ", ".join(real) or "none")


def _all(platform: Platform, state: State, recording: Recording, places: _Places) -> Iterator[Difference]:
    fatal = recording.fatal
    stopped = state.stopped
    if stopped is not None and fatal is None:
        place = f"{place_of(stopped)[0]} line {place_of(stopped)[1]}"
        yield Difference("the end", f"the site stops at {place}: {stopped.because}", "it went through to its end")
    elif stopped is None and fatal is not None and not state.doubtful:
        where = places.theme_path(fatal[1]) or fatal[1]
        yield Difference("the end", "it goes through to its end", shown_fatal([fatal[0], where, fatal[2]]))
    if stopped is not None or fatal is not None:
        return
    blind = bool(state.blind_about("points"))
    ran = [shown for file in recording.files if (shown := places.theme_path(file)) is not None]
    mine = [f"{slug}/{path}" for slug, path in dict.fromkeys(state.loaded)]
    code = [shown for shown in ran if _kind(platform, shown) == "code"]
    if not blind and mine != code:
        yield Difference("code files, in order", ", ".join(mine) or "none", ", ".join(code) or "none")
    functions = {d.name: (d.site, d.doubt) for d in state.functions.values()}
    yield from declaration_differences("function", functions, places.of(recording.functions), blind)
    yield from declaration_differences("class", dict(classes_of(state)), places.of(recording.classes), blind)
    for name, rows in state.defaults.items():
        value = UNSURE if rows[0].doubt or name.startswith("$") else comparable(rows[0].value)
        real = recording.constants.get(name)
        if value is not UNSURE and not same(value, real):
            yield Difference(f"value {name}", repr(value), repr(real))
    if recording.points is not None:
        real_points = {
            point: [(_relative(name, places), order) for name, order in rows]
            for point, rows in recording.points.items()
        }
        yield from points_of(state, real_points, platform.code.numbers == "descending", others=True)


def _kind(platform: Platform, place: str) -> str:
    """What a file of a theme is, by the platform file."""
    rule = platform.rule_of(place.partition("/")[2])
    return rule.kind if rule is not None else ""


def _relative(label: str, places: _Places) -> str:
    """A function without a name by its place in a theme."""
    if not label.startswith("closure "):
        return label
    file, _, line = label.removeprefix("closure ").rpartition(" ")
    return f"closure {places.theme_path(file) or file} {line}"


def _names(path: str) -> list[str]:
    """What lies in a folder; nothing for what is none."""
    try:
        return Folder(path).names()
    except OSError:
        return []


def recordings_in(paths: Iterable[Path]) -> list[str]:
    """The recordings that are named: files, and all of a folder, the oldest first."""
    found: list[str] = []
    for path in paths:
        names = _names(str(path))
        here = sorted(f"{path}/{name}" for name in names if name.endswith(".json"))
        found += here or [str(path)]
    return found
