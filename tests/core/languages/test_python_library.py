"""The functions and methods of Python that are followed, each on random arguments: what is said that it gives and changes is what the interpreter does."""

from __future__ import annotations

import random
import time
import unittest
from collections import Counter

from protypon.core.languages.python.modules import MODULES
from protypon.core.languages.python.natives import METHODS, NATIVES
from tests.cases import few, seeds
from tests.core.analysis.programs import followed, judged, ran

TEXTS = (
    "''",
    "'a'",
    "'Ab c'",
    "'lamp lamp'",
    "'12'",
    "' x '",
    "'a,b,,c'",
    "'é<p>'",
    "'x.y/z'",
    "'Tide  Mill'",
    "'aXbxc'",
    "'-'",
    "'{} {}'",
    "'tide\\nmill'",
)
NUMBERS = ("0", "1", "2", "3", "-1", "5", "10", "255", "-13", "0.5", "1.5", "-2.5", "True", "1000000")
SCALARS = (*TEXTS, *NUMBERS, "None", "False")
KEYS = ("lambda x: x", "lambda x: -x", "len", "str", "lambda x: str(x)")
LEAVE = {
    "globals", "locals", "vars", "setattr", "delattr", "compile", "breakpoint", "__import__", "print", "super", "property", "staticmethod",
    "classmethod", "getattr", "hasattr", "isinstance", "callable", "type", "issubclass",
}  # fmt: skip
"""What is no function of plain values, and has programs of its own among the constructs."""
FEW = {
    **dict.fromkeys(("ljust", "rjust", "center", "zfill"), 2), **dict.fromkeys(("any", "all", "sum", "iter", "reversed", "list", "tuple", "set", "len"), 1),
    **dict.fromkeys(("ord", "chr", "hex", "oct", "bin", "abs", "float", "bool", "repr", "ascii", "str", "dict", "frozenset"), 1),
}  # fmt: skip


class Arguments:
    def __init__(self, rng: random.Random) -> None:
        self.rng = rng

    def scalar(self) -> str:
        return self.rng.choice(SCALARS)

    def items(self) -> str:
        like = self.rng.choice((TEXTS, NUMBERS[:9], SCALARS))
        return ", ".join(self.rng.choice(like) for _ in range(self.rng.randint(0, 4)))

    def table(self, kind: str = "") -> str:
        kind = kind or self.rng.choice(("list", "list", "tuple", "dict", "set"))
        if kind == "dict":
            rows = [
                f"{self.rng.choice(('1', '2', chr(39) + 'k' + chr(39)))}: {self.scalar()}"
                for _ in range(self.rng.randint(0, 3))
            ]
            return "{" + ", ".join(rows) + "}"
        if kind == "set":
            return f"set([{self.rng.choice(('', '1', '1, 2', '2, 3'))}])"
        return f"[{self.items()}]" if kind == "list" else f"tuple([{self.items()}])"

    def any(self) -> str:
        return self.table() if self.rng.random() < 0.35 else self.scalar()

    def pair(self) -> list[str]:
        """Two values, of one kind mostly."""
        small = [str(self.rng.randint(0, 9)) for _ in range(2)]
        return self.rng.choice(([self.any(), self.any()], small, [self.rng.choice(TEXTS), self.rng.choice(TEXTS)]))


def builtin(rng: random.Random, name: str) -> str:
    made = Arguments(rng)
    over = (
        "sorted",
        "max",
        "min",
        "sum",
        "any",
        "all",
        "enumerate",
        "zip",
        "reversed",
        "iter",
        "list",
        "tuple",
        "set",
        "len",
        "frozenset",
        "dict",
    )
    if name in ("map", "filter"):
        given = [rng.choice(("lambda x: x", "lambda x: [x, 1]", "str", "lambda x: x == 1")), made.table("list")]
    elif name == "next":
        given = [f"iter({made.table('list')})", *(["'end'"] if rng.random() < 0.5 else [])]
    elif name == "range":
        given = [rng.choice(NUMBERS[:7]) for _ in range(rng.randint(1, 3))]
    elif name in over:
        given = [made.table() if rng.random() < 0.9 else made.any() for _ in range(rng.randint(1, FEW.get(name, 2)))]
    else:
        numbers = name in ("abs", "round", "divmod", "pow", "chr", "hex", "oct", "bin")
        given = [
            rng.choice(NUMBERS) if numbers and rng.random() < 0.9 else made.scalar()
            for _ in range(rng.randint(1, FEW.get(name, 2)))
        ]
    if name in ("sorted", "max", "min") and rng.random() < 0.5:
        given = [*given[:1], f"key={rng.choice(KEYS)}"]
    call = f"{name}({', '.join(given)})"
    if name in ("map", "filter", "enumerate", "zip", "reversed", "iter", "range"):
        call = f"list({call})"
    if name == "set":
        call = f"len({call})"
    return call


def method(rng: random.Random, full: str) -> str:
    kind, _, name = full.partition(".")
    made = Arguments(rng)
    on = rng.choice(TEXTS) if kind == "str" else made.table(kind)
    if name == "join":
        given = [f"[{', '.join(rng.choice(TEXTS) for _ in range(rng.randint(0, 3)))}]"]
    elif name in (
        "extend",
        "update",
        "union",
        "intersection",
        "difference",
        "symmetric_difference",
        "issubset",
        "issuperset",
        "isdisjoint",
    ):
        given = [made.table("set" if kind == "set" else "dict" if kind == "dict" else "list")]
    elif name in ("insert", "setdefault"):
        given = [rng.choice(NUMBERS[:5]), made.scalar()]
    elif name in ("pop", "get", "remove", "discard", "append", "add", "count", "index") and kind != "str":
        given = [rng.choice(("1", "2", "'k'", "0"))] if name != "pop" or kind == "dict" or rng.random() < 0.5 else []
    elif name in ("sort",):
        given = rng.choice(([], ["reverse=True"], [f"key={rng.choice(KEYS)}"]))
    elif name in ("ljust", "rjust", "center", "zfill", "expandtabs"):
        given = [rng.choice(NUMBERS[:7])]
    elif kind == "str" and name in (
        "count",
        "find",
        "index",
        "rfind",
        "rindex",
        "startswith",
        "endswith",
        "removeprefix",
        "removesuffix",
        "partition",
        "rpartition",
    ):
        given = [rng.choice(TEXTS)]
    elif kind == "str" and name in ("split", "rsplit", "strip", "lstrip", "rstrip"):
        given = rng.choice(([], ["' '"], ["','"], ["'a'"]))
    elif name == "replace":
        given = [rng.choice(TEXTS), rng.choice(TEXTS)]
    else:
        given = [] if kind != "str" or name != "format" else [made.scalar(), made.scalar()]
    if name in ("keys", "values", "items"):
        return f"on = {on}\nview = on.{name}()\nsay(list(view), len(view))\n"
    if name == "remove" and kind == "list":
        on, given = "[1, 2, 1]", [rng.choice(("1", "2", "3"))]
    return f"on = {on}\nalso = on\nsay({full.replace(kind, 'on', 1)}({', '.join(given)}))\nsay(on, also)\n"


LARGE = (
    "say('a'.ljust(10 ** 9))", "say('{:>999999999}'.format(1))", "say('{:>{w}}'.format(1, w=99999999))", "say('%*d' % (100000000, 5))",
    "import math\nsay(math.factorial(10 ** 6))", "say(pow(10, 10 ** 9))", "say(round(1, -10 ** 9))", "say('x' * 10 ** 9)", "say([0] * 10 ** 9)",
    "from itertools import product\nsay(len(list(product(range(500), range(500), range(500)))))", "say(f'{1:>100000000}')",
    "from itertools import count\nsay(list(count()))", "say('a'.zfill(10 ** 8), '\\t'.expandtabs(10 ** 8))", "say(1 << 10 ** 9, 2 ** 10 ** 9)",
    "import json\nsay(json.dumps([1], indent=10 ** 9))", "say(('a' * 60000).replace('a', 'b' * 60000))",
)  # fmt: skip
"""Programs that would never end, or take all memory."""
TABLES = (
    "functools.reduce", "itertools.takewhile", "itertools.dropwhile", "itertools.filterfalse", "itertools.starmap", "itertools.accumulate",
)  # fmt: skip


def module_call(rng: random.Random, full: str) -> str:
    """A program that calls a function of a module; empty for a name that nobody writes."""
    made, (module, _, name) = Arguments(rng), full.rpartition(".")
    if full.endswith("()"):
        return ""
    module, name = ("itertools", "chain.from_iterable") if full == "itertools.chain.from_iterable" else (module, name)
    numbers = [rng.choice(NUMBERS) for _ in range(rng.randint(1, 2))]
    whole = [str(rng.randint(0, 9)) for _ in range(2)]
    given = {
        "math": numbers if name not in ("gcd", "lcm", "isqrt", "factorial", "comb", "perm") else whole, "operator": made.pair(),
        "html": [rng.choice(("'<a b=\"c\">'", "'&amp; &lt;'", *TEXTS))], "urllib.parse": [rng.choice(("'a b/c'", "'x%20y+z'", *TEXTS))],
        "textwrap": [rng.choice(("'  a\\n  b'", "'one two three four'", *TEXTS)), "8"], "string": [rng.choice(TEXTS)],
        "json": [rng.choice(("[1, [2, None]]", "{'k': True}", "2.5", *TEXTS))], "shlex": [rng.choice(("'a b'", "\"it's\"", *TEXTS))],
        "fnmatch": [rng.choice(TEXTS), rng.choice(("'a*'", "'?'", "'[ab]*'"))], "statistics": [f"[{', '.join(NUMBERS[:3])}]"], "re": [rng.choice(TEXTS)],
        "bisect": ["[1, 3, 5]", rng.choice(("0", "3", "9"))], "keyword": [rng.choice(("'if'", "'x'"))],
        "posixpath": [rng.choice(("'a/b.txt'", "'/x/'", "''"))], "copy": [made.any()],
    }.get(module, [made.table("list")])  # fmt: skip
    calls = {"functools.reduce": "lambda a, b: [a, b]", "itertools.starmap": "lambda *a: a", "itertools.accumulate": ""}
    if full in TABLES:
        inner = "[[1, 2], [3]]" if name == "starmap" else made.table("list")
        given = [calls.get(full, "lambda x: x != 2"), inner] if name != "accumulate" else ["[1, 2, 3]"]
    elif module == "itertools":
        more = {"islice": ["2"], "permutations": ["2"], "combinations": ["2"], "compress": ["[1, 0, 1]"]}.get(name, [])
        given = [made.table("list"), *more]
    elif full == "json.loads":
        given = [rng.choice(("'[1, {\"a\": null}]'", "'2.5'", "'nope'"))]
    elif full == "shlex.join":
        given = ["['a', 'b c']"]
    elif full == "urllib.parse.urlencode":
        given = ["{'a': 'b c', 'd': 1}"]
    elif full == "urllib.parse.urljoin":
        given = ["'https://museum.example/a/b'", rng.choice(("'c'", "'/c'", "'../d'"))]
    elif full == "textwrap.indent":
        given = ["'a\\nb'", "'> '"]
    elif full == "textwrap.dedent":
        given = ["'  a\\n  b'"]
    elif full in ("math.prod", "math.fsum"):
        given = [f"[{', '.join(NUMBERS[:4])}]"]
    elif full in ("math.factorial", "math.isqrt"):
        given = whole[:1]
    elif full in ("operator.neg", "operator.not_"):
        given = [rng.choice(NUMBERS)]
    elif name in ("itemgetter", "attrgetter"):
        given = ["2"] if name == "itemgetter" else ["'a'"]
    call = f"{name}({', '.join(given)})"
    if name in ("itemgetter", "attrgetter"):
        call += "([7, 8, 9])" if name == "itemgetter" else "(Row())"
    elif module == "itertools" and name in ("count", "repeat", "cycle"):
        call = f"list(zip({name}({whole[0] if name != 'cycle' else '[1, 2]'}), 'abc'))"
    elif module == "itertools":
        call = f"list({call})"
    head = "chain" if name == "chain.from_iterable" else name
    return f"from {module} import {head}\nclass Row:\n    a = 5\nsay({call})\n"


class LibraryTest(unittest.TestCase):
    def hold(self, rows: list[tuple[str, str]]) -> None:
        known: Counter[str] = Counter()
        for (name, source), real in zip(rows, ran("python", [source for _, source in rows]), strict=True):
            found = judged("python", source, real)
            with self.subTest(name, source=source):
                self.assertNotEqual(found.how, "wrong", found.why)
            known[name] += found.how == "known"
        if not few():
            self.assertEqual(sorted({name for name, _ in rows if not known[name]}), [])

    def test_functions(self) -> None:
        names = [name for name in NATIVES if name not in LEAVE and "." not in name]
        self.hold([(n, f"say({builtin(random.Random(f'{n} {s}'), n)})\n") for n in names for s in seeds(16)])

    def test_functions_of_modules(self) -> None:
        rows = [(name, module_call(random.Random(f"{name} {seed}"), name)) for name in MODULES for seed in seeds(12)]
        self.hold([(name, source) for name, source in rows if source])

    def test_nothing_is_worked_out_that_is_very_large(self) -> None:
        for source in LARGE:
            with self.subTest(source):
                begin = time.perf_counter()
                followed("python", source)
                self.assertLess(time.perf_counter() - begin, 2)

    def test_methods(self) -> None:
        self.hold([(n, method(random.Random(f"{n} {s}"), n)) for n in METHODS for s in seeds(12)])

    def test_what_is_gone_through_once_is_gone_through_once(self) -> None:
        programs = [
            f"a = [3, 1, 2]\nz = {make}\nsay(list(z))\nsay(list(z))\n"
            for make in ("iter(a)", "enumerate(a)", "zip(a, a)", "reversed(a)", "map(str, a)", "filter(None, a)")
        ]
        programs += [
            "a = [1]\nz = enumerate(a)\na.append(2)\nsay(list(z))\n",
            "a = [1, 2]\nz = iter(a)\nfor x in z:\n    break\nsay(list(z))\n",
        ]
        programs += [
            f"d = {{1: 2}}\nv = d.{name}()\nd[3] = 4\nsay(list(v), len(v), bool(v))\n"
            for name in ("keys", "values", "items")
        ]
        programs += ["z = iter([1, 2])\nsay(1 in z)\nsay(list(z))\n", "z = zip([1], [2])\nsay(bool(z), [*z], [*z])\n"]
        for source, real in zip(programs, ran("python", programs), strict=True):
            with self.subTest(source=source):
                self.assertNotEqual(judged("python", source, real).how, "wrong", judged("python", source, real).why)
