"""The code of a lineage, loaded as the platform loads it, without running any."""

from __future__ import annotations

import sys
from collections.abc import Callable
from dataclasses import dataclass, field

from protypon.core.analysis import outside
from protypon.core.analysis.control import Leaving
from protypon.core.analysis.effects import GIVEN, fire
from protypon.core.analysis.following import FOLLOWING
from protypon.core.analysis.machine import Frame, Machine
from protypon.core.analysis.state import Detachment, Halted, Mark, State
from protypon.core.analysis.values import Env, File
from protypon.core.languages.code import Code, declared_in
from protypon.core.languages.registry import coded, is_coded
from protypon.core.languages.semantics import Semantics
from protypon.core.languages.values import Unknown, known
from protypon.core.model.limits import CODE_STEPS, CODE_TOTAL
from protypon.core.model.nouns import Lineage, Theme
from protypon.core.platform.meanings import Meaning
from protypon.core.platform.platform import FileRule, Platform
from protypon.core.themes.inheritance import Supply
from protypon.core.themes.reach import Location
from protypon.core.themes.resolve import Resolver
from protypon.core.themes.snapshot import Snapshot

RECURSION = 10_000
"""Calls of the interpreter that this runs on: following one call of a theme takes some twenty of them."""


@dataclass
class Budget:
    """Steps that are left for all runs of one site: what runs too long on one page does so on each."""

    left: int


@dataclass(frozen=True)
class SiteSetting:
    """One lineage on its platform."""

    lineage: Lineage
    platform: Platform
    resolver: Resolver
    snapshot: Snapshot
    budget: Budget = field(default_factory=lambda: Budget(CODE_TOTAL), compare=False)

    def declared(self) -> frozenset[tuple[str, str]]:
        """All functions and classes that some code file of the lineage declares."""
        key = ("declared", *(theme.identity for theme in self.lineage.themes))
        if key not in self.snapshot.worked_out:
            found: set[tuple[str, str]] = set()
            for theme in self.lineage.themes:
                for path in self.platform.ruled(theme.files).code:
                    rule = self.platform.rule_of(path)
                    if rule is not None and is_coded(rule.language):
                        found |= declared_in(self.snapshot.code(theme, path, rule.language))
            self.snapshot.worked_out[key] = frozenset(found)
        made = self.snapshot.worked_out[key]
        assert isinstance(made, frozenset)
        return made


class Loading:
    """One machine, and how it finds files."""

    def __init__(self, site: SiteSetting) -> None:
        self.site = site
        self.machine = Machine(site.platform.code, FOLLOWING)
        self.machine.most = min(CODE_STEPS, max(site.budget.left, 0))
        code = next((rule for rule in site.platform.rules if rule.kind == "code" and is_coded(rule.language)), None)
        self.semantics: Semantics = coded(code.language if code is not None else "jinja").SEMANTICS
        """Those of the language of code files."""
        self.machine.is_own = self.semantics.is_own
        self.machine.declared = self.site.declared
        self.machine.slugs = list(site.lineage.slugs)
        self.once: set[tuple[str, str]] = set()
        self.machine.lookups = {
            "folder": self._folder,
            "pull": self._pull,
        }  # fmt: skip

    @property
    def state(self) -> State:
        return self.machine.state

    @property
    def can_be_copied(self) -> bool:
        """Whether loading came to a state that hangs on no kind of page, and that a page can't change from afar."""
        machine = self.machine
        return not (machine.page_asked or machine.buffers or machine.out_of_order or self.state.stopped)

    def go_on_from(self, other: Loading) -> Loading:
        """Begin with what another run has loaded. What is written to memory from here on has to be taken back before others go on."""
        machine, loaded = self.machine, other.machine
        machine.state, machine.out, machine.steps = loaded.state.copy(), list(loaded.out), loaded.steps
        machine.control, machine.memory = loaded.control, loaded.memory
        machine.watch_loops()
        machine.globals, machine.kept, machine.effectful = loaded.globals, loaded.kept, loaded.effectful
        machine.things, machine.boxes, machine.references = (
            list(loaded.things),
            list(loaded.boxes),
            list(loaded.references),
        )
        machine.handed_out = list(loaded.handed_out)
        machine.waiting_marks = list(loaded.waiting_marks)
        machine.most = min(CODE_STEPS, loaded.steps + max(self.site.budget.left, 0))
        self.once = set(other.once)
        return self

    # Code files

    def load(self) -> Loading:
        """Load all code, and let the platform's moments pass."""
        themes = list(self.site.lineage.themes)
        if self.site.platform.code.order == "parent-first":
            themes.reverse()
        self.follow(lambda: self._load(themes))
        self.follow(lambda: outside.again(self.machine))
        return self

    def _load(self, themes: list[Theme]) -> None:
        for theme in themes:
            self._load_theme(theme)
        self._manifests()
        for moment in self.site.platform.code.moments:
            self._fire(moment)

    def follow(self, run: Callable[[], object]) -> None:
        """Run something to its end; where the site stops before, that is noted."""
        machine = self.machine
        place = Location(self.site.lineage.child.slug, self.site.lineage.child.manifest, 0)
        sys.setrecursionlimit(max(sys.getrecursionlimit(), RECURSION))
        try:
            run()
        except Halted as halted:
            self.state.stopped = halted
        except Leaving as leaving:
            if leaving.kind == "raise":
                self.state.stopped = Halted(
                    "raises", "", "an error is raised that nothing catches", machine.last or place
                )
            elif leaving.kind == "exit":
                self.state.stopped = Halted("ends", "", "the program is ended", machine.last or place)
        except RecursionError:
            machine.frames.append(Frame(File(place.theme, place.path, Code(), self.semantics), Env({})))
            machine.give_up("is nested too deeply to be followed")
            machine.frames.pop()
        machine.control.forget()

    def _load_theme(self, theme: Theme) -> None:
        for path in sorted(theme.files):
            rule = self.site.platform.rule_of(path)
            if rule is not None and rule.kind == "code" and rule.combine == "load":
                self._load_file(theme, path, rule, None)
                self.machine.apply_marks()

    def _load_file(self, theme: Theme, path: str, rule: FileRule, env: Env | None) -> object:
        self.once.add((theme.slug, path))
        self.state.loaded.append((theme.slug, path))
        return self.machine.run_file(self.file(theme, path, rule), env or self.machine.scope())

    def file(self, theme: Theme, path: str, rule: FileRule) -> File:
        """What a file says, as it is run."""
        if not is_coded(rule.language):
            return File(theme.slug, path, Code(), self.semantics)
        code = self.site.snapshot.code(theme, path, rule.language)
        return File(theme.slug, path, code, coded(rule.language).SEMANTICS)

    def _manifests(self) -> None:
        """Detachments that stand in manifests: ``point#callback``, whatever the order number."""
        for theme in reversed(self.site.lineage.themes):
            for row in theme.values.get("detached", ()):
                point, _, name = row.partition("#")
                place = Location(theme.slug, theme.manifest, 0)
                hit = tuple(
                    c
                    for c in self.state.callbacks
                    if c.point == point and c.label.lower() == name.lower() and c.gone is None
                )
                detachment = Detachment(point, name, None, place, "loading", len(self.state.callbacks), hit, "")
                self.state.detachments.append(detachment)
                for callback in hit:
                    callback.gone = detachment
            declared = Location(theme.slug, theme.manifest, 0)
            self.state.regions += [Mark(name, declared) for name in theme.values.get("regions", ())]

    def _fire(self, moment: str) -> None:
        child = self.site.lineage.child
        frame = Frame(File(child.slug, child.manifest, Code(), self.semantics), Env({}))
        self.machine.frames.append(frame)
        point = self.site.platform.code.point(moment)
        fire(self.machine, moment, [], bool(point and point.passes), frame)
        self.machine.frames.pop()

    def _pull(self, name: object, meaning: Meaning, frame: Frame) -> object:
        """A code file that another one asks for."""
        if not isinstance(name, str) or not known(name):
            self.machine.note_blind("pulls in a file whose name is made at run time")
            return Unknown()
        supply = self._beside(name, frame) if meaning.look == "beside" else self._nearest(name)
        if supply is None:
            return Unknown(f"{name} is not here")
        rule = self.site.platform.rule_of(supply.path)
        place = (supply.theme.slug, supply.path)
        if rule is None or (meaning.once and place in self.once) or self.state.loaded.count(place) > 3:
            return True if meaning.look == "beside" else GIVEN
        self.state.pulled.setdefault(place, self.machine.site())
        env = frame.env if meaning.look == "beside" else None
        found = self._load_file(supply.theme, supply.path, rule, env)
        return (1 if found is None else found) if meaning.look == "beside" else GIVEN

    def _folder(self, meaning: Meaning, frame: Frame) -> str:
        """A theme's folder, written as no real path begins."""
        return f"\0{frame.file.theme if meaning.look == 'beside' else self.site.lineage.child.slug}"

    def _nearest(self, name: str) -> Supply | None:
        return next((Supply(t, name) for t in self.site.lineage.themes if name in t.files), None)

    def _beside(self, name: str, frame: Frame) -> Supply | None:
        if not name.startswith("\0"):
            slug, path = frame.file.theme, f"{frame.file.path.rpartition('/')[0]}/{name}"
        else:
            slug, _, path = name[1:].partition("/")
        theme = next((t for t in self.site.lineage.themes if t.slug == slug), None)
        parts: list[str] = []
        for part in path.split("/"):
            if part == ".." and parts:
                parts.pop()
            elif part not in ("", ".", ".."):
                parts.append(part)
        clean = "/".join(parts)
        return Supply(theme, clean) if theme is not None and clean in theme.files else None
