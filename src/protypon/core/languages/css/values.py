"""Whether browsers take a value, for properties of which that can be told from the value alone: a declaration they do not take counts for nothing."""

from __future__ import annotations

import re
from typing import Any

from protypon.core.languages.css.rules import StyleDeclaration
from protypon.core.languages.css.shorthands import longhands, shorthands


def _words(text: str) -> frozenset[str]:
    return frozenset(text.split())


_WIDE = frozenset({"inherit", "initial", "unset", "revert"})
"""Words that every property takes (CSS Cascade 5, section 7.3)."""
_COLOURS = _words(
    "color background-color outline-color text-decoration-color caret-color column-rule-color border-top-color border-right-color "
    "border-bottom-color border-left-color border-block-start-color border-block-end-color border-inline-start-color border-inline-end-color "
    "accent-color text-emphasis-color fill stroke"
)  # fmt: skip
_UNITS = _words("px em rem ex ch vw vh vmin vmax svw svh dvw dvh lvw lvh cm mm in pt pc q vi vb lh rlh")
_SIZES = {
    **dict.fromkeys(
        ("margin-top", "margin-right", "margin-bottom", "margin-left", "top", "right", "bottom", "left"), "auto"
    ),
    **dict.fromkeys(("width", "height", "min-width", "min-height"), "+auto"),
    **dict.fromkeys(("padding-top", "padding-right", "padding-bottom", "padding-left", "font-size"), "+"),
    **dict.fromkeys(("row-gap", "column-gap"), "+normal"),
    **dict.fromkeys(("max-width", "max-height"), "+none"),
}
"""Properties that are a length or a share; ``+``: not below zero; then a word that they take besides."""
_SHORT = {"margin": ("margin-top", 4), "padding": ("padding-top", 4), "inset": ("top", 4), "gap": ("row-gap", 2)}
"""Shorthands of several such lengths: what each is, and how many there may be."""
_WORDS: dict[str, frozenset[str]] = {
    "display": _words("none block inline inline-block flex inline-flex grid inline-grid table table-row table-cell list-item contents flow-root"),
    "position": _words("static relative absolute fixed sticky"),
    "float": _words("none left right inline-start inline-end"),
    "clear": _words("none left right both inline-start inline-end"),
    "text-align": _words("left right center justify start end"),
    "text-transform": _words("none uppercase lowercase capitalize"),
    "font-style": _words("normal italic oblique"),
    "visibility": _words("visible hidden collapse"),
    "overflow-x": _words("visible hidden clip scroll auto"),
    "overflow-y": _words("visible hidden clip scroll auto"),
    "white-space": _words("normal nowrap pre pre-wrap pre-line break-spaces"),
    "text-decoration-line": _words("none underline overline line-through"),
    "text-decoration": _words("none underline overline line-through"),
    "box-sizing": _words("content-box border-box"),
    "cursor": _words("auto default none pointer help wait text move not-allowed crosshair grab grabbing progress"),
    "flex-direction": _words("row row-reverse column column-reverse"),
    "flex-wrap": _words("nowrap wrap wrap-reverse"),
    "align-items": _words("normal stretch center start end flex-start flex-end baseline"),
    "justify-content": _words("normal center start end left right flex-start flex-end space-between space-around space-evenly stretch"),
    "pointer-events": _words("auto none"),
}  # fmt: skip


def is_taken(declaration: StyleDeclaration) -> bool | None:
    """Whether browsers take a declaration; None where that can't be told here."""
    name, value = declaration.name, declaration.value
    if name.startswith("--"):
        return True
    if not _is_told(name):
        return None
    if not value:
        return False
    if re.search(r"\bvar\(", value, re.IGNORECASE):
        return None if value.lower().count("var(") != value.count("var(") else True
    word = value.lower()
    if word in _WIDE:
        return True
    if "(" in word and name not in _COLOURS:
        return None
    if name in _COLOURS:
        return _is_colour(name, value)
    if name == "background":
        return True if _is_colour(name, value) or word == "none" else None
    if name in _WORDS:
        return True if word in _WORDS[name] else None
    if name == "z-index":
        return word == "auto" or re.fullmatch(r"[+-]?\d{1,6}", word) is not None
    if name in ("opacity", "flex-grow", "flex-shrink"):
        return True if re.fullmatch(r"\d+(\.\d+)?", word) else None
    if name == "font-weight":
        return True if word in ("normal", "bold", "bolder", "lighter") or re.fullmatch(r"[1-9]\d{0,2}", word) else None
    return _are_lengths(name, word)


def is_known(name: str) -> bool:
    """Whether a property is one of which something is known here, or a part of a shorthand."""
    parts = {each for whole in shorthands() for each in (whole, *longhands(whole))}
    return name in parts or _is_told(name)


def _is_told(name: str) -> bool:
    others = ("background", "z-index", "opacity", "flex-grow", "flex-shrink", "font-weight")
    return name in _COLOURS or name in _SIZES or name in _SHORT or name in _WORDS or name in others


def _is_colour(name: str, value: str) -> bool | None:
    import tinycss2.color4

    if re.fullmatch(r"#(?:[0-9a-f]{3,4}|[0-9a-f]{6}|[0-9a-f]{8})|transparent|currentcolor", value, re.IGNORECASE):
        return True
    if re.fullmatch(r"[a-z]+", value, re.IGNORECASE):
        named: Any = tinycss2.color4.parse_color(value)
        return True if named is not None else None
    plain = re.fullmatch(
        r"rgba?\(\s*\d{1,3}\s*,\s*\d{1,3}\s*,\s*\d{1,3}\s*(?:,\s*(?:0|1|0?\.\d+)\s*)?\)", value, re.IGNORECASE
    )
    return True if plain else None


def _are_lengths(name: str, word: str) -> bool | None:
    long, most = _SHORT.get(name, (name, 1))
    kind, parts = _SIZES[long], word.split()
    if not 1 <= len(parts) <= most:
        return None
    found = [_is_length(part, kind) for part in parts]
    return None if None in found else all(found)


def _is_length(part: str, kind: str) -> bool | None:
    if part == kind.lstrip("+"):
        return True
    match = re.fullmatch(r"([+-]?)(\d+\.?\d*|\.\d+)([a-z]+|%)?", part)
    if match is None:
        return None
    zero = float(match[2]) == 0
    if match[3] is None:
        return True if zero else None
    if match[1] == "-" and kind.startswith("+") and not zero:
        return False
    return True if match[3] == "%" or match[3] in _UNITS else None
