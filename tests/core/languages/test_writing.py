"""Code taken apart and put together: on random files, and on real modules of Python's library."""

from __future__ import annotations

import ast
import random
import re
import shutil
import subprocess
import sysconfig
import tempfile
import unittest
from pathlib import Path

from protypon.core.languages.text_edits import (
    append_block,
    indent_lines,
    rename_functions,
    style_of,
    take_function,
    without,
)
from protypon.core.languages.writers import writer
from protypon.core.merge.by_unit import chunks

LIBRARY = Path(sysconfig.get_paths()["stdlib"])
MODULES = [
    "ast",
    "bisect",
    "calendar",
    "cmd",
    "csv",
    "dis",
    "heapq",
    "inspect",
    "locale",
    "queue",
    "shlex",
    "tabnanny",
    "textwrap",
    "typing",
]


def php_file(rng: random.Random) -> bytes:
    """A file with functions, guards, classes, closures and texts over several lines, in one style or another."""
    end, tab = rng.choice(["\n", "\r\n"]), rng.choice(["\t", "  ", "    "])
    parts = ["<?php"]
    for n in range(rng.randint(1, 6)):
        name = f"f{n}"
        body = f"{tab}$x = 'a{end}  kept  {end}{tab}b';{end}{tab}return <<<T{end}  {name}{end}T;{end}"
        function = f"function {name}($v) {{{end}{body}}}"
        parts.append(
            rng.choice(
                [
                    f"/** Doc of {name}. */{end}{function}",
                    f"if (!function_exists('{name}')) {{{end}{tab}// {name}{end}{tab}{function.replace(end + tab, end + tab + tab)}{end}}}",
                    f"class C{n} {{{end}{tab}public $p = 1;{end}{end}{tab}function m() {{ }}{end}}}",
                    f"graft('gate', function () {{{end}{tab}prune('x', \"{name}\");{end}}}, {n}); // {n}",
                    f"$y{n} = [1,{end}{tab}2];",
                ]
            )
        )
    tail = rng.choice([end, "", end + end, f"{end}?>{end}", f"   {end}"])
    return ((end * rng.randint(1, 3)).join(parts) + tail).encode()


class WritingTest(unittest.TestCase):
    def test_what_is_put_in_comes_out_again_byte_for_byte(self) -> None:
        made = writer("php")
        block = "// mine\nfunction put_in($v) {\n    return 1;\n}"
        for seed in range(300):
            rng = random.Random(seed)
            data = php_file(rng)
            with self.subTest(seed=seed):
                newline = style_of(data, made, "'").newline
                changed = append_block(data, block.encode(), made, newline)
                self.assertEqual([line for line in data.splitlines() if line not in changed.splitlines()], [])
                piece = next(p for p in made.split(changed) or [] if p.name == "put_in")
                self.assertEqual(without(changed, piece.begin, piece.end), data)

    def test_units_divide_a_file_without_a_rest(self) -> None:
        for name in MODULES:
            data = (LIBRARY / f"{name}.py").read_bytes()
            pieces = writer("python").split(data)
            assert pieces is not None
            with self.subTest(module=name):
                self.assertEqual(b"".join(c.text for c in chunks(data, pieces)), data)
                tree = ast.parse(data)
                functions = [n.name for n in tree.body if isinstance(n, ast.FunctionDef | ast.AsyncFunctionDef)]
                self.assertEqual([p.name for p in pieces if p.kind == "function" and p.name in functions], functions)
        for seed in range(100):
            data = php_file(random.Random(seed))
            self.assertEqual(b"".join(c.text for c in chunks(data, writer("php").split(data) or [])), data)

    def test_a_function_moved_left_and_right_says_the_same(self) -> None:
        """Texts over several lines keep their space: what PHP gives back is the same."""
        made = writer("php")
        for seed in range(60):
            data = php_file(random.Random(seed))
            for span in made.declarations(data):
                text = take_function(data, span, made)
                moved = b"<?php\nif (true) {\n" + indent_lines(text, "      ", made) + b"\n}\n"
                again = take_function(moved, made.declarations(moved)[0], made)
                self.assertEqual(again, text)

    @unittest.skipUnless(shutil.which("php"), "there is no PHP interpreter here")
    def test_a_function_taken_out_of_a_guard_gives_the_same(self) -> None:
        made = writer("php")
        data = next(
            d
            for d in (php_file(random.Random(s)) for s in range(99))
            if b"if (!function_exists" in d and b"\r" not in d
        )
        span = next(s for s in made.declarations(data) if s.guard is not None)
        with tempfile.TemporaryDirectory() as folder:
            given = []
            for name, text in (
                ("a", data[: span.guard[1]] if span.guard else data),
                ("b", b"<?php\n" + take_function(data, span, made)),
            ):
                file = Path(folder, name + ".php")
                stubs = b"\nfunction graft() {}\n" if b"function graft" not in text else b""
                file.write_bytes(text + stubs + b"\necho bin2hex(" + span.name.encode() + b"(1));\n")
                given.append(subprocess.run(["php", file], capture_output=True).stdout)
        self.assertEqual(given[0], given[1])
        self.assertTrue(given[0])

    def test_renamed_where_it_is_declared_and_called_and_nowhere_else(self) -> None:
        text = b"/** greet() in words */\nfunction greet($v) {\n    $greet = 'greet';\n    return $v ? greet($v - 1) : Greet::greet($greet);\n}"
        new = rename_functions(text, {"greet": "hail"}, writer("php"), True)
        self.assertEqual(new, text.replace(b"function greet", b"function hail").replace(b"? greet(", b"? hail("))
        self.assertEqual(rename_functions(new, {"hail": "greet"}, writer("php"), True), text)
        text = b'@quay.on("greet")\ndef greet(v):\n    """greet(v)"""\n    return [greet(v), v.greet(v)]'
        new = rename_functions(text, {"greet": "hail"}, writer("python"), False)
        self.assertEqual(
            new.decode(), '@quay.on("greet")\ndef hail(v):\n    """greet(v)"""\n    return [hail(v), v.greet(v)]'
        )

    def test_values_are_written_so_that_they_are_read_back(self) -> None:
        values = [None, True, 0, -3, 1.5, "", "it's", 'say "so"', "a\nb", "$x \\ {y}", [1, "b"], {"k": [True, None]}]
        for value in values:
            for quote in "'\"":
                self.assertEqual(ast.literal_eval(writer("python").literal(value, quote)), value)
        if shutil.which("php"):
            code = ", ".join(writer("php").literal(v, q) for v in values for q in "'\"")
            done = subprocess.run(["php", "-r", f"echo json_encode([{code}]);"], capture_output=True, text=True)
            import json

            self.assertEqual(json.loads(done.stdout), [v for v in values for _ in "''"])

    def test_the_style_of_a_file_is_told(self) -> None:
        style = style_of(b'<?php\r\n\tf("a");\r\n\tg("b", \'c\');\r\n', writer("php"), "'")
        self.assertEqual((style.quote, style.indent, style.newline), ('"', "\t", "\r\n"))
        self.assertEqual(style_of(b"def f():\n  return 'a'\n", writer("python"), '"').indent, "  ")
        self.assertTrue(re.match("^ +$", style_of(b"", writer("php"), "'").indent))


if __name__ == "__main__":
    unittest.main()
