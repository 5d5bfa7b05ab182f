"""Folders of our own outside the bench, gone when they are no longer needed."""

from __future__ import annotations

import tempfile
from collections.abc import Iterator
from contextlib import contextmanager

from protypon.core.files.folder import Folder


@contextmanager
def temporary_folder(what_for: str) -> Iterator[Folder]:
    """An empty folder that nobody else can enter."""
    with tempfile.TemporaryDirectory(prefix=f"protypon-{what_for}-") as path:
        folder = Folder(path)
        try:
            yield folder
        finally:
            folder.close()
