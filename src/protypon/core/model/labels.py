"""Release numbers, as far as one can be told to be later than another."""

from __future__ import annotations


def is_later(one: str | None, other: str | None) -> bool:
    """Whether a release is known to be later than another one, by their numbers (PEP 440).

    >>> is_later("1.10", "1.9"), is_later("2.0rc1", "2.0"), is_later("spring", "autumn")
    (True, False, False)
    """
    from packaging.version import InvalidVersion, Version

    try:
        return Version(one or "") > Version(other or "")
    except InvalidVersion:
        return False
