"""What was read while something was worked out: the files whose very text or digest it hangs on.

What readers say of a file (facts, code, problems) is not noted as its text: two texts of which readers say the same are the same to
whoever asks only them. Of whose code was asked is noted apart. Which files there are is not noted either: it counts as read always.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from typing import TYPE_CHECKING, Any, NamedTuple

from protypon.core.model.nouns import Theme
from protypon.core.model.paths import Entry

if TYPE_CHECKING:
    from _collections_abc import dict_items, dict_values


class Noted(NamedTuple):
    """Files whose text or digest was looked at, as (theme, path)."""

    shared: set[tuple[str, str]]
    own: set[tuple[str, str]]
    """Those that only the override of that path has looked at."""


class Trace:
    """The texts that were read, as (theme, path)."""

    def __init__(self) -> None:
        self._texts: set[tuple[str, str]] = set()
        self._own: dict[str, set[tuple[str, str]]] = {}
        """By path, what was read under that very path for the override of it, and for nothing else."""
        self._path = self._child = ""
        self.edited: set[str] = set()
        """Themes of which it was asked whether they were edited in their folder."""
        self.lying: set[tuple[str, str]] = set()
        """Files of which it was asked whether they lie there as they were released."""
        self.code: set[tuple[str, str]] = set()
        """Files of which it was asked what they do. Never forgotten: what comes of it is shared by all that a command looks at."""

    def begin(self, child: str) -> None:
        """Forget all that was noted: a child is examined, whose own code nobody else has to do with."""
        self._texts, self._own, self.edited, self._child = set(), {}, set(), child
        self.lying = set()

    def note_code(self, theme: str, path: str) -> None:
        """Somebody asks what a file does."""
        if theme != self._child:
            self.code.add((theme, path))

    def note(self, theme: str, path: str) -> None:
        """Somebody looks at a text, or at its digest."""
        if path == self._path:
            self._own.setdefault(path, set()).add((theme, path))
        else:
            self._texts.add((theme, path))

    @contextmanager
    def override_of(self, path: str) -> Iterator[None]:
        """What is read under ``path`` meanwhile is read for the override of it."""
        self._path = path
        try:
            yield
        finally:
            self._path = ""

    def take(self) -> Noted:
        """What was noted since this was asked last."""
        found = Noted(self._texts, set[tuple[str, str]]().union(*self._own.values()))
        self._texts, self._own = set(), {}
        return found


class TracedFiles(dict[str, Entry]):
    """The files of one theme; whoever looks at one is noted, whoever asks which there are is not."""

    def __init__(self, files: Mapping[str, Entry], slug: str, trace: Trace) -> None:
        super().__init__(files)
        self._slug, self._trace = slug, trace

    def __getitem__(self, path: str) -> Entry:
        self._trace.note(self._slug, path)
        return super().__getitem__(path)

    def get(self, path: str, default: Any = None) -> Any:
        """What stands at a path; it is noted that somebody asked."""
        self._trace.note(self._slug, path)
        return super().get(path, default)

    def items(self) -> dict_items[str, Entry]:
        """Every path with what stands there; all are noted."""
        self._all()
        return super().items()

    def values(self) -> dict_values[str, Entry]:
        """What stands at every path; all are noted."""
        self._all()
        return super().values()

    def _all(self) -> None:
        for path in self:
            self._trace.note(self._slug, path)


def digest_of(theme: Theme, path: str) -> str:
    """The digest of a file that is handed to a reader, and noted nowhere."""
    return dict.__getitem__(theme.files, path).digest if isinstance(theme.files, dict) else theme.files[path].digest
