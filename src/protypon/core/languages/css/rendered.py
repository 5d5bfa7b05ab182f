"""Sheets that the platform renders like templates before it serves them: what can be read of them as they lie there."""

from __future__ import annotations

import re
from collections.abc import Iterator

from protypon.core.languages.css.rules import Condition, StyleRule, StyleSheet, read
from protypon.core.languages.holes import ENDS, replace_holes

_WORD = re.compile(r"\{%[-+]?\s*(end)?(if|for|call|macro|filter)\b")
_OPEN, _CLOSE, _GAP = "\u27e6", "\u27e7", "\u00a0"
"""Letters that a name in a sheet can have (CSS Syntax 3, section 4.2), in the place of those of a template."""
MOST_BRANCHES = 1_000
"""Statements that are told apart: where there are more, all may be there or not."""
PERHAPS = Condition("template", "a statement of the template")


def read_rendered(text: str) -> StyleSheet:
    """Read a sheet with what is filled in as words of their own; what stands inside of a statement may be there or not."""
    inside = list(_branches(text))
    if len(inside) > MOST_BRANCHES:
        inside = [(1, text.count("\n") + 1)]
    sheet = read(replace_holes(text, _as_read, {mark: end for mark, end in ENDS.items() if mark != "<?"}))
    sheet.rules = [_as_written(rule, any(a <= rule.line <= b for a, b in inside)) for rule in sheet.rules]
    return sheet


def _branches(text: str) -> Iterator[tuple[int, int]]:
    """The lines (first and last) between the statements that decide what comes into the sheet, and what ends them."""
    opened: list[int] = []
    line, at = 1, 0
    for found in _WORD.finditer(text):
        line, at = line + text.count("\n", at, found.start()), found.start()
        if not found[1]:
            opened.append(line)
        elif opened:
            yield opened.pop(), line
    last = text.count("\n") + 1
    yield from ((each, last) for each in opened)


def _as_read(piece: str) -> str:
    """What is filled in as a word of its own; a statement leaves its line ends."""
    lines = "\n" * piece.count("\n")
    if not piece.startswith("{{"):
        return lines
    inside = "".join(char if char.isalnum() else f"\\{ord(char):x} " for char in piece[2:-2].strip())
    return f"{_OPEN}{inside}{_CLOSE}{lines}"


def _as_written(rule: StyleRule, perhaps: bool) -> StyleRule:
    """A rule with what a template fills in as it stands there."""
    said = tuple(each._replace(value=_restore_holes(each.value)) for each in rule.declarations)
    around = tuple(each._replace(text=_restore_holes(each.text)) for each in rule.conditions)
    conditions = (*around, PERHAPS) if perhaps else around
    return rule._replace(selector=_restore_holes(rule.selector), declarations=said, conditions=conditions)


def _restore_holes(text: str) -> str:
    return re.sub(f"{_OPEN}(.*?){_CLOSE}", lambda found: f"{{{{ {_unescape(found[1])} }}}}", text)


def _unescape(text: str) -> str:
    return re.sub(r"\\([0-9a-f]{1,6}) |\\(.)", lambda found: chr(int(found[1], 16)) if found[1] else found[2], text)
