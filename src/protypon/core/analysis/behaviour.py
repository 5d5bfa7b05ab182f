"""What the code and templates of a child's lineage come to: worked out once, for the child and for its parents alone."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from functools import cached_property
from typing import NamedTuple, TypeVar, cast

from protypon.core.analysis import classes
from protypon.core.analysis.following import FOLLOWING
from protypon.core.analysis.holding import Way, ways_to
from protypon.core.analysis.machine import Machine
from protypon.core.analysis.site import PageRun, SiteRun
from protypon.core.analysis.state import Firing, State
from protypon.core.analysis.values import ClassValue
from protypon.core.languages.code import Code, Function, Invoke
from protypon.core.languages.registry import LANGUAGES, is_coded
from protypon.core.model.nouns import Lineage, Problem, Theme
from protypon.core.platform.meanings import Meaning, MeantCall, meant_calls
from protypon.core.platform.platform import FileRule, Platform
from protypon.core.themes.inheritance import Supply
from protypon.core.themes.page_kinds import PageKind, template_of
from protypon.core.themes.reach import Location
from protypon.core.themes.resolve import Resolver
from protypon.core.themes.snapshot import Snapshot

Made = TypeVar("Made")


class Said(NamedTuple):
    """One call with a meaning, and where it stands."""

    meant: MeantCall
    theme: Theme
    path: str
    template: bool

    @property
    def meaning(self) -> Meaning:
        """What the call means on the platform."""
        return self.meant.meaning

    @property
    def call(self) -> Invoke:
        """Follow a call of a value."""
        return self.meant.call

    @property
    def name(self) -> str | None:
        """The name that it is about, where that is a plain text."""
        return self.meant.name

    @property
    def place(self) -> Location:
        """Where the call stands."""
        return Location(self.theme.slug, self.path, self.call.line)


@dataclass(frozen=True)
class Behaviour:
    """One lineage."""

    lineage: Lineage
    platform: Platform
    resolver: Resolver
    snapshot: Snapshot
    alike: Behaviour | None = None
    """A lineage whose code does the same."""

    @cached_property
    def site(self) -> SiteRun:
        """The lineage, to be loaded and rendered."""
        return SiteRun(self.lineage, self.platform, self.resolver, self.snapshot)

    @cached_property
    def state(self) -> State:
        """After all code has loaded and the moments have passed."""
        return self.alike.state if self.alike is not None else self.site.load()

    @cached_property
    def broken(self) -> Problem | None:
        """Where a code file that loads does not parse: then the site stops, and nothing else can be said of its code."""
        for slug, path in dict.fromkeys(self.state.loaded):
            theme, rule = self.theme(slug), self.platform.rule_of(path)
            if theme is not None and rule is not None:
                for problem in self.snapshot.problems(theme, path, rule.language)[:1]:
                    return replace(problem, file=f"{slug}/{problem.file}")
        return None

    @property
    def uncertain(self) -> str:
        """Why nothing of the lineage's code can be told for sure: it is cut, or the site stops; empty where it can."""
        if self.lineage.cut:
            return f"{self.lineage.cut}, so what lies above it is not known"
        if self.broken is not None:
            return f"the site stops: {self.broken}"
        if self.state.stopped is not None:
            stopped = self.state.stopped
            other = (
                f", after {stopped.other.theme}/{stopped.other.path} line {stopped.other.line}" if stopped.other else ""
            )
            return f"the site stops at {stopped.site.theme}/{stopped.site.path} line {stopped.site.line}: {stopped.because}{other}"
        return ""

    def has_method(self, owner: str, name: str) -> bool:
        """Whether a class has a method of a name, or may have; one that no theme has declared may be anything."""
        machine = self._asking_machine
        if classes.find(machine, owner) is None:
            return True
        found = (classes.method(machine, owner, each) for each in (name, "__call", "__callStatic"))
        return any(each is not None for each in found)

    def methods_of(self, owner: str) -> tuple[str, ...]:
        """The methods of a class of the lineage, each with its class before it."""
        names = (each.file.code.functions[n].name for each in self.line_of(owner) for n in each.node.methods)
        return tuple(dict.fromkeys(f"{owner}::{name.rpartition('::')[2]}" for name in names))

    def line_of(self, owner: str) -> list[ClassValue]:
        """A class and all of the lineage that it inherits from, the nearest first; nothing for one that no theme has."""
        machine = self._asking_machine
        cls = classes.find(machine, owner)
        return classes.ancestry(machine, cls).classes if cls is not None else []

    def place_of_method(self, cls: ClassValue, name: str) -> Location | None:
        """Where a class itself declares a method."""
        found = classes.own_member(cls, name, ("method",))
        return Location(cls.file.theme, cls.file.path, found.line) if isinstance(found, Function) else None

    def ways_to(self, target: object) -> Iterator[Way]:
        """How other code can ask for an object of the lineage, the plainest first."""
        return ways_to((self.alike or self).site.loaded, target)

    @property
    def _asking_machine(self) -> Machine:
        """A machine that has come to this lineage's state, for questions that follow nothing."""
        machine = Machine(self.platform.code, FOLLOWING)
        machine.state = self.state
        return machine

    @cached_property
    def pages(self) -> tuple[PageRun, ...]:
        """A page of every kind that the lineage has a template for."""
        if self.alike is not None:
            return self.alike.pages
        kinds = (page.kind for page in self.page_kinds if template_of(self.resolver, page) is not None)
        return tuple(self.site.render(kind) for kind in kinds)

    @cached_property
    def page_kinds(self) -> tuple[PageKind, ...]:
        """Every kind of page of the platform, whether the lineage has a template for it or not."""
        return tuple(self.site.page_kinds.values())

    @cached_property
    def states(self) -> tuple[State, ...]:
        """The state after loading, and after each kind of page."""
        return (self.state, *(page.state for page in self.pages))

    @cached_property
    def firings(self) -> tuple[Firing, ...]:
        """Every firing: at the platform's moments, and on a page of every kind."""
        begun = self.state.firings
        return (*begun, *(firing for page in self.pages for firing in page.state.firings[page.begins :]))

    @cached_property
    def parents(self) -> Behaviour | None:
        """The same without the child: what its parent would do alone."""
        if len(self.lineage.themes) < 2:
            return None
        lineage = self.lineage
        rest = Lineage(lineage.themes[1:], lineage.missing, lineage.loop, lineage.broken, lineage.root)
        key = ("alone", *(f"{theme.folder} {theme.identity}" for theme in rest.themes))
        return self.once(key, lambda: self._alone(rest))

    def _alone(self, lineage: Lineage) -> Behaviour:
        alike = self.alike.parents if self.alike is not None else None
        resolver = Resolver(lineage, self.platform, self.snapshot, alike.resolver if alike is not None else None)
        return Behaviour(lineage, self.platform, resolver, self.snapshot, alike)

    def once(self, key: tuple[str, ...], make: Callable[[], Made]) -> Made:
        """What ``make`` makes, made once for all children that are checked together."""
        if key not in self.snapshot.worked_out:
            self.snapshot.worked_out[key] = make()
        return cast(Made, self.snapshot.worked_out[key])

    @property
    def speaks(self) -> bool:
        """Whether the platform file says anything of code."""
        return bool(self.platform.code.meanings)

    def code_of(self, theme: Theme, path: str) -> tuple[FileRule, Code] | None:
        """The rule of a file and what its code says; None for a file without code."""
        rule = self.platform.rule_of(path)
        if rule is None or not is_coded(rule.language) or path not in theme.files:
            return None
        return rule, self.snapshot.code(theme, path, rule.language)

    def code_files(self, theme: Theme) -> Iterator[tuple[str, Code]]:
        """The code files of a theme with what each says; templates are not among them, and are not read for it."""
        for path in self.platform.ruled(theme.files).code:
            found = self.code_of(theme, path)
            if found is not None:
                yield path, found[1]

    def theme(self, slug: str) -> Theme | None:
        """A theme of the lineage by its slug."""
        return next((t for t in self.lineage.themes if t.slug == slug), None)

    @cached_property
    def templates(self) -> tuple[Supply, ...]:
        """Every template that the platform comes to: by names in templates, and by what code asks for."""
        used = dict.fromkeys(self.resolver.templates.used)
        if any(not LANGUAGES[rule.language].extends for rule in self.platform.rules if rule.kind == "template"):
            used |= dict.fromkeys(place for state in self.states for place in state.shown)
        return tuple(Supply(theme, path) for slug, path in used if (theme := self.theme(slug)) is not None)

    @cached_property
    def said(self) -> tuple[Said, ...]:
        """Every call with a meaning, in all code files and in the templates that are used."""
        return tuple(self._find_calls())

    def _find_calls(self) -> Iterator[Said]:
        files = [(t, p, False) for t in self.lineage.themes for p in self.platform.ruled(t.files).code]
        files += [(s.theme, s.path, True) for s in self.templates if self._calls_something(s)]
        for theme, path, template in files:
            for each in self._said_in(theme, path):
                yield Said(each, theme, path, template)

    def _said_in(self, theme: Theme, path: str) -> list[MeantCall]:
        found = self.code_of(theme, path)
        if found is None:
            return []
        return self.once(("said", theme.files[path].digest), lambda: list(meant_calls(found[1], self.platform.code)))

    def _calls_something(self, supply: Supply) -> bool:
        """Whether a template can have a call with a meaning: most have none, and need not be parsed."""
        rule = self.platform.rule_of(supply.path)
        if rule is None or not LANGUAGES[rule.language].extends:
            return True
        called = self.snapshot.facts(supply.theme, supply.path, rule.language).calls
        return any(name in self.platform.code.calls for name in called)

    @cached_property
    def passing(self) -> frozenset[str]:
        """Points that pass a value on."""
        own = {p.name for p in self.platform.code.points if p.passes}
        return frozenset(own | {s.name for s in self.said if s.meaning.does == "fire" and s.meaning.passes and s.name})

    @cached_property
    def fired(self) -> dict[str, list[Said]]:
        """Point -> every place that fires it."""
        found: dict[str, list[Said]] = {}
        for each in self.said:
            if each.meaning.does == "fire" and each.name is not None:
                found.setdefault(each.name, []).append(each)
        return found
