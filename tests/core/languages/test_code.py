"""What code says: names, parameters, positions and returns, held against PHP's and Python's own view of the same source."""

from __future__ import annotations

import ast
import json
import random
import shutil
import subprocess
import tempfile
import unittest
from pathlib import Path

from protypon.core.files.caches import Cache
from protypon.core.files.folder import Folder
from protypon.core.languages.code import Invoke, always_returns, walk
from protypon.core.languages.facts import FactsCache
from protypon.core.languages.registry import coded_language
from protypon.core.platform.meanings import numbers

REFLECT = """<?php
include $argv[1]; $out = [];
foreach (get_defined_functions()['user'] as $name) {
    $f = new ReflectionFunction($name); $params = [];
    foreach ($f->getParameters() as $p) {
        $params[] = [$p->getName(), $p->isOptional() && !$p->isVariadic(), (string) $p->getType(), $p->isVariadic(), $p->isPassedByReference()];
    }
    $doc = $f->getDocComment();
    $out[$f->getName()] = [$f->getStartLine(), $f->getEndLine(), $params, $f->getNumberOfRequiredParameters(), $doc !== false,
        array_map(fn($a) => $a->getName(), $f->getAttributes())];
}
echo "\n@@@", json_encode((object) $out);
"""


PARAMS = ["$p", "array $p", "?int $p", "&$p", "string|int $p"]
DEFAULTS = ["$p = null", "array $p = []", "$p = 'x, $y)'", "?int $p = 3"]
BODIES = [
    "{ }",
    "{\n    return '}' . \"{$p0}\";\n}",
    "{ // }\n}",
    "{ ?> <i>function no() {}</i> <?php }",
    "{ $s = <<<X\n function no() {\nX;\n}",
]


def php_source(rng: random.Random) -> str:
    """A file of functions written in many ways."""
    lines = ["<b>ü</b>\n<?php" if rng.random() < 0.3 else "<?php"]
    for number in range(rng.randint(1, 8)):
        needed, optional = rng.choices(PARAMS, k=rng.randint(0, 3)), rng.choices(DEFAULTS, k=rng.randint(0, 2))
        params = [text.replace("$p", f"$p{n}") for n, text in enumerate([*needed, *optional])]
        params += ["...$rest"] if rng.random() < 0.2 else []
        comment = rng.choice(
            ["", "// not a doc comment", "/** Says {0}. */", "/**\n * Says {0}.\n *\n * @param x\n */"]
        )
        lines += [comment.format(number)] if comment else []
        lines += ["#[Mark(1), Other(a: [2])]"] if rng.random() < 0.3 else []
        gap, back = rng.choice([" ", "  ", "\n"]), rng.choice(["", ": ?string"])
        lines.append(f"function{gap}made_{number}({', '.join(params)}){back} {rng.choice(BODIES)}")
    return "\n".join(lines) + "\n"


class PhpTest(unittest.TestCase):
    @unittest.skipUnless(shutil.which("php"), "there is no PHP interpreter here")
    def test_functions_are_as_reflection_sees_them(self) -> None:
        compared = 0
        with tempfile.TemporaryDirectory() as folder:
            reflect, file = Path(folder, "reflect.php"), Path(folder, "made.php")
            reflect.write_text(REFLECT)
            for seed in range(80):
                source = php_source(random.Random(seed)).encode()
                file.write_bytes(source)
                done = subprocess.run(["php", "-n", str(reflect), str(file)], capture_output=True, text=True)
                real = json.loads(done.stdout.rpartition("@@@")[2])
                code = coded_language("php").code(source)
                self.assertEqual({f.name for f in code.functions}, set(real), source.decode())
                for name, (_, last, params, fewest, has_doc, marks) in real.items():
                    where = (seed, name, source.decode())
                    function = next(f for f in code.functions if f.name == name)
                    found = [[p.name[1:], p.default is not None, p.way == "*", p.way == "&"] for p in function.params]
                    self.assertEqual(found, [[n, o, v, r] for n, o, _, v, r in params], where)
                    types = [sorted(p.type.split("|")) for p in function.params]
                    self.assertEqual(types, [sorted(t.split("|")) for _, _, t, _, _ in params], where)
                    self.assertEqual((function.last, function.fewest), (last, fewest), where)
                    self.assertEqual(bool(function.doc) and "not a doc" not in function.doc, has_doc, where)
                    self.assertEqual([m.name for m in function.marks], marks, where)
                    text = source[function.start : function.end].decode()
                    self.assertTrue(name in text.partition("(")[0] or marks, where)
                    self.assertTrue(text.endswith("}"), where)
                    compared += 1
        self.assertGreater(compared, 200)

    def test_a_broken_file_says_what_could_be_read(self) -> None:
        code = coded_language("php").code(
            b"<?php\nfunction a() { echo 1; }\n$x = = 3;\nfunction b() { return 2; }\nattach('p', 'b');\n"
        )
        self.assertEqual([f.name for f in code.functions], ["a", "b"])
        self.assertFalse(code.sound)
        self.assertIn("attach", [n.name for s in code.body for n in walk(s) if n.tag == "call"])

    def test_bytes_that_are_no_utf8_count_as_bytes(self) -> None:
        source = "\ufeff<?php /* é */ ".encode() + "function füße() {}".encode("latin-1")
        function = coded_language("php").code(source).functions[0]
        self.assertEqual(source[function.start : function.end], "function füße() {}".encode("latin-1"))
        cache = FactsCache(None)
        self.assertEqual(cache.problems("php", "x", "a.php", lambda: source), [])


class PythonTest(unittest.TestCase):
    def test_functions_are_as_python_parses_them(self) -> None:
        """The standard library has every way of writing one."""
        compared = 0
        for file in sorted(Path(ast.__file__).parent.glob("*.py"))[:60]:
            source = file.read_bytes()
            real = {}
            for node in ast.walk(ast.parse(source)):
                if isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef):
                    a = node.args
                    defaults = len(a.defaults)
                    plain = [x.arg for x in [*a.posonlyargs, *a.args]]
                    real[(node.name, node.lineno)] = (
                        node.end_lineno,
                        plain,
                        len(plain) - defaults,
                        bool(ast.get_docstring(node)),
                        len(node.decorator_list),
                    )
            for function in coded_language("python").code(source).functions:
                owner, _, name = function.name.rpartition("::")
                mangled = f"_{owner.rpartition('::')[2].lstrip('_')}"
                name = name.removeprefix(mangled) if owner and name.startswith(f"{mangled}__") else name
                if name:
                    last, plain, fewest, doc, marks = real[(name, function.line)]
                    self.assertEqual([p.name for p in function.params if p.way in ("", "/")], plain, (file, name))
                    self.assertEqual((function.fewest, len(function.marks)), (fewest, marks), (file, name))
                    after = source.decode().split("\n")[last : function.last]
                    self.assertTrue(
                        all(not text.strip() or text.lstrip().startswith("#") for text in after), (file, name)
                    )
                    self.assertTrue(not doc or function.doc, (file, name))
                    self.assertTrue(
                        source[function.start :].lstrip().startswith((b"def", b"@", b"async")), (file, name)
                    )
                    compared += 1
        self.assertGreater(compared, 1000)

    def test_names_are_followed_to_where_they_were_imported_from(self) -> None:
        code = coded_language("python").code(
            b"from quay import on as attach\nimport quay as q\nimport os.path\nattach('a', b)\nq.off('c', d)\nos.path.join('e')\nx.y('f')\n"
        )
        called = [s.value.name for s in code.body if isinstance(s.value, Invoke)]
        self.assertEqual(called, ["quay.on", "quay.off", "os.path.join", "y"])


class CodeTest(unittest.TestCase):
    def test_every_path_returns_or_does_not(self) -> None:
        cases = {
            "return 1": True,
            "if a:\n  return 1": False,
            "if a:\n  return 1\nelse:\n  return 2": True,
            "if a:\n  return 1\nelif b:\n  raise E\nelse:\n  return 2": True,
            "for x in y:\n  return 1": False,
            "return": False,
            "pass": False,
        }
        for body, wanted in cases.items():
            source = "def f(a, b):\n  " + body.replace("\n", "\n  ")
            function = coded_language("python").code(source.encode()).functions[0]
            self.assertEqual(always_returns(function.body), wanted, body)

    def test_a_second_look_parses_nothing(self) -> None:
        source = b"<?php function a($x = [1, 'b' => 2.5], ...$y) { foreach ([1] as $k => $v) { echo \"$v\"; } return fn($z) => $z ?? !$x; }"
        with tempfile.TemporaryDirectory() as folder:
            first = FactsCache(Cache(Folder(folder), "cache"))
            said = first.code("php", "1", lambda: source)
            self.assertEqual(first.problems("php", "1", "a.php", self.fail), [])
            first.save()
            second = FactsCache(Cache(Folder(folder), "cache"))
            self.assertEqual(second.code("php", "1", self.fail), said)
            self.assertEqual(second.problems("php", "1", "a.php", self.fail), [])

    def test_sources_of_which_readers_say_the_same(self) -> None:
        before = b"<?php\nfunction tide() { return 1; }\n"
        cases = {
            before + b"// a remark\n": True,
            b"<?php\nfunction tide() { return 2; }\n": False,
            b"<?php\n\nfunction tide() { return 1; }\n": False,
            before + b"'sheet.css';": False,
            before + b"}": False,
        }
        for after, same in cases.items():
            with self.subTest(after), tempfile.TemporaryDirectory() as folder:
                facts = FactsCache(Cache(Folder(folder), "cache"))
                facts.facts("php", "1", lambda: before)
                facts.code("php", "1", lambda: before)
                facts.problems("php", "1", "a.php", lambda: before)
                facts.save()
                again = FactsCache(Cache(Folder(folder), "cache"))
                self.assertEqual(again.read_the_same("php", "1", "2", "a.php", lambda after=after: after), same)  # type: ignore[misc]

    def test_what_no_row_can_hold_as_it_is_is_remembered_too(self) -> None:
        source = b"<?php f('caf\xe9', 99999999999999999999999999, 1e999);"
        with tempfile.TemporaryDirectory() as folder:
            first = FactsCache(Cache(Folder(folder), "cache"))
            said = first.code("php", "1", lambda: source)
            first.save()
            second = FactsCache(Cache(Folder(folder), "cache"))
            self.assertEqual(second.code("php", "1", self.fail), said)

    def test_release_numbers_are_compared_as_numbers(self) -> None:
        self.assertLess(numbers("2.9"), numbers("2.10"))
        self.assertEqual(numbers("2"), numbers("2.0.0"))


if __name__ == "__main__":
    unittest.main()
