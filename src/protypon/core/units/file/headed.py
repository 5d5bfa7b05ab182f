"""The file whose leading comment is a theme's manifest: every theme has its own head, and what stands behind that is overridden as other files are."""

from __future__ import annotations

from dataclasses import replace

from protypon.core.files.listing import blob_digest
from protypon.core.languages.text_edits import line_of
from protypon.core.merge import likeness
from protypon.core.model.actions import Drop, Update
from protypon.core.model.evidence import (
    Evidence,
    Gone,
    LinesOf,
    Lost,
    Missing,
    Own,
    Part,
    Present,
    Subject,
    Supplied,
    Told,
    Unreached,
)
from protypon.core.model.nouns import Record, Theme, Unit
from protypon.core.model.paths import quote_path
from protypon.core.platform.manifests.comment_syntax import end_of_comment
from protypon.core.platform.platform import FileRule, Platform
from protypon.core.units.file import use
from protypon.core.units.world import World


def is_headed(platform: Platform, theme: Theme, path: str) -> bool:
    """Whether a file of a theme is its manifest and something else besides."""
    comments = any(form.syntax == "comment" for form in platform.manifests)
    return path == theme.manifest and comments and platform.rule_of(path) is not None


def head_of(data: bytes) -> bytes:
    """The leading comment of a file, with the empty lines behind it."""
    return data[: end_of_comment(data)]


def rest_of(data: bytes) -> bytes:
    """What stands behind the leading comment."""
    return data[end_of_comment(data) :]


def find(world: World) -> Evidence | None:
    """The evidence of the child's own file: of a record, or of rules that are plainly those of an ancestor."""
    path = world.child.manifest
    rule = world.platform.rule_of(path)
    if rule is None or not is_headed(world.platform, world.child, path):
        return None
    record = world.records.get(Unit(rule.kind, path))
    ours = rest_of(world.snapshot.read(world.child, path))
    theme = next((t for t in world.ancestors if is_headed(world.platform, t, path)), None)
    theirs = rest_of(world.snapshot.read(theme, path)) if theme is not None else b""
    if record is None:
        copied = bool(ours.strip()) and likeness.alike(ours, theirs) >= likeness.ALIKE
        return _evidence(world, rule, None, ours, theme, theirs) if copied else None
    return _evidence(world, rule, record, ours, theme, theirs)


def _sentences(path: str, label: str) -> dict[str, Told]:
    """Its verdicts in sentences, with the lines of the whole files."""
    drifted = (f"{label} changed ", LinesOf.PARENT, f" of {quote_path(path)}; ", LinesOf.OWN)
    clash = (f"{quote_path(path)}: ", LinesOf.THEIRS, f" of {label} and ", LinesOf.OURS, " change the same place")
    return {"drifted": Told(drifted, Update), "conflicted": Told(clash, Update)}


def _evidence(
    world: World, rule: FileRule, record: Record | None, ours: bytes, theme: Theme | None, theirs: bytes
) -> Evidence:
    path = world.child.manifest
    base_here = record is None or world.snapshot.blob(record.digest) is not None
    subject = Subject(
        unit=Unit(rule.kind, path), listed=record is not None, how="copy", file=path, base=record.digest if record else None,
        base_here=base_here, origin=record.source if record else (theme.slug if theme else None), taken=record.release if record else None,
        now_from=theme.slug if theme else None, now=theme.release if theme else None, inside=True,
        told=_sentences(path, f"{theme.slug} {theme.release}" if theme else "the parent"),
    )  # fmt: skip
    if theme is None or not theirs.strip():
        source: Supplied | Lost = Lost()
    else:
        source = Supplied(blob_digest(theirs), theirs)
    if not ours.strip():
        words = f"nothing stands behind the leading comment of {path} any more"
        return Missing(replace(subject, told={"missing": Told(words)}), source)
    whole = world.snapshot.read(world.child, path)
    theirs_whole = world.snapshot.read(theme, path) if theme is not None else b""
    lines = (line_of(whole, end_of_comment(whole)), line_of(theirs_whole, end_of_comment(theirs_whole)))
    part = Part(ours, theirs, rule.language, *lines)
    usage = use.of(world, path, rule)
    own = Own(blob_digest(ours), usage.reach, usage.because, None, part)
    if isinstance(source, Lost):
        return Gone(subject, own, source)
    if usage.reach == "no":
        return Unreached(subject, own, source, Drop)
    return Present(subject, own, source, source.digest == own.text)
