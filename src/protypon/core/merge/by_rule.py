"""Style sheets merged rule by rule and declaration by declaration: what the parent changed goes into the child's text, which keeps all else."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from typing import NamedTuple

from protypon.core.languages.css.shorthands import set_by
from protypon.core.languages.css.tree import SheetNode, tree
from protypon.core.merge.three_way import Triple

Path = tuple[str, ...]
Leaves = dict[Path, str]
"""What a sheet says: by the groups, rule and property that stand around it."""


class _Meets(Exception):
    """Both sides changed one thing, or what one changed the other took away."""


def merge_rules(triple: Triple) -> bytes | None:
    """The merged sheet; None where both sides change one thing differently, or it would not say just what both made of it."""
    try:
        base, ours, theirs = (_Side(data.decode("utf-8")) for data in triple)
        made = _Merging(ours, theirs).contents(base.nodes, ours.nodes, theirs.nodes)
    except (UnicodeDecodeError, RecursionError, _Meets):
        return None
    tail = ours.text[ours.nodes[-1].tail if ours.nodes else 0 :]
    data = (made + tail).encode("utf-8")
    return data if is_merge(data, triple) else None


def is_merge(data: bytes, triple: Triple) -> bool:
    """Whether a sheet says just what both sides made of it, each thing once; one that can't be read is taken as it is."""
    try:
        base, ours, theirs, made = (
            dict(_leaves(tree(each.decode("utf-8", "replace")), ())) for each in (*triple, data)
        )
    except RecursionError:
        return True
    wanted = _wanted_leaves(base, ours, theirs)
    return wanted is not None and wanted == made


def _leaves(nodes: Sequence[SheetNode], above: Path) -> Iterator[tuple[Path, str]]:
    for node in nodes:
        if node.holds and node.nodes:
            yield from _leaves(node.nodes, (*above, node.key))
        elif not node.holds:
            yield (*above, node.key), node.value


def _wanted_leaves(base: Leaves, ours: Leaves, theirs: Leaves) -> Leaves | None:
    """What both sides come to; None where they meet."""
    wanted: Leaves = {}
    for path in {**ours, **theirs, **base}:
        b, o, t = base.get(path), ours.get(path), theirs.get(path)
        if o != b != t and o != t:
            return None
        chosen = t if o == b else o
        if chosen is not None:
            wanted[path] = chosen
    mine, others = (_changed_paths(base, side) for side in (ours, theirs))
    return None if _overlap(mine, others, ours, theirs) else wanted


def _changed_paths(base: Leaves, side: Leaves) -> dict[Path, None]:
    return {path: None for path in {**base, **side} if base.get(path) != side.get(path)}


def _overlap(mine: Mapping[Path, None], theirs: Mapping[Path, None], ours: Leaves, others: Leaves) -> bool:
    """Whether the sides changed properties of one rule of which one sets the other too, or a rule that stands there twice."""
    by_rule: dict[Path, list[Path]] = {}
    for path in mine:
        by_rule.setdefault(path[:-1], []).append(path)
    for path in theirs:
        for other in by_rule.get(path[:-1], ()):
            if ours.get(path) == others.get(path) and ours.get(other) == others.get(other):
                continue
            names = path[-1].partition(" ~")[0], other[-1].partition(" ~")[0]
            if path != other and set_by(names[0]) & set_by(names[1]):
                return True
    twice = {path for path in (*mine, *theirs) if any(" ~" in part for part in path)}
    both = {tuple(part.partition(" ~")[0] for part in path) for path in mine} & {
        tuple(part.partition(" ~")[0] for part in path) for path in theirs
    }
    return any(tuple(part.partition(" ~")[0] for part in path) in both for path in twice)


ENDS = ";}"


class _Part(NamedTuple):
    """A piece of the merged text."""

    text: str
    complete: bool
    """It has what ends it."""


class _Side:
    def __init__(self, text: str) -> None:
        self.text, self.nodes = text, tree(text)


class _Merging:
    """The parent's changes put into the child's text."""

    def __init__(self, ours: _Side, theirs: _Side) -> None:
        self.ours, self.theirs = ours.text, theirs.text
        self.newline = "\r\n" if "\r\n" in ours.text else "\n"

    def contents(self, base: Sequence[SheetNode], ours: Sequence[SheetNode], theirs: Sequence[SheetNode]) -> str:
        """What stands in the child's sheet, or in a rule or group of it, up to the last thing in it."""
        b, o, t = ({node.key: node for node in side} for side in (base, ours, theirs))
        self._same_order(b, o, t)
        parts: dict[str, _Part] = {}
        for node in ours:
            part = self._ours(node, b.get(node.key), t.get(node.key))
            if part is not None:
                parts[node.key] = part
        order = list(parts)
        for number, node in enumerate(theirs):
            if node.key in o:
                continue
            was = b.get(node.key)
            if was is not None:
                if not _says_the_same(was, node):
                    raise _Meets
                continue
            before = next((each.key for each in reversed(theirs[:number]) if each.key in parts), None)
            order.insert(order.index(before) + 1 if before is not None else 0, node.key)
            text = self.theirs[node.begin : node.tail].replace("\r\n", "\n").replace("\n", self.newline)
            parts[node.key] = _Part(text, self.theirs[node.end - 1] in ENDS)
        return _join_parts([parts[key] for key in order])

    def _same_order(
        self, base: Mapping[str, SheetNode], ours: Mapping[str, SheetNode], theirs: Mapping[str, SheetNode]
    ) -> None:
        """What the parent moved about is not followed here."""
        rows = [[key for key in side if key in base and key in ours and key in theirs] for side in (base, ours, theirs)]
        if rows[2] not in (rows[0], rows[1]):
            raise _Meets

    def _ours(self, node: SheetNode, was: SheetNode | None, other: SheetNode | None) -> _Part | None:
        """The text of something of the child's; None where the parent took it away."""
        whole = _Part(self.ours[node.begin : node.tail], self.ours[node.end - 1] in ENDS)
        if other is None:
            if was is None:
                return whole
            if not _says_the_same(was, node):
                raise _Meets
            return None
        if node.holds != other.holds:
            raise _Meets
        if node.holds:
            made = self.contents(was.nodes if was is not None else [], node.nodes, other.nodes)
            last = node.nodes[-1].tail if node.nodes else node.inside[0]
            return _Part(self.ours[node.begin : node.inside[0]] + made + self.ours[last : node.tail], complete=True)
        if node.value == other.value or (was is not None and was.value == other.value):
            return whole
        if was is None or was.value != node.value:
            raise _Meets
        said = self.theirs[other.start : other.end]
        text = self.ours[node.begin : node.start] + said + self.ours[node.end : node.tail]
        return _Part(text, said[-1] in ENDS)


def _says_the_same(one: SheetNode, other: SheetNode) -> bool:
    return dict(_leaves([one], ())) == dict(_leaves([other], ()))


def _join_parts(parts: Sequence[_Part]) -> str:
    """Parts one behind the other; a declaration that was the last one may lack its semicolon."""
    texts = [
        part.text if part.complete or number + 1 == len(parts) else f"{part.text};" for number, part in enumerate(parts)
    ]
    return "".join(texts)
