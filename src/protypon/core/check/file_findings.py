"""What a check says of what stands in files, and is not one override: syntax, references, registration."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import islice

from protypon.core.check.named_templates import of_manifests
from protypon.core.files.pictures import picture_size
from protypon.core.model.actions import Check, Explain, Lighten, Mend, Override, Settle
from protypon.core.model.evidence import Lost, Present, Verdict
from protypon.core.model.nouns import Finding, Lineage, Release, Theme
from protypon.core.model.paths import quote_path
from protypon.core.platform.platform import FileRule, Platform
from protypon.core.units.file import use
from protypon.core.units.file.addresses import broken_addresses, meant_target
from protypon.core.units.next_steps import by_hand
from protypon.core.units.registry import is_in_code, may_be_lighter
from protypon.core.units.world import World

MOST_COPIES = 200
"""Copies that are looked at for whether they could be lighter, and how many of those are named."""
MOST_NAMED = 3
FEW_LINES = 3
MANY = 4
"""Of a copy that differs in little: its own lines, and how many there are of all for each."""


def of_files(world: World, packed: tuple[Release, ...], verdicts: list[Verdict]) -> Iterator[Finding]:
    """Findings about what stands in files."""
    yield from _unparsed_files(world, {v.subject.file for v in verdicts if v.verdict == "fatal"})
    if not world.lineage.cut:
        yield from _dangling(world)
        yield from of_manifests(world)
        yield from _missing(world)
        yield from _never_shown(world, {v.subject.file for v in verdicts})
    yield from _relative(world)
    yield from _unregistered_sheets(world, {v.subject.file for v in verdicts})
    yield from _named_but_gone(world, verdicts)
    yield from _pictures(world)
    yield from _not_brought(world)
    yield from _release(world, packed)


def _unparsed_files(world: World, told: set[str]) -> Iterator[Finding]:
    for theme in world.lineage.themes:
        own = theme is world.child
        ruled = world.platform.ruled(theme.files)
        for path, rule in sorted(ruled.rows, key=lambda row: row[0]) if own else ruled.stopping:
            if rule.if_broken == "file" or (own and path in told):
                continue
            for problem in world.snapshot.problems(theme, path, rule.language)[:1]:
                weight, stops = _stops(world, theme, path, rule)
                yield Finding(
                    "does-not-parse",
                    weight,
                    theme.slug,
                    path,
                    f"{theme.slug}/{problem}: {stops}",
                    by_hand(world, theme.slug, path),
                    problem.line,
                )


def _stops(world: World, theme: Theme, path: str, rule: FileRule) -> tuple[str, str]:
    """How much a file that does not parse stops."""
    if rule.if_broken != "theme":
        return "error", "every page that uses it fails"
    place, templates = (theme.slug, path), world.resolver.templates
    if rule.kind == "code" and rule.combine != "load" and place not in world.behaviour.state.loaded:
        return "warning", "nothing loads it now; whatever does would stop the site"
    if rule.kind == "template" and (place not in templates.used or place in templates.perhaps):
        return "warning", "nothing here names it; where something does, the site stops"
    return "fatal", "the platform does not load the theme"


def _dangling(world: World) -> Iterator[Finding]:
    for named in world.resolver.templates.dangling:
        verb = named.how if named.how.endswith("s") else f"{named.how}s"
        because = f"{use.place_words(named.site)} {verb} {named.name!r}, and nothing in the lineage supplies it: pages that use it fail"
        yield Finding(
            "broken-reference",
            "error",
            named.site.theme,
            named.site.path,
            because,
            by_hand(world, named.site.theme, named.site.path),
            named.site.line,
        )


def _missing(world: World) -> Iterator[Finding]:
    """Files that code or templates of the child ask for beside themselves, and that the child has not."""
    for missing in use.missing(world):
        place = f"{missing.theme}/{quote_path(missing.path)}"
        because = f"{use.place_words(missing.site)} asks for {place}, which is not there"
        holder = next((t for t in world.ancestors if missing.path in t.files), None)
        rule = world.platform.rule_of(missing.path)
        step = by_hand(world, missing.site.theme, missing.site.path)
        if holder is not None and rule is not None:
            because += f"; {holder.slug} has {quote_path(missing.path)}"
            step = Override(f"{rule.kind}:{quote_path(missing.path)}", world.child.slug)
        weight = "error" if missing.needed and not missing.doubt else "warning"
        yield Finding(
            "broken-reference", weight, missing.site.theme, missing.site.path, because, step, missing.site.line
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
            because = f"{child.slug}/{quote_path(path)} line {line} asks for {quote_path(target)} beside it, and "
            if world.platform.served == "site":
                because += "no theme of the lineage has it: the site must, or an extension"
                yield Finding("from-elsewhere", "note", child.slug, path, because, line=line)
                continue
            because += f"{child.slug} has none"
            step = by_hand(world, child.slug, path)
            if holder is not None and other is not None:
                because += f"; {holder.slug} has"
                step = Override(f"{other.kind}:{quote_path(target)}", child.slug)
            elif to := meant_target(world, path, target):
                because += f"; {quote_path(to)} is there"
                step = Mend(f"{rule.kind}:{quote_path(path)}", child.slug)
            yield Finding("broken-reference", "error", child.slug, path, because, step, line)


def _unregistered_sheets(world: World, told: set[str]) -> Iterator[Finding]:
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
                (Mend if found.mendable else Explain)(address, world.child.slug),
            )


def _never_shown(world: World, told: set[str]) -> Iterator[Finding]:
    """Templates of the child's own for several kinds of page, each of which has a narrower one."""
    for path, rule in world.platform.ruled(world.child.files).rows:
        if rule.kind != "template" or path in told or use.of(world, path, rule).reach != "no":
            continue
        narrower = use.hiding_templates(world, path)
        if narrower:
            because = f"{quote_path(path)} is never used: {narrower}"
            step = Explain(f"template:{quote_path(path)}", world.child.slug)
            yield Finding("never-shown", "warning", world.child.slug, path, because, step)


def _named_but_gone(world: World, verdicts: list[Verdict]) -> Iterator[Finding]:
    for verdict in verdicts:
        o, source = verdict.subject, verdict.evidence.source
        record = world.records.get(o.unit)
        said = record is not None and record.alone_since
        if verdict.verdict == "holds" and isinstance(source, Lost) and not said:
            name = o.unit.address if o.inside else quote_path(o.file)
            yield Finding(
                "only-yours",
                "warning",
                world.child.slug,
                o.file,
                f"{world.label_now(o.origin or '')} does not supply {name}, which {source.referred} names: without yours it would fail",
                Settle(o.unit.address, world.child.slug, why="mine alone now"),
            )


def _pictures(world: World) -> Iterator[Finding]:
    """Pictures of the child that have not the one size that the platform wants."""
    child = world.child
    for wanted in world.platform.pictures:
        if wanted.path not in child.files:
            continue
        size = picture_size(world.snapshot.read(child, wanted.path))
        if size != (wanted.width, wanted.height):
            found = f"is {size[0]} x {size[1]} pixels" if size else "is no picture whose size can be read"
            because = f"{quote_path(wanted.path)} {found}, and {world.platform.title} wants {wanted.width} x {wanted.height}; draw it anew, then check again"
            yield Finding("picture-size", "error", child.slug, wanted.path, because, Check(child.slug))


def _not_brought(world: World) -> Iterator[Finding]:
    """Files that the platform takes from no parent, which a parent has and the child has not."""
    child = world.child
    for theme, path in not_brought(world.platform, world.lineage):
        because = f"{child.slug} has no {quote_path(path)}: {theme.slug} has one, and {world.platform.title} takes that file from the theme itself only"
        yield Finding("not-inherited", "note", child.slug, path, because, Mend("not-inherited", child.slug))


def light_copies(world: World, verdicts: list[Verdict]) -> list[str]:
    """Copies of whole files for a small change, which lighter overrides could say: the first few paths."""
    copies = (v for v in verdicts if v.verdict == "holds" and v.subject.how == "copy" and not is_in_code(v.unit))
    found = (v.subject.file for v in islice(copies, MOST_COPIES) if is_light(world, v))
    return list(islice(found, MOST_NAMED + 1))


def is_light(world: World, verdict: Verdict) -> bool:
    """Whether an override is a copy of a whole file that a lighter one could say. What it reads hangs on that override alone."""
    o = verdict.subject
    rule = world.platform.rule_of(o.file)
    if verdict.verdict != "holds" or o.how != "copy" or o.file != o.unit.path or rule is None:
        return False
    if isinstance(verdict.evidence, Present) and verdict.evidence.same:
        return False
    theme = next((t for t in world.ancestors if o.file in t.files), None)
    if theme is None:
        return False
    with world.snapshot.trace.override_of(o.file):
        theirs, ours = world.snapshot.read(theme, o.file), world.snapshot.read(world.child, o.file)
        return _differs_little(theirs, ours) and may_be_lighter(world.platform, rule, o.file, theirs, ours)


def copied_whole(child: str, light: list[str]) -> Iterator[Finding]:
    """One finding for all the copies that could be lighter."""
    if light:
        more = " and others" if len(light) > MOST_NAMED else ""
        because = f"{', '.join(map(quote_path, light[:MOST_NAMED]))}{more}: copied whole for a few lines; a release changes the rest unseen"
        yield Finding("copied-whole", "note", child, light[0], because, Lighten(child))


def _differs_little(theirs: bytes, ours: bytes) -> bool:
    """Whether a copy has no more than a few lines of its own, among many."""
    known = set(theirs.splitlines())
    rows = ours.splitlines()
    own = sum(row not in known for row in rows)
    return 0 < own <= FEW_LINES and len(rows) >= MANY * own


def not_brought(platform: Platform, lineage: Lineage) -> Iterator[tuple[Theme, str]]:
    """What is not inherited and a theme lacks, each with the nearest of its parents that has it."""
    told: set[str] = set(lineage.child.files)
    for theme in lineage.themes[1:]:
        for path in sorted(theme.files):
            if not platform.is_inherited(path) and path not in told:
                told.add(path)
                yield theme, path


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
            Mend("release-stands-still", child.slug),
        )
