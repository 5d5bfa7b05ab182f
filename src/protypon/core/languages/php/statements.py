"""Statements of PHP (https://www.php.net/manual/en/language.control-structures.php) in the form that all code shares."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator
from typing import Any

from protypon.core.languages.code import (
    Case,
    ClassName,
    Declare,
    DeclareClass,
    Do,
    Each,
    Expression,
    Handler,
    If,
    Jump,
    Label,
    Leave,
    Let,
    Lit,
    Op,
    Opaque,
    Print,
    Return,
    Scope,
    Statement,
    Switch,
    Try,
    Unset,
    While,
    anything,
)
from protypon.core.languages.php.expressions import comma_parts, sequence, target
from protypon.core.languages.php.names import PhpReader
from protypon.core.languages.trees import LONGEST_CHAIN, doubtful, field, inner, line_of


def statements(r: PhpReader, nodes: Iterable[Any]) -> tuple[Statement, ...]:
    """What nodes say that stand one after the other."""
    found: list[Statement] = []
    for node in nodes:
        kind = node.type
        if kind == "php_tag":
            found += _html(r, node.start_byte, line_of(node))
            r.html_from = None
            r.echoing = node.end_byte - node.start_byte == 3
        elif kind == "php_end_tag":
            r.html_from = node.end_byte
        elif kind == "text_interpolation":
            found += statements(r, node.named_children)
        elif r.echoing and kind in ("expression_statement", "ERROR"):
            found += [Print(r.expression(each), line_of(node)) for n in inner(node) for each in comma_parts(n)]
            r.echoing = kind == "ERROR"
        elif kind not in ("comment", "text"):
            found += r.statement(node)
    return tuple(found)


def _html(r: PhpReader, end: int, line: int) -> list[Statement]:
    """The text outside of PHP up to an offset; one line end right behind the closing tag belongs to that."""
    if r.html_from is None:
        return []
    text = r.source[r.html_from : end]
    if r.html_from:
        text = text[2:] if text.startswith(b"\r\n") else text[1:] if text.startswith(b"\n") else text
    first = line - text.count(b"\n")
    return [Print(Lit(text.decode("utf-8", "surrogateescape")), first)] if text else []


def file_statements(r: PhpReader, root: Any) -> tuple[Statement, ...]:
    """What a whole file says: it begins outside of PHP, and may end there."""
    r.html_from = 0
    found = (*statements(r, root.named_children), *_html(r, len(r.source), root.end_point[0] + 1))
    return doubtful(r, root, found) if root.has_error else found


def block(r: PhpReader, node: Any | None) -> tuple[Statement, ...]:
    """The body of something: one statement, or several."""
    if node is None:
        return ()
    if node.type in ("compound_statement", "colon_block", "declaration_list"):
        return statements(r, node.named_children)
    return statements(r, [node])


def _block_and_text(r: PhpReader, node: Any, name: str = "body") -> tuple[Statement, ...]:
    """A body with the HTML that the grammar hangs beside it, before the next clause; or all that stands behind a colon."""
    bodies = node.children_by_field_name(name)
    if (bodies and bodies[0].type == "colon_block") or not any(n.type == ":" for n in node.children):
        found = block(r, bodies[0]) if bodies else ()
        beside = [bodies[0]] if bodies else []
        for each in (*beside, *([node] if node.type in ("else_clause", "else_if_clause") else [])):
            found += _text_behind(r, each)
        return found
    colon = next(number for number, n in enumerate(node.children) if n.type == ":")
    return statements(r, [n for n in node.children[colon + 1 :] if n.is_named])


def _text_behind(r: PhpReader, node: Any) -> tuple[Statement, ...]:
    found: list[Any] = []
    after = node.next_sibling
    while after is not None and after.type in ("text_interpolation", "comment"):
        found.append(after)
        after = after.next_sibling
    return statements(r, found)


def _expression_statement(r: PhpReader, node: Any) -> Iterator[Statement]:
    line = line_of(node)
    for part in inner(node):
        if part.type == "assignment_expression" and field(part, "left").type == "variable_name":
            yield Let(r.text(field(part, "left")), r.expression(field(part, "right")), line)
        elif part.type == "print_intrinsic":
            yield Print(r.expression(inner(part)[0]), line)
        else:
            yield Do(r.expression(part), line)


def _if(r: PhpReader, node: Any) -> Iterator[Statement]:
    clauses = node.children_by_field_name("alternative")
    other: tuple[Statement, ...] = ()
    if len(clauses) > LONGEST_CHAIN:
        other = (_any_of([_block_and_text(r, clause) for clause in clauses[LONGEST_CHAIN:]], line_of(node)),)
        clauses = clauses[:LONGEST_CHAIN]
    for clause in reversed(clauses):
        other = (_one_if(r, clause, other),) if clause.type == "else_if_clause" else _block_and_text(r, clause)
    yield _one_if(r, node, other)


def _any_of(bodies: list[tuple[Statement, ...]], line: int) -> Statement:
    """Any of several bodies, any number of times."""
    why = Opaque("a very long chain of conditions")
    return While(why, tuple(If(why, body, (), line) for body in bodies), line)


def _one_if(r: PhpReader, node: Any, other: tuple[Statement, ...]) -> Statement:
    return If(r.expression(field(node, "condition")), _block_and_text(r, node), other, line_of(node))


def _foreach(r: PhpReader, node: Any) -> Iterator[Statement]:
    over, wanted = inner(node)[:2]
    parts = inner(wanted) if wanted.type == "pair" else [wanted]
    aliases = parts[-1].type == "by_ref"
    item = target(r, inner(parts[-1])[0] if aliases else parts[-1])
    key = target(r, parts[0]) if len(parts) == 2 else None
    yield Each(key, item, r.expression(over), _block_and_text(r, node), line_of(node), aliases=aliases)


def _while(r: PhpReader, node: Any) -> Iterator[Statement]:
    test = r.expression(field(node, "condition"))
    yield While(test, _block_and_text(r, node), line_of(node), first=node.type == "do_statement")


def _for(r: PhpReader, node: Any) -> Iterator[Statement]:
    line = line_of(node)
    begin, test, step = (field(node, name) for name in ("initialize", "condition", "update"))
    if begin is not None:
        yield from (Do(made, line) for made in _each(r, begin))
    condition: Expression = r.expression(test) if test is not None else Lit(True)
    yield While(condition, _block_and_text(r, node), line, _each(r, step) if step is not None else ())


def _each(r: PhpReader, node: Any) -> tuple[Expression, ...]:
    made = sequence(r, node) if node.type == "sequence_expression" else r.expression(node)
    return made.parts if isinstance(made, Op) and made.op == "last" else (made,)


def _switch(r: PhpReader, node: Any) -> Iterator[Statement]:
    cases: list[Case] = []
    for case in inner(field(node, "body")):
        if case.type not in ("case_statement", "default_statement"):
            beside = statements(r, [case])
            if cases:
                cases[-1] = Case(cases[-1].test, (*cases[-1].body, *beside), cases[-1].line)
            continue
        wanted = field(case, "value")
        body = statements(r, [n for n in case.named_children if wanted is None or n.id != wanted.id])
        cases.append(Case(r.expression(wanted) if wanted is not None else None, body, line_of(case)))
    yield Switch(r.expression(field(node, "condition")), tuple(cases), line_of(node))


def _try(r: PhpReader, node: Any) -> Iterator[Statement]:
    handlers: list[Handler] = []
    last: tuple[Statement, ...] = ()
    for clause in inner(node):
        if clause.type == "catch_clause":
            types, name = field(clause, "type"), field(clause, "name")
            named = tuple(ClassName(r.class_name(inner(n)[0])) for n in inner(types))
            handlers.append(
                Handler(
                    named, r.text(name) if name is not None else "", block(r, field(clause, "body")), line_of(clause)
                )
            )
        elif clause.type == "finally_clause":
            last = block(r, field(clause, "body"))
    yield Try(block(r, field(node, "body")), tuple(handlers), (), last, line_of(node))


def _echo(r: PhpReader, node: Any) -> Iterator[Statement]:
    for part in inner(node):
        yield from (Print(r.expression(each), line_of(node)) for each in comma_parts(part))


def _return(r: PhpReader, node: Any) -> Iterator[Statement]:
    values = inner(node)
    yield Return(r.expression(values[0]) if values else None, line_of(node))


def _exit(r: PhpReader, node: Any) -> Iterator[Statement]:
    values = inner(node)
    yield Do(Leave("exit", r.expression(values[0]) if values else None), line_of(node))


def _jump(r: PhpReader, node: Any) -> Iterator[Statement]:
    how = node.type.partition("_")[0]
    parts = inner(node)
    if how == "goto":
        yield Jump("goto", 0, r.text(parts[0]) if parts else "", line_of(node))
        return
    text = r.text(parts[0]) if parts else "1"
    yield Jump(how, int(text) if text.isdecimal() and len(text) < 4 else 1, "", line_of(node))


def _constants(r: PhpReader, node: Any) -> Iterator[Statement]:
    for element in inner(node):
        if element.type == "const_element":
            name, value = inner(element)[0], inner(element)[-1]
            yield Let(r.full_name(r.text(name)), r.expression(value), line_of(node))


def _global(r: PhpReader, node: Any) -> Iterator[Statement]:
    line = line_of(node)
    for part in inner(node):
        if part.type == "variable_name":
            yield Scope("global", (r.text(part),), (None,), line)
        else:
            yield Do(r.expression(part), line)


def _static(r: PhpReader, node: Any) -> Iterator[Statement]:
    names, values = [], []
    for part in inner(node):
        names.append(r.text(field(part, "name")))
        first = field(part, "value")
        values.append(r.expression(first) if first is not None else None)
    yield Scope("static", tuple(names), tuple(values), line_of(node))


def _function_statement(r: PhpReader, node: Any) -> Iterator[Statement]:
    yield Declare(r.function(node, r.full_name(r.text(field(node, "name")))), line_of(node))


def _class_statement(r: PhpReader, node: Any) -> Iterator[Statement]:
    yield DeclareClass(r.read_class(node), line_of(node))


def _namespace(r: PhpReader, node: Any) -> Iterator[Statement]:
    """Either up to the next one, or for its own block."""
    name, body = field(node, "name"), field(node, "body")
    before = r.namespace, r.used
    r.namespace = r.text(name) if name is not None else ""
    r.used = {"class": {}, "function": {}, "const": {}}
    if body is not None:
        yield from block(r, body)
        r.namespace, r.used = before


def _use(r: PhpReader, node: Any) -> Iterator[Statement]:
    kind = _kind_used(r, node) or "class"
    group = next((n for n in inner(node) if n.type == "namespace_use_group"), None)
    prefix = ""
    if group is not None:
        head = next((n for n in inner(node) if n.type == "namespace_name"), None)
        prefix = r.text(head).lstrip("\\") + "\\" if head is not None else ""
    for clause in inner(group if group is not None else node):
        if clause.type != "namespace_use_clause":
            continue
        alias = field(clause, "alias")
        name = next((n for n in inner(clause) if alias is None or n.id != alias.id), None)
        if name is None:
            continue
        full = prefix + r.text(name).lstrip("\\")
        short = r.text(alias) if alias is not None else full.rpartition("\\")[2]
        what = _kind_used(r, clause) or kind
        r.used[what][short if what == "const" else short.lower()] = full
    return iter(())


def _kind_used(r: PhpReader, node: Any) -> str:
    found = field(node, "type")
    return r.text(found).lower() if found is not None else ""


def _declare(r: PhpReader, node: Any) -> Iterator[Statement]:
    """Directives of the compiler round statements; ticks, which call functions in between, may do anything."""
    directives = [n for n in inner(node) if n.type == "declare_directive"]
    if any(r.text(n).lower().startswith("ticks") for n in directives):
        yield Do(anything(r.beginning_of(node)), line_of(node))
    r.strict = r.strict or any(re.fullmatch(r"strict_types\s*=\s*1", r.text(n).lower()) for n in directives)
    yield from statements(r, [n for n in node.named_children if n.type != "declare_directive"])


def _lower_broken(r: PhpReader, node: Any) -> Iterator[Statement]:
    """What the grammar could make nothing of: its parts, and whatever else."""
    yield Do(anything(r.beginning_of(node)), line_of(node))
    yield from statements(r, [n for n in node.named_children if n.type in r.grammar.statements])


STATEMENTS: dict[str, Any] = {
    "expression_statement": _expression_statement, "compound_statement": lambda r, node: statements(r, node.named_children),
    "if_statement": _if, "foreach_statement": _foreach, "while_statement": _while, "do_statement": _while, "for_statement": _for,
    "switch_statement": _switch, "try_statement": _try, "echo_statement": _echo, "return_statement": _return, "exit_statement": _exit,
    "break_statement": _jump, "continue_statement": _jump, "goto_statement": _jump,
    "named_label_statement": lambda r, node: (Label(r.text(inner(node)[0]), line_of(node)),),
    "const_declaration": _constants,
    "unset_statement": lambda r, node: (Unset(tuple(target(r, n) for n in inner(node)), line_of(node)),),
    "global_declaration": _global, "function_static_declaration": _static, "function_definition": _function_statement,
    "class_declaration": _class_statement, "interface_declaration": _class_statement, "trait_declaration": _class_statement,
    "enum_declaration": _class_statement, "namespace_definition": _namespace, "namespace_use_declaration": _use,
    "declare_statement": _declare, "empty_statement": lambda r, node: (), "ERROR": _lower_broken,
    "text_interpolation": lambda r, node: statements(r, node.named_children),
}  # fmt: skip
