"""The functions of PHP that are followed, each on random arguments: what is said that it gives, prints, changes or raises is what the interpreter does."""

from __future__ import annotations

import json
import random
import shutil
import subprocess
import unittest
from collections import Counter

from protypon.core.languages.php.library.arrays import ARRAYS
from protypon.core.languages.php.library.formats import serialize
from protypon.core.languages.php.library.numbers import NUMBERS
from protypon.core.languages.php.library.patterns import PATTERNS
from protypon.core.languages.php.library.texts import TEXTS
from protypon.core.languages.php.natives import NATIVES, own
from tests.cases import few, seeds
from tests.core.analysis.programs import judged, ran

FUNCTIONS = {**TEXTS, **ARRAYS, **NUMBERS, **PATTERNS}
WORDS = (
    "", "a", "Ab c", "lamp", "lamp lamp", "0", "12", "-7", "3.5", "1e3", " x ", "\\n", "a,b,,c", "<p>'é'</p>", "x.y/z", "Tide  Mill", "aXbxc", "%d",
    "AbCdEf", "a1b22",
)  # fmt: skip
NUMBERS_ = (
    "0", "1", "2", "3", "-1", "-2", "5", "10", "7", "255", "1000000", "-13", "PHP_INT_MAX", "0.5", "1.5", "-2.5", "3.14159", "1e20", "2.0",
)  # fmt: skip
OTHERS = ("null", "true", "false")
CALLBACKS = (
    "fn($x) => $x", "fn($x, $y = 1) => [$x, $y]", "fn($x) => strlen('ab') > 1", "fn($x, $y = 0) => $x <=> $y", "'strlen'",
    "fn($x = null, $y = null) => $y", "function ($x, $y = 2) { return is_int($x) && is_int($y) ? $x - $y : 0; }", "fn($x) => (bool) $x",
    "fn($m) => '<' . (is_array($m) ? $m[0] : 'x') . '>'",
)  # fmt: skip
FORMS = (
    "'%s-%d'",
    "'%05d|%-5s|'",
    "'%.2f'",
    "'%x %b'",
    "'%2$s %1$s'",
    "'%%'",
    '"%\'*8s"',
    "'%+d'",
    "'%u'",
    "'%5.1f'",
    "'%c'",
)
EXPRESSIONS = (
    "'/a/'", "'/(\\d+)/'", "'/^x/i'", "'/[a-c]+/'", "'/(a)|(b)/'", "'/\\s+/'", "'/, ?/'", "'#l(a)m#'", "'/(?:b|c)$/'", "'/.{2}/'", "'/[^a]/'",
)  # fmt: skip
FEW = ("0", "1", "2", "3", "-1")
SPECIAL: dict[str, tuple[tuple[str, ...], ...]] = {
    **dict.fromkeys(("sprintf", "vsprintf", "printf", "vprintf"), (FORMS,)),
    **{name: (EXPRESSIONS,) for name in PATTERNS if name != "preg_quote"},
    "pow": (("2", "3", "-1.5"), ("0", "2", "5")),
    "array_map": (CALLBACKS,), "str_repeat": (("'ab'", "'-'"), ("0", "1", "5", "-1")),
    "version_compare": (
        ("'1.0'", "'1.10.2'", "'2.0-beta1'", "'1.0rc1'", "'1.0.0'"), ("'1.0'", "'1.2'", "'2.0'", "'1.0RC2'"), ("'<'", "'>='", "'eq'"),
    ),
    "range": (("0", "1", "5", "'a'", "'d'", "-3"), ("0", "3", "9", "'f'", "'a'", "12"), ("1", "2", "-2", "3")),
    "json_decode": (("'{\"a\": [1, 2, {\"b\": null}]}'", "'[1, \"x\"]'", "'\"é\"'", "'{\"0\": 1, \"1\": 2}'", "'nope'"), ("true",)),
    "count_chars": (("'abca'", "''"), ("1",)), "array_fill": (("0", "3", "1"), ("0", "2", "4")), "preg_quote": ((), ("'/'", "'#'")),
    "str_pad": ((), ("5", "8", "3", "12"), ("'-'", "'ab'", "' '"), ("0", "1", "2")), "intval": ((), ("10", "16", "8", "2")),
    "wordwrap": ((), ("1", "3", "5", "8"), ("'|'", "'\\n'"), ("true", "false")), "round": ((), ("0", "1", "2")),
    "number_format": ((), ("0", "1", "2"), ("'.'", "','"), ("','", "' '", "''")), "hex2bin": (("'6162'", "'00'", "'C3A9'"),),
    "base64_decode": (("'YWI='", "'w6k='", "''"),), "explode": (("','", "' '", "'a'", "''"), (), FEW),
    "preg_replace": (EXPRESSIONS, ("'<$0>'", "'[\\1]'", "'-'")), "chr": (("65", "97", "10", "300", "-200"),),
    "strtr": ((), ("'ab'", "['a' => 'x', 'lamp' => 'y']"), ("'xy'",)),
    "substr": ((), FEW, FEW), "substr_replace": ((), (), FEW, FEW), "str_split": ((), FEW), "strncmp": ((), (), FEW), "strncasecmp": ((), (), FEW),
    "chunk_split": ((), ("2", "3", "0"), ("'|'",)), "array_chunk": ((), ("1", "2", "3", "0"), ("true", "false")), "array_pad": ((), ("3", "-5", "2"), ("'x'",)),
    "hexdec": (("'ff'", "'0A'", "''"),), "bindec": (("'101'", "'0'"),), "octdec": (("'17'", "'7'"),), "array_flip": (("['a', 'b', 3]", "['x' => 1]", "[]"),),
    "array_column": (("[['k' => 1, 'n' => 'a'], ['k' => 2, 'n' => 'b'], ['n' => 'c']]",), ("'k'", "'n'", "null"), ("'n'", "'k'")),
    "array_combine": (("['a', 'b']", "[1, 2, 3]"), ("[1, 2]", "['x', 'y', 'z']")), "array_splice": ((), FEW, FEW, ("'x'", "[7, 8]")),
    "array_slice": ((), FEW, FEW, ("true", "false")), "json_encode": ((), ("0", "JSON_PRETTY_PRINT", "JSON_UNESCAPED_SLASHES | JSON_PRETTY_PRINT")),
    "unserialize": (("'i:5;'", "'N;'", "'b:1;'", "'d:0.5;'", "'s:3:\"a;b\";'", "'a:2:{i:0;s:1:\"x\";s:1:\"k\";a:0:{}}'"),),
    **dict.fromkeys(("iterator_to_array", "iterator_count"), (("(function () { yield 1; yield 'k' => 2; })()", "new ArrayIterator(['a', 'x' => 3])"),)),
    **dict.fromkeys(("vsprintf", "vprintf"), (FORMS, ("[1, 2]", "['a', 5]", "[3.14159]", "[]"))), "preg_grep": (EXPRESSIONS, ("['a', 'b1']",)),
    **dict.fromkeys(("strcmp", "strcasecmp", "strncmp"), (("'a'", "'A'"), ("'a'", "'A'"))),
    **dict.fromkeys(("strrpos", "strripos", "strrchr", "strstr", "stristr", "str_contains", "substr_count"), ((), ("'a'", "'lamp'", "'X'", "'l'"))),
}  # fmt: skip


class Arguments:
    """Random arguments as PHP, of the kinds that functions take."""

    def __init__(self, rng: random.Random) -> None:
        self.rng = rng

    def plain(self) -> str:
        way = self.rng.random()
        if way < 0.5:
            return self.rng.choice([f'"{word}"' if "\\" in word else f"'{word}'" for word in WORDS])
        return self.rng.choice(NUMBERS_ if way < 0.9 else OTHERS)

    def table(self, depth: int = 0) -> str:
        like = self.rng.choice(("numbers", "texts", "mixed", "mixed"))
        rows = []
        for _ in range(self.rng.randint(0, 5)):
            item = (
                self.rng.choice(("1", "2", "3", "10", "-4"))
                if like == "numbers"
                else f"'{self.rng.choice('abcxyz')}'"
                if like == "texts"
                else self.any(depth + 1)
            )
            key = self.rng.choice(("", "", "", "'k' => ", "'b' => ", "'1' => ", "5 => ", "0 => ", "true => "))
            rows.append(key + item)
        return "[" + ", ".join(rows) + "]"

    def any(self, depth: int = 0) -> str:
        return self.table(depth) if depth < 2 and self.rng.random() < 0.25 else self.plain()

    def of(self, name: str, place: int, types: list[str]) -> str:
        """An argument of one of the types that the interpreter says it takes; now and then of another one."""
        choices = SPECIAL.get(name, ())
        if self.rng.random() < 0.1:
            return self.any()
        if place < len(choices) and choices[place]:
            return self.rng.choice(choices[place])
        type_ = self.rng.choice(types)
        if type_ in ("callable", "?callable"):
            return self.rng.choice(CALLBACKS)
        if type_ in ("string", "?string"):
            return f"'{self.rng.choice(WORDS[:11] + WORDS[12:])}'"
        if type_ == "array":
            return self.table()
        if type_ in ("int", "float", "?int"):
            return self.rng.choice(NUMBERS_[:13] if type_ != "float" else NUMBERS_)
        return self.rng.choice(OTHERS) if type_ == "bool" else self.any()


def call(rng: random.Random, name: str, takes: dict[str, Takes]) -> str:
    """A program that calls a function once and tells all that comes of it."""
    made, given = Arguments(rng), []
    needed, types = takes[name]
    most = len(types) if not types or types[-1] != ["..."] else needed + 3
    for place in range(rng.randint(needed, min(most, needed + 3)) if rng.random() < 0.95 else rng.randint(0, 4)):
        given.append(
            made.of(
                name,
                place,
                types[place] if place < len(types) and types[place] != ["..."] else ["mixed", *next(iter(types), [])],
            )
        )
    known = own(name)
    before, after = [], []
    for place, text in enumerate(given):
        if known is not None and known.changed(place):
            before.append(f"$v{place} = {text};")
            after.append(f"$v{place}")
            given[place] = f"$v{place}"
    told = " ".join(f"echo '|', serialize({variable});" for variable in ("$r", *after))
    return f"<?php\n{' '.join(before)} try {{ $r = {name}({', '.join(given)}); {told} }} catch (Error $e) {{ echo get_class($e); }}\n"


Takes = tuple[int, list[list[str]]]
"""How many arguments a function needs, and the types of each; ``...`` stands for any number more."""
ASK = """
foreach (json_decode(stream_get_contents(STDIN)) as $name) {
    $f = new ReflectionFunction($name);
    $types = [];
    foreach ($f->getParameters() as $p) {
        $types[] = $p->isVariadic() ? ['...'] : explode('|', (string) ($p->getType() ?? 'mixed'));
    }
    $found[$name] = [$f->getNumberOfRequiredParameters(), $types];
}
echo json_encode($found);
"""


def taken(names: list[str]) -> dict[str, Takes]:
    """What functions take, as the interpreter says."""
    done = subprocess.run(
        ["php", "-n", *ctype(), "-r", ASK], input=json.dumps(names), capture_output=True, text=True, check=True
    )
    return {name: (needed, types) for name, (needed, types) in json.loads(done.stdout).items()}


def ctype() -> tuple[str, ...]:
    """What makes the interpreter have the functions that tell kinds of letters, where they are a module of their own."""
    there = subprocess.run(["php", "-n", "-r", "exit(function_exists('ctype_digit') ? 0 : 1);"], check=False)
    return () if there.returncode == 0 else ("-d", "extension=ctype")


@unittest.skipUnless(shutil.which("php"), "there is no PHP interpreter here")
class LibraryTest(unittest.TestCase):
    def test_each_function_does_what_it_does_in_php(self) -> None:
        names = [name for name in FUNCTIONS if name != "serialize"]
        takes = taken(names)
        rows = [(name, call(random.Random(f"{name} {seed}"), name, takes)) for name in names for seed in seeds(24)]
        known: Counter[str] = Counter()
        for (name, source), real in zip(rows, ran("php", [source for _, source in rows], *ctype()), strict=True):
            found = judged("php", source, real)
            with self.subTest(name, source=source.split("\n")[1]):
                self.assertNotEqual(found.how, "wrong", found.why)
            known[name] += found.how == "known"
        if not few():
            self.assertEqual([name for name in names if not known[name]], [])

    def test_there_are_two_hundred(self) -> None:
        self.assertGreaterEqual(len(NATIVES), 200)

    def test_a_value_is_written_as_php_writes_it(self) -> None:
        rng = random.Random(1)
        texts = [Arguments(rng).any() for _ in seeds(200)]
        programs = [
            f"<?php\n$v = {text}; echo serialize($v), json_encode($v), var_export($v, true), print_r($v, true); var_dump($v);"
            for text in texts
        ]
        for source, real in zip(programs, ran("php", programs), strict=True):
            with self.subTest(source=source):
                self.assertNotEqual(judged("php", source, real).how, "wrong", judged("php", source, real).why)
        self.assertEqual(serialize([1, "é", None]), 'a:3:{i:0;i:1;i:1;s:2:"é";i:2;N;}')
