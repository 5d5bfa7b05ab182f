"""Reports of earlier checks, found again by the digests of all that bears on them."""

from __future__ import annotations

import json
import sys
from typing import TYPE_CHECKING, Any
from zlib import crc32

from protypon import __version__
from protypon.core.files.folder import Folder
from protypon.core.files.notes import note
from protypon.core.files.programs import identity, program
from protypon.core.model.errors import BadInput
from protypon.core.model.limits import STATE_BYTES
from protypon.core.store.proposals import standing
from protypon.core.themes.bench import Bench

if TYPE_CHECKING:
    from protypon.core.check.against import Against
    from protypon.core.model.nouns import Theme

MOST = 800
"""Reports that are kept; the oldest go."""
Report = dict[str, Any]
KIND = "report"
RELEASES = ".protypon/releases.json"


class ReportCache:
    """Reports of earlier runs, found again by all that bears on them."""

    def __init__(self, bench: Bench, against: Against | None) -> None:
        self.bench, self.against = bench, against
        found = {name: listing.found for name, listing in bench.listings.items()}
        releases = _bytes_of(bench.folder, RELEASES).decode("utf-8", "replace")
        stored = str(bench.folder.is_file(".protypon/store/HEAD"))
        self.found = found
        readers = (sys.version, identity(program("php")))  # they have the last word on what parses
        other = (against.path, *against.known_by) if against else ()
        platform = (bench.platform_asked, bench.platform_text[0])
        self.common = _join_parts(
            __version__, *readers, stored, *platform, releases, *other, *sorted(found), str(bench.themes_folder)
        )

    def bench_row(self) -> dict[str, Any] | None:
        """What is known of the bench: ``children`` with the folders of their lineages, ``platform``, ``against``."""
        row = self.load("bench-" + _join_parts(self.common, *self.found.values()))
        return row if isinstance(row, dict) and row.keys() == {"children", "platform", "against"} else None

    def put_bench_row(self, row: dict[str, Any]) -> None:
        """Remember which children a bench has."""
        self.save("bench-" + _join_parts(self.common, *self.found.values()), row)

    def lineage_folders(self, child: Theme) -> list[str]:
        """The folders, below that of the themes, in which a child's lineage lies."""
        top = str(self.bench.themes_folder) + "/"
        return [t.folder[len(top) :].split("/")[0] for t in self.bench.lineage(child).themes]

    def report(self, slug: str, folders: list[str], children: int) -> Report | None:
        """The report of a child of which nothing changed since; None where there is none."""
        found = self.load(self._key(slug, folders, children))
        if isinstance(found, dict):
            note("check", "%s: nothing changed since it was last examined", slug)
            return found
        return None

    def put_report(self, slug: str, folders: list[str], children: int, report: Report) -> None:
        """Remember a child's report."""
        self.save(self._key(slug, folders, children), report)

    def _key(self, slug: str, folders: list[str], children: int) -> str:
        return "child-" + _join_parts(self.about(slug, children), *(self.found[name] for name in folders))

    def about(self, slug: str, children: int) -> str:
        """All that bears on one child's report, but for what stands in the folders of its lineage."""
        proposals = ",".join(f"{file}:{state}" for file, state in sorted(standing(self.bench.folder, slug).items()))
        return _join_parts(self.common, slug, str(children > 1), proposals)

    def load(self, key: str) -> Any:
        """What was remembered under a key; None where there is nothing, or it can't be read."""
        data = self.bench.cache.load(KIND, _name(key))
        try:
            body = json.loads(data) if data is not None else None
        except (ValueError, RecursionError):
            return None
        return body["found"] if isinstance(body, dict) and body.get("key") == key else None

    def save(self, key: str, found: object) -> None:
        """Remember something that JSON can hold."""
        body = {"key": key, "found": found}
        data = json.dumps(body, separators=(",", ":")).encode("utf-8", "backslashreplace")
        self.bench.cache.save(KIND, {_name(key): data})
        self.bench.cache.keep_newest(KIND, MOST)


def _name(key: str) -> str:
    """A checksum names the row; the key inside decides."""
    return f"{crc32(key.encode('utf-8', 'surrogateescape')):08x}"


def _bytes_of(folder: Folder, path: str) -> bytes:
    """A file of the bench, or nothing: what is damaged is told by those who need it."""
    try:
        return folder.read(path, STATE_BYTES)
    except (OSError, BadInput):
        return b""


def _join_parts(*parts: str) -> str:
    """One key of several parts, with the length of each so that none runs into the next."""
    return "".join(f"{len(part)}:{part}" for part in parts)
