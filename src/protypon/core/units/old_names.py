"""A theme's own name in all that it says: what of it others have too, which files move with it, and every place."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, field, replace

from protypon.core.languages.code import Invoke, bodies, walk
from protypon.core.languages.registry import is_coded
from protypon.core.languages.stretches import COMMENT, STRING, TEXT, portions
from protypon.core.model.limits import SOURCE_BYTES
from protypon.core.model.nouns import Theme
from protypon.core.model.paths import FILE, FOLDER, RUNNABLE
from protypon.core.platform.platform import Platform
from protypon.core.store.ledger import LEDGER
from protypon.core.themes.renaming.occurrences import (
    NameSearch,
    Occurrence,
    Surroundings,
    apply_occurrences,
    names_in,
    tokens,
)
from protypon.core.themes.renaming.spelling import Spelling
from protypon.core.units.world import World

_RUN = re.compile(r"[\w-]+")
BY_ENDING = {
    "php": "php", "py": "python", "js": "javascript", "css": "css", "html": "jinja", "htm": "jinja", "xml": "jinja", "svg": "jinja", "json": "json",
    "toml": "toml", "yaml": "yaml", "yml": "yaml", "ini": "ini", "conf": "ini", "po": "po", "pot": "po", "scss": "css", "less": "css",
}  # fmt: skip
"""How a file is read that no rule of the platform names."""


@dataclass(frozen=True)
class Renaming:
    """What a theme under another name is, file by file."""

    found: tuple[Occurrence, ...]
    """Every place, also those that stay."""
    moved: Mapping[str, str] = field(default_factory=dict)
    """Files that have another path then."""
    tokens: Mapping[str, str] = field(default_factory=dict)
    """Whole names -> what they are called then."""
    titles: tuple[str, str] = ("", "")
    texts: Mapping[str, bytes] = field(default_factory=dict)
    """The files that say something else then, by their old path."""

    @classmethod
    def of(cls, world: World, found: tuple[Occurrence, ...], moved: Mapping[str, str], whole: Renaming) -> Renaming:
        """A part of a renaming: some places, and some files."""
        texts: dict[str, bytes] = {}
        for path in dict.fromkeys(each.path for each in found):
            data = world.snapshot.read(world.child, path)
            texts[path] = apply_occurrences(data, [each for each in found if each.path == path])
        return cls(found, moved, whole.tokens, whole.titles, texts)

    def said_anew(self, text: str) -> str:
        """A text in which each whole name is the new one."""
        made = _RUN.sub(lambda m: self.tokens.get(m[0], m[0]), text)
        old, new = self.titles
        return made.replace(old, new) if old and " " in old else made

    def name_of(self, found: Occurrence) -> str:
        """All of a name that a place is a part of, as it is then."""
        if found.kind == "path of a file":
            return self.moved.get(found.old, found.new)
        return self.tokens.get(found.old, found.new)

    @property
    def sure(self) -> list[Occurrence]:
        """The places where it is the theme's name for certain."""
        return [each for each in self.found if each.sure]

    @property
    def unsure(self) -> list[Occurrence]:
        """The places where it may be a word like any other."""
        return [each for each in self.found if not each.sure]


def renaming(world: World, old: str, new: str, titles: tuple[str, str]) -> Renaming:
    """What becomes of the child of a world under another name; ``old`` is the one that is looked for."""
    theme = world.child
    texts = dict(_texts(world, theme))
    search = NameSearch(old, new, titles, _surroundings(world, old, texts))
    moved = {path: to for path in sorted(theme.files) if (to := _path_then(world, search, path, new)) != path}
    kept = frozenset(path for path in theme.files if path not in moved)
    search.around = replace(search.around, moved=moved, paths=search.around.paths | kept)
    found = [each for path, (language, data) in texts.items() for each in search.in_text(path, language, data)]
    by_path: dict[str, list[Occurrence]] = {}
    for each in found:
        by_path.setdefault(each.path, []).append(each)
    changed = {path: apply_occurrences(texts[path][1], rows) for path, rows in by_path.items()}
    names = tokens(search.spelling, found)
    return Renaming(tuple(found), moved, names, titles, {p: data for p, data in changed.items() if data != texts[p][1]})


def _texts(world: World, theme: Theme) -> Iterator[tuple[str, tuple[str, bytes]]]:
    """The files of a theme that are texts, with how each is read: path, language, bytes."""
    for path, entry in sorted(theme.files.items()):
        if entry.mode not in (FILE, RUNNABLE) or entry.size > SOURCE_BYTES or path == LEDGER:
            continue
        data = world.snapshot.read(theme, path)
        if b"\0" not in data[:8192]:
            yield path, (language_of(world.platform, theme, path), data)


def language_of(platform: Platform, theme: Theme, path: str) -> str:
    """The language in which a file is read for names; empty for one that is words."""
    if path == theme.manifest:
        return BY_ENDING.get(path.rpartition(".")[2], "ini")
    rule = platform.rule_of(path)
    known = rule.language if rule is not None and rule.language != "plain" else ""
    return known or BY_ENDING.get(path.rpartition(".")[2].lower(), "")


def _path_then(world: World, search: NameSearch, path: str, new: str) -> str:
    """The path that a file has under the new name; templates and what a parent has at the same path keep theirs."""
    platform, theme = world.platform, world.child
    if path == theme.manifest:
        forms = (f.path for f in platform.manifests if f.path.replace("{slug}", search.spelling.old) == path)
        return next((form.replace("{slug}", new) for form in forms), path)
    patterns = [rule.new for rule in platform.rules if rule.new] + [r.new for r in platform.registers if r.new]
    for pattern in patterns:
        if "{slug}" in pattern and path.endswith(pattern.replace("{slug}", search.spelling.old)):
            head = path[: len(path) - len(pattern.replace("{slug}", search.spelling.old))]
            return head + pattern.replace("{slug}", new)
    rule = platform.rule_of(path)
    looked_up = rule is not None and rule.kind == "template"
    common = search.spelling.old.lower() in search.around.plain
    if looked_up or common or any(path in ancestor.files for ancestor in world.ancestors):
        return path
    return search.renamed_path(path)


def _surroundings(world: World, old: str, texts: Mapping[str, tuple[str, bytes]]) -> Surroundings:
    theme, spelling = world.child, Spelling(old, old)
    others = {f"{t.slug}/{path}": row for t in world.ancestors for path, row in _texts(world, t)}
    others["platform"] = ("toml", world.platform.text.encode())
    longer, plain = names_in(spelling, others)
    outside, outside_plain = _outside(world, spelling)
    values = theme.values
    makers = tuple(str(values[m]) for m in ("maker", "maker_link", "home") if values.get(m))
    return Surroundings(
        foreign=longer | outside,
        plain=plain | outside_plain | _as_words(world, spelling, texts),
        slugs=tuple(t.slug for t in world.ancestors),
        paths=frozenset(path for t in world.ancestors for path, e in t.files.items() if e.mode != FOLDER),
        makers=makers,
        declared=_names_declared(world, spelling, texts),
    )


def _outside(world: World, spelling: Spelling) -> tuple[frozenset[str], frozenset[str]]:
    """Names that the theme only uses, and that nobody in the lineage has: of functions that it calls, and points that it attaches to."""
    theme, behaviour = world.child, world.behaviour
    declared: set[str] = set()
    called: set[str] = set()
    for path in sorted(theme.files):
        rule = world.platform.rule_of(path)
        if rule is None or not is_coded(rule.language):
            continue
        code = world.snapshot.code(theme, path, rule.language)
        declared |= {function.name.rpartition("::")[2].lower() for function in code.functions}
        declared |= {each.name.lower() for each in code.classes}
        nodes = (node for body in bodies(code) for node in walk(body))
        called |= {n.name.rpartition(".")[2] for n in nodes if isinstance(n, Invoke) and n.name}
    fired = {s.name for s in behaviour.said if s.meaning.does == "fire" and s.theme is theme}
    asked = {s.name for s in behaviour.said if s.meaning.does in ("attach", "detach", "clear") and s.theme is theme}
    names = {name for name in called if name.lower() not in declared} | {name for name in asked - fired if name}
    longer = {name for name in names for p in spelling.places(name) if p.place != "exact"}
    return frozenset(longer), frozenset(n.lower() for n in names for p in spelling.places(n) if p.place == "exact")


def _as_words(world: World, spelling: Spelling, texts: Mapping[str, tuple[str, bytes]]) -> frozenset[str]:
    """The name in small letters, where what the theme shows has it as a word among others."""
    if len(spelling.words) > 1:
        return frozenset()
    for path, (language, data) in texts.items():
        rule = world.platform.rule_of(path)
        if rule is None or path == world.child.manifest:
            continue
        text = data.decode("latin-1")
        for part in portions(language, text):
            inner = text[part.begin : part.end]
            words = part.kind == TEXT or (part.kind == STRING and " " in inner.strip("\"' "))
            places = spelling.places(inner) if words else ()
            if any(p.place == "exact" and inner[p.begin : p.end] == spelling.old for p in places):
                return frozenset([spelling.old])
    return frozenset()


def _names_declared(world: World, spelling: Spelling, texts: Mapping[str, tuple[str, bytes]]) -> frozenset[str]:
    """Names that the theme has outside of words, in small letters; those that are just the old name only where code declares one."""
    longer: set[str] = set()
    for language, data in texts.values():
        text = data.decode("latin-1")
        for part in portions(language, text):
            if part.kind in (TEXT, COMMENT):
                continue
            inner = text[part.begin : part.end]
            longer |= {
                inner[p.run_begin : p.run_end].strip("-_").lower() for p in spelling.places(inner) if p.place == "first"
            }
    return frozenset(longer.union(_functions(world)))


def _functions(world: World) -> Iterable[str]:
    """Functions and classes that a theme declares, in small letters."""
    for path in sorted(world.child.files):
        rule = world.platform.rule_of(path)
        if rule is not None and is_coded(rule.language):
            code = world.snapshot.code(world.child, path, rule.language)
            yield from (function.name.lower() for function in code.functions if function.name)
            yield from (each.name.lower() for each in code.classes)
