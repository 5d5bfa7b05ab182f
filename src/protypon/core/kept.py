"""Reports of earlier checks, found again by the digests of all that bears on them."""

from __future__ import annotations

import json
from pathlib import Path
from typing import TYPE_CHECKING, Any
from zlib import crc32

from protypon import __version__
from protypon.core.bench import Bench
from protypon.core.listing import write_beside
from protypon.core.proposals import waiting

if TYPE_CHECKING:
    from protypon.core.check import Against
    from protypon.core.model import Theme

MOST = 400
"""Reports that are kept; the oldest go."""
Report = dict[str, Any]
RELEASES = ".protypon/releases.json"


class KeptReports:
    """Reports of earlier runs, found again by all that bears on them."""

    def __init__(self, bench: Bench, against: Against | None) -> None:
        self.bench, self.against = bench, against
        self.folder = bench.cache / "reports"
        found = {name: listing.found for name, listing in bench.listings.items()}
        try:
            releases = (bench.root / RELEASES).read_text("utf-8")
        except (OSError, ValueError):
            releases = ""
        self.found = found
        self.common = _joined(
            __version__, bench.platform_asked, bench.platform_text[0], releases, against.path if against else "", against.theme.identity if against else "",
            *sorted(found), str(bench.themes_folder),
        )  # fmt: skip

    def children(self) -> dict[str, list[str]] | None:
        """Every child with the folders of its lineage."""
        rows = self._load("bench-" + _joined(self.common, *self.found.values()))
        return rows if isinstance(rows, dict) else None

    def put_children(self, children: dict[str, list[str]]) -> None:
        self._save("bench-" + _joined(self.common, *self.found.values()), children)

    def lineage_folders(self, child: Theme) -> list[str]:
        top = str(self.bench.themes_folder) + "/"
        return [t.folder[len(top) :].split("/")[0] for t in self.bench.lineage(child).themes]

    def report(self, slug: str, folders: list[str], children: int) -> Report | None:
        found = self._load(self._key(slug, folders, children))
        return found if isinstance(found, dict) else None

    def put_report(self, slug: str, folders: list[str], children: int, report: Report) -> None:
        self._save(self._key(slug, folders, children), report)

    def _key(self, slug: str, folders: list[str], children: int) -> str:
        proposals = ",".join(sorted(waiting(self.bench.root, slug)))
        return "child-" + _joined(
            self.common, slug, str(children > 1), proposals, *(self.found[name] for name in folders)
        )

    def _load(self, key: str) -> Any:
        try:
            body = json.loads(self._file(key).read_bytes())
        except (OSError, ValueError):
            return None
        return body["found"] if isinstance(body, dict) and body.get("key") == key else None

    def _save(self, key: str, found: object) -> None:
        if self.bench.writable:
            self._make_room()
            body = {"key": key, "found": found}
            write_beside(self._file(key), json.dumps(body, separators=(",", ":")).encode())

    def _file(self, key: str) -> Path:
        """A checksum names the file; the key inside decides."""
        return self.folder / f"{crc32(key.encode('utf-8', 'surrogateescape')):08x}.json"

    def _make_room(self) -> None:
        if not self.folder.is_dir():
            return
        standing = sorted(self.folder.glob("*.json"), key=lambda path: path.stat().st_mtime)
        for path in standing[: max(0, len(standing) - MOST)]:
            path.unlink(missing_ok=True)


def _joined(*parts: str) -> str:
    """One key of several parts, with the length of each so that none runs into the next."""
    return "".join(f"{len(part)}:{part}" for part in parts)
