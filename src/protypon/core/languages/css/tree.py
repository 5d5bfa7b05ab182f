"""A style sheet as a tree of what stands in it, each part with its place: groups, rules, declarations, and other statements."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from typing import Any

from protypon.core.languages.css.rules import GROUPS, MOST_NESTED, declaration_of, split, token_text
from protypon.core.languages.css.selectors import normal
from protypon.core.languages.css.spans import Offsets, is_custom, keyword, without_leading_space


@dataclass(slots=True)
class SheetNode:
    """One thing that stands in a sheet."""

    key: str
    """What it is known by among its neighbours; of several of a name with their number."""
    value: str
    """What it says, without white space and comments; of what holds others, nothing."""
    begin: int
    """With the white space and comments before it."""
    start: int
    end: int
    """With the semicolon or brace that ends it."""
    tail: int = 0
    """With the comment behind it in its line."""
    holds: bool = False
    """It is a rule or a group."""
    inside: tuple[int, int] = (0, 0)
    nodes: list[SheetNode] = field(default_factory=list)

    @property
    def name(self) -> str:
        """Of a declaration, its property."""
        return self.key.partition(" ~")[0]


def tree(text: str) -> list[SheetNode]:
    """All that stands in a sheet. Raises RecursionError for one that is nested without end."""
    import tinycss2

    return _Tree(text).nodes(tinycss2.parse_component_value_list(text), 0, len(text), False, 0)


_BEHIND = re.compile(r"[ \t]*/\*[^\n]*?\*/(?=[ \t]*\r?(?:\n|$))")


class _Tree(Offsets):
    def tail_of(self, end: int) -> int:
        """Where a comment ends that stands behind something in its line."""
        found = _BEHIND.match(self.text, end)
        return found.end() if found else end

    def nodes(self, tokens: Sequence[Any], begin: int, end: int, in_rule: bool, depth: int) -> list[SheetNode]:
        """What stands between two places, in its order."""
        if depth > MOST_NESTED:
            raise RecursionError
        seen: Counter[str] = Counter()
        found = []
        for node in self._each(tokens, begin, end, in_rule, depth):
            seen[node.key] += 1
            node.key += f" ~{seen[node.key]}" if seen[node.key] > 1 else ""
            found.append(node)
        return found

    def _each(self, tokens: Sequence[Any], begin: int, end: int, in_rule: bool, depth: int) -> Iterator[SheetNode]:
        ends = self.ends(tokens, end)
        first = 0
        for number, token in enumerate(tokens):
            head = tokens[first:number]
            semicolon = token.type == "literal" and token.value == ";" and (in_rule or bool(keyword(head)))
            block = token.type == "{} block" and not (in_rule and is_custom(head))
            if not (semicolon or block):
                continue
            part = without_leading_space(tokens[first : number + 1])
            if block or len(part) > 1:
                node = self._node(part, begin, ends[number], in_rule, depth)
                begin = node.tail
                yield node
            first = number + 1
        rest = without_leading_space(tokens[first:])
        if rest:
            last = max(n for n, token in enumerate(tokens) if token.type not in ("whitespace", "comment"))
            yield self._node(rest, begin, ends[last], in_rule, depth)

    def _node(self, part: Sequence[Any], begin: int, end: int, in_rule: bool, depth: int) -> SheetNode:
        import tinycss2

        start, last, word = self.at(part[0]), part[-1], keyword(part)
        if last.type == "{} block" and (not word or word in GROUPS or word == "layer"):
            opened = self.at(last) + 1
            closed = end - 1 if end > opened and self.text[end - 1] == "}" else end
            head = f"@{word} {token_text(part[1:-1])}" if word else ", ".join(map(normal, split(part[:-1])))
            below = self.nodes(last.content, opened, closed, in_rule or not word, depth + 1)
            return SheetNode(head.strip(), "", begin, start, end, self.tail_of(end), True, (opened, closed), below)
        if in_rule and not word:
            found = tinycss2.parse_one_declaration(part[:-1] if _is_semicolon(last) else part)
            if found.type == "declaration":
                each = declaration_of(found)
                return SheetNode(
                    each.name,
                    f"{each.value}{' !important' if each.important else ''}",
                    begin,
                    start,
                    end,
                    self.tail_of(end),
                )
        whole = token_text(part[:-1] if _is_semicolon(last) else part)
        key = f"@{word} {token_text(part[1:-1] if last.type == '{} block' else part[1:])}" if word else whole
        return SheetNode(key if word != "font-face" else whole, whole, begin, start, end, self.tail_of(end))


def _is_semicolon(token: Any) -> bool:
    return bool(token.type == "literal" and token.value == ";")
