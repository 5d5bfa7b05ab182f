"""A release that lies elsewhere, to be looked at as if it were in the bench."""

from __future__ import annotations

from collections.abc import Callable
from functools import cached_property
from typing import TYPE_CHECKING

from protypon.core.files.listing import look
from protypon.core.themes.bench import Bench

if TYPE_CHECKING:
    from protypon.core.files.archives import Intake
    from protypon.core.model.nouns import Theme


class Against:
    """A release that is not in the bench, to be looked at as if it were; what it is, is read when it is asked for.

    ``path`` is as it was typed, ``known_by`` all that tells one such release from another.
    """

    def __init__(self, path: str, known_by: tuple[str, ...], read: Callable[[], Theme]) -> None:
        self.path, self.known_by, self._read = path, known_by, read

    @cached_property
    def theme(self) -> Theme:
        """The theme that lies there."""
        return self._read()


def look_at(bench: Bench, intake: Intake) -> Against:
    """What is in a folder or archive, as a release of one of the bench's themes. ``theme`` raises BadInput where it is none."""
    cache = None if intake.archive else bench.cache.row("listing of another", "looked at")
    listing = look(intake.folder, cache, bench.progress)

    def read() -> Theme:
        from protypon.core.themes.intake import against_theme

        return against_theme(bench, intake, listing)

    return Against(intake.origin, (listing.found, intake.name, intake.release or ""), read)
