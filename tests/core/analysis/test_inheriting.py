"""Classes that do not fit what they extend: what is said to stop the site is what PHP stops at."""

from __future__ import annotations

import random
import shutil
import unittest

from tests.cases import seeds
from tests.core.analysis.programs import followed, ran

TYPES = (
    "",
    "int",
    "string",
    "?int",
    "int|string",
    "bool",
    "float",
    "array",
    "mixed",
    "Buoy",
    "?Buoy",
    "iterable",
    "callable",
    "self",
)
DEFAULTS = {"": "1", "int": "1", "string": "'a'", "?int": "null", "int|string": "1", "bool": "true", "float": "1.5", "array": "[]", "mixed": "1",
            "Buoy": "null", "?Buoy": "null", "iterable": "[]", "self": "null", "callable": "null"}  # fmt: skip


class Pair:
    """A class, an interface, and one that extends and implements them: what differs, and whether that is allowed, is left to chance."""

    def __init__(self, number: int) -> None:
        self.rng = random.Random(number)
        self.few = self.rng.random() < 0.7
        """Most things are as above."""

    def word(self, *words: str, often: str = "") -> str:
        return often if self.rng.random() < (0.9 if self.few else 0.5) else self.rng.choice(words)

    def param(self, number: int) -> str:
        type_ = self.rng.choice(TYPES) if not self.few else self.rng.choice(TYPES[:4])
        by, name = ("&" if self.rng.random() < 0.1 else ""), f"$p{number}"
        if self.rng.random() < 0.4:
            return f"{type_} {by}{name} = {DEFAULTS[type_]}".strip()
        return f"{type_} {by}{name}".strip()

    def params(self) -> str:
        count = self.rng.choice((0, 1, 1, 2, 3))
        found = [self.param(n) for n in range(count)]
        if self.rng.random() < 0.15:
            found.append(f"{self.rng.choice(TYPES[:4])} ...$rest".strip())
        return ", ".join(found)

    def returns(self) -> str:
        kind = self.rng.choice((*TYPES, "void", "never", "static")) if self.rng.random() < 0.4 else ""
        return f": {kind}" if kind else ""

    def method(self, name: str, given: str, face: bool = False) -> str:
        abstract = not face and self.rng.random() < 0.1
        sight = "public" if face else self.word("public", "protected", "private", "", often="public")
        words = ["final"] if not face and not abstract and sight != "private" and self.rng.random() < 0.08 else []
        words += ["abstract"] if abstract and sight != "private" else []
        words += [sight] if sight else []
        words += ["static"] if self.rng.random() < 0.1 else []
        body = ";" if "abstract" in words or face else " { throw new Exception('body'); }"
        by = "&" if self.rng.random() < 0.05 else ""
        return f"  {' '.join(words)} function {by}{name}({given}){self.returns()}{body}"

    def field(self, name: str) -> str:
        kind = self.rng.choice(("property", "constant"))
        sight = self.word("public", "protected", "private", often="public")
        if kind == "constant":
            final = "final " if sight != "private" and self.rng.random() < 0.1 else ""
            return f"  {final}{sight} const {name.upper()} = 1;"
        static = "static " if self.rng.random() < 0.2 else ""
        type_ = self.rng.choice(("", "int", "?int", "string|int")) if self.rng.random() < 0.4 else ""
        readonly = "readonly " if type_ and not static and self.rng.random() < 0.3 else ""
        return f"  {sight} {static}{readonly}{type_} ${name};"

    def members(self, face: bool = False) -> list[str]:
        names = self.rng.sample(("gate", "lamp", "Gate2", "__construct"), self.rng.randint(0, 3))
        found = [
            self.method(n, self.params() if self.rng.random() < 0.7 else "", face)
            for n in names
            if not (face and n == "__construct")
        ]
        fields = [] if face else [self.field(n) for n in self.rng.sample(("row", "mast"), self.rng.randint(0, 2))]
        return [*fields, *found]

    def declared(self, head: str, members: list[str]) -> str:
        abstract = any(" abstract " in f" {line}" for line in members)
        words = (
            ("abstract " if abstract or self.rng.random() < 0.1 else "final " if self.rng.random() < 0.05 else "")
            if head.startswith("class")
            else ""
        )
        return "\n".join([f"{words}{head} {{", *members, "}"])

    @staticmethod
    def is_named(line: str, names: set[str]) -> bool:
        """Whether a member of a name is there already; of fields, whether there may be."""
        field = "function" not in line
        return line.partition("(")[0].rpartition(" ")[2].lower() in names or (field and bool(names))

    def source(self) -> str:
        own = self.members()
        if self.rng.random() < 0.5:
            own = [line.replace("gate(", "Gate(") for line in own]
        above = [line for line in own if self.rng.random() < 0.5] if self.rng.random() < 0.4 else []
        names = {line.partition("(")[0].rpartition(" ")[2].lower() for line in above}
        above += [line for line in self.members() if not self.is_named(line, names)]
        face = self.declared("interface Sign", self.members(True))
        trait = self.declared("trait Rope", [line for line in self.members() if "(" in line])
        head = "class Quay" + self.word(" extends Pier", "", " extends Sign", " extends Rope", often=" extends Pier")
        head += (
            self.word(" implements Sign", " implements Pier", " implements Rope", often="")
            if self.rng.random() < 0.5
            else ""
        )
        inside = ["  use Rope;"] if self.rng.random() < 0.15 else []
        mark = "if (true) { "
        return (
            f"class Buoy {{}}\n{face}\n{trait}\n{self.declared('class Pier', above)}\nmark('begun', 'f');\n"
            f"{mark}{self.declared(head, [*inside, *own])} }}\nmark('end', 'f');\n"
        )


@unittest.skipUnless(shutil.which("php"), "there is no PHP interpreter here")
class InheritingTest(unittest.TestCase):
    def test_what_stops_the_site_is_what_stops_php(self) -> None:
        programs = ["<?php\n" + Pair(number).source() for number in seeds(1500)]
        stops = unsure = 0
        for source, real in zip(programs, ran("php", programs), strict=True):
            if "begun" not in real.marked:
                continue  # something before the class in question is wrong in itself
            if real.died and ("body" in real.died or ("Cannot" in real.died and "redeclare" in real.died)):
                continue
            said = stopped(source)
            died = bool(real.died)
            with self.subTest(source=source, died=real.died):
                if said == "not sure":
                    unsure += 1
                else:
                    self.assertEqual(died, said != "", f"{said}\n{real.died}")
            stops += died
        self.assertGreater(stops, len(programs) / 10)
        self.assertLess(unsure, len(programs) / 10)


def stopped(source: str) -> str:
    """What is said to stop it; ``not sure`` where that hangs on something."""
    found = followed("php", source)
    return found.halted or ("not sure" if found.machine.state.doubtful else "")


class OwnClassesTest(unittest.TestCase):
    """The same with classes and interfaces that come with PHP, each combination that is likely."""

    @unittest.skipUnless(shutil.which("php"), "there is no PHP interpreter here")
    def test_what_they_ask_for(self) -> None:
        interfaces = (
            "Countable",
            "IteratorAggregate",
            "Iterator",
            "ArrayAccess",
            "JsonSerializable",
            "Stringable",
            "UnitEnum",
            "Throwable",
        )
        classes = ("", "Exception", "RuntimeException", "Error", "ArrayObject", "Closure", "Generator", "stdClass")
        bodies = (
            "",
            "function count(): int { return 1; }",
            "function __toString(): string { return ''; }",
            "function getMessage() {}",
            "function getIterator(): Iterator { return new ArrayIterator([]); } function jsonSerialize(): mixed { return 1; }",
        )
        rows = [
            (head, body, base, face)
            for head in ("", "abstract ")
            for body in bodies
            for base in classes
            for face in ("", *interfaces)
        ]
        heads = [
            (f"{head}class Quay {base and f'extends {base}'} {face and f'implements {face}'}", body)
            for head, body, base, face in rows
        ]
        programs = [f"<?php\nif (true) {{ {head} {{ {body} }} }}\n" for head, body in heads]
        for source, real in zip(programs, ran("php", programs), strict=True):
            with self.subTest(source=source, died=real.died):
                self.assertEqual(bool(real.died), stopped(source) != "", stopped(source))
