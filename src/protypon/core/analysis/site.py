"""A whole site: the code of a lineage loaded as the platform loads it, and its pages rendered, all without running theme code."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any, NamedTuple, Protocol

from protypon.core.analysis.effects import EFFECTS, fire
from protypon.core.analysis.expressions import EXPRESSIONS
from protypon.core.analysis.machine import Frame, Machine
from protypon.core.analysis.state import Detachment, Halted, Mark, State
from protypon.core.analysis.values import Env, File, Unknown, known
from protypon.core.languages.code import Code
from protypon.core.languages.registry import LANGUAGES, coded, is_coded
from protypon.core.model.limits import CODE_STEPS, CODE_TOTAL
from protypon.core.model.nouns import Lineage, Theme
from protypon.core.platform.meanings import Meaning, PageKind
from protypon.core.platform.platform import FileRule, Platform
from protypon.core.themes.reach import Location, Supply
from protypon.core.themes.resolve import Resolver


class CodeSources(Protocol):
    """What a run must know of file contents."""

    def code(self, theme: Theme, path: str, language: str) -> Code: ...


class PageRun(NamedTuple):
    """A page as it would come out."""

    kind: str
    template: Supply | None
    """Its template; None where no theme has one."""
    state: State
    out: list[str | Unknown]
    begins: int
    """How many firings there were before the page began."""
    used: tuple[tuple[str, str], ...] = ()
    """(theme, path) of every template that it comes to, in order."""


@dataclass
class Budget:
    """Steps that are left for all runs of one site: what runs too long on one page does so on each."""

    left: int


@dataclass(frozen=True)
class SiteRun:
    """One lineage on its platform."""

    lineage: Lineage
    platform: Platform
    resolver: Resolver
    sources: CodeSources
    budget: Budget = field(default_factory=lambda: Budget(CODE_TOTAL), compare=False)

    def load(self) -> State:
        """The state when all code has loaded and the platform's moments have passed."""
        return self._loaded.state

    @cached_property
    def _loaded(self) -> _Run:
        run = _Run(self).load()
        self.budget.left -= run.machine.steps
        return run

    def _begun(self, kind: str) -> _Run:
        """A run with all code loaded, for a page of a kind; loaded anew only where that hung on the kind."""
        run = _Run(self)
        run.machine.page_kind = kind
        return run.go_on_from(self._loaded) if self._loaded.can_be_copied else run.load()

    def render(self, kind: str) -> PageRun:
        """The state after a page of a kind."""
        run = self._begun(kind)
        before = run.machine.steps if self._loaded.can_be_copied else 0
        begins = len(run.state.firings)
        template = page_template(self.resolver, self.platform, kind)
        if template is not None and run.state.stopped is None:
            run.page(template)
        self.budget.left -= run.machine.steps - before
        return PageRun(kind, template, run.state, run.machine.out, begins, tuple(dict.fromkeys(run.used)))


def page_template(resolver: Resolver, platform: Platform, kind: str) -> Supply | None:
    """The template of a kind of page: the first candidate that a theme has, or the nearest theme's first candidate."""
    found = [s for name in _candidates(platform, kind) if (s := _winner(resolver, platform, name)) is not None]
    if platform.code.nearest == "theme":
        slugs = resolver.lineage.slugs
        found.sort(key=lambda s: slugs.index(s.theme.slug))
    return found[0] if found else None


def _candidates(platform: Platform, kind: str) -> tuple[str, ...]:
    return next((p.templates for p in platform.code.pages if p.kind == kind), ())


def _winner(resolver: Resolver, platform: Platform, path: str) -> Supply | None:
    rule = platform.rule_of(path)
    return resolver.winner(path, rule) if rule is not None else None


def page_kinds(resolver: Resolver, platform: Platform) -> list[PageKind]:
    """The kinds of page that a lineage has a template for."""
    return [page for page in platform.code.pages if page_template(resolver, platform, page.kind) is not None]


class _Run:
    """One machine, and how it finds files."""

    def __init__(self, site: SiteRun) -> None:
        self.site = site
        self.machine = Machine(site.platform.code, EFFECTS, EXPRESSIONS)
        self.machine.most = min(CODE_STEPS, max(site.budget.left, 0))
        code = next((rule for rule in site.platform.rules if rule.kind == "code" and is_coded(rule.language)), None)
        if code is not None:
            self.machine.is_own = coded(code.language).is_own
        self.once: set[tuple[str, str]] = set()
        self.chain: list[list[tuple[File, tuple[Any, ...]]]] = []
        self.blocks: list[tuple[str, int]] = []
        self.rendering: list[tuple[str, str]] = []
        self.used: list[tuple[str, str]] = []
        self.machine.lookups = {
            "folder": self._folder,
            "pull": self._pull, "part": self._part, "slugs": lambda: list(site.lineage.slugs),
        }  # fmt: skip

    @property
    def state(self) -> State:
        return self.machine.state

    @property
    def can_be_copied(self) -> bool:
        """Whether loading came to a state that hangs on no kind of page, and that a page can't change from afar."""
        machine = self.machine
        return not (machine.page_asked or machine.things or machine.buffers or self.state.stopped)

    def go_on_from(self, other: _Run) -> _Run:
        """Begin with what another run has loaded."""
        machine, loaded = self.machine, other.machine
        machine.state, machine.out, machine.steps = loaded.state.copy(), list(loaded.out), loaded.steps
        machine.waiting_marks = list(loaded.waiting_marks)
        machine.most = min(CODE_STEPS, loaded.steps + max(self.site.budget.left, 0))
        self.once, self.used = set(other.once), list(other.used)
        return self

    # Code files

    def load(self) -> _Run:
        rules = self.site.platform.code
        themes = list(self.site.lineage.themes)
        if rules.order == "parent-first":
            themes.reverse()
        try:
            for theme in themes:
                self._load_theme(theme)
            self._manifests()
            for moment in rules.moments:
                self._fire(moment)
        except Halted as halted:
            self.state.stopped = halted
        return self

    def _load_theme(self, theme: Theme) -> None:
        for path in sorted(theme.files):
            rule = self.site.platform.rule_of(path)
            if rule is not None and rule.kind == "code" and rule.combine == "load":
                self._load_file(theme, path, rule, None)
                self.machine.apply_marks()

    def _load_file(self, theme: Theme, path: str, rule: FileRule, env: Env | None) -> Any:
        self.once.add((theme.slug, path))
        self.state.loaded.append((theme.slug, path))
        return self.machine.run_file(self._file(theme, path, rule), env or Env({}))

    def _file(self, theme: Theme, path: str, rule: FileRule) -> File:
        if not is_coded(rule.language):
            return File(theme.slug, path, Code())
        module = coded(rule.language)
        code = self.site.sources.code(theme, path, rule.language)
        return File(theme.slug, path, code, rule.language, module.HOISTS, module.FOLDS_CASE)

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
        frame = Frame(File(child.slug, child.manifest, Code(), "", self._prints), Env({}))
        self.machine.frames.append(frame)
        point = self.site.platform.code.point(moment)
        fire(self.machine, moment, [], bool(point and point.passes), frame)
        self.machine.frames.pop()

    @property
    def _prints(self) -> bool:
        return self.site.platform.code.output == "print"

    def _pull(self, name: Any, meaning: Meaning, frame: Frame) -> Any:
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
            return True
        self.state.pulled.setdefault(place, self.machine.site())
        env = frame.env if meaning.look == "beside" else None
        return self._load_file(supply.theme, supply.path, rule, env)

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

    # Pages

    def page(self, template: Supply) -> None:
        try:
            self._template(template)
        except Halted as halted:
            self.state.stopped = halted

    def _template(self, supply: Supply) -> None:
        """Render one template with what it extends."""
        place = (supply.theme.slug, supply.path)
        if place in self.rendering or len(self.rendering) > 30:
            return
        self.rendering.append(place)
        self.used.append(place)
        rule = self.site.platform.rule_of(supply.path)
        if rule is not None:
            if LANGUAGES[rule.language].extends:
                self._extending(supply, rule)
            else:
                self.machine.run_file(self._file(supply.theme, supply.path, rule), Env(self._variables()))
        self.rendering.pop()

    def _variables(self) -> dict[str, Any]:
        sign = "" if self.site.platform.code.output == "return" else "$"
        found: dict[str, Any] = {
            sign + name: Unknown(f"{name}, which the site provides") for name in self.site.platform.code.variables
        }
        for mark in self.state.provided:
            if isinstance(mark.name, str):
                found[sign + mark.name] = Unknown(mark.doubt) if mark.doubt else mark.value
        return found

    def _extending(self, supply: Supply, rule: FileRule) -> None:
        """A Jinja template: the last one that is extended runs, each block as the nearest has it."""
        files: list[File] = []
        seen: set[tuple[str, str]] = set()
        doubt = ""
        target: Supply | None = supply
        while target is not None and (target.theme.slug, target.path) not in seen:
            seen.add((target.theme.slug, target.path))
            file = self._file(target.theme, target.path, rule)
            files.append(file)
            self.used.append((target.theme.slug, target.path))
            named = file.code.extends
            doubt = doubt or (
                "which template it extends can't be known" if named and named[0].tag not in ("lit", "items") else ""
            )
            target = self._first(named, target.theme, rule)
        before = dict(self.machine.lookups)
        self.machine.lookups |= {
            "block": lambda name, level: self._block(files, name, level),
            "super": lambda: self._super(files),
            "include": lambda names, ignore=False: self._include(names, rule),
        }
        env = Env(self._variables())
        if doubt:
            with self.machine.doubting(doubt):
                self.machine.run_file(files[-1], env)
        else:
            self.machine.run_file(files[-1], env)
        self.machine.lookups = before

    def _first(self, nodes: Iterable[Any], theme: Theme, rule: FileRule) -> Supply | None:
        for node in nodes:
            names = (
                [node]
                if node.tag == "lit"
                else [v for n in ([node] if node.tag == "items" else []) for _, v in n.pairs]
            )
            for name in names:
                if name.tag == "lit" and isinstance(name.value, str):
                    found = self.site.resolver.named(name.value, theme, rule)
                    if found is not None:
                        return found
        return None

    def _block(self, files: list[File], name: str, level: int) -> str:
        """Run one version of a block; what it prints is printed, so that its value is empty."""
        versions = [(f, s) for f in files for s in _parts(f.code.body) if s.name == name]
        if level >= len(versions) or len(self.blocks) > 60:
            return ""
        file, part = versions[level]
        self.blocks.append((name, level))
        self.machine.frames.append(Frame(file, Env(self._variables()), line=part.line))
        self.machine.block(part.body, self.machine.frames[-1])
        self.machine.frames.pop()
        self.blocks.pop()
        return ""

    def _super(self, files: list[File]) -> str:
        name, level = self.blocks[-1] if self.blocks else ("", 0)
        return self._block(files, name, level + 1)

    def _include(self, names: Any, rule: FileRule) -> None:
        theme = next(t for t in self.site.lineage.themes if t.slug == self.machine.frames[-1].file.theme)
        for name in names if isinstance(names, list) else [names]:
            if isinstance(name, str):
                found = self.site.resolver.named(name, theme, rule)
                if found is not None:
                    self._template(found)
                    return
            else:
                self.machine.note_blind("includes a template whose name is made at run time")
                return

    def _part(self, name: Any, meaning: Meaning, frame: Frame) -> None:
        """A template that a PHP template asks for, from the child on."""
        if not isinstance(name, str):
            self.machine.note_blind("includes a template whose name is made at run time")
            return
        found = _winner(self.site.resolver, self.site.platform, name)
        if found is not None:
            self._template(found)


def _parts(body: tuple[Any, ...]) -> Iterable[Any]:
    """Every block of a template, the outer ones first."""
    waiting = list(body)
    while waiting:
        node = waiting.pop(0)
        if node.tag == "part":
            yield node
            waiting[:0] = node.body
        elif node.tag == "if":
            waiting[:0] = [*node.then, *node.other]
        elif node.tag == "each":
            waiting[:0] = node.body
