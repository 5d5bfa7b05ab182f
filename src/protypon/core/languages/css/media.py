"""Whether the condition of a block holds, as far as that is known: Media Queries Level 4, for a medium and a size of the window."""

from __future__ import annotations

import re
from typing import NamedTuple

from protypon.core.languages.css.rules import Condition


class Window(NamedTuple):
    """Where a page is shown. A size that is None is not known."""

    medium: str = "screen"
    width: float | None = None
    height: float | None = None


_PIXELS = {"px": 1.0, "em": 16.0, "rem": 16.0, "in": 96.0, "cm": 96 / 2.54, "mm": 96 / 25.4, "pt": 96 / 72, "pc": 16.0}
_LENGTH = re.compile(r"([+-]?(?:\d+\.?\d*|\.\d+)(?:e[+-]?\d+)?)(px|em|rem|in|cm|mm|pt|pc)?", re.IGNORECASE)
_PLAIN = re.compile(r"(?:(min|max)-)?(width|height)\s*:\s*(.+)", re.IGNORECASE)
_COMPARED = re.compile(r"(width|height)\s*(<=|>=|<|>|=)\s*([^<>=]+)", re.IGNORECASE)
_TURNED = re.compile(r"([^<>=]+?)\s*(<=|>=|<|>|=)\s*(width|height)", re.IGNORECASE)
_BETWEEN = re.compile(r"([^<>=]+?)\s*(<=|<|>=|>)\s*(width|height)\s*(<=|<|>=|>)\s*([^<>=]+)", re.IGNORECASE)
_OTHER_WAY = {"<": ">", ">": "<", "<=": ">=", ">=": "<=", "=": "="}
_MEDIA = frozenset({"all", "screen", "print"})


def holds(condition: Condition, window: Window) -> bool | None:
    """Whether a condition holds; None where that can't be told."""
    if condition.kind == "starting-style":
        return False
    return media(condition.text, window) if condition.kind == "media" else None


def all_hold(conditions: tuple[Condition, ...], window: Window) -> bool | None:
    """Whether all of several hold."""
    found = [holds(condition, window) for condition in conditions]
    return False if False in found else None if None in found else True


def media(text: str, window: Window) -> bool | None:
    """Whether a list of media queries holds: one of them is enough; an empty list holds."""
    if not text.strip():
        return True
    found = [_query(query.strip().lower(), window) for query in _split_at(text, ",")]
    return True if True in found else None if None in found else False


def _query(text: str, window: Window) -> bool | None:
    match = re.fullmatch(r"(?:(not|only)\s+)?([a-z-]+)(?:\s+and\s+(.+))?", text)
    if match is not None and match[2] not in ("not", "only", "and", "or"):
        medium = match[2] == "all" or (match[2] == window.medium if match[2] in _MEDIA else False)
        rest = _condition(match[3], window) if match[3] else True
        found = False if not medium or rest is False else rest
        return (None if found is None else not found) if match[1] == "not" else found
    return _condition(text, window)


def _condition(text: str, window: Window) -> bool | None:
    text = text.strip()
    if text.startswith("not") and text[3:4] in (" ", "("):
        found = _condition(text[3:], window)
        return None if found is None else not found
    for word, decides in (("and", False), ("or", True)):
        parts = _split_at(text, word)
        if len(parts) > 1:
            each = [_condition(part, window) for part in parts]
            return decides if decides in each else None if None in each else not decides
    if text.startswith("(") and text.endswith(")"):
        inside = text[1:-1].strip()
        return _condition(inside, window) if inside.startswith(("(", "not ", "not(")) else _feature(inside, window)
    return None


def _feature(text: str, window: Window) -> bool | None:
    plain, compared, turned = _PLAIN.fullmatch(text), _COMPARED.fullmatch(text), _TURNED.fullmatch(text)
    if plain is not None:
        sign = {"min": ">=", "max": "<=", "": "="}[(plain[1] or "").lower()]
        return _compare(plain[2], sign, plain[3], window)
    if compared is not None:
        return _compare(compared[1], compared[2], compared[3], window)
    if turned is not None:
        return _compare(turned[3], _OTHER_WAY[turned[2]], turned[1], window)
    between = _BETWEEN.fullmatch(text)
    if between is not None and (between[2][0] == between[4][0]):
        both = (
            _compare(between[3], _OTHER_WAY[between[2]], between[1], window),
            _compare(between[3], between[4], between[5], window),
        )
        return False if False in both else None if None in both else True
    return None


def _compare(name: str, sign: str, length: str, window: Window) -> bool | None:
    size = window.width if name.lower() == "width" else window.height
    match = _LENGTH.fullmatch(length.strip())
    if size is None or match is None or (match[2] is None and float(match[1]) != 0):
        return None
    other = float(match[1]) * (_PIXELS[match[2].lower()] if match[2] else 1.0)
    return {
        "<": size < other, ">": size > other, "<=": size <= other, ">=": size >= other, "=": size == other
    }[sign]  # fmt: skip


def _split_at(text: str, word: str) -> list[str]:
    """The parts between a word, or a comma, that stand in no brackets."""
    found, depth, begin, at = list[str](), 0, 0, 0
    size = len(word)
    while at < len(text):
        char = text[at]
        depth += char == "("
        depth -= char == ")"
        apart = word == "," or (text[at - 1 : at] in (" ", ")") and text[at + size : at + size + 1] in (" ", "("))
        if depth == 0 and text.startswith(word, at) and apart:
            found.append(text[begin:at])
            at += size
            begin = at
            continue
        at += 1
    return [*found, text[begin:]]
