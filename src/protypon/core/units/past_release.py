"""What a kept release said in its code: asked only where something that an override claims is gone."""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

from protypon.core.languages.code import Code, Lit, Var
from protypon.core.languages.registry import coded_language, is_coded, is_written
from protypon.core.languages.text_edits import take_function
from protypon.core.languages.writers import writer
from protypon.core.model.nouns import Record, Release
from protypon.core.platform.meanings import meaning_of_mark, meant_calls
from protypon.core.units.world import World


class PastRelease(NamedTuple):
    """One kept release, as far as its code goes."""

    declared: dict[str, dict[str, bytes]]
    """By kind of declaration and name."""
    fired: frozenset[str]
    attached: frozenset[tuple[str, str]]
    """Point and callback, where both are literal."""
    printed: frozenset[str] = frozenset()
    """Regions."""

    @property
    def functions(self) -> dict[str, bytes]:
        """The texts of its functions by their names."""
        return self.declared["function"]


def past_release_of(world: World, record: Record) -> PastRelease | None:
    """What the release that a record was taken from said; None where it is not kept."""
    release = world.release(record.source, record.release)
    return former_in(world, release) if release is not None else None


def former_in(world: World, release: Release) -> PastRelease:
    """What one kept release said."""
    key = ("former", release.tree)
    if key not in world.snapshot.worked_out:
        world.snapshot.worked_out[key] = _read_release(world, list(_files(world, world.snapshot.files_of(release))))
    found = world.snapshot.worked_out[key]
    assert isinstance(found, PastRelease)
    return found


def codes_of(world: World, release: Release) -> Iterator[Code]:
    """What each code file and template of one kept release said."""
    for _, _, code in _files(world, world.snapshot.files_of(release)):
        yield code


def _files(world: World, files: dict[str, tuple[int, str]]) -> Iterator[tuple[str, bytes, Code]]:
    for path, (_, digest) in sorted(files.items()):
        rule = world.platform.rule_of(path)
        if rule is None or rule.kind not in ("code", "template") or not is_coded(rule.language):
            continue
        data = world.snapshot.blob(digest)
        if data is not None and len(data) < 1 << 20:
            yield rule.language, data, coded_language(rule.language).code(data)


def _read_release(world: World, files: list[tuple[str, bytes, Code]]) -> PastRelease:
    declared: dict[str, dict[str, bytes]] = {"function": {}, "class": {}, "method": {}}
    fired, attached, printed = set[str](), set[tuple[str, str]](), set[str]()
    for language, data, code in files:
        if is_written(language):
            made = writer(language)
            for span in made.declarations(data):
                declared[span.kind].setdefault(span.name, take_function(data, span, made))
        for each in meant_calls(code, world.platform.code):
            name = each.name
            if each.meaning.does == "fire" and name:
                fired.add(name)
            if each.meaning.does == "print-region" and name:
                printed.add(name)
            if each.meaning.does == "attach" and name and isinstance(target := each.roles.get("callback"), Lit | Var):
                attached.add((name, str(target.value if isinstance(target, Lit) else target.name)))
        for function in code.functions:
            for mark in function.marks:
                for each in meaning_of_mark(mark, world.platform.code):
                    if each.meaning.does == "attach" and each.name:
                        attached.add((each.name, function.name))
    return PastRelease(declared, frozenset(fired), frozenset(attached), frozenset(printed))
