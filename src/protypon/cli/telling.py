"""``--verbose``: what the core logs, as lines on standard error."""

from __future__ import annotations

import logging

from protypon.render.plain import write_note


class _Notes(logging.Handler):
    def emit(self, record: logging.LogRecord) -> None:
        write_note(f"{record.name.removeprefix('protypon.')}: {record.getMessage()}")


def begin() -> None:
    """Tell everything from here on."""
    logger = logging.getLogger("protypon")
    if not logger.handlers:
        logger.addHandler(_Notes())
        logger.propagate = False
    logger.setLevel(logging.DEBUG)


def is_on() -> bool:
    return logging.getLogger("protypon").isEnabledFor(logging.DEBUG) and bool(logging.getLogger("protypon").handlers)
