"""A platform file held against one theme: which of its patterns and calls match nothing there, and which files nothing matches."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

from protypon.core.files.archives import Intake
from protypon.core.languages.code import Invoke, bodies, walk
from protypon.core.languages.registry import is_coded
from protypon.core.model.nouns import Theme
from protypon.core.model.paths import quote_path
from protypon.core.platform.platform import Platform, parse
from protypon.core.platform.sense import unmatched_parts
from protypon.core.themes.discover import themes_in
from protypon.core.themes.intake import listing_of
from protypon.core.themes.snapshot import Snapshot

MOST = 20
"""Files without a rule that are listed by name."""


def match(intake: Intake, text: str, file: Path) -> Iterator[str]:
    """What a platform file says and a theme has not, and the other way round, a line each."""
    platform = parse(text, str(file), None, file.parent)
    themes = themes_in(listing_of(intake), platform, intake.name)
    if not themes:
        yield f"{intake.origin}: no folder in it is a theme by this file: {', '.join(m.path for m in platform.manifests)} is in none"
        return
    snapshot = Snapshot.of_folders(None)
    paths = [path for theme in themes for path in theme.files]
    said = {name for theme in themes for name in _names_used(platform, snapshot, theme)}
    for problem in unmatched_parts(text, str(file), paths, said, file.parent):
        yield f"{problem} in {intake.origin}"
    loose = sorted({p for t in themes for p in t.files if platform.rule_of(p) is None and p != t.manifest})
    for path in loose[:MOST]:
        yield f"{quote_path(path)}: no row of the files table matches it"
    if len(loose) > MOST:
        yield f"and {len(loose) - MOST} more files that no row matches"


def _names_used(platform: Platform, snapshot: Snapshot, theme: Theme) -> Iterator[str]:
    """Every name that code or templates of a theme call, or mark something with."""
    for path, rule in platform.ruled(theme.files).rows:
        if not is_coded(rule.language):
            continue
        code = snapshot.code(theme, path, rule.language)
        yield from (mark.name for function in code.functions for mark in function.marks)
        for statement in bodies(code):
            for node in walk(statement):
                if isinstance(node, Invoke):
                    yield node.name
                    yield node.name.rpartition("\\")[2]
