"""How files are found and run: by the calls of a platform, and by what a language itself has for it."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from functools import partial

from protypon.core.analysis.effects import GIVEN
from protypon.core.analysis.machine import Frame, Machine, Roles
from protypon.core.analysis.memory import join
from protypon.core.analysis.state import Halted, MissingFile
from protypon.core.analysis.values import Env, File
from protypon.core.languages.code import Code
from protypon.core.languages.registry import coded_language, is_coded
from protypon.core.languages.semantics import Pull, Semantics
from protypon.core.languages.values import (
    ADDRESS,
    FOLDER,
    Alias,
    Box,
    ThemePath,
    Unknown,
    foreign,
    in_theme,
    join_texts,
    path_in_theme,
)
from protypon.core.model.limits import PERHAPS_FILES, TEMPLATES_DEEP
from protypon.core.model.nouns import Theme
from protypon.core.model.paths import FILE, RUNNABLE
from protypon.core.model.paths import FOLDER as FOLDER_MODE
from protypon.core.platform.meanings import Meaning
from protypon.core.platform.platform import FileRule
from protypon.core.themes.inheritance import Supply
from protypon.core.themes.resolve import Resolver

TURNS = 3
"""How often one file is followed that is run again and again."""


@dataclass(frozen=True, slots=True)
class Hit:
    """What a name stands for: one file for sure, or any of some."""

    sure: Supply | None = None
    perhaps: tuple[Supply, ...] = ()
    why: str = ""
    """Why it can't be told; with no file that it may be, it may be anything."""


class Lookups:
    """The files of one lineage, for one run."""

    def __init__(self, machine: Machine, resolver: Resolver, semantics: Semantics) -> None:
        self.machine, self.resolver, self.semantics = machine, resolver, semantics
        self.themes = resolver.lineage.themes
        self.once: set[tuple[str, str]] = set()
        self.render: Callable[[Supply, dict[object, object]], None] = self._run_template
        self.rendering: list[tuple[str, str]] = []
        machine.finds = {
            "folder": partial(self._folder, FOLDER),
            "address": partial(self._folder, ADDRESS),
            "find": self._find,
            "pull": self._pull,
            "part": self._part,
            "include": self._include,
            "has": self._has,
        }

    # Names

    def _names(self, meaning: Meaning, roles: Roles) -> list[str | Unknown]:
        """The paths that a call tries, in order; where it stands is noted."""
        self.machine.state.asked.add(self.machine.site())
        given = roles.get("file")
        inside = given.value if isinstance(given, Box | Alias) else given
        files = (
            list(inside.values())
            if isinstance(inside, dict)
            else inside
            if isinstance(inside, list | tuple)
            else [inside]
        )
        return [name for file in files for name in _candidate_paths(meaning, {**roles, "file": file})]

    def _hit(self, meaning: Meaning, roles: Roles) -> Hit:
        names = self._names(meaning, roles)
        rounds = [[theme] for theme in self.themes] if meaning.nearest == "theme" else [list(self.themes)]
        hits = [self._among(names, themes) for themes in rounds]
        perhaps: list[Supply] = []
        why = ""
        for hit in hits:
            perhaps += hit.perhaps
            why = why or hit.why
            if hit.sure is not None or (hit.why and not hit.perhaps):
                return Hit(hit.sure) if not perhaps else Hit(None, (*perhaps, *([hit.sure] if hit.sure else [])), why)
        return Hit(None, tuple(perhaps), why)

    def _among(self, names: list[str | Unknown], themes: list[Theme]) -> Hit:
        """The first file of some themes that one of the names stands for."""
        perhaps: dict[tuple[str, str], Supply] = {}
        why = ""
        for name in names:
            place = path_in_theme(name)
            if place is not None:
                found = self._at(place.theme, place.path)
            elif isinstance(name, Unknown):
                why = why or f"{self.machine.place} names a file at run time"
                for supply in self._that_may_be(name, themes):
                    perhaps.setdefault((supply.theme.slug, supply.path), supply)
                continue
            else:
                found = self._nearest(name, themes)
            if found is not None:
                if not why:
                    return Hit(found)
                perhaps.setdefault((found.theme.slug, found.path), found)
                break
        if len(perhaps) > PERHAPS_FILES:
            return Hit(None, (), why)
        return Hit(None, tuple(perhaps.values()), why)

    def _that_may_be(self, name: Unknown, themes: list[Theme]) -> Iterator[Supply]:
        paths = dict.fromkeys(path for theme in themes for path in theme.files if name.may_be(path))
        for path in paths:
            found = self._nearest(path, themes)
            if found is not None:
                yield found

    def _nearest(self, path: str, themes: list[Theme]) -> Supply | None:
        rule = self.resolver.platform.rule_of(path)
        if rule is not None and rule.lookup == "name":
            here = {theme.slug for theme in themes}
            return next((s for s in self.resolver.ranking(path, rule) if s.theme.slug in here), None)
        return next((Supply(theme, path) for theme in themes if path in theme.files), None)

    def _at(self, slug: str, path: str) -> Supply | None:
        theme = next((t for t in self.themes if t.slug == slug), None)
        return Supply(theme, path) if theme is not None and path in theme.files else None

    # Folders and addresses

    def _folder(self, sign: str, meaning: Meaning, roles: Roles, frame: Frame) -> object:
        """A theme's folder or address, or that of a file in it."""
        slug = self._meant_path(meaning.of, frame)
        file = roles.get("file")
        if slug is None:
            return foreign("the folder of a parent that is not there")
        if file is None or file == "":
            return in_theme(sign, slug)
        return join_texts([in_theme(sign, slug), "/" if not str(file).startswith("/") else "", file])

    def _meant_path(self, of: str, frame: Frame) -> str | None:
        if of == "asking":
            return frame.file.theme
        number = 1 if of == "parent" else 0
        return self.themes[number].slug if number < len(self.themes) else None

    def _find(self, meaning: Meaning, roles: Roles, frame: Frame) -> object:
        """The path or address of a file that is looked for from the child on."""
        hit = self._hit(meaning, roles)
        sign = ADDRESS if meaning.gives == "address" else FOLDER
        if hit.sure is not None:
            return in_theme(sign, hit.sure.theme.slug, hit.sure.path)
        if hit.why and hit.perhaps:
            return join([in_theme(sign, s.theme.slug, s.path) for s in hit.perhaps], hit.why)
        return foreign(hit.why) if hit.why else foreign("what is given where no theme has a file")

    def _has(self, path: object, what: str) -> bool | Unknown:
        """Whether a theme has something at a path; of what it has not, only code and templates are surely made by nobody while the site runs."""
        place = path_in_theme(path)
        theme = next((t for t in self.themes if place is not None and t.slug == place.theme), None)
        unsure = foreign("whether there is a file")
        if place is None or theme is None or place.sign != FOLDER:
            return unsure
        entry = theme.files.get(place.path)
        if entry is not None and entry.mode != FOLDER_MODE:
            return what != "folder" if entry.mode in (FILE, RUNNABLE) else unsure
        if entry is not None or not place.path or any(other.startswith(place.path + "/") for other in theme.files):
            return what != "file"
        rule = self.resolver.platform.rule_of(place.path)
        return False if rule is not None and rule.kind in ("code", "template") else unsure

    # Running files

    def _pull(self, meaning: Meaning, roles: Roles, frame: Frame) -> object:
        """A code file that is looked for from the child on."""
        hit = self._hit(meaning, roles)
        if hit.why and not hit.perhaps:
            self.machine.note_blind("pulls in a file whose name is made at run time")
            return foreign(hit.why)
        return self._each(hit, lambda supply: self._run(supply, meaning.once, None, frame))

    def _include(self, name: object, how: Pull, frame: Frame) -> object:
        """The file at just this path; it sees the variables of the place that asks for it."""
        machine = self.machine
        machine.state.asked.add(machine.site())
        place = self._beside(name, frame) if isinstance(name, str) else path_in_theme(name)
        if place is not None:
            supply = self._at(place.theme, place.path)
        elif isinstance(name, Unknown) and (hit := self._inside_a_theme(name)).perhaps:
            return self._each(hit, lambda found: self._run(found, how.once, frame.env, frame))
        else:
            machine.note_blind("pulls in a file whose name is made at run time")
            return foreign("a file whose name is made at run time")
        if supply is None:
            return self._missing(place, how) if not isinstance(name, str) else foreign(f"{name} is not here")
        found = self._run(supply, how.once, frame.env, frame)
        return 1 if found is None else found

    def _missing(self, place: ThemePath, how: Pull) -> object:
        """A file that a theme has not, asked for at a fixed path."""
        machine = self.machine
        if all(theme.slug != place.theme for theme in self.themes):
            return foreign("a file of another theme")
        if machine.doubt:
            return foreign("a file that is not here, and is asked for only perhaps")
        machine.state.missing.append(MissingFile(machine.site(), place.theme, place.path, how.needed, machine.doubt))
        if how.needed:
            because = f"it asks for {place.path}, which {place.theme} has not"
            machine.halt(Halted("file-missing", "", because, machine.site()))
        return False

    def _inside_a_theme(self, name: Unknown) -> Hit:
        """The files of the theme in which a path surely lies that it may mean."""
        head = name.shape[0] if name.shape else None
        if head is None or head[:1] != FOLDER or "/" not in head:
            return Hit()
        slug, _, start = head[1:].partition("/")
        theme = next((t for t in self.themes if t.slug == slug), None)
        inside = Unknown(name.why, (start, *name.shape[1:]))
        files = [Supply(theme, path) for path in theme.files if inside.may_be(path)] if theme is not None else []
        return (
            Hit(None, tuple(files), f"{self.machine.place} names a file at run time")
            if len(files) <= PERHAPS_FILES
            else Hit()
        )

    def _beside(self, name: str, frame: Frame) -> ThemePath | None:
        return path_in_theme(Unknown("", (f"{frame.file.folder.shape[0]}/{name}",)))

    def _each(self, hit: Hit, run: Callable[[Supply], object]) -> object:
        """Run the file that is meant, or each that may be."""
        if hit.sure is not None:
            run(hit.sure)
            return GIVEN
        for supply in hit.perhaps:
            self.machine.control.perhaps(hit.why, partial(run, supply))
        return foreign(hit.why) if hit.why else foreign("no theme has the file")

    def _run(self, supply: Supply, once: bool, env: Env | None, frame: Frame) -> object:
        rule = self.resolver.platform.rule_of(supply.path)
        if rule is None and env is not None:
            rule = FileRule("code", (), frame.file.semantics.LANGUAGE)
        state, place = self.machine.state, (supply.theme.slug, supply.path)
        if rule is None or (once and place in self.once) or state.loaded.count(place) > TURNS:
            return True
        state.pulled.setdefault(place, self.machine.site())
        return self.load(supply.theme, supply.path, rule, env)

    def load(self, theme: Theme, path: str, rule: FileRule, env: Env | None) -> object:
        """Run a code file; what it returns."""
        state = self.machine.state
        self.once.add((theme.slug, path))
        state.loaded.append((theme.slug, path))
        if rule.kind == "template":
            state.shown.append((theme.slug, path))
        return self.machine.run_file(self.file(theme, path, rule), env or self.machine.scope())

    def file(self, theme: Theme, path: str, rule: FileRule) -> File:
        """What a file says, as it is run."""
        if not is_coded(rule.language):
            return File(theme.slug, path, Code(), self.semantics)
        return File(
            theme.slug,
            path,
            self.resolver.snapshot.code(theme, path, rule.language),
            coded_language(rule.language).SEMANTICS,
        )

    # Templates

    def _part(self, meaning: Meaning, roles: Roles, frame: Frame) -> object:
        """A template that code or another template shows."""
        hit = self._hit(meaning, roles)
        if hit.why and not hit.perhaps:
            self.machine.note_blind("includes a template whose name is made at run time")
            return GIVEN
        handed = self._passed_variables(roles.get("variables"))
        for supply in (hit.sure, *hit.perhaps):
            if supply is not None:
                place, site = (supply.theme.slug, supply.path), self.machine.site()
                self.machine.state.pulled.setdefault(place, site)
                names = self.machine.state.handed.setdefault(place, {})
                names |= {str(name).removeprefix(self.semantics.SIGN): site for name in handed}
        return self._each(hit, lambda supply: self.template(supply, handed))

    def _passed_variables(self, given: object) -> dict[object, object]:
        inside = given.value if isinstance(given, Box | Alias) else given
        sign = self.semantics.SIGN
        return {f"{sign}{name}": value for name, value in inside.items()} if isinstance(inside, dict) else {}

    def template(self, supply: Supply, handed: dict[object, object]) -> None:
        """Show one template, unless it is being shown already."""
        place = (supply.theme.slug, supply.path)
        if place in self.rendering or len(self.rendering) > TEMPLATES_DEEP:
            return
        self.rendering.append(place)
        self.machine.state.shown.append(place)
        try:
            self.render(supply, handed)
        finally:
            self.rendering.pop()

    def _run_template(self, supply: Supply, handed: dict[object, object]) -> None:
        rule = self.resolver.platform.rule_of(supply.path)
        if rule is not None:
            self.machine.run_file(self.file(supply.theme, supply.path, rule), Env({**self.variables(), **handed}))

    def variables(self) -> dict[object, object]:
        """What every template gets: from the platform, and from code that provides more."""
        rules, sign = self.resolver.platform.code, self.semantics.SIGN
        found: dict[object, object] = {
            sign + name: foreign(f"{name}, which the site provides") for name in rules.variables
        }
        for mark in self.machine.state.provided:
            if isinstance(mark.name, str):
                found[sign + mark.name] = Unknown(mark.doubt) if mark.doubt else mark.value
        return found


def _candidate_paths(meaning: Meaning, roles: Roles) -> Iterator[str | Unknown]:
    """The paths of one name, each as its pattern makes it; a pattern with a role that is not given does not count."""
    file = roles.get("file")
    if path_in_theme(file) is not None:
        assert isinstance(file, Unknown)
        yield file
        return
    for pattern in meaning.patterns:
        pieces = [roles.get(piece[1:-1]) if piece[:1] == "{" else piece for piece in pattern]
        if all(piece not in (None, "", False) for piece in pieces):
            made = join_texts([str(piece) if isinstance(piece, int) else piece for piece in pieces])
            if isinstance(made, str | Unknown):
                yield made
