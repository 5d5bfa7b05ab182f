"""Functions and classes of PHP (https://www.php.net/manual/en/language.oop5.php) in the form that all code shares."""

from __future__ import annotations

import re
from typing import Any

from protypon.core.languages.code import (
    Adapted,
    Class,
    Do,
    Function,
    Invoke,
    Lit,
    Member,
    Param,
    Return,
    Statement,
    anything,
)
from protypon.core.languages.php.expressions import EXPRESSIONS, arguments
from protypon.core.languages.php.names import PhpReader
from protypon.core.languages.php.statements import STATEMENTS, block
from protypon.core.languages.trees import DEEPEST, Grammar, doubtful, field, inner, line_of, place

PARTS = frozenset(
    (
        "abstract_modifier", "anonymous_class", "anonymous_function_use_clause", "argument", "argument_placeholder", "arguments",
        "array_element_initializer", "attribute", "attribute_group", "attribute_list", "base_clause", "bottom_type", "case_statement",
        "cast_type", "catch_clause", "class_interface_clause", "colon_block", "comment", "const_element", "declaration_list",
        "declare_directive", "default_statement", "disjunctive_normal_form_type", "else_clause", "else_if_clause", "enum_case",
        "enum_declaration_list", "escape_sequence", "final_modifier", "finally_clause", "formal_parameters", "heredoc_body",
        "heredoc_end", "heredoc_start", "intersection_type", "match_block", "match_condition_list", "match_conditional_expression",
        "match_default_expression", "method_declaration", "named_type", "namespace_use_clause", "namespace_use_group", "nowdoc_body",
        "operation", "optional_type", "pair", "php_end_tag", "php_tag", "primitive_type", "program", "property_declaration",
        "property_element", "property_hook", "property_hook_list", "property_promotion_parameter", "readonly_modifier",
        "reference_modifier", "relative_scope", "simple_parameter", "static_modifier", "static_variable_declaration", "string_content",
        "switch_block", "text", "type_list", "union_type", "use_as_clause", "use_declaration", "use_instead_of_clause", "use_list",
        "var_modifier", "variadic_parameter", "variadic_placeholder", "visibility_modifier", "sentinel_error",
    )
)  # fmt: skip
"""Kinds of node that only stand in others, whose tables look after them."""
GRAMMAR: Grammar[Any] = Grammar(EXPRESSIONS, STATEMENTS, PARTS)


class PhpFile(PhpReader):
    """A reader of a whole file."""

    def __init__(self, source: bytes) -> None:
        super().__init__(source, GRAMMAR)

    def function(self, node: Any, name: str, captured: tuple[str, ...] = ()) -> int:
        """Read a function or method; its number in the file."""
        number = len(self.functions)
        self.functions.append(None)
        outer, self.generates = self.generates, False
        outer_name, self.named = self.named, name or None
        outside, self.html_from, self.echoing = (self.html_from, self.echoing), None, False
        params = _params(self, field(node, "parameters"))
        body = self._body(node)
        returns = field(node, "return_type")
        modifiers = _modifiers(self, node)
        modifiers += ("static",) if node.children and node.children[0].type == "static" else ()
        line, column = place(next((n for n in node.children if n.type in ("function", "fn", "static")), node))
        self.functions[number] = Function(
            name, params, _marks(self, node), _doc(self, node), body, line, node.end_point[0] + 1, column,
            node.start_byte + self.shift, node.end_byte + self.shift, captured, (), self.generates, modifiers,
            _type(self, returns),
        )  # fmt: skip
        self.generates, self.named = outer, outer_name
        self.html_from, self.echoing = outside
        return number

    def _body(self, node: Any) -> tuple[Statement, ...]:
        body = field(node, "body")
        if self.depth > DEEPEST:
            return (Do(anything("nested too deeply"), line_of(node)),)
        if body is not None and node.type == "arrow_function":
            return (Return(self.expression(body), line_of(body)),)
        found = block(self, body)
        return doubtful(self, node, found) if node.has_error else found

    def read_class(self, node: Any) -> int:
        """Read a named class, interface, trait or enumeration; its number in the file."""
        kind = node.type.removesuffix("_declaration")
        return read_class(self, node, self.full_name(self.text(field(node, "name"))), kind)

    def anonymous(self, node: Any) -> str:
        """Read a class without a name; the name that it is given here."""
        line, column = place(node)
        name = f"class@{line}:{column}"
        read_class(self, node, name, "class")
        return name


def _params(r: PhpReader, node: Any | None) -> tuple[Param, ...]:
    found = []
    for part in inner(node) if node is not None and node.type == "formal_parameters" else ():
        name = field(part, "name")
        if name is None:
            continue
        default, type_ = field(part, "default_value"), field(part, "type")
        way = "&" if field(part, "reference_modifier") is not None else ""
        way += "*" if part.type == "variadic_parameter" else ""
        while name.type == "by_ref":
            name, way = inner(name)[0], "&"
        found.append(
            Param(
                r.text(name),
                r.expression(default) if default is not None else None,
                _type(r, type_),
                way,
                part.type == "property_promotion_parameter",
                _modifiers(r, part),
            )
        )
    return tuple(found)


def _type(r: PhpReader, node: Any | None) -> str:
    """A type, its classes with their full names; empty for none."""
    if node is None:
        return ""
    if node.type == "named_type":
        return r.class_name(node.named_children[0])
    if not node.named_children:
        return r.text(node)
    return "".join(_type(r, part) if part.is_named else r.text(part) for part in node.children)


def _modifiers(r: PhpReader, node: Any) -> tuple[str, ...]:
    """``public``, ``static``, ``readonly`` …, as they stand before something."""
    return tuple(r.text(n).lower() for n in node.named_children if n.type.endswith("_modifier"))


def _marks(r: PhpReader, node: Any) -> tuple[Invoke, ...]:
    attributes = field(node, "attributes")
    found = []
    for group in inner(attributes) if attributes is not None else ():
        for mark in inner(group):
            if mark.type == "attribute" and mark.named_children:
                given, named = arguments(r, field(mark, "parameters"))
                found.append(Invoke(r.text(mark.named_children[0]).lstrip("\\"), None, given, named, *place(mark)))
    return tuple(found)


def _doc(r: PhpReader, node: Any) -> str:
    """The comment right above a function, without its marks."""
    before = node.prev_named_sibling
    if before is None or before.type != "comment" or node.start_point[0] - before.end_point[0] > 1:
        return ""
    text = r.text(before)
    lines = (
        [line.strip().lstrip("*").strip() for line in text[2:-2].lstrip("*").split("\n")]
        if text.startswith("/*")
        else [re.sub(r"^(//|#)\s*", "", text)]
    )
    return "\n".join(lines).strip()


class _Members:
    """What stands in the body of a class, while it is read."""

    def __init__(self) -> None:
        self.members: list[Member] = []
        self.methods: list[int] = []
        self.traits: list[str] = []
        self.adapted: list[Adapted] = []
        self.unclear = ""


def read_class(r: PhpReader, node: Any, name: str, kind: str) -> int:
    """Read a class, interface, trait or enumeration, and return its number."""
    number = len(r.classes)
    r.classes.append(None)
    outer, outer_kind = r.owner, r.owner_kind
    r.owner, r.owner_kind = name, kind
    bases, interfaces = _class_names(r, node, "base_clause"), _class_names(r, node, "class_interface_clause")
    if kind == "interface":
        bases, interfaces = (), bases
    found = _Members()
    body = field(node, "body")
    for member in inner(body) if body is not None else ():
        _member(r, member, found)
    if node.has_error:
        found.unclear = found.unclear or f"line {line_of(node)} can't be read"
    r.classes[number] = Class(
        name, kind, bases, tuple(found.members), tuple(found.methods), line_of(node), node.end_point[0] + 1, node.start_byte + r.shift,
        node.end_byte + r.shift, interfaces, tuple(found.traits), (), _marks(r, node), found.unclear, _modifiers(r, node),
        tuple(found.adapted),
    )  # fmt: skip
    r.owner, r.owner_kind = outer, outer_kind
    return number


def _class_names(r: PhpReader, node: Any, clause: str) -> tuple[str, ...]:
    found = next((n for n in node.named_children if n.type == clause), None)
    return tuple(r.class_name(n) for n in inner(found)) if found is not None else ()


def _member(r: PhpReader, node: Any, found: _Members) -> None:
    line = line_of(node)
    if node.type == "method_declaration":
        found.methods.append(r.function(node, f"{r.owner}::{r.text(field(node, 'name'))}"))
    elif node.type == "const_declaration":
        for element in inner(node):
            if element.type == "const_element":
                name, value = inner(element)[0], inner(element)[-1]
                member = Member("constant", r.text(name), r.expression(value), line, "", _modifiers(r, node))
                found.members.append(member)
    elif node.type == "property_declaration":
        _properties(r, node, found)
    elif node.type == "enum_case":
        value = field(node, "value")
        given = r.expression(value) if value is not None else None
        found.members.append(Member("case", r.text(field(node, "name")), given, line))
    elif node.type == "use_declaration":
        found.traits += [r.class_name(n) for n in inner(node) if n.type in ("name", "qualified_name", "relative_name")]
        found.adapted += [_adaptation(r, n) for each in inner(node) if each.type == "use_list" for n in inner(each)]
    else:
        found.unclear = found.unclear or f"line {line} can't be followed"


def _adaptation(r: PhpReader, node: Any) -> Adapted:
    """``T::m as private n``, ``T::m insteadof U`` (Language Reference, Traits)."""
    parts = inner(node)
    first = parts[0]
    trait, method = "", r.text(first)
    if first.type == "class_constant_access_expression":
        trait, method = r.class_name(inner(first)[0]), r.text(inner(first)[1])
    if node.type == "use_instead_of_clause":
        return Adapted(trait, method, "", "", tuple(r.class_name(n) for n in parts[1:]))
    visibility = next((r.text(n).lower() for n in parts[1:] if n.type == "visibility_modifier"), "")
    return Adapted(trait, method, next((r.text(n) for n in parts[1:] if n.type == "name"), ""), visibility)


def _properties(r: PhpReader, node: Any, found: _Members) -> None:
    static = any(n.type == "static_modifier" for n in node.children)
    type_ = field(node, "type")
    for element in inner(node):
        if element.type == "property_element":
            default = field(element, "default_value")
            value = r.expression(default) if default is not None else (Lit(None) if type_ is None else None)
            kind, name = "static" if static else "property", r.text(field(element, "name"))[1:]
            found.members.append(Member(kind, name, value, line_of(node), _type(r, type_), _modifiers(r, node)))
        elif element.type == "property_hook_list":
            found.unclear = found.unclear or f"line {line_of(node)} computes a property"
