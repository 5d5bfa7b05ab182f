"""Where the program begins: what can be interrupted before anything is done ends quietly."""

from __future__ import annotations

import gc
import sys

COLLECTION = (50_000, 20, 50)
"""When unused objects are looked for (gc.set_threshold): a short run makes many that live to its end."""


def main() -> None:
    """Run the program."""
    gc.set_threshold(*COLLECTION)
    try:
        from protypon.cli.main import main as begin
    except KeyboardInterrupt:
        sys.exit(130)
    begin()


if __name__ == "__main__":
    main()
