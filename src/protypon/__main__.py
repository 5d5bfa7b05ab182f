"""Where the program begins: what can be interrupted before anything is done ends quietly."""

from __future__ import annotations

import sys


def main() -> None:
    """Run the program."""
    try:
        from protypon.cli.main import main as begin
    except KeyboardInterrupt:
        sys.exit(130)
    begin()


if __name__ == "__main__":
    main()
