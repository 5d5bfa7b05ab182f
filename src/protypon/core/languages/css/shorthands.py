"""Which properties a shorthand sets (the property definitions of the CSS modules)."""

from __future__ import annotations

from functools import cache

_SIDES = ("top", "right", "bottom", "left")
_CORNERS = ("top-left", "top-right", "bottom-right", "bottom-left")
_LOGICAL = ("block-start", "block-end", "inline-start", "inline-end")
_EDGES = ("style", "width", "color")


def _table() -> dict[str, tuple[str, ...]]:
    rows: dict[str, tuple[str, ...]] = {
        "margin": tuple(f"margin-{s}" for s in _SIDES),
        "padding": tuple(f"padding-{s}" for s in _SIDES),
        "inset": _SIDES,
        "scroll-margin": tuple(f"scroll-margin-{s}" for s in _SIDES),
        "scroll-padding": tuple(f"scroll-padding-{s}" for s in _SIDES),
        "border-radius": tuple(f"border-{c}-radius" for c in _CORNERS),
        "border-image": tuple(f"border-image-{p}" for p in ("source", "slice", "width", "outset", "repeat")),
        "outline": tuple(f"outline-{e}" for e in _EDGES),
        "background": tuple(
            f"background-{p}" for p in ("image", "position", "position-x", "position-y", "size", "repeat", "attachment", "origin", "clip", "color")
        ),
        "background-position": ("background-position-x", "background-position-y"),
        "font": (
            "font-style", "font-variant", "font-weight", "font-stretch", "font-size", "line-height", "font-family", "font-size-adjust",
            "font-kerning", "font-feature-settings", "font-variation-settings",
        ),
        "flex": ("flex-grow", "flex-shrink", "flex-basis"),
        "flex-flow": ("flex-direction", "flex-wrap"),
        "grid-area": ("grid-row-start", "grid-column-start", "grid-row-end", "grid-column-end"),
        "grid-row": ("grid-row-start", "grid-row-end"),
        "grid-column": ("grid-column-start", "grid-column-end"),
        "grid-template": ("grid-template-rows", "grid-template-columns", "grid-template-areas"),
        "grid": (
            "grid-template-rows", "grid-template-columns", "grid-template-areas", "grid-auto-rows", "grid-auto-columns", "grid-auto-flow",
        ),
        "gap": ("row-gap", "column-gap"),
        "place-content": ("align-content", "justify-content"),
        "place-items": ("align-items", "justify-items"),
        "place-self": ("align-self", "justify-self"),
        "overflow": ("overflow-x", "overflow-y"),
        "overscroll-behavior": ("overscroll-behavior-x", "overscroll-behavior-y"),
        "list-style": ("list-style-type", "list-style-position", "list-style-image"),
        "columns": ("column-width", "column-count"),
        "column-rule": ("column-rule-width", "column-rule-style", "column-rule-color"),
        "text-decoration": ("text-decoration-line", "text-decoration-style", "text-decoration-color", "text-decoration-thickness"),
        "text-emphasis": ("text-emphasis-style", "text-emphasis-color"),
        "transition": ("transition-property", "transition-duration", "transition-timing-function", "transition-delay", "transition-behavior"),
        "animation": (
            "animation-name", "animation-duration", "animation-timing-function", "animation-delay", "animation-iteration-count",
            "animation-direction", "animation-fill-mode", "animation-play-state", "animation-timeline",
        ),
        "mask": tuple(f"mask-{p}" for p in ("image", "mode", "repeat", "position", "clip", "origin", "size", "composite")),
        "container": ("container-name", "container-type"),
    }  # fmt: skip
    for edge in _EDGES:
        rows[f"border-{edge}"] = tuple(f"border-{s}-{edge}" for s in _SIDES)
    for side in (*_SIDES, *_LOGICAL):
        rows[f"border-{side}"] = tuple(f"border-{side}-{e}" for e in _EDGES)
    rows["border"] = (*(f"border-{s}-{e}" for s in _SIDES for e in _EDGES), *rows["border-image"])
    for axis in ("block", "inline"):
        for name in ("margin", "padding", "inset", "scroll-margin", "scroll-padding"):
            rows[f"{name}-{axis}"] = (f"{name}-{axis}-start", f"{name}-{axis}-end")
        rows[f"border-{axis}"] = tuple(f"border-{axis}-{at}-{e}" for at in ("start", "end") for e in _EDGES)
        for edge in _EDGES:
            rows[f"border-{axis}-{edge}"] = (f"border-{axis}-start-{edge}", f"border-{axis}-end-{edge}")
    return rows


@cache
def _rows() -> dict[str, tuple[str, ...]]:
    return _table()


def longhands(name: str) -> tuple[str, ...]:
    """The properties that a shorthand sets, shorthands among them too; none for any other. ``all`` is not one of these.

    >>> longhands("gap")
    ('row-gap', 'column-gap')
    """
    return _rows().get(name, ())


@cache
def set_by(name: str) -> frozenset[str]:
    """A property as longhands: itself where it is no shorthand."""
    below = longhands(name)
    return frozenset(each for inner in below for each in set_by(inner)) if below else frozenset({name})


def shorthands() -> tuple[str, ...]:
    """All of them."""
    return tuple(_rows())
