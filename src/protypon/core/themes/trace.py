"""What was read while something was worked out: the files whose very text or digest it hangs on.

What readers say of a file (facts, code, problems) is not noted: two texts of which all readers say the same are the same to
whoever asks only them. Which files there are is not noted either: it counts as read always.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING, Any

from protypon.core.model.nouns import Theme
from protypon.core.model.paths import Entry

if TYPE_CHECKING:
    from _collections_abc import dict_items, dict_values


class Trace:
    """The texts that were read since :meth:`begin`, as (theme, path)."""

    def __init__(self) -> None:
        self.texts: set[tuple[str, str]] = set()
        self.edited: set[str] = set()
        """Themes of which it was asked whether they were edited in their folder."""

    def begin(self) -> None:
        self.texts, self.edited = set(), set()


class TracedFiles(dict[str, Entry]):
    """The files of one theme; whoever looks at one is noted, whoever asks which there are is not."""

    def __init__(self, files: Mapping[str, Entry], slug: str, trace: Trace) -> None:
        super().__init__(files)
        self._slug, self._trace = slug, trace

    def __getitem__(self, path: str) -> Entry:
        self._trace.texts.add((self._slug, path))
        return super().__getitem__(path)

    def get(self, path: str, default: Any = None) -> Any:
        self._trace.texts.add((self._slug, path))
        return super().get(path, default)

    def items(self) -> dict_items[str, Entry]:
        self._all()
        return super().items()

    def values(self) -> dict_values[str, Entry]:
        self._all()
        return super().values()

    def _all(self) -> None:
        self._trace.texts.update((self._slug, path) for path in self)


def digest_of(theme: Theme, path: str) -> str:
    """The digest of a file that is handed to a reader, and noted nowhere."""
    return dict.__getitem__(theme.files, path).digest if isinstance(theme.files, dict) else theme.files[path].digest
