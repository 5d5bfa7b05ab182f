"""What a check says of how themes stand in the bench: lineage, manifests, places, and whether a parent is what was kept of it.

It hangs on all files of all themes, and is told afresh each time; records are not asked for.
"""

from __future__ import annotations

import os
from collections.abc import Iterator

from protypon.core.check.name_findings import left_names
from protypon.core.model.actions import Adopt, Keep, Mend, MovePath, Rescue, Settle, Survey, Update, pack_words
from protypon.core.model.nouns import Finding, Theme
from protypon.core.model.paths import quote_path
from protypon.core.store import edits
from protypon.core.themes.bench import Bench
from protypon.core.themes.discover import manifest_problems
from protypon.core.units.world import World


def of_bench(world: World, themes: list[Theme]) -> Iterator[Finding]:
    """Findings about manifests and releases; ``themes`` are all of the bench, at any depth."""
    yield from _lineage(world, themes)
    for theme in world.lineage.themes:
        yield from _manifest(world, theme)
        yield from standing(world, theme, themes)
    yield from _unique(world, themes)
    yield from left_names(world, themes)


def standing(world: World, theme: Theme, themes: list[Theme]) -> Iterator[Finding]:
    """Where and how a theme of the lineage stands in the bench; a release that is only looked at does not stand there."""
    if theme in world.unplaced:
        return
    yield from _place(world, theme, themes)
    if theme is not world.child and not theme.maintained:
        yield from _state(world, theme)


def _lineage(world: World, themes: list[Theme]) -> Iterator[Finding]:
    lineage = world.lineage
    if lineage.loop:
        yield Finding("lineage-loop", "fatal", lineage.loop[0], "", lineage.cut, Survey())
    if lineage.missing is None:
        return
    last = lineage.themes[-1]
    near = next((t for t in themes if lineage.missing.casefold() in (t.slug.casefold(), t.title.casefold())), None)
    if near is None:
        because = f"the parent {lineage.missing!r} is not in this bench"
        yield Finding("parent-missing", "fatal", last.slug, last.manifest, because, Survey())
        return
    code, why = _misnamed_folder(lineage.missing, near)
    step = Mend(code, last.slug) if last.maintained else Survey()
    yield Finding(code, "fatal", last.slug, last.manifest, why, step)


def loose_children(bench: Bench) -> Iterator[dict[str, object]]:
    """Children that somebody made by hand and that have no ledger, as rows of a report."""
    for theme in bench.without_ledger:
        wrong = bench.misnamed_parent(theme)
        if wrong:
            code, because = wrong_parent_name(bench, theme, wrong)
            weight, step = "fatal", pack_words(Mend(code, theme.slug))
        else:
            code, because = "no-ledger", "it has a parent here and no ledger yet, so its overrides are not looked at"
            weight, step = "note", pack_words(Adopt(theme.slug))
        yield {"code": code, "weight": weight, "theme": theme.slug, "because": because, "next": step}


def wrong_parent_name(bench: Bench, theme: Theme, said: str) -> tuple[str, str]:
    """How a theme names its parent wrongly: the code of the finding, and the sentence."""
    return _misnamed_folder(said, bench.themes[bench.meant_by(said)])


def _misnamed_folder(name: str, meant: Theme) -> tuple[str, str]:
    if meant.slug.casefold() == name.casefold():
        return "parent-wrong-case", f"the parent is named {name!r}, its slug is {meant.slug}, and letter case counts"
    return "parent-by-title", f"{name!r} is the title of {meant.slug}; the slug is wanted"


def _manifest(world: World, theme: Theme) -> Iterator[Finding]:
    for problem in manifest_problems(theme, world.platform):
        code = problem.code or "manifest-broken"
        weight = "error" if code == "slug-rule" else "fatal"
        place = os.path.join(theme.slug, problem.file)
        because = f"{place}{f' line {problem.line}' if problem.line else ''}{f' column {problem.column}' if problem.column else ''}: {problem.message}"
        yield Finding(
            code,
            weight,
            theme.slug,
            problem.file,
            because,
            Survey(theme.folder),
            problem.line,
        )


def _unique(world: World, themes: list[Theme]) -> Iterator[Finding]:
    """Fields of the child that say what those of another theme of the bench say, where the platform wants each to be its own."""
    child = world.child
    for meaning in dict.fromkeys(m for form in world.platform.manifests for m in form.unique):
        said = _says(child, meaning)
        other = next((t for t in themes if t.slug != child.slug and said and _says(t, meaning) == said), None)
        if other is not None:
            name, title = meaning.replace("_", " "), world.platform.title
            because = f"{child.slug} and {other.slug} have the same {name}, {said!r}, and {title} wants each theme to have its own"
            yield Finding("not-unique", "error", child.slug, child.manifest, because, Survey())


def _says(theme: Theme, meaning: str) -> str:
    given = {"title": theme.title, "slug": theme.slug}.get(meaning, theme.values.get(meaning, ""))
    return str(given).casefold() if given else ""


def _place(world: World, theme: Theme, themes: list[Theme]) -> Iterator[Finding]:
    folder = os.path.basename(theme.folder)
    outer = next((t for t in themes if theme.folder.startswith(t.folder + "/")), None)
    if outer is not None:
        because = f"{theme.slug} lies inside the folder of {outer.slug}, and its next release takes that folder away"
        yield Finding(
            "inside-parent",
            "error",
            theme.slug,
            "",
            because,
            MovePath(theme.folder, os.path.dirname(outer.folder) + "/"),
        )
    elif theme.depth > 0:
        because = f"{theme.slug} lies {theme.depth} folder{'s' if theme.depth > 1 else ''} too deep: the platform takes the folder above it for the theme"
        yield Finding(
            "folder-above",
            "error",
            theme.slug,
            "",
            because,
            MovePath(theme.folder, os.path.dirname(os.path.dirname(theme.folder)) + "/"),
        )
    if world.platform.names_folder and folder != theme.slug:
        because = (
            f"the folder is called {quote_path(folder)}, the slug is {theme.slug}; the platform wants them the same"
        )
        target = os.path.join(os.path.dirname(theme.folder), theme.slug)
        yield Finding(
            "folder-name",
            "error",
            theme.slug,
            theme.manifest,
            because,
            MovePath(theme.folder, target),
        )


def _state(world: World, theme: Theme) -> list[Finding]:
    """Is an ancestor still what was kept of it? Asked once for all children."""
    known = world.snapshot.worked_out
    key = ("state", theme.folder, theme.identity)
    if key not in known:
        known[key] = list(_state_of(world, theme))
    found: list[Finding] = known[key]
    return found


def _state_of(world: World, theme: Theme) -> Iterator[Finding]:
    kept = [r for r in world.releases if r.theme == theme.slug]
    wiped = edits.wiped_out(theme, kept, world.edits)
    if wiped is not None and any(r.identity == theme.identity for r in kept):
        because = f"what was edited in {theme.slug} {wiped.edited_from} is gone since {theme.label} is here; it is in the store, and as a patch in proposals/"
        yield Finding("edits-wiped-out", "warning", theme.slug, theme.manifest, because, Rescue(theme.slug))
    if not kept or any(r.identity == theme.identity for r in kept):
        return
    last = edits.edited_release(theme, kept)
    if last is None:
        because = f"{theme.label} was put here by someone else; the last kept release is {kept[-1].name}"
        yield Finding("updated-elsewhere", "note", theme.slug, theme.manifest, because, Update(theme.slug))
        return
    state = next((r for r in world.edits if (r.theme, r.identity) == (theme.slug, theme.identity)), None)
    if state is not None and state.why:
        return
    released = world.snapshot.files_of(last)
    if not released:  # the store has lost it, which is said elsewhere
        return
    files = edits.changed_files(theme, released)
    file = files[0] if files else ""
    more = f" and {len(files) - 3} more" if len(files) > 3 else ""
    shown = ", ".join(quote_path(f) for f in files[:3]) + more
    safe = "; that state is in the store, and as a patch in proposals/" if state is not None else ""
    known = Settle(f"theme:{theme.slug}", why="I know of these edits")
    step = known if state is not None else Keep(theme.folder)
    if not edits.is_numbered(theme):
        because = f"{theme.slug} changed since it was kept as {last.name} ({shown}); its manifest has no number to tell why{safe}"
        yield Finding("changed-since-kept", "warning", theme.slug, file, because, step)
    else:
        because = f"{shown} edited in the parent's own folder since {last.name} was kept; the next update would wipe that out{safe}"
        yield Finding("edited-parent", "error", theme.slug, file, because, Rescue(theme.slug))
