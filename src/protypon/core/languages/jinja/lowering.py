"""The syntax tree of a template -> the form that all code shares."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import assert_never

from protypon.core.languages import code as c
from protypon.core.languages.code import Code, Do, Each, If, Invoke, Let, Lit, Opaque, Print, Var
from protypon.core.languages.jinja import tree

LONGEST_CHAIN = 30
"""Of a chain of conditions, so many are told apart."""


def code(template: tree.Template) -> Code:
    """What a template says; one that does not parse, or has tags of an extension, says nothing."""
    if template.wrong is not None or template.strange or template.cut:
        return Code()
    sound = tree.named_twice(template.body) is None
    return Code((), _statements(template.body), (), tuple(_extends(template.body, True)), sound=sound)


def _extends(statements: Iterable[tree.Statement], certain: bool) -> Iterator[c.Expression]:
    """What a template extends; what stands in a condition or loop, perhaps."""
    for statement in statements:
        if isinstance(statement, tree.Naming) and statement.how == "extends":
            yield statement.template if certain else c.Op("maybe", (statement.template,))
        doubtful = isinstance(statement, tree.Branches | tree.Loop | tree.MacroTag | tree.CallTag)
        yield from _extends(tree.inside(statement), certain and not doubtful)


def _statements(items: Iterable[tree.Statement]) -> tuple[c.Statement, ...]:
    return tuple(made for item in items for made in _statement(item))


def _statement(s: tree.Statement) -> Iterable[c.Statement]:
    line = s.line
    match s:
        case tree.Text(text=text):
            return (Print(Lit(text), line),)
        case tree.Output(value=value):
            return (Print(c.Op("escape", (value,)), line),)
        case tree.Evaluated(value=value):
            return (Do(value, line),)
        case tree.Branches():
            return (_branches(s),)
        case tree.Loop():
            return _loop(s)
        case tree.BlockTag(name=name, body=body):
            return (c.BlockBody(name, _statements(body), line),)
        case tree.Naming():
            return _naming(s)
        case tree.Assign(names=names, value=value):
            if len(names) == 1:
                return (Let(names[0], value, line),)
            return (Do(value, line), *_unknown(names, "one of several", line))
        case tree.AssignBody(names=names, filter=filtered, body=body):
            if filtered is None and len(names) == 1:
                return (c.Capture(_statements(body), Var(names[0]), line),)
            done = () if filtered is None else (Do(filtered, line),)
            return (c.Capture(_statements(body), None, line), *done, *_unknown(names, "a block of text", line))
        case tree.MacroTag(name=name):
            given = (*(Do(value, line) for value in s.defaults), *_unknown(s.params, "an argument of a macro", line))
            called = (*given, *_statements(s.body))
            return (Let(name, Opaque("a macro"), line), If(Opaque("a macro is called"), called, (), line))
        case tree.CallTag(call=call, params=params, body=body):
            inner = (*_unknown(params, "an argument of a call", line), *_statements(body))
            return (
                Print(Opaque("a call", (call,)), line),
                If(Opaque("a macro runs what it is given"), inner, (), line),
            )
        case tree.Wrapped():
            return _lower_with(s)
        case tree.Translated(values=values, printed=printed):
            return (Print(Opaque("a translation", (*values, *(Var(name) for name in printed))), line),)
        case tree.JumpTag():
            return (c.Jump(s.how, 1, "", line),)
        case tree.Unread():
            return (Do(c.anything("a tag that can't be read"), line),)
        case _:
            assert_never(s)


def _unknown(names: Iterable[str], why: str, line: int) -> tuple[c.Statement, ...]:
    return tuple(Let(name, Opaque(why), line) for name in names)


def _branches(s: tree.Branches) -> If:
    chain, other = s.branches, _statements(s.other)
    if len(chain) > LONGEST_CHAIN + 1:
        rest = tuple(made for _, body, _ in chain[LONGEST_CHAIN + 1 :] for made in _statements(body))
        chain, other = (
            chain[: LONGEST_CHAIN + 1],
            (If(Opaque("a very long chain"), (*rest, *other), (), s.line),),
        )
    for test, body, line in reversed(chain[1:]):
        other = (If(test, _statements(body), other, line),)
    test, body, _ = chain[0]
    return If(test, _statements(body), other, s.line)


def _loop(s: tree.Loop) -> tuple[c.Statement, ...]:
    body = (Let("loop", Opaque("loop"), s.line), *_statements(s.body))
    over = s.over
    if s.test is not None or s.recursive:
        over = Opaque("a loop with a condition", (s.over,))
        body = body if s.test is None else (Do(s.test, s.line), *body)
    other = _statements(s.other)
    otherwise = (If(Opaque("a loop over nothing"), other, (), s.line),) if other else ()
    return (Each(None, _targets(s.names), over, body, s.line, scoped=True), *otherwise)


def _targets(names: tuple[str, ...]) -> c.Expression:
    """What a loop gives its values to."""
    return Var(names[0]) if len(names) == 1 else c.Items(tuple((None, Var(name)) for name in names), "list")


def _naming(s: tree.Naming) -> tuple[c.Statement, ...]:
    if s.how == "include":
        call = Invoke("include", None, (s.template, Lit(s.optional)), (), s.line, 1)
        return (Do(call, s.line),)
    return _unknown(s.names, "from another template", s.line)


def _lower_with(s: tree.Wrapped) -> tuple[c.Statement, ...]:
    """``with`` gives values to names in its body only; behind it they are what they were, which is not followed."""
    if s.filters:
        return (c.Capture(_statements(s.body), None, s.line), *(Print(value, s.line) for value in s.values))
    if len(s.names) == len(s.values):
        before: tuple[c.Statement, ...] = tuple(
            Let(name, value, s.line) for name, value in zip(s.names, s.values, strict=True)
        )
    else:
        before = (*(Do(value, s.line) for value in s.values), *_unknown(s.names, "one of several", s.line))
    return (*before, *_statements(s.body), *_unknown(s.names, "a name of a with that is over", s.line))
