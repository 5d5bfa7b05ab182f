"""Three versions of a piece of a template -> one, by its tags, statements and texts, and tags by their attributes.

Asked where both sides changed the same or neighbouring lines. Whatever is not sure to have each side's change once, and to lose
nothing, is none.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Sequence
from difflib import SequenceMatcher
from typing import NamedTuple

from protypon.core.merge.markers import Clash

_CODE = r"\{\#.*?\#\}|\{%.*?%\}|\{\{.*?\}\}|<\?.*?\?>"
_VALUE = rf"""(?:"(?:{_CODE}|[^"])*"|'(?:{_CODE}|[^'])*'|(?:{_CODE}|[^\s"'=<>`{{])+)"""
_ATTRIBUTE = rf"""\s+(?:[^\s"'<>/={{}}]+(?:\s*=\s*{_VALUE})?)"""
_TAG = rf"""<[A-Za-z][\w:.-]*(?:{_ATTRIBUTE})*\s*/?>"""
_PIECE = re.compile(
    rf"(?P<space>\s+)|(?P<code>{_CODE}|<!--.*?-->|<![A-Za-z].*?>)|(?P<close></[A-Za-z][\w:.-]*\s*>)|(?P<tag>{_TAG})"
    r"|(?P<text>(?:(?!\{[{%#]|<)[^\n])*(?:(?!\{[{%#]|<)\S))",
    re.DOTALL,
)
_OPEN = re.compile(r"<([A-Za-z][\w:.-]*)")
_ONE = re.compile(_ATTRIBUTE, re.DOTALL)
_STATEMENT = re.compile(r"\{%[-+]?\s*(\w+)(.*?)[-+]?%\}", re.DOTALL)
VOID = frozenset({"area", "base", "br", "col", "embed", "hr", "img", "input", "link", "meta", "source", "track", "wbr"})
"""Elements that have no end (HTML Living Standard, section 13.1.2)."""
_SPANS = frozenset({"block", "if", "for", "macro", "call", "filter", "with", "trans", "autoescape", "raw"})
MOST = 4_000
"""Tokens of one side; a longer piece is not one edit."""


class Atom(NamedTuple):
    """One tag, statement or text of a line, with the white space before it."""

    text: str
    space: str


def tokens(text: str) -> list[Atom] | None:
    """The tokens of a piece; None where it can't be read so. White space at its end is a token without text.

    >>> [t.text for t in tokens('<p class="a">low {{ n }}</p>')]
    ['<p class="a">', 'low', '{{ n }}', '</p>', '']
    """
    found, space, at = list[Atom](), "", 0
    while at < len(text):
        piece = _PIECE.match(text, at)
        if piece is None or len(found) > MOST:
            return None
        if piece["space"] is not None:
            space += piece[0]
        else:
            found.append(Atom(piece[0], space))
            space = ""
        at = piece.end()
    return [*found, Atom("", space)]


def merge_elements(base: str, ours: str, theirs: str) -> str | None:
    """All three as one, or None where a person must look."""
    sides = [tokens(text) for text in (base, ours, theirs)]
    b, o, t = sides
    if b is None or o is None or t is None:
        return None
    weaving = _Weaving(b, o, t)
    result = weaving.weave()
    if result is None or weaving.loses_anything(result):
        return None
    if any(_shape(side) != _shape(b) for side in (o, t, result)) or _names_lost(b, result):
        return None
    return "".join(token.space + token.text for token in result)


def solve_clash(clash: Clash) -> list[bytes | Clash]:
    """A place where two sides meet, as far as it can be merged: whole, or line by line where all three have the same lines."""
    whole = _merged_bytes(clash)
    if whole is not None:
        return [whole]
    lines = [side.splitlines(keepends=True) for side in clash]
    if len({len(side) for side in lines}) > 1 or len(lines[0]) < 2:
        return [clash]
    found: list[bytes | Clash] = []
    for line in map(Clash._make, zip(*lines, strict=True)):
        one = _merged_bytes(line)
        last = found[-1] if found else None
        if one is not None:
            found.append(one)
        elif isinstance(last, Clash):
            found[-1] = Clash._make(a + b for a, b in zip(last, line, strict=True))
        else:
            found.append(line)
    return found


def _merged_bytes(clash: Clash) -> bytes | None:
    base, ours, theirs = clash
    if ours == theirs or theirs == base:
        return ours
    if ours == base:
        return theirs
    try:
        made = merge_elements(*(text.decode("utf-8") for text in clash))
    except UnicodeDecodeError:
        return None
    return made.encode("utf-8") if made is not None else None


class _Hunk(NamedTuple):
    """Tokens of the base, and what a side has in their place."""

    start: int
    end: int
    new: tuple[Atom, ...]

    @property
    def is_one(self) -> bool:
        """One token in the place of one."""
        return self.end == self.start + 1 and len(self.new) == 1

    @property
    def is_new(self) -> bool:
        """Something that stands between two tokens."""
        return self.start == self.end


def _hunks(base: Sequence[Atom], side: Sequence[Atom]) -> tuple[list[_Hunk], dict[int, Atom]]:
    """What a side replaced, and each token of the base that it kept, as it has it."""
    matcher = SequenceMatcher(None, [t.text for t in base], [t.text for t in side], autojunk=False)
    found, kept = list[_Hunk](), dict[int, Atom]()
    for how, i1, i2, j1, j2 in matcher.get_opcodes():
        if how == "equal":
            kept |= {i1 + n: side[j1 + n] for n in range(i2 - i1)}
        elif i2 - i1 == j2 - j1 and all(_alike(base[i1 + n], side[j1 + n]) for n in range(i2 - i1)):
            found += [_Hunk(i1 + n, i1 + n + 1, (side[j1 + n],)) for n in range(i2 - i1)]
        else:
            found.append(_Hunk(i1, i2, tuple(side[j1:j2])))
    return found, kept


def _alike(one: Atom, other: Atom) -> bool:
    """Whether one token may be the other one, edited: tags of a name, statements of a word, or texts."""
    first, second = (_sort(token.text) for token in (one, other))
    return first == second


def _sort(text: str) -> str:
    opened, statement = _OPEN.match(text), _STATEMENT.fullmatch(text)
    if opened is not None:
        return opened[0]
    if statement is not None:
        return f"%{statement[1]}"
    return text[:2] if text[:2] in ("{{", "{#", "</", "<!", "<?") else ("text" if text else "")


class _Weaving:
    """Two sides of one base, token by token."""

    def __init__(self, base: Sequence[Atom], ours: Sequence[Atom], theirs: Sequence[Atom]) -> None:
        self.base = base
        self.wanted = Counter(t.text for t in (*ours, *theirs))
        self.wanted.subtract(Counter(t.text for t in base))
        """How often each token is to stand in the result."""
        (self.left, self.kept), (self.right, self.other) = _hunks(base, ours), _hunks(base, theirs)

    def weave(self) -> list[Atom] | None:
        """The tokens of all three; None where two changes meet and are not one."""
        result = list[Atom]()
        at = 0
        while at < len(self.base) or self.left or self.right:
            mine, its = (hunks.pop(0) if hunks and hunks[0].start == at else None for hunks in (self.left, self.right))
            if mine is None and its is None:
                token = self.base[at]
                result.append(Atom(token.text, _spacing(token, self.kept.get(at), self.other.get(at))))
                at += 1
                continue
            found = self._choose(mine, its)
            if found is None:
                return None
            new, at = found
            result += new
        return result

    def _choose(self, mine: _Hunk | None, its: _Hunk | None) -> tuple[tuple[Atom, ...], int] | None:
        """What stands in the place of what either side replaced, and where in the base it goes on."""
        if mine is not None and its is not None:
            if (mine.end, [t.text for t in mine.new]) == (its.end, [t.text for t in its.new]):
                self.wanted.subtract(Counter(t.text for t in its.new))
                self.wanted.update(Counter(t.text for t in self.base[its.start : its.end]))
                return mine.new, mine.end
            if mine.is_one and its.is_one:
                return self._one_tag(mine, its)
            for new, other, back in ((mine, its, self.right), (its, mine, self.left)):
                if new.is_new and other.is_one:
                    back.insert(0, other)
                    return new.new, new.end
            return None
        hunk, others = (mine, self.right) if mine is not None else (its, self.left)
        assert hunk is not None
        if others and others[0].start < hunk.end:
            return None
        if others and others[0].start == hunk.end and not (hunk.is_one or hunk.is_new or others[0].is_one):
            return None
        if others and others[0].start == hunk.end and others[0].is_new and not hunk.is_one:
            return None
        if not hunk.is_one:
            return hunk.new, hunk.end
        old, made = self.base[hunk.start], hunk.new[0]
        own, theirs = (made, self.other.get(hunk.start)) if mine is not None else (self.kept.get(hunk.start), made)
        return (Atom(made.text, _spacing(old, own, theirs)),), hunk.end

    def _one_tag(self, mine: _Hunk, its: _Hunk) -> tuple[tuple[Atom, ...], int] | None:
        """A tag that both sides changed."""
        old, own, other = self.base[mine.start], mine.new[0], its.new[0]
        text = merged_tag(old.text, own.text, other.text)
        if text is None:
            return None
        self.wanted.subtract([own.text, other.text])
        self.wanted.update([old.text, text])
        return (Atom(text, _spacing(old, own, other)),), mine.end

    def loses_anything(self, result: Sequence[Atom]) -> bool:
        """Whether the result has anything less or more often than it must."""
        there = Counter(token.text for token in result if token.text)
        wanted = {text: n for text, n in self.wanted.items() if text and n}
        return there != wanted


def _spacing(old: Atom, own: Atom | None, other: Atom | None) -> str:
    """The child's white space, where it changed it; else the parent's."""
    if own is not None and own.space != old.space:
        return own.space
    return other.space if other is not None else old.space


def merged_tag(base: str, ours: str, theirs: str) -> str | None:
    """One tag by its attributes, ``class`` as a set of words.

    >>> merged_tag('<p class="a b">', '<p class="a b own">', '<p id="x" class="a c">')
    '<p class="a own c" id="x">'
    """
    sides = [_attributes(tag) for tag in (base, ours, theirs)]
    if any(side is None for side in sides):
        return None
    (name, b, end), (name_o, o, end_o), (name_t, t, end_t) = (side for side in sides if side is not None)
    if len({name, name_o, name_t}) > 1:
        return None
    result: dict[str, str] = {}
    for key in (*o, *(key for key in t if key not in o)):
        value = _value(key, b.get(key), o.get(key), t.get(key))
        if value is None:
            return None
        if value:
            result[key] = value
    return f"<{name}{''.join(result.values())}{end_o if end_o != end else end_t}"


def _value(key: str, base: str | None, ours: str | None, theirs: str | None) -> str | None:
    """An attribute as it is to stand, empty where it goes; None where both sides changed it."""
    if ours == theirs or theirs == base:
        return ours or ""
    if ours == base:
        return theirs or ""
    if key.lower() == "class" and base is not None and ours is not None and theirs is not None:
        return _classes(base, ours, theirs)
    return None


def _classes(base: str, ours: str, theirs: str) -> str | None:
    words = [
        re.fullmatch(r"""(\s+class\s*=\s*["'])([^"'{<]*)(["'])""", text, re.IGNORECASE) for text in (base, ours, theirs)
    ]
    if any(found is None for found in words):
        return None
    b, o, t = (found[2].split() for found in words if found is not None)
    gone = (set(b) - set(o)) | (set(b) - set(t))
    kept = [word for word in dict.fromkeys([*o, *t]) if word not in gone]
    own = words[1]
    assert own is not None
    return f"{own[1]}{' '.join(kept)}{own[3]}"


def _attributes(tag: str) -> tuple[str, dict[str, str], str] | None:
    """The name of a tag, its attributes each with the space before it, and how it ends; None where a name stands twice."""
    opened = _OPEN.match(tag)
    if opened is None:
        return None
    found: dict[str, str] = {}
    at = opened.end()
    while one := _ONE.match(tag, at):
        name = one[0].strip().partition("=")[0].strip()
        if name in found:
            return None
        found[name] = one[0]
        at = one.end()
    return opened[1], found, tag[at:]


def _names_lost(base: Sequence[Atom], result: Sequence[Atom]) -> bool:
    """Whether the result still uses a name that the base bound and the result does not."""
    gone = _bound_names(base) - _bound_names(result)
    return bool(gone) and any(gone & set(re.findall(r"\w+", t.text)) for t in result if t.text.startswith("{"))


def _bound_names(side: Sequence[Atom]) -> set[str]:
    """The names that statements of a template bind (Jinja's ``for``, ``set``, ``macro``, ``with``, ``import``)."""
    found = set[str]()
    for token in side:
        statement = _STATEMENT.fullmatch(token.text)
        if statement is None:
            continue
        word, rest = statement[1], statement[2]
        if word == "for":
            found |= set(re.findall(r"\w+", rest.partition(" in ")[0]))
        elif word in ("set", "with", "macro"):
            found |= set(re.findall(r"(\w+)\s*(?:=(?!=)|\(|$)", rest))
        elif word in ("import", "from"):
            found |= set(
                re.findall(r"\w+", rest.rpartition(" import ")[2] if word == "from" else rest.rpartition(" as ")[2])
            )
    return found


def _shape(side: Sequence[Atom]) -> tuple[tuple[str, ...], tuple[str, ...]]:
    """What a piece closes that it does not open, and what it leaves open."""
    closes, opens = list[str](), list[str]()
    for token in side:
        name, ends = _nesting(token.text)
        if name and not ends:
            opens.append(name)
        elif name and opens and opens[-1] == name:
            opens.pop()
        elif name:
            closes.append(name)
    return tuple(closes), tuple(opens)


def _nesting(text: str) -> tuple[str, bool]:
    """What a token opens or ends, and whether it ends it; empty for one that does neither."""
    if text.startswith("</"):
        return text[2:-1].strip().lower(), True
    statement = _STATEMENT.fullmatch(text)
    if statement is not None:
        word = statement[1]
        if word.startswith("end"):
            return f"%{word[3:]}", True
        spans = word in _SPANS or (word == "set" and "=" not in statement[2])
        return (f"%{word}", False) if spans else ("", False)
    opened = _OPEN.match(text)
    if opened is None or text.endswith("/>") or opened[1].lower() in VOID:
        return "", False
    return opened[1].lower(), False
