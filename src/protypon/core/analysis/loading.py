"""The code of a lineage, loaded as the platform loads it, without running any."""

from __future__ import annotations

import sys
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from functools import partial
from typing import cast

from protypon.core.analysis import outside
from protypon.core.analysis.control import Leaving
from protypon.core.analysis.effects import fire
from protypon.core.analysis.following import FOLLOWING
from protypon.core.analysis.lookups import Lookups
from protypon.core.analysis.machine import Frame, Machine
from protypon.core.analysis.state import Detachment, Halted, Mark, Registered, State
from protypon.core.analysis.values import Env, File
from protypon.core.languages.code import Code, Lit, declared_in, declared_plainly
from protypon.core.languages.registry import coded_language, is_coded
from protypon.core.languages.semantics import Default, Semantics
from protypon.core.languages.values import Unknown, foreign
from protypon.core.model.limits import CODE_STEPS, CODE_TOTAL
from protypon.core.model.nouns import Lineage, Theme
from protypon.core.platform.platform import Platform
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

    def to_come(self) -> Mapping[tuple[str, str], tuple[str, str]]:
        """What a code file that every site loads declares in any case, with its theme and path: nothing else can have it, or the site would stop there."""
        key = ("to come", *(theme.identity for theme in self.lineage.themes))
        if key not in self.snapshot.worked_out:
            found: dict[tuple[str, str], tuple[str, str]] = {}
            for theme in self.lineage.themes:
                for path in self.platform.ruled(theme.files).code:
                    rule = self.platform.rule_of(path)
                    if rule is not None and rule.combine == "load" and is_coded(rule.language):
                        code = self.snapshot.code(theme, path, rule.language)
                        found |= dict.fromkeys(declared_plainly(code), (theme.slug, path))
            self.snapshot.worked_out[key] = found
        return cast("Mapping[tuple[str, str], tuple[str, str]]", self.snapshot.worked_out[key])

    def defaults(self) -> list[tuple[str, str, Default]]:
        """What the code of the lineage sets only if it is not set yet, by the language's own means: theme, path and which."""
        key = ("defaults", *(theme.identity for theme in self.lineage.themes))
        if key not in self.snapshot.worked_out:
            found: list[tuple[str, str, Default]] = []
            for theme in self.lineage.themes:
                for path in self.platform.ruled(theme.files).code:
                    rule = self.platform.rule_of(path)
                    if rule is not None and is_coded(rule.language):
                        rows = coded_language(rule.language).SEMANTICS.defaults_in(
                            self.snapshot.code(theme, path, rule.language)
                        )
                        shared = self.platform.code.scope == "shared"
                        found += [(theme.slug, path, row) for row in rows if shared or not row.local]
            self.snapshot.worked_out[key] = found
        return cast("list[tuple[str, str, Default]]", self.snapshot.worked_out[key])


class Loading:
    """One machine, and how it finds files."""

    def __init__(self, site: SiteSetting) -> None:
        self.site = site
        self.machine = Machine(site.platform.code, FOLLOWING)
        self.machine.most = min(CODE_STEPS, max(site.budget.left, 0))
        code = next((rule for rule in site.platform.rules if rule.kind == "code" and is_coded(rule.language)), None)
        self.semantics: Semantics = coded_language(code.language if code is not None else "jinja").SEMANTICS
        """Those of the language of code files."""
        self.machine.is_own = self.semantics.is_own
        self.machine.declared = self.site.declared
        self.machine.guarded = frozenset(row.name for _, _, row in site.defaults())
        self.machine.to_come = self.site.to_come
        self.machine.slugs = list(site.lineage.slugs)
        self.shared = Env(self.machine.globals) if site.platform.code.scope == "shared" else None
        """Where the variables at the top of all code files are kept, if they share them."""
        self.files = Lookups(self.machine, site.resolver, self.semantics)

    @property
    def state(self) -> State:
        """What has been loaded so far."""
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
        self.files.once = set(other.files.once)
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
        self._passed_over()
        rules, title = self.site.platform.code, self.site.platform.title
        for moment in rules.moments:
            self._fire(moment, [])
        for point in rules.points:
            if point.name not in rules.moments and any(c.point == point.name for c in self.state.callbacks):
                why = f"{title} fires {point.name} at a time of which its platform file says nothing"
                given: list[object] = [foreign("what the platform gives")] * point.arguments
                self.machine.control.perhaps(why, partial(self._fire, point.name, given))

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
                site = machine.last or place
                because = machine.reasons.get(site, "an error is raised that nothing catches")
                self.state.stopped = Halted("raises", "", because, site)
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
                self.files.load(theme, path, rule, self.shared)
                self.machine.apply_marks()

    def _passed_over(self) -> None:
        """What was not set because it was set already."""
        for slug, path, default in self.site.defaults():
            rows = self.state.defaults.get(default.name, [])
            site = Location(slug, path, default.line)
            if default.top and (slug, path) in self.state.loaded and rows and all(row.site != site for row in rows):
                value = default.value.value if isinstance(default.value, Lit) else Unknown("made at run time")
                rows.append(Registered(value, site))

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

    def _fire(self, moment: str, given: list[object]) -> None:
        child = self.site.lineage.child
        frame = Frame(File(child.slug, child.manifest, Code(), self.semantics), Env({}))
        self.machine.frames.append(frame)
        point = self.site.platform.code.point(moment)
        fire(self.machine, moment, given, bool(point and point.passes), frame)
        self.machine.frames.pop()
