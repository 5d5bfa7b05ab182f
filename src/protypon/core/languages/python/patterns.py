"""Patterns of ``match`` (https://docs.python.org/3/reference/compound_stmts.html#patterns) as conditions on their subject."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Any

from protypon.core.languages.code import Assignment, Expression, Lit, Op, Opaque, Var
from protypon.core.languages.python.names import PythonReader
from protypon.core.languages.trees import inner


def test_of(r: PythonReader, node: Any, subject: Expression) -> Expression:
    """The condition under which a pattern fits; names that it binds are assigned on the way."""
    parts = inner(node)
    kind = node.type
    if kind == "case_pattern" and not parts:
        return Lit(True) if r.text(node).strip() == "_" else _unclear(r, node)
    if kind == "case_pattern" and len(parts) == 1 and node.children[0].type != "-":
        return test_of(r, parts[0], subject)
    if kind == "case_pattern" and len(parts) == 1 and parts[0].type in ("integer", "float"):
        return _less(r, parts[0], subject)
    make = _KINDS.get(kind)
    return _unclear(r, node) if make is None else make(r, node, subject)


def _either(r: PythonReader, node: Any, subject: Expression) -> Expression:
    tests, minus = [], False
    for child in node.children:
        if child.is_named and child.type != "comment":
            tests.append(_less(r, child, subject) if minus else test_of(r, child, subject))
        minus = child.type == "-"
    return Op("or", tuple(tests))


def _less(r: PythonReader, node: Any, subject: Expression) -> Expression:
    """A number below nought."""
    value = r.expression(node)
    if not isinstance(value, Lit) or not isinstance(value.value, int | float):
        return _unclear(r, node)
    return Op("==", (subject, Lit(-value.value)))


def _equal(r: PythonReader, node: Any, subject: Expression) -> Expression:
    return Op("==", (subject, r.expression(node)))


def _one(r: PythonReader, node: Any, subject: Expression) -> Expression:
    return Op("is", (subject, r.expression(node)))


def _name(r: PythonReader, node: Any, subject: Expression) -> Expression:
    """A name takes the value; one with dots is a value itself."""
    parts = inner(node)
    if len(parts) > 1:
        return Op("==", (subject, _lower_dotted_name(r, node)))
    return _bind(r, r.text(node), subject)


def _lower_dotted_name(r: PythonReader, node: Any) -> Expression:
    names = [r.text(part) for part in inner(node)]
    if names[0] in r.imported and names[0] not in r.shadowed:
        return Var(".".join([r.imported[names[0]], *names[1:]]))
    made: Expression = Var(names[0])
    for name in names[1:]:
        made = Op("attr", (made, Lit(name)))
    return made


def _bind(r: PythonReader, name: str, value: Expression) -> Expression:
    return Lit(True) if name == "_" else Op("last", (Assignment(Var(r.assigning(name)), value), Lit(True)))


def _as(r: PythonReader, node: Any, subject: Expression) -> Expression:
    parts = inner(node)
    if len(parts) != 2 or parts[1].type != "identifier":
        return _unclear(r, node)
    return Op("and", (test_of(r, parts[0], subject), _bind(r, r.text(parts[1]), subject)))


def _sequence(r: PythonReader, node: Any, subject: Expression) -> Expression:
    """``[a, *b, c]`` (https://docs.python.org/3/reference/compound_stmts.html#sequence-patterns)."""
    patterns = inner(node)
    if node.type == "tuple_pattern" and len(patterns) == 1 and "," not in [n.type for n in node.children]:
        return test_of(r, patterns[0], subject)
    return sequence_of(r, node, patterns, subject)


def sequence_of(r: PythonReader, node: Any, parts: list[Any], subject: Expression) -> Expression:
    """A pattern of some patterns, one after the other."""
    patterns = [_without_case(part) for part in parts]
    stars = [number for number, part in enumerate(patterns) if part.type == "splat_pattern"]
    if len(stars) > 1:
        return _unclear(r, node)
    fewest = len(patterns) - len(stars)
    tests: list[Expression] = [Op("sequence", (subject, Lit(fewest), Lit(not stars)))]
    for number, part in enumerate(patterns):
        if not stars or number < stars[0]:
            tests.append(test_of(r, part, Op("[]", (subject, Lit(number)))))
        elif number > stars[0]:
            tests.append(test_of(r, part, Op("[]", (subject, Lit(number - len(patterns))))))
        elif inner(part):
            behind = stars[0] + 1 - len(patterns)
            cut = Op("slice", (Lit(number), Lit(behind or None), Lit(None)))
            tests.append(_bind(r, r.text(inner(part)[0]), Op("listed", (Op("[]", (subject, cut)),))))
    return Op("and", (*tests, Lit(True)))


def _without_case(node: Any) -> Any:
    while node.type == "case_pattern" and len(inner(node)) == 1 and node.children[0].type != "-":
        node = inner(node)[0]
    return node


def _mapping(r: PythonReader, node: Any, subject: Expression) -> Expression:
    """``{'k': a, **rest}`` (https://docs.python.org/3/reference/compound_stmts.html#mapping-patterns)."""
    parts = inner(node)
    rest = next((r.text(inner(part)[0]) for part in parts if part.type == "splat_pattern"), "")
    parts = [_without_case(part) for part in parts if part.type != "splat_pattern"]
    if any(key.type in ("dotted_name", "identifier") for key in parts[::2]):
        return _unclear(r, node)
    keys = tuple(r.expression(key) for key in parts[::2])
    tests = [test_of(r, value, Op("[]", (subject, key))) for key, value in zip(keys, parts[1::2], strict=True)]
    if rest:
        tests.append(_bind(r, rest, Op("without", (subject, *keys))))
    return Op("and", (Op("mapping", (subject, *keys)), *tests, Lit(True)))


def _class(r: PythonReader, node: Any, subject: Expression) -> Expression:
    """``C(a, b=c)`` (https://docs.python.org/3/reference/compound_stmts.html#class-patterns)."""
    parts = inner(node)
    owner = _lower_dotted_name(r, parts[0])
    tests: list[Expression] = [Op("instanceof", (subject, owner))]
    place = 0
    for part in (_without_case(each) for each in parts[1:]):
        if part.type == "keyword_pattern":
            name, value = inner(part)[0], inner(part)[1]
            tests.append(Op("has attr", (subject, Lit(r.text(name)))))
            tests.append(test_of(r, value, Op("attr", (subject, Lit(r.text(name))))))
        else:
            tests.append(test_of(r, part, Op("matched", (subject, owner, Lit(place)))))
            place += 1
    return Op("and", (*tests, Lit(True)))


def _complex(r: PythonReader, node: Any, subject: Expression) -> Expression:
    """A number with two parts, which no other value is."""
    parts = inner(node)
    imaginary = r.text(parts[-1]).rstrip("jJ")
    return Op("complex", (subject,)) if imaginary.strip("0.") else _unclear(r, node)


_KINDS: dict[str, Callable[[PythonReader, Any, Expression], Expression]] = {
    "union_pattern": _either, "integer": _equal, "float": _equal, "string": _equal, "concatenated_string": _equal, "true": _one, "false": _one,
    "none": _one, "dotted_name": _name, "as_pattern": _as, "list_pattern": _sequence, "tuple_pattern": _sequence, "dict_pattern": _mapping,
    "class_pattern": _class, "complex_pattern": _complex,
}  # fmt: skip


def _unclear(r: PythonReader, node: Any) -> Expression:
    """A pattern that may fit or not, and binds its names; it may ask objects for their attributes."""
    return Opaque(
        r.beginning_of(node), (), True, tuple(dict.fromkeys(r.assigning(name) for name in _captured_names(r, node)))
    )


def _captured_names(r: PythonReader, node: Any) -> Iterator[str]:
    for part in node.named_children:
        if (part.type == "dotted_name" and len(inner(part)) == 1 and node.type != "class_pattern") or (
            part.type == "identifier" and node.type in ("splat_pattern", "as_pattern")
        ):
            yield r.text(part)
        else:
            yield from _captured_names(r, part)
