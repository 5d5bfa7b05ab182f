"""Selectors (Selectors Level 4, read with cssselect2): how much one counts, and whether one matches all that another matches."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from functools import lru_cache
from typing import Any, NamedTuple

from protypon.core.languages.css.cascade import Specificity

_CLASSES = frozenset({
    "hover", "active", "focus", "focus-visible", "focus-within", "visited", "link", "any-link", "target", "checked", "disabled", "enabled",
    "required", "optional", "read-only", "read-write", "valid", "invalid", "in-range", "out-of-range", "placeholder-shown", "default",
    "indeterminate", "root", "empty", "first-child", "last-child", "only-child", "first-of-type", "last-of-type", "only-of-type", "scope", "defined",
    "fullscreen", "modal", "autofill", "user-valid", "user-invalid", "popover-open",
})  # fmt: skip
"""Pseudo-classes that all browsers of today know: one that is not known makes a whole rule count for nothing."""
_COUNTED = frozenset({"nth-child", "nth-last-child", "nth-of-type", "nth-last-of-type"})
_ELEMENTS = frozenset(
    [
        "before",
        "after",
        "first-line",
        "first-letter",
        "selection",
        "marker",
        "placeholder",
        "backdrop",
        "file-selector-button",
    ]
)


LONGEST = 10_000
"""Letters of a selector that is read."""
MOST_BRACKETS = 60
"""Lists inside of it, which may stand in one another."""


class Selector(NamedTuple):
    """One selector without commas, its parts from left to right."""

    compounds: tuple[tuple[Any, ...], ...]
    """The simple selectors of each part."""
    combinators: tuple[str, ...]
    """What stands before each part; empty before the first."""
    pseudo: str
    """The pseudo-element that it selects; empty where it is the element itself."""
    specificity: Specificity


@lru_cache(maxsize=100_000)
def parse(text: str) -> Selector | None:
    """Read one selector; None for one that is not known, which browsers may take or not."""
    from cssselect2 import parser

    if len(text) > LONGEST or text.count("(") > MOST_BRACKETS:
        return None
    try:
        found = list(parser.parse(text))
    except (parser.SelectorError, RecursionError, ValueError):
        return None
    if len(found) != 1 or not _is_known(found[0].parsed_tree) or (found[0].pseudo_element or "before") not in _ELEMENTS:
        return None
    return _selector(found[0].parsed_tree, found[0].pseudo_element or "", found[0].specificity)


@lru_cache(maxsize=100_000)
def normal(text: str) -> str:
    """A selector in one spelling: white space, and the case of what has none (Selectors 4, section 3.3).

    >>> normal("A>.Lamp") == normal("a > .Lamp")
    True
    """
    found = parse(text)
    if found is None:
        return " ".join(text.split())
    parts = (
        f"{combinator}{''.join(getattr(each, 'lower_local_name', None) or repr(each) for each in compound)}"
        for combinator, compound in zip(found.combinators, found.compounds, strict=True)
    )
    return f"{''.join(parts)}::{found.pseudo}"


def _selector(tree: Any, pseudo: str, specificity: Specificity) -> Selector:
    compounds, combinators = list[tuple[Any, ...]](), list[str]()
    while hasattr(tree, "left"):
        compounds.append(tuple(tree.right.simple_selectors))
        combinators.append(tree.combinator)
        tree = tree.left
    compounds.append(tuple(tree.simple_selectors))
    return Selector(tuple(reversed(compounds)), ("", *reversed(combinators)), pseudo, specificity)


def _is_known(tree: Any) -> bool:
    """Whether all parts are such as browsers read in the same way: no list that forgives what it does not know."""
    if hasattr(tree, "left"):
        return _is_known(tree.left) and _is_known(tree.right)
    for simple in getattr(tree, "simple_selectors", ()):
        if not _is_known_class(simple):
            return False
        inner = getattr(simple, "selector_list", None)
        if inner is not None and (not inner or not all(_is_known(_inner(each)) for each in inner)):
            return False
    return True


def _is_known_class(simple: Any) -> bool:
    """Whether a pseudo-class is one that browsers know, with arguments that they take."""
    kind = type(simple).__name__
    if kind == "PseudoClassSelector":
        return simple.name in _CLASSES
    if kind != "FunctionalPseudoClassSelector":
        return True
    if simple.name in ("lang", "dir"):
        return bool(simple.arguments)
    import tinycss2.nth

    return simple.name in _COUNTED and tinycss2.nth.parse_nth(simple.arguments) is not None


def _inner(selector: Any) -> Any:
    """The tree of a selector inside another one."""
    tree = getattr(selector, "parsed_tree", None)
    return tree if tree is not None else _inner(selector.selector)


def covers(general: Selector, special: Selector) -> bool:
    """Whether every element that ``special`` matches is matched by ``general`` too, in any page; False where that is not certain."""
    if general.pseudo != special.pseudo:
        return False
    return _covers(general, len(general.compounds) - 1, special, len(special.compounds) - 1)


def _covers(general: Selector, i: int, special: Selector, j: int) -> bool:
    """The same for what stands up to a part of each."""
    if not all(_implies(simple, special, j) for simple in general.compounds[i]):
        return False
    if i == 0:
        return True
    combinator = general.combinators[i]
    if combinator == ">":
        parent = _parent(special, j)
        return parent is not None and _covers(general, i - 1, special, parent)
    if combinator == "+":
        return special.combinators[j] == "+" and _covers(general, i - 1, special, j - 1)
    others = _ancestors(special, j) if combinator == " " else _siblings(special, j)
    return any(_covers(general, i - 1, special, other) for other in others)


def _parent(selector: Selector, j: int) -> int | None:
    """The part that is the parent of another; siblings have the same one."""
    while j > 0 and selector.combinators[j] in ("+", "~"):
        j -= 1
    return j - 1 if j > 0 and selector.combinators[j] == ">" else None


def _ancestors(selector: Selector, j: int) -> Iterator[int]:
    while j > 0:
        if selector.combinators[j] in (" ", ">"):
            yield j - 1
        j -= 1


def _siblings(selector: Selector, j: int) -> Iterator[int]:
    while j > 0 and selector.combinators[j] in ("+", "~"):
        j -= 1
        yield j


def _implies(simple: Any, special: Selector, j: int) -> bool:
    """Whether an element that a part matches has what a simple selector asks for."""
    here = special.compounds[j]
    if _follows(simple, here):
        return True
    kind = type(simple).__name__
    if kind in ("MatchesAnySelector", "SpecificityAdjustmentSelector"):
        return any(_matches(each, special, j) for each in simple.selector_list)
    if kind == "NegationSelector":
        return all(_excludes_itself(each, here) for each in simple.selector_list)
    return False


def _matches(alternative: Any, special: Selector, j: int) -> bool:
    if getattr(alternative, "parsed_tree", None) is None or alternative.pseudo_element:
        return False
    general = _selector(alternative.parsed_tree, "", (0, 0, 0))
    return _covers(general, len(general.compounds) - 1, special, j)


@lru_cache(maxsize=200_000)
def _simple_text(simple: Any) -> str:
    """A simple selector as text."""
    return repr(simple)


def _follows(simple: Any, here: Sequence[Any]) -> bool:
    """Whether a simple selector is among some, or follows from each of what one of them offers."""
    said, kind = _simple_text(simple), type(simple).__name__
    for other in here:
        if type(other) is type(simple) and (_simple_text(other) == said or _same_name(simple, other)):
            return True
        if kind == "AttributeSelector" and type(other) is type(simple) and _has_it_at_all(simple, other):
            return True
        if type(other).__name__ in ("MatchesAnySelector", "SpecificityAdjustmentSelector"):
            inner = [_inner(each) for each in other.selector_list]
            last = [tuple((tree.right if hasattr(tree, "left") else tree).simple_selectors) for tree in inner]
            if last and all(_follows(simple, each) for each in last):
                return True
    return False


def _has_it_at_all(simple: Any, other: Any) -> bool:
    """Whether one asks only that an attribute is there, which the other one asks too."""
    return (simple.operator, simple.lower_name, simple.namespace) == (None, other.lower_name, other.namespace)


def _same_name(one: Any, other: Any) -> bool:
    name = getattr(one, "lower_local_name", None)
    return name is not None and name == other.lower_local_name


def _excludes_itself(unwanted: Any, here: Sequence[Any]) -> bool:
    """Whether a part says of itself that it is not what a negation excludes."""
    said = repr(unwanted)
    for other in here:
        if type(other).__name__ == "NegationSelector" and any(repr(each) == said for each in other.selector_list):
            return True
    tree = _inner(unwanted)
    if hasattr(tree, "left"):
        tree = tree.right
    return _apart(tuple(tree.simple_selectors), here)


def _apart(one: Sequence[Any], other: Sequence[Any]) -> bool:
    """Whether no element has what both ask for: two elements' names, two ids, or something that the other one excludes."""
    names = [{s.lower_local_name for s in each if hasattr(s, "lower_local_name")} for each in (one, other)]
    ids = [{s.ident for s in each if hasattr(s, "ident")} for each in (one, other)]
    if any(a and b and not a & b for a, b in (names, ids)):
        return True
    for each, rest in ((one, other), (other, one)):
        for simple in each:
            if type(simple).__name__ != "NegationSelector":
                continue
            for part in simple.selector_list:
                tree = _inner(part)
                if not hasattr(tree, "left") and all(_follows(s, rest) for s in tree.simple_selectors):
                    return True
    return False


def never_both(one: Selector, other: Selector) -> bool:
    """Whether no element is matched by both; False where that is not certain."""
    return one.pseudo != other.pseudo or _apart(one.compounds[-1], other.compounds[-1])


def shares(one: Selector, other: Selector) -> bool:
    """Whether two speak of the same kind of element: by a name, class, id or attribute that both ask for, or because one asks for none."""
    mine, theirs = ({repr(s) for s in each.compounds[-1] if not repr(s).startswith(":")} for each in (one, other))
    return not mine or not theirs or bool(mine & theirs)


def bucket(selector: Selector) -> str:
    """One thing that every element it matches has, by which it can be found; ``*`` where that is not one thing."""
    here = [s for s in selector.compounds[-1] if not repr(s).startswith((":", "["))]
    return repr(here[-1]).lower() if here else "*"


def buckets(selector: Selector) -> set[str]:
    """All under which a selector can lie that matches what this one matches."""
    return {"*", *_things(selector.compounds[-1])}


def _things(here: Sequence[Any]) -> Iterator[str]:
    for simple in here:
        inner = getattr(simple, "selector_list", None)
        if inner is None:
            yield repr(simple).lower()
        elif type(simple).__name__ in ("MatchesAnySelector", "SpecificityAdjustmentSelector"):
            for each in inner:
                tree = _inner(each)
                yield from _things((tree.right if hasattr(tree, "left") else tree).simple_selectors)


def names_in(text: str) -> Iterator[str]:
    """The classes and ids that an element must have, or have around it, to be matched: none of those that are excluded, or one of several."""
    selector = parse(text)
    for compound in selector.compounds if selector is not None else ():
        for simple in compound:
            name = getattr(simple, "class_name", None) or getattr(simple, "ident", None)
            if name:
                yield name


class AskedFor(NamedTuple):
    """What an element must have by itself to be matched."""

    name: str
    """Empty for any."""
    classes: frozenset[str]
    ids: frozenset[str]


def asked_for(text: str) -> AskedFor | None:
    """What a selector asks of the element itself; None for one that is not read.

    >>> asked_for("nav .menu > li.here:hover")
    AskedFor(name='li', classes=frozenset({'here'}), ids=frozenset())
    """
    selector = parse(text)
    if selector is None:
        return None
    last = selector.compounds[-1]
    names = [each.lower_local_name for each in last if hasattr(each, "lower_local_name")]
    classes = frozenset(each.class_name for each in last if getattr(each, "class_name", None))
    ids = frozenset(each.ident for each in last if getattr(each, "ident", None))
    return AskedFor(names[0] if names else "", classes, ids)
