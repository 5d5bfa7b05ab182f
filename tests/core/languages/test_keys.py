"""Keys of structured texts changed one by one: the values as independent readers have them, and every other byte as it was."""

from __future__ import annotations

import configparser
import json
import random
import tomllib
import unittest
from collections.abc import Callable
from difflib import SequenceMatcher
from typing import Any

from ruamel.yaml import YAML

from protypon.core.languages.data.keys import GONE, Key, key_of, leaves_of, name_of
from protypon.core.languages.registry import language
from protypon.core.languages.source import NotEdited
from tests.cases import seeds

CASES = 250
WORDS = ["lamp", "tide", "hall", "pier", "net", "site.title", "a b", "été", "rows"]
TEXTS = ["#123456", "12px", "sea green", "Tide: high", "don't", 'say "hi"', "été", "yes", "", "a#b", "- x", "007"]


def value(rng: random.Random) -> Any:
    kinds: list[Callable[[], Any]] = [
        lambda: rng.choice(TEXTS),
        lambda: rng.randint(-5, 900),
        lambda: rng.random() < 0.5,
        lambda: rng.choice([1.5, 0.25]),
        lambda: [rng.choice(TEXTS[:3]) for _ in range(rng.randint(1, 3))],
    ]
    return rng.choice(kinds)()


def table(rng: random.Random, depth: int = 0) -> dict[str, Any]:
    found = {}
    for name in rng.sample(WORDS, k=rng.randint(1, 5)):
        found[name] = table(rng, depth + 1) if depth < 2 and rng.random() < 0.35 else value(rng)
    return found


# Documents as people write them: comments, empty lines, both styles, quotes of both kinds


def as_json(rng: random.Random, data: dict[str, Any]) -> str:
    text = json.dumps(data, indent=rng.choice([None, 2, 4, "\t"]), ensure_ascii=rng.random() < 0.3)
    if rng.random() < 0.3:
        text = text.replace('": ', '" : ').replace(", ", " ,")
    return text + rng.choice(["", "\n"])


def _yaml_scalar(rng: random.Random, each: Any) -> str:
    if isinstance(each, str) and rng.random() < 0.3 and "\n" not in each:
        return "'" + each.replace("'", "''") + "'"
    return json.dumps(each, ensure_ascii=False)


def _yaml(rng: random.Random, data: dict[str, Any], column: int) -> list[str]:
    found, step = [], rng.choice([2, 2, 4])
    for name, each in data.items():
        key = name if name.isalnum() and name.isascii() else json.dumps(name, ensure_ascii=False)
        pad = " " * column
        if rng.random() < 0.2:
            found.append(f"{pad}# about {key}")
        note = "  # seen" if rng.random() < 0.2 else ""
        if isinstance(each, dict) and rng.random() < 0.8:
            found += [f"{pad}{key}:{note}", *_yaml(rng, each, column + step)]
        elif isinstance(each, list) and rng.random() < 0.5:
            found += [f"{pad}{key}:{note}", *(f"{pad}  - {_yaml_scalar(rng, item)}" for item in each)]
        elif isinstance(each, str) and rng.random() < 0.15 and each:
            found += (
                [f"{pad}{key}: |-", f"{pad}  {each}"]
                if not each.startswith("#")
                else [f"{pad}{key}: {_yaml_scalar(rng, each)}"]
            )
        elif isinstance(each, dict | list):
            found.append(f"{pad}{key}: {json.dumps(each, ensure_ascii=False)}{note}")
        else:
            found.append(f"{pad}{key}: {_yaml_scalar(rng, each)}{note}")
        if rng.random() < 0.1:
            found.append("")
    return found


def as_yaml(rng: random.Random, data: dict[str, Any]) -> str:
    return "\n".join(["# the hall", *_yaml(rng, data, 0)]) + rng.choice(["\n", "\n", ""])


def _toml_key(name: str) -> str:
    return name if name.isalnum() and name.isascii() else json.dumps(name, ensure_ascii=False)


def as_toml(rng: random.Random, data: dict[str, Any], above: str = "") -> str:
    found, tables = [], []
    for name, each in data.items():
        key = _toml_key(name)
        if isinstance(each, dict) and rng.random() < 0.8:
            tables.append((f"{above}.{key}" if above else key, each))
        else:
            if rng.random() < 0.2:
                found.append(f"# about {name}")
            found.append(f"{key} = {_toml_value(each)}{'  # seen' if rng.random() < 0.2 else ''}")
    text = "\n".join(found) + "\n"
    for name, each in tables:
        text += f"\n[{name}]\n{as_toml(rng, each, name)}"
    return text


def _toml_value(each: Any) -> str:
    if isinstance(each, dict):
        return "{ " + ", ".join(f"{_toml_key(k)} = {_toml_value(v)}" for k, v in each.items()) + " }"
    if isinstance(each, list):
        return "[" + ", ".join(map(_toml_value, each)) + "]"
    return json.dumps(each, ensure_ascii=False)


def as_ini(rng: random.Random, data: dict[str, Any]) -> str:
    found = []
    for name, each in data.items():
        found.append(f"[{name}]")
        rows = each if isinstance(each, dict) else {"only": each}
        for key, item in rows.items():
            if rng.random() < 0.2:
                found.append("# seen")
            found.append(
                f"{key.lower()}{rng.choice([' = ', ': ', '='])}{item if isinstance(item, str) else 7}".rstrip()
            )
        found.append("")
    return "\n".join(found)


def read_ini(text: str) -> dict[str, Any]:
    parser = configparser.RawConfigParser()
    parser.read_string(text)
    return {section: dict(parser.items(section)) for section in parser.sections()}


def read_yaml(text: str) -> Any:
    return YAML(typ="safe", pure=True).load(text)


SYNTAXES: dict[str, tuple[Callable[[random.Random, dict[str, Any]], str], Callable[[str], Any]]] = {
    "json": (as_json, json.loads),
    "yaml": (as_yaml, read_yaml),
    "toml": (as_toml, tomllib.loads),
    "ini": (as_ini, read_ini),
}


def put(data: dict[str, Any], key: Key, new: Any) -> None:
    """The oracle: a table changed as a table; tables with nothing in them go."""
    at = data
    for name in key[:-1]:
        if not isinstance(at.get(name), dict):
            at[name] = {}
        at = at[name]
    if new is GONE:
        at.pop(key[-1], None)
        if not at and len(key) > 1:
            put(data, key[:-1], GONE)
    else:
        at[key[-1]] = new


class KeysTest(unittest.TestCase):
    def test_a_key_changed_is_what_others_read_and_nothing_else_changes(self) -> None:
        for name, (write, read) in SYNTAXES.items():
            counts = {"done": 0, "refused": 0}
            for seed in seeds(CASES):
                rng = random.Random(f"{name} {seed}")
                text = write(rng, table(rng))
                if rng.random() < 0.2:
                    text = text.replace("\n", "\r\n")
                with self.subTest(syntax=name, seed=seed):
                    self._one(name, text, read, rng, counts)
            self.assertLess(counts["refused"], counts["done"] * 0.06 + 2, (name, counts))

    def _one(
        self, name: str, text: str, read: Callable[[str], Any], rng: random.Random, counts: dict[str, int]
    ) -> None:
        module: Any = language(name)
        data = read(text) or {}
        leaves = list(leaves_of(data) or {})
        kind = rng.choice(["set", "remove", "add"])
        key = rng.choice(leaves)
        new = GONE if kind == "remove" else "0.5rem" if name == "ini" else value(rng)
        if kind == "add":
            key = (*key[: rng.randint(1 if name == "ini" else 0, len(key) - 1)], "added")
        try:
            made = module.with_values(text, {key: new})
        except NotEdited:
            counts["refused"] += 1
            return
        counts["done"] += 1
        put(data, key, new)
        after = read(made)
        self.assertEqual(
            json.dumps(after or {}, sort_keys=True), json.dumps(data, sort_keys=True), (kind, key, text, made)
        )
        if text.count("\n") > 2:
            self.assertLess(self._lines_lost(text, made), 9, (kind, key, text, made))
            self.assertEqual("\r\n" in made, "\r\n" in text and "\n" in made)
        if kind == "add" and made.count("\n") > 2:
            self.assertEqual(self._taken(text, made) - {"\n"}, set(), (key, text, made))

    @staticmethod
    def _lines_lost(old: str, new: str) -> int:
        a, b = old.splitlines(), new.splitlines()
        return len(a) - sum(block.size for block in SequenceMatcher(None, a, b, autojunk=False).get_matching_blocks())

    @staticmethod
    def _taken(old: str, new: str) -> set[str]:
        """Characters that are not there any more; adding takes nothing but line ends and brackets of empty tables."""
        found = set()
        for tag, i1, i2, _, _ in SequenceMatcher(None, old, new, autojunk=False).get_opcodes():
            if tag in ("delete", "replace"):
                found |= set(old[i1:i2]) - set(" \r\n{}")
        return found

    def test_names_of_keys_are_read_as_they_are_written(self) -> None:
        for seed in seeds(CASES):
            rng = random.Random(f"name {seed}")
            key = tuple(rng.choice([*WORDS, 'x"y', "#", "a.b.c", " ", "ü"]) for _ in range(rng.randint(1, 4)))
            self.assertEqual(key_of(name_of(key)), key)
        for wrong in ("", ".", "a.", ".a", 'a"b', '"a', "a..b"):
            self.assertIsNone(key_of(wrong), wrong)

    def test_lines_are_those_of_the_keys(self) -> None:
        for name, (write, _) in SYNTAXES.items():
            for seed in seeds(CASES // 5):
                rng = random.Random(f"lines {name} {seed}")
                text = write(rng, table(rng))
                module: Any = language(name)
                rows = text.splitlines()
                for key, line in module.lines(text).items():
                    shown, said = rows[line - 1].lower(), key[-1].lower()
                    self.assertTrue(said in shown or json.dumps(said) in shown, (name, key, text))

    def test_what_can_not_be_changed_alone_is_refused(self) -> None:
        for name, text in (
            ("json", "[1]"),
            ("yaml", "- 1\n"),
            ("yaml", "a: &x 1\nb: *x\n"),
            ("toml", "a = "),
            ("ini", "x"),
        ):
            module: Any = language(name)
            with self.assertRaises(NotEdited, msg=(name, text)):
                module.with_values(text, {("a", "b"): 1})

    def test_a_comment_never_goes_with_the_last_key_of_a_table(self) -> None:
        for name, text in (
            ("yaml", "a:\n  # ours\n  x: 1\nb: 2\n"),
            ("toml", "[a]\n# ours\nx = 1\n"),
            ("ini", "[a]\n# ours\nx = 1\n"),
        ):
            module: Any = language(name)
            with self.assertRaises(NotEdited, msg=name):
                module.with_values(text, {("a", "x"): GONE})

    def test_an_empty_text_is_begun(self) -> None:
        for name in SYNTAXES:
            module: Any = language(name)
            made = module.with_values("", {("palette", "primary"): "#123"})
            self.assertEqual(module.leaves(made), {("palette", "primary"): "#123"})


if __name__ == "__main__":
    unittest.main()
