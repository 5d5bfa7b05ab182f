"""Take a proposal that is of no more use out of a bench."""

from __future__ import annotations

import os

from protypon.core import proposals
from protypon.core.bench import Bench
from protypon.core.overlay import Overlay, content


def discard(index: proposals.Index, overlay: Overlay, bench: Bench, child: str, file: str) -> None:
    """Take a proposal that is of no more use out of the bench."""
    if index.get(child, {}).pop(file, None) is None:
        return
    for path in proposal_files(bench, child, file):
        overlay.remove(path)
    overlay.write(proposals.INDEX, content(proposals.written(index)))


def proposal_files(bench: Bench, child: str, file: str) -> list[str]:
    """The files of a proposal that are there, relative to the bench."""
    stem = os.path.join("proposals", child, file)
    return [p for p in (stem, stem + ".yours", stem + ".parents") if (bench.root / p).is_file()]
