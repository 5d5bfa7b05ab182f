"""The code of a lineage, loaded as the platform loads it, without running any."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

from protypon.core.analysis.effects import EFFECTS, fire
from protypon.core.analysis.expressions import EXPRESSIONS
from protypon.core.analysis.machine import Frame, Machine
from protypon.core.analysis.state import Detachment, Halted, Mark, State
from protypon.core.analysis.values import Env, File, Unknown, known
from protypon.core.languages.code import Code
from protypon.core.languages.registry import coded, is_coded
from protypon.core.model.limits import CODE_STEPS, CODE_TOTAL
from protypon.core.model.nouns import Lineage, Theme
from protypon.core.platform.meanings import Meaning
from protypon.core.platform.platform import FileRule, Platform
from protypon.core.themes.inheritance import Supply
from protypon.core.themes.reach import Location
from protypon.core.themes.resolve import Resolver
from protypon.core.themes.snapshot import Snapshot


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


class Loading:
    """One machine, and how it finds files."""

    def __init__(self, site: SiteSetting) -> None:
        self.site = site
        self.machine = Machine(site.platform.code, EFFECTS, EXPRESSIONS)
        self.machine.most = min(CODE_STEPS, max(site.budget.left, 0))
        code = next((rule for rule in site.platform.rules if rule.kind == "code" and is_coded(rule.language)), None)
        if code is not None:
            self.machine.is_own = coded(code.language).is_own
        self.once: set[tuple[str, str]] = set()
        self.machine.lookups = {
            "folder": self._folder,
            "pull": self._pull, "slugs": lambda: list(site.lineage.slugs),
        }  # fmt: skip

    @property
    def state(self) -> State:
        return self.machine.state

    @property
    def can_be_copied(self) -> bool:
        """Whether loading came to a state that hangs on no kind of page, and that a page can't change from afar."""
        machine = self.machine
        return not (machine.page_asked or machine.things or machine.buffers or self.state.stopped)

    def go_on_from(self, other: Loading) -> Loading:
        """Begin with what another run has loaded."""
        machine, loaded = self.machine, other.machine
        machine.state, machine.out, machine.steps = loaded.state.copy(), list(loaded.out), loaded.steps
        machine.waiting_marks = list(loaded.waiting_marks)
        machine.most = min(CODE_STEPS, loaded.steps + max(self.site.budget.left, 0))
        self.once = set(other.once)
        return self

    # Code files

    def load(self) -> Loading:
        """Load all code, and let the platform's moments pass."""
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
        return self.machine.run_file(self.file(theme, path, rule), env or Env({}))

    def file(self, theme: Theme, path: str, rule: FileRule) -> File:
        """What a file says, as it is run."""
        if not is_coded(rule.language):
            return File(theme.slug, path, Code())
        module = coded(rule.language)
        code = self.site.snapshot.code(theme, path, rule.language)
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
