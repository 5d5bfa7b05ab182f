"""Regular expressions (https://www.php.net/manual/en/reference.pcre.pattern.syntax.php): those that mean the same here as there."""

from __future__ import annotations

import re
from collections.abc import Mapping

from protypon.core.languages.php.library.taking import NotFollowed, asking, octets, pairs, pure, text, values, whole
from protypon.core.languages.semantics import Changes, Native, Run
from protypon.core.languages.values import is_known

ENDS = {"(": ")", "[": "]", "{": "}", "<": ">"}
FLAGS = {"i": re.IGNORECASE, "m": re.MULTILINE, "s": re.DOTALL, "u": re.NOFLAG}
SAFE = re.compile(
    r"""(?x) (?: [^\\\[\](){}*+?|^$.\#\s] | [ ,;:#] | \\[dDwWsSbntr] | \\[^A-Za-z0-9\s] | [.^|] | \$(?=[|)]|\Z)
      | \[\^?(?:[^\\\[\]^-]|\\[dDwWsSntr]|\\[^A-Za-z0-9\s])(?:[^\\\[\]]|\\[dDwWsSntr]|\\[^A-Za-z0-9\s])*\]
      | \((?:\?:|\?=|\?!)? | \) | (?<=[^(|^])(?:[*+?]|\{\d{1,2}(?:,\d{0,2})?\})\?? )*"""
)


def compile_pattern(pattern: object) -> re.Pattern[str]:
    """A pattern of PHP with its delimiters."""
    whole_ = text(octets(pattern)).lstrip(" \t\n")
    mark = whole_[:1]
    end = ENDS.get(mark, mark)
    if not mark or mark.isalnum() or mark == "\\" or not whole_.isascii():
        raise NotFollowed
    body, found, flags = whole_[1:].rpartition(end)
    if (
        not found
        or set(flags) - set(FLAGS)
        or not SAFE.fullmatch(body.replace("\\" + mark, mark) if mark not in "\\" else body)
    ):
        raise NotFollowed
    if re.search(r"[*+?}][*+]", body):
        raise NotFollowed
    number = re.ASCII
    for flag in flags:
        number |= FLAGS[flag]
    try:
        return re.compile(body, number)
    except re.error as error:
        raise NotFollowed from error


def _subject(value: object) -> str:
    found = text(octets(value))
    if not found.isascii() or len(found) > 4000:
        raise NotFollowed
    return found


def _groups(found: re.Match[str]) -> list[object]:
    """What matched; groups at the end that did not are left out."""
    groups: list[object] = [found[0], *found.groups()]
    while groups[-1] is None:
        groups.pop()
    return ["" if each is None else each for each in groups]


def _match(pattern: object, subject: object, *groups: object) -> object:
    found = compile_pattern(pattern).search(_subject(subject))
    result = 0 if found is None else 1
    return Changes(result, {2: [] if found is None else _groups(found)}) if groups else result


def _by(template: str, count: int) -> str:
    """A replacement as this language's: ``$1`` and ``\\\\1`` stand for groups."""
    if re.search(r"\\(?!\d)|\$\{", template):
        raise NotFollowed
    for number in re.findall(r"[$\\](\d{1,2})", template):
        if int(number) > count:
            raise NotFollowed
    return re.sub(r"[$\\](\d{1,2})", r"\\g<\1>", template)


def _replace(pattern: object, by: object, subject: object, limit: object = -1) -> object:
    if isinstance(subject, list | dict):
        raise NotFollowed
    rows = (
        list(zip(values(pattern), values(by), strict=False))
        if isinstance(pattern, list | dict) and isinstance(by, list | dict)
        else None
    )
    if rows is None:
        rows = [(each, by) for each in (values(pattern) if isinstance(pattern, list | dict) else [pattern])]
    elif len(rows) != len(values(pattern)):
        raise NotFollowed
    found, most = _subject(subject), whole(limit)
    for each, new in rows:
        made = compile_pattern(each)
        found = made.sub(_by(_subject(new), made.groups), found, count=max(most, 0) if most != -1 else 0)
    if most == 0:
        raise NotFollowed
    return found


def _split_text(pattern: object, subject: object, limit: object = -1, flags: object = 0) -> object:
    made, found, most = compile_pattern(pattern), _subject(subject), whole(limit)
    if made.groups or made.match("") or flags not in (0, 1):
        raise NotFollowed
    if flags and most > 0:
        raise NotFollowed
    parts = made.split(found, maxsplit=most - 1 if most > 1 else 0) if most != 1 else [found]
    return [part for part in parts if part or not flags]


def _quote(value: object, delimiter: object = None) -> object:
    data = text(octets(value))
    if "\0" in data:
        raise NotFollowed
    signs = r".\+*?[^]$(){}=!<>|:-#/" if delimiter == "/" else r".\+*?[^]$(){}=!<>|:-#"
    if delimiter not in (None, "/", "#", "~"):
        raise NotFollowed
    signs += "~" if delimiter == "~" else ""
    return "".join("\\" + sign if sign in signs else sign for sign in data)


def _match_all(pattern: object, subject: object, *groups: object) -> object:
    made = compile_pattern(pattern)
    found = list(made.finditer(_subject(subject)))
    if any(not each[0] for each in found):
        raise NotFollowed
    columns = [["" if (g := each[n]) is None else g for each in found] for n in range(made.groups + 1)]
    return Changes(len(found), {2: columns}) if groups else len(found)


def _callback(run: Run, pattern: object, function: object, subject: object) -> object:
    if not (is_known(pattern) and is_known(subject)) or run.is_callable(function) is not True:
        raise NotFollowed
    made, source = compile_pattern(pattern), _subject(subject)
    parts, at = list[str](), 0
    for found in list(made.finditer(source)):
        if not found[0]:
            raise NotFollowed
        new = run.call(function, [_groups(found)], {})
        parts += [source[at : found.start()], text(octets(new))]
        at = found.end()
    return "".join([*parts, source[at:]])


def _grep(pattern: object, items: object) -> object:
    made = compile_pattern(pattern)
    rows = [(key, item) for key, item in pairs(items) if made.search(_subject(item))]
    return [item for _, item in rows] if [key for key, _ in rows] == list(range(len(rows))) else dict(rows)


PATTERNS: Mapping[str, Native] = {
    "preg_match": pure(_match, 2, 3), "preg_match_all": pure(_match_all, 2, 3), "preg_replace": pure(_replace, 3, 4), "preg_split": pure(_split_text, 2, 4),
    "preg_quote": pure(_quote, 1, 2), "preg_replace_callback": asking(_callback, 3, 3),
}  # fmt: skip
"""By name, in small letters."""
