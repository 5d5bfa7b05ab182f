"""A selector that matches the very same elements and counts more (Selectors Level 4, section 17)."""

from __future__ import annotations

import re
from collections.abc import Iterator

from protypon.core.languages.css.selectors import parse

MOST = 3
"""How often a name is said again, at most."""
_NAME = re.compile(r"[.#][\w-]+")
_ROOTS = {":root": ("html:root", ":root:root"), "html": ("html:root",), "body": ("html body", ":root body")}


def raise_selector(selector: str) -> Iterator[str]:
    """Selectors for the same elements in any page, those that count least first; nothing for one that is not read.

    A class or id said again matches no less; and all elements of a kind but the root are below the root.

    >>> list(raise_selector(".pier .lamp"))[:2], list(raise_selector("ul > li"))
    (['.pier .lamp.lamp', '.pier .lamp.lamp.lamp'], ['html ul > li', ':root ul > li'])
    """
    found = {each: parsed.specificity for each in _raised_forms(selector) if (parsed := parse(each)) is not None}
    yield from sorted(found, key=lambda each: (found[each], len(each)))


def _raised_forms(selector: str) -> Iterator[str]:
    yield from _ROOTS.get(selector, ())
    if re.match(r"(?!html\b|body$)[A-Za-z][\w-]*", selector):
        yield from (f"html {selector}", f":root {selector}")
    names = [] if re.search(r"[(\[\\]", selector) else list(_NAME.finditer(selector))
    for name in [*names[-1:], *(each for each in names[:-1] if each[0].startswith("#"))]:
        for times in range(1, MOST + 1):
            yield selector[: name.end()] + name[0] * times + selector[name.end() :]
