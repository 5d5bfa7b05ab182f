"""Jinja templates (https://jinja.palletsprojects.com/en/stable/templates/): what they name, their blocks, and what they do."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator

from protypon.core.languages.code import Code, Expression, Invoke, Items, Lit, Op, Var, walk
from protypon.core.languages.jinja import semantics, tree
from protypon.core.languages.jinja.parser import parse
from protypon.core.languages.mentions import mentions
from protypon.core.languages.source import Block, Reference, SourceFacts
from protypon.core.model.nouns import Problem

VERSION = "jinja/9"
ANY_ENCODING = False
SEMANTICS = semantics


def facts(text: str) -> SourceFacts:
    """What a template names, binds and calls; a part that can't be read may name anything."""
    names = mentions(text)
    if "{%" not in text and "{{" not in text:
        return SourceFacts(mentions=names)
    template = parse(text)
    found = _Facts(template)
    found.read(template.body, -1)
    if template.cut:
        found.references.append(Reference("include", (), template.wrong or 1, 1))
    blocks = tuple(found.block(number) for number in range(len(found.blocks)))
    return SourceFacts(
        tuple(found.references),
        blocks,
        names,
        tuple(sorted(found.calls)),
        tuple(sorted(found.bound)),
        tuple(sorted(found.asked)),
    )


class _Facts:
    """The facts of one template while its tree is walked."""

    def __init__(self, template: tree.Template) -> None:
        self.text = template.text
        self.references: list[Reference] = []
        self.blocks: list[tuple[tree.BlockTag, int, list[str]]] = []
        """Each with the number of the one around it, and the blocks that it calls."""
        self.calls: set[str] = set()
        self.bound: set[str] = set()
        self.asked: set[str] = set()

    def read(self, statements: Iterable[tree.Statement], here: int) -> None:
        """Walk through statements that stand in block number ``here``."""
        for statement in statements:
            for expression in tree.expressions(statement):
                if not isinstance(expression, Lit | Var):
                    self._note_call(expression, here)
            self.bound.update(tree.names_bound(statement))
            if isinstance(statement, tree.Naming):
                self.references += _references(statement, here)
            within = here
            if isinstance(statement, tree.BlockTag):
                within = len(self.blocks)
                self.blocks.append((statement, here, []))
            self.read(tree.inside(statement), within)

    def _note_call(self, expression: Expression, here: int) -> None:
        for node in walk(expression):
            if isinstance(node, Invoke) and node.name:
                self.calls.add(node.name)
                block = _block_called(node)
                if here >= 0 and block is not None:
                    self.blocks[here][2].append(block)
                elif block:
                    self.asked.add(block)

    def block(self, number: int) -> Block:
        tag, within, calls = self.blocks[number]
        body = significant(self.text[tag.start : tag.end])
        return Block(tag.name, tag.line, tag.last, body, within, tuple(dict.fromkeys(calls)))


def _block_called(call: Invoke) -> str | None:
    """The block that a call means: the same further up (an empty name), or one by name."""
    if call.on is None and call.name == "super":
        return ""
    return call.name[5:] if call.on is None and call.name.startswith("self.") else None


def _references(naming: tree.Naming, block: int) -> Iterator[Reference]:
    for names in _choices(naming.template) or [()]:
        yield Reference(naming.how, names, naming.line, naming.column, naming.optional, block)


def _choices(expression: Expression) -> list[tuple[str, ...]] | None:
    """The names that an expression comes to: one list of literal names for each way of its conditions; None: not known."""
    if isinstance(expression, Op) and expression.op == "?:":
        _, *ways = expression.parts
        found = [_choices(way) for way in ways]
        return None if None in found else [names for choice in found if choice is not None for names in choice]
    values = [value for _, value in expression.pairs] if isinstance(expression, Items) else [expression]
    names = [v.value for v in values if isinstance(v, Lit) and isinstance(v.value, str)]
    return [tuple(names)] if names and len(names) == len(values) else None


def in_text(text: str, how: str) -> Code | None:
    """No template runs code in a text."""
    return None


def code(data: bytes) -> Code:
    """What a template says."""
    from protypon.core.languages.jinja import lowering

    return lowering.code(parse(data.decode("utf-8-sig", "replace")))


def problems(text: str, file: str) -> list[Problem]:
    """Where Jinja makes no page of a template, in its own words; a tag that only an extension knows is no problem."""
    template = parse(text)
    if template.wrong is None:
        twice = tree.named_twice(template.body)
        return [Problem(file, f"block {twice.name!r} defined twice", twice.line)] if twice is not None else []
    from jinja2 import Environment, TemplateSyntaxError

    environment = Environment(extensions=["jinja2.ext.do", "jinja2.ext.i18n", "jinja2.ext.loopcontrols"])
    try:
        environment.parse(text)
    except TemplateSyntaxError as error:
        message = error.message or "does not parse"
        if "unknown tag" in message and "Jinja was looking for" not in message:
            return []
        if "unknown tag" in message:  # it is no fault, but our own reading found one besides
            return [Problem(file, "a tag is never closed, or one stands where it can't", template.wrong)]
        return [Problem(file, message, error.lineno)]
    except RecursionError:
        return [Problem(file, "nested too deeply")]
    except ValueError:
        return [Problem(file, "a number has more digits than Python takes", template.wrong)]
    return []


_COMMENT = re.compile(r"\{#(?:.*?#\}|.*)|<!--(?!\[)(?:.*?-->|.*)", re.DOTALL)
_AROUND = re.compile(r"\s*([<>{}%])\s*")


def parts(text: str) -> dict[str, str]:
    """The blocks."""
    return {block.name: block.body for block in facts(text).blocks}


def significant(text: str) -> str:
    """Return a form that two texts share when they differ in white space, line ends and comments only."""
    return _AROUND.sub(r"\1", " ".join(_COMMENT.sub(" ", text).split()))
