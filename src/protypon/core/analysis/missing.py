"""What comes of reading what is not there: nothing in PHP, an error in Python."""

from __future__ import annotations

from protypon.core.analysis.machine import Frame, Machine
from protypon.core.languages.values import ABSENT, Box, Failure, Unknown

NO_NAME = Failure("UnboundLocalError")
NO_ATTRIBUTE = Failure("AttributeError")


def there(m: Machine, found: object, frame: Frame, error: Failure) -> object:
    """What is read where something may not be: nothing, or an error."""
    if isinstance(found, Unknown) and found.absent and not frame.file.semantics.COPIES:
        m.control.may_raise("something that may not be there")
    if found is not ABSENT:
        return found
    return None if frame.file.semantics.COPIES else m.value_or_raise(error)


def no_item(on: object, key: object) -> Failure:
    """The error of Python for an item that is not there."""
    return Failure("KeyError", (key,)) if isinstance(on, Box) and on.kind == "dict" else Failure("IndexError")
