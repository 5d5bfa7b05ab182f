"""What a check says of anything that is not one override: lineage, manifests, the parent's state, references, registration."""

from __future__ import annotations

import os
import shlex
from collections.abc import Iterable, Iterator

from protypon.core.check.judge import Steps
from protypon.core.model.commands import command_line
from protypon.core.model.nouns import Finding, Release, Theme, Verdict
from protypon.core.model.paths import quote_path
from protypon.core.platform.platform import FileRule
from protypon.core.store import edits
from protypon.core.themes.discover import manifest_problems
from protypon.core.themes.resolve import relative
from protypon.core.units.file import use
from protypon.core.units.world import World


def of_files(
    world: World, themes: Iterable[Theme], packed: tuple[Release, ...], verdicts: list[Verdict], steps: Steps
) -> Iterator[Finding]:
    """Findings about files, manifests and releases; ``themes`` are all of the bench, at any depth."""
    everything = list(themes)
    yield from _lineage(world, everything)
    for theme in world.lineage.themes:
        yield from _manifest(world, theme)
        yield from standing(world, theme, everything)
    yield from _unparsed(world, {v.facts.file for v in verdicts if v.verdict == "fatal"})
    if not world.lineage.cut:
        yield from _dangling(world)
    yield from _relative(world)
    yield from _unregistered(world, {v.facts.file for v in verdicts})
    yield from _named_but_gone(world, verdicts)
    yield from _release(world, packed)


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
        yield Finding("lineage-loop", "fatal", lineage.loop[0], "", lineage.cut, "protypon survey")
    if lineage.missing is None:
        return
    last = lineage.themes[-1]
    for other in themes:
        if other.slug.casefold() == lineage.missing.casefold():
            code, why = "parent-wrong-case", f"the parent's slug is {other.slug}, and letter case counts"
            break
        if other.title.casefold() == lineage.missing.casefold():
            code, why = "parent-by-title", f"{lineage.missing!r} is the title of {other.slug}; the slug is wanted"
            break
    else:
        yield Finding(
            "parent-missing",
            "fatal",
            last.slug,
            last.manifest,
            f"the parent {lineage.missing!r} is not in this bench",
            "protypon survey",
        )
        return
    step = command_line("mend", code, "--child", last.slug) if last.maintained else "protypon survey"
    yield Finding(code, "fatal", last.slug, last.manifest, why, step)


def _manifest(world: World, theme: Theme) -> Iterator[Finding]:
    for problem in manifest_problems(theme, world.platform):
        code = "slug-rule" if "against the rule" in problem.message else "manifest-broken"
        weight = "error" if code == "slug-rule" else "fatal"
        place = os.path.join(theme.slug, problem.file)
        because = f"{place}{f' line {problem.line}' if problem.line else ''}{f' column {problem.column}' if problem.column else ''}: {problem.message}"
        yield Finding(
            code,
            weight,
            theme.slug,
            problem.file,
            because,
            command_line("survey", theme.folder),
            problem.line,
        )


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
            f"mv {shlex.quote(theme.folder)} {shlex.quote(os.path.dirname(outer.folder))}/",
        )
    elif theme.depth > 0:
        because = f"{theme.slug} lies {theme.depth} folder{'s' if theme.depth > 1 else ''} too deep: the platform takes the folder above it for the theme"
        yield Finding(
            "folder-above",
            "error",
            theme.slug,
            "",
            because,
            f"mv {shlex.quote(theme.folder)} {shlex.quote(os.path.dirname(os.path.dirname(theme.folder)))}/",
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
            f"mv {shlex.quote(theme.folder)} {shlex.quote(target)}",
        )


def _state(world: World, theme: Theme) -> Iterator[Finding]:
    """Is an ancestor still what was kept of it?"""
    kept = [r for r in world.releases if r.theme == theme.slug]
    if not kept or any(r.identity == theme.identity for r in kept):
        return
    last = edits.edited_release(theme, kept)
    if last is None:
        because = f"{theme.label} was put here by someone else; the last kept release is {kept[-1].name}"
        step = command_line("update", theme.slug)
        yield Finding("updated-elsewhere", "note", theme.slug, theme.manifest, because, step)
        return
    state = next((r for r in world.edits if (r.theme, r.identity) == (theme.slug, theme.identity)), None)
    if state is not None and state.why:
        return
    released = world.sources.files_of(last)
    if not released:  # the store has lost it, which is said elsewhere
        return
    files = edits.changed_files(theme, released)
    file = files[0] if files else ""
    more = f" and {len(files) - 3} more" if len(files) > 3 else ""
    shown = ", ".join(quote_path(f) for f in files[:3]) + more
    safe = "; that state is in the store, and as a patch in proposals/" if state is not None else ""
    known = command_line("settle", f"theme:{theme.slug}", "--why", "I know of these edits")
    step = known if state is not None else command_line("keep", theme.folder)
    if not edits.is_numbered(theme):
        because = f"{theme.slug} changed since it was kept as {last.name} ({shown}); its manifest has no number to tell why{safe}"
        yield Finding("changed-since-kept", "warning", theme.slug, file, because, step)
    else:
        because = f"{shown} edited in the parent's own folder since {last.name} was kept; the next update would wipe that out{safe}"
        yield Finding("edited-parent", "error", theme.slug, file, because, step)


def _unparsed(world: World, told: set[str]) -> Iterator[Finding]:
    for theme in world.lineage.themes:
        own = theme is world.child
        ruled = world.platform.ruled(theme.files)
        for path, rule in sorted(ruled.rows, key=lambda row: row[0]) if own else ruled.stopping:
            if rule.if_broken == "file" or (own and path in told):
                continue
            for problem in world.sources.problems(theme, path, rule.language)[:1]:
                weight, stops = _stops(world, theme, path, rule)
                yield Finding(
                    "does-not-parse",
                    weight,
                    theme.slug,
                    path,
                    f"{theme.slug}/{problem}: {stops}",
                    command_line("check", world.child.slug),
                    problem.line,
                )


def _stops(world: World, theme: Theme, path: str, rule: FileRule) -> tuple[str, str]:
    """How much a file that does not parse stops."""
    if rule.if_broken != "theme":
        return "error", "every page that uses it fails"
    if rule.kind == "code" and rule.combine != "load" and (theme.slug, path) not in world.behaviour.state.loaded:
        return "warning", "nothing loads it now; whatever does would stop the site"
    return "fatal", "the platform does not load the theme"


def _dangling(world: World) -> Iterator[Finding]:
    for named in world.resolver.templates.dangling:
        because = f"{use.shown(named.site)} {named.how}s {named.name!r}, and nothing in the lineage supplies it: pages that use it fail"
        yield Finding(
            "broken-reference",
            "error",
            named.site.theme,
            named.site.path,
            because,
            command_line("survey", f"themes/{named.site.theme}"),
            named.site.line,
        )


def _relative(world: World) -> Iterator[Finding]:
    """Relative addresses in the child's sheets and scripts that find nothing from where the file stands."""
    child = world.child
    for path in sorted(child.files):
        rule = world.platform.rule_of(path)
        if rule is None or rule.kind not in ("style", "script"):
            continue
        for target, line in broken_addresses(world, path, rule):
            holder = next((t for t in world.ancestors if target in t.files), None)
            other = world.platform.rule_of(target)
            because = f"{child.slug}/{quote_path(path)} line {line} asks for {quote_path(target)} beside it, and {child.slug} has none"
            step = command_line("check", child.slug)
            if holder is not None and other is not None:
                because += f"; {holder.slug} has"
                step = command_line("override", f"{other.kind}:{quote_path(target)}", "--child", child.slug)
            yield Finding("broken-reference", "error", child.slug, path, because, step, line)


def broken_addresses(world: World, path: str, rule: FileRule) -> list[tuple[str, int]]:
    """The targets of relative addresses in a file of the child that are not there, each with the first line that asks for it."""
    facts = world.sources.facts(world.child, path, rule.language)
    looked_in = world.lineage.themes if world.platform.served == "lineage" else (world.child,)
    found: dict[str, int] = {}
    for names, line in {r.names: r.line for r in reversed(facts.references)}.items():
        target = relative(path, names)
        from_root = target is not None and world.resolver.root_supplies(target)
        if target and not from_root and not any(target in theme.files for theme in looked_in):
            found.setdefault(target, line)
    return sorted(found.items(), key=lambda row: row[1])


def _unregistered(world: World, told: set[str]) -> Iterator[Finding]:
    for path in sorted(world.child.files):
        rule = world.platform.rule_of(path)
        if rule is None or path in told or rule.kind not in {r.kind for r in world.platform.registers}:
            continue
        found = use.of(world, path, rule)
        if found.reach == "no":
            because = f"{quote_path(path)} never loads: {found.because}"
            address = f"{rule.kind}:{quote_path(path)}"
            yield Finding(
                "never-loaded",
                "warning",
                world.child.slug,
                path,
                because,
                command_line("mend" if found.mendable else "explain", address, "--child", world.child.slug),
            )


def _named_but_gone(world: World, verdicts: list[Verdict]) -> Iterator[Finding]:
    for verdict in verdicts:
        f = verdict.facts
        if verdict.verdict == "holds" and f.theirs is None:
            yield Finding(
                "only-yours",
                "warning",
                world.child.slug,
                f.file,
                f"{f.origin} no longer supplies {quote_path(f.file)}, which {f.referred} names: without yours it would fail",
                command_line("settle", f.unit.address, "--child", world.child.slug, "--why", "mine alone now"),
            )


def _release(world: World, packed: tuple[Release, ...]) -> Iterator[Finding]:
    child = world.child
    own = [r for r in packed if r.theme == child.slug]
    if own and child.release is not None and own[-1].label == child.release and own[-1].identity != child.identity:
        because = f"the contents changed since {child.release} was packed, and the release number did not"
        yield Finding(
            "release-stands-still",
            "warning",
            child.slug,
            child.manifest,
            because,
            command_line("mend", "release-stands-still", "--child", child.slug),
        )
