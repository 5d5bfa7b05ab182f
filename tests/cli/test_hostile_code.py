"""Code that nobody wrote: one clear answer in time, no traceback, no process that grows without end."""

from __future__ import annotations

import time

from tests.support import BenchCase, theme

LEDGER = 'format = "protypon.ledger/1"\n'
PHP = {
    "a long line": b"<?php " + b"$x = 'abc' . 'def'; f($x, [1,2]); " * 150_000,
    "deep arrays": b"<?php $x = " + b"[" * 50_000 + b"]" * 50_000 + b";",
    "deep calls": b"<?php " + b"f(" * 20_000 + b"1" + b")" * 20_000 + b";",
    "deep blocks": b"<?php " + b"if (1) {" * 20_000 + b"}" * 20_000,
    "a long chain of conditions": b"<?php if ($a) {} " + b"elseif ($b == 1) { f(); } " * 20_000,
    "a long chain of methods": b"<?php $x" + b"->a()" * 50_000 + b";",
    "nested closures": b"<?php " + b"$f = function () { " * 3_000 + b"};" * 3_000,
    "NUL bytes": b"<?php\0\0 function f() { echo '\0'; }\nfunction f() {}\0",
    "another encoding": "<?php function füße() {} hedgerow_graft('x', 'füße');".encode("latin-1"),
    "two bytes a letter": "<?php function f() {}".encode("utf-16"),
    "recursion": b"<?php function a() { a(); b(); } function b() { a(); a(); } a();",
    "a list that doubles": b"<?php $x = [1]; " + b"$x = [$x, $x]; " * 60 + b"hedgerow_season('a', $x);",
    "a text that doubles": b"<?php $x = 'abcdefgh'; " + b"$x = $x . $x; " * 60 + b"hedgerow_graft($x, 'a');",
    "a number that squares": b"<?php $x = 99999999; " + b"$x = $x * $x; " * 60 + b"hedgerow_season('a', $x);",
    "a file that asks for itself": b"<?php require __DIR__ . '/grove.php';",
    "paths that climb": b"<?php require __DIR__ . '/../../../../etc/passwd'; hedgerow_fetch('../../x.php');",
}
PYTHON = {
    "a long line": b"x = [" + b"'abc', " * 300_000 + b"]\n",
    "deep brackets": b"x = " + b"[" * 50_000,
    "a long chain of names": b"x" + b".a" * 50_000,
    "many nots": b"x = " + b"not " * 20_000 + b"1",
    "NUL bytes": b"import quay\0\nquay.on('x', 'y')",
    "a long number": b"x = " + b"9" * 50_000,
}
TEMPLATES = {
    "a long line": b"{{ ring('x') }}<p>" * 200_000,
    "deep tags": b"{% if x %}" * 10_000 + b"{% endif %}" * 10_000,
    "deep brackets": b"{{ " + b"(" * 10_000 + b"x" + b")" * 10_000 + b" }}",
    "a template that includes itself": b"{% include 'pages/home.html' %}{{ ring('x') }}",
    "a template that extends itself": b"{% extends 'pages/home.html' %}{% block a %}{{ super() }}{{ self.a() }}{% endblock %}",
}
SECONDS = 60
"""Far more than any takes on a quiet machine; without the limits most would never end."""


class HostileCodeTest(BenchCase):
    def answers(self, name: str) -> None:
        for command in ("check", "points", "survey"):
            begun = time.monotonic()
            done = self.run_command(*([command] if command == "survey" else [command, "kid"]))
            self.assertIn(done.returncode, (0, 1), f"{name}, {command}: {done.stderr[-300:]}")
            self.assertNotIn("Traceback", done.stderr)
            self.assertLess(time.monotonic() - begun, SECONDS, f"{name}, {command}")

    def test_php(self) -> None:
        self.put("themes/base/hedgerow.yaml", "title: Base\n")
        self.put("themes/base/leaves/page.php", "<?php hedgerow_shake('x'); ?>")
        self.put("themes/kid/hedgerow.yaml", "title: Kid\ngrown_on: base\n")
        self.put("themes/kid/overrides.toml", LEDGER)
        self.ok("init", "--platform", "hedgerow")
        for name, code in PHP.items():
            self.put("themes/base/grove.php", code)
            self.answers(name)

    def test_python_and_templates(self) -> None:
        self.put("themes/base/quay.toml", theme("base"))
        self.put("themes/kid/quay.toml", theme("kid", "base"))
        self.put("themes/kid/overrides.toml", LEDGER)
        self.ok("init", "--platform", "quayside")
        for name, code in PYTHON.items():
            self.put("themes/base/code/a.py", code)
            self.answers(name)
        self.put("themes/base/code/a.py", "")
        for name, code in TEMPLATES.items():
            self.put("themes/base/pages/home.html", code)
            self.answers(name)

    def test_hostile_manifests_have_one_clear_line(self) -> None:
        self.put("themes/kid/overrides.toml", LEDGER)
        for text, words in {
            "a: &a [x]\nb: [*a, *a]\n": "hedgerow.yaml line 2 column 5: not YAML: an alias (*) is not read",
            "[" * 500: "not YAML: nested too deeply",
            "title: [1\n": "hedgerow.yaml line 2 column 1: not YAML",
            "title: !!python/object:os.system x\n": "not YAML: could not determine a constructor",
        }.items():
            self.put("themes/kid/hedgerow.yaml", text)
            said = self.ok("survey", "--platform", "hedgerow", "themes")
            self.assertIn(words, " ".join(said.split()))
