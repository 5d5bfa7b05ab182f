"""What is read, asked and decided, told to :mod:`logging` where somebody listens: a check of unchanged themes need not import it."""

from __future__ import annotations

import sys


def note(room: str, message: str, *values: object) -> None:
    """Log one step at level DEBUG under ``protypon.ROOM``."""
    logging = sys.modules.get("logging")
    if logging is not None:
        logging.getLogger(f"protypon.{room}").debug(message, *values)
