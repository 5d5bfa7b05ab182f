"""Regular expressions that a person wrote: run where they can be stopped.

Python's own matching tries every way, which an expression like ``(a+)+b`` makes more than anybody can wait for. One that
can't do that is used as it is; any other goes to a process of its own, with bounds on time and memory.
"""

from __future__ import annotations

import json
import re
import subprocess
import sys
from typing import NamedTuple

from protypon.core.model.errors import BadInput
from protypon.core.model.limits import PATTERN_BYTES, PATTERN_SECONDS

_REPEATS = re.compile(r"\\.|\[\^?\]?(?:\\.|[^\]\\])*\]|([*+{])", re.DOTALL)
_APART = """
import json, re, resource, sys
resource.setrlimit(resource.RLIMIT_AS, (1 << 29, 1 << 29))
resource.setrlimit(resource.RLIMIT_CPU, (5, 5))
pattern, text, whole = json.load(sys.stdin)
find = re.compile(pattern, re.MULTILINE).fullmatch if whole else re.compile(pattern, re.MULTILINE).search
found = find(text)
print(json.dumps(None if found is None else [found.span(n) for n in range(found.re.groups + 1)]))
"""


class Found(NamedTuple):
    """Where an expression fits: the spans of the whole and of each group; (-1, -1) for a group that took no part."""

    spans: tuple[tuple[int, int], ...]


def problem_of(pattern: str) -> str:
    """Why a text is no regular expression that can be used; empty where it is one."""
    if len(pattern.encode("utf-8", "surrogateescape")) > PATTERN_BYTES:
        return f"longer than {PATTERN_BYTES:,} bytes"
    try:
        re.compile(pattern)
    except (re.error, OverflowError, RecursionError) as error:
        return str(error)
    return ""


def search(pattern: str, text: str) -> Found | None:
    """The first place where an expression fits, ``^`` and ``$`` meaning lines. Raises BadInput where it takes too long."""
    return _find(pattern, text, False)


def fits(pattern: str, text: str) -> bool:
    """Whether an expression fits a whole text. Raises BadInput where it takes too long."""
    return _find(pattern, text, True) is not None


def _find(pattern: str, text: str, whole: bool) -> Found | None:
    why = problem_of(pattern)
    if why:
        raise BadInput(f"the expression {_pattern_text(pattern)}: {why}", "mend it in the platform file")
    if _repeats_once(pattern):
        compiled = re.compile(pattern, re.MULTILINE)
        found = compiled.fullmatch(text) if whole else compiled.search(text)
        return None if found is None else Found(tuple(found.span(n) for n in range(compiled.groups + 1)))
    return _apart(pattern, text, whole)


def _repeats_once(pattern: str) -> bool:
    """Whether an expression has one repetition at most, so that there is little to try."""
    return sum(bool(found[1]) for found in _REPEATS.finditer(pattern)) <= 1 and not re.search(r"\\\d|\(\?P=", pattern)


def _apart(pattern: str, text: str, whole: bool) -> Found | None:
    order = json.dumps([pattern, text, whole])
    try:
        done = subprocess.run(
            [sys.executable, "-I", "-S", "-c", _APART],
            input=order,
            capture_output=True,
            text=True,
            timeout=PATTERN_SECONDS + 1,
        )
        answer = json.loads(done.stdout)
    except (subprocess.TimeoutExpired, ValueError) as error:
        raise BadInput(
            f"the expression {_pattern_text(pattern)} took over {PATTERN_SECONDS:g} s on a text of {len(text):,} characters",
            "write it so that it can fit in one way only, without a repetition inside another",
        ) from error
    return None if answer is None else Found(tuple((a, b) for a, b in answer))


def _pattern_text(pattern: str) -> str:
    return repr(pattern if len(pattern) <= 60 else pattern[:57] + "...")
