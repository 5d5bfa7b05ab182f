"""What a style sheet says: its rules one selector at a time, with layers, conditions and order; nesting is written out.

CSS Syntax Module Level 3 (read with tinycss2), CSS Cascading and Inheritance Level 5 (layers, imports), CSS Nesting Module Level 1.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, field
from typing import Any, NamedTuple

MOST_NESTED = 60
"""Blocks inside one another that are gone into."""
MOST_RULES = 200_000
"""Selectors of one sheet that are read: nesting multiplies them."""
LONGEST_SHEET = 2_000_000
"""Letters of a sheet that is gone into."""
MOST_LETTERS = 20_000
"""Of a nested rule's selectors written out, together: each ``&`` puts all that is around it in."""


class StyleDeclaration(NamedTuple):
    """One property with its value."""

    name: str
    value: str
    important: bool
    line: int


class Condition(NamedTuple):
    """What must hold for what stands in a block: ``media``, ``supports``, ``container``, ``scope`` or ``starting-style``."""

    kind: str
    text: str


class StyleRule(NamedTuple):
    """Declarations for what one selector matches."""

    selector: str
    declarations: tuple[StyleDeclaration, ...]
    layer: tuple[str, ...]
    conditions: tuple[Condition, ...]
    number: int
    """Its place among all rules of the sheet."""
    line: int


class LayerNamed(NamedTuple):
    """A layer where it is named: the first time counts for the order of layers."""

    path: tuple[str, ...]
    conditions: tuple[Condition, ...]


class Import(NamedTuple):
    """Another sheet, whose rules stand in the place of the import."""

    address: str
    layer: tuple[str, ...]
    conditions: tuple[Condition, ...]
    line: int
    named: int
    """How many layers the sheet has named up to here, its own among them."""


@dataclass(slots=True)
class StyleSheet:
    """All that counts for which declaration wins."""

    rules: list[StyleRule] = field(default_factory=list)
    layers: list[LayerNamed] = field(default_factory=list)
    imports: list[Import] = field(default_factory=list)
    keyframes: list[str] = field(default_factory=list)
    unread: list[tuple[int, str]] = field(default_factory=list)
    """Lines of what is not gone into, and why."""


def read(text: str) -> StyleSheet:
    """Read a sheet; its layers without a name are numbered. Never raises for what a sheet says."""
    import tinycss2

    reading = _Reading()
    if len(text) > LONGEST_SHEET:
        reading.sheet.unread.append((1, f"longer than {LONGEST_SHEET // 1_000_000} million letters"))
        return reading.sheet
    try:
        reading.top(tinycss2.parse_stylesheet(text, skip_comments=True, skip_whitespace=True))
    except RecursionError:
        reading.sheet.unread.append((1, "nested too deeply"))
    return reading.sheet


class _Around(NamedTuple):
    """What stands around a block."""

    selectors: tuple[str, ...] = ()
    layer: tuple[str, ...] = ()
    conditions: tuple[Condition, ...] = ()
    depth: int = 0


GROUPS = frozenset({"media", "supports", "container", "scope", "starting-style", "template"})
"""Groups with a condition; the last one is our own word for what a template may leave out."""


class _Reading:
    """One reading of a sheet."""

    def __init__(self) -> None:
        self.sheet, self.nameless = StyleSheet(), 0

    def top(self, nodes: Iterable[Any]) -> None:
        imports_are_over = False
        for node in nodes:
            if node.type == "at-rule" and node.lower_at_keyword == "import":
                if not imports_are_over:
                    self._import(node)
                continue
            statement = (
                node.type == "at-rule" and node.content is None and node.lower_at_keyword in ("layer", "charset")
            )
            imports_are_over = imports_are_over or not statement
            self._node(node, _Around())

    def _node(self, node: Any, around: _Around) -> None:
        if around.depth > MOST_NESTED or len(self.sheet.rules) > MOST_RULES:
            self.sheet.unread.append((node.source_line, "nested too deeply, or too much"))
        elif node.type == "qualified-rule":
            self._rule(node, around)
        elif node.type == "at-rule":
            self._at_rule(node, around)

    def _rule(self, node: Any, around: _Around) -> None:
        written = list(split(node.prelude))
        if grows(written, around.selectors):
            self.sheet.unread.append((node.source_line, "nested selectors that grow too long"))
            return
        selectors = tuple(write_out_nesting(selector, around.selectors) for selector in written)
        if not selectors or not all(selectors):
            return
        self._block(node.content, around._replace(selectors=selectors, depth=around.depth + 1), node.source_line)

    def _block(self, content: Any, around: _Around, line: int) -> None:
        """Declarations and what is nested in them, in their order."""
        import tinycss2

        found: list[StyleDeclaration] = []
        for node in tinycss2.parse_blocks_contents(content, skip_comments=True, skip_whitespace=True):
            if node.type == "declaration":
                found.append(declaration_of(node))
            elif node.type in ("qualified-rule", "at-rule"):
                self._put_rule(found, around, line)
                found = []
                self._node(node, around)
        self._put_rule(found, around, line)

    def _put_rule(self, found: list[StyleDeclaration], around: _Around, line: int) -> None:
        if found and around.selectors:
            number = len(self.sheet.rules)
            for selector in around.selectors:
                row = StyleRule(selector, tuple(found), around.layer, around.conditions, number, line)
                self.sheet.rules.append(row)

    def _at_rule(self, node: Any, around: _Around) -> None:
        word = node.lower_at_keyword
        if word == "layer":
            self._layer(node, around)
        elif word in GROUPS and node.content is not None:
            condition = Condition(word, token_text(node.prelude))
            inside = around._replace(conditions=(*around.conditions, condition), depth=around.depth + 1)
            self._inside(node, inside)
        elif word.endswith("keyframes") and node.content is not None:
            self.sheet.keyframes.append(token_text(node.prelude))

    def _inside(self, node: Any, around: _Around) -> None:
        """What stands in a group: rules, or, inside of a rule, declarations too."""
        import tinycss2

        if around.selectors:
            self._block(node.content, around, node.source_line)
            return
        for inner in tinycss2.parse_rule_list(node.content, skip_comments=True, skip_whitespace=True):
            self._node(inner, around)

    def _layer(self, node: Any, around: _Around) -> None:
        names = [layer_path(name) for name in split(node.prelude)]
        if node.content is None:
            for name in names:
                self.sheet.layers.append(LayerNamed((*around.layer, *name), around.conditions))
            return
        path = (*around.layer, *(names[0] if names else self._nameless()))
        self.sheet.layers.append(LayerNamed(path, around.conditions))
        self._inside(node, around._replace(layer=path, depth=around.depth + 1))

    def _nameless(self) -> tuple[str]:
        self.nameless += 1
        return (f"({self.nameless})",)

    def _import(self, node: Any) -> None:
        """``@import ADDRESS [layer | layer(NAME)] [supports(…)] [media]`` (Cascade 5, section 2)."""
        tokens = [token for token in node.prelude if token.type not in ("whitespace", "comment")]
        if not tokens or tokens[0].type not in ("string", "url", "function"):
            return
        first = tokens.pop(0)
        address = (
            first.value if first.type != "function" else "".join(t.value for t in first.arguments if t.type == "string")
        )
        layer: tuple[str, ...] = ()
        conditions: list[Condition] = []
        if tokens and tokens[0].type == "ident" and tokens[0].lower_value == "layer":
            tokens.pop(0)
            layer = self._nameless()
        elif tokens and tokens[0].type == "function" and tokens[0].lower_name == "layer":
            layer = layer_path(token_text(tokens.pop(0).arguments))
        if layer:
            self.sheet.layers.append(LayerNamed(layer, ()))
        if tokens and tokens[0].type == "function" and tokens[0].lower_name == "supports":
            conditions.append(Condition("supports", f"({token_text(tokens.pop(0).arguments)})"))
        if tokens:
            begin = node.prelude.index(tokens[0])
            conditions.append(Condition("media", token_text(node.prelude[begin:])))
        self.sheet.imports.append(Import(address, layer, tuple(conditions), node.source_line, len(self.sheet.layers)))


def token_text(tokens: Iterable[Any]) -> str:
    """Tokens as text, white space and comments made one space."""
    import tinycss2

    text = tinycss2.serialize([t for t in tokens if t.type != "comment"])
    if "/*" in text:
        text = tinycss2.serialize(tinycss2.parse_component_value_list(text, skip_comments=True))
        text = _COUNTED.sub(lambda found: found[1] or found[2], text)
    return " ".join(text.split())


_COUNTED = re.compile(r"""("(?:\\.|[^"\\])*"|'(?:\\.|[^'\\])*')|(?<=[nN])/\*\*/([+-])""")
"""Where tinycss2 parts what belongs together, as in ``2n+1``; texts in quotes stay."""


def split(tokens: Iterable[Any]) -> Iterator[str]:
    """The parts between commas that stand in no brackets."""
    part: list[Any] = []
    for token in tokens:
        if token.type == "literal" and token.value == ",":
            yield token_text(part)
            part = []
        else:
            part.append(token)
    last = token_text(part)
    if last:
        yield last


def layer_path(name: str) -> tuple[str, ...]:
    """The names of a layer and of those around it, outer ones first."""
    return tuple(part.strip() for part in name.split("."))


def declaration_of(node: Any) -> StyleDeclaration:
    """A declaration; names of custom properties keep their letters (CSS Custom Properties 1, section 2)."""
    name = node.name if node.name.startswith("--") else node.lower_name
    return StyleDeclaration(name, token_text(node.value), node.important, node.source_line)


def grows(written: Sequence[str], parents: tuple[str, ...]) -> bool:
    """Whether selectors would be too long, written out inside of others."""
    inside = sum(map(len, parents)) + 8 if parents else 0
    return bool(inside) and sum(len(each) + inside * max(1, each.count("&")) for each in written) > MOST_LETTERS


def write_out_nesting(selector: str, parents: tuple[str, ...]) -> str:
    """A selector inside of rules, written out; empty for one that means nothing (CSS Nesting 1, sections 2 and 3).

    >>> write_out_nesting("&:hover", (".pier a",)), write_out_nesting("> b", (".pier", ".net"))
    ('.pier a:hover', ':is(.pier, .net) > b')
    """
    import tinycss2

    tokens = tinycss2.parse_component_value_list(selector)
    inside = f":is({', '.join(parents)})" if parents else ":where(:root)"
    written, found = _with_parents(tokens, inside)
    if not parents or found:
        relative = written.startswith((">", "+", "~"))
        whole = (f"{inside} {written}" if parents else "") if relative else written
    else:
        whole = f"{inside} {written}"
    alone = parents[0] if len(parents) == 1 and "::" not in parents[0] else ""
    rest = whole.removeprefix(inside)
    return alone + rest if alone and rest != whole and inside not in rest and _GOES_ON.match(rest) else whole


_GOES_ON = re.compile(r"$|[\s.#:\[>+~]")
"""What can stand behind a selector without becoming a part of its last name."""


def _with_parents(tokens: Iterable[Any], inside: str) -> tuple[str, bool]:
    """Tokens with what ``&`` stands for, and whether there was one."""
    import tinycss2

    out: list[str] = []
    found = False
    for token in tokens:
        if token.type == "literal" and token.value == "&":
            out.append(inside)
            found = True
        elif token.type == "function":
            inner, there = _with_parents(token.arguments, inside)
            out.append(f"{token.name}({inner})")
            found = found or there
        else:
            out.append(tinycss2.serialize([token]))
    return "".join(out).strip(), found
