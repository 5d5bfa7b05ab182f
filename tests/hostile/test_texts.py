"""Hostile texts of themes: sizes, depths and repetitions that make a reader run for ever; each is bounded, and told."""

from __future__ import annotations

import json
import os
import random
import unittest
from pathlib import Path

from tests.cases import many
from tests.hostile.harness import HostileCase
from tests.support import theme

DIGITS = "9" * 5000


class TextCase(HostileCase):
    looks = 0
    """How many files were looked at: a survey follows every fourth."""

    def looked_at(self, path: str, data: str | bytes, built: bool = False) -> dict[str, object]:
        """A file in the parent and, the same, in the child: commands that read answer in time."""
        for slug in ("pier", "gull"):
            self.put(f"themes/{slug}/{path}", data)
        ran = self.attempt("check", "--format", "json", built=built)
        self.looks += 1
        if many() or self.looks % 4 == 1:
            self.attempt("survey")
        for slug in ("pier", "gull"):
            (self.bench / "themes" / slug / path).unlink()
        return json.loads(ran.out) if ran.out else {}


class TemplateTest(TextCase):
    def test_templates(self) -> None:
        cases = {
            "backtracking list": "{% include [" + '"a"  ' * 20_000 + "x] %}",
            "spaces": "{% include" + " " * 200_000 + "'a' %}",
            "spaces at the end": "{% include 'a'" + " ignore" + " " * 200_000 + "x %}",
            "a long name": "{{ " + "a" * 900_000 + " }}",
            "names and spaces": "{{ " + ("a" + " " * 500) * 1500 + " }}",
            "escaped quotes": "{{ '" + "\\'" * 400_000,
            "open tags": "{{ " * 300_000,
            "open comments": "{#" * 400_000,
            "open markup": "<!--" * 250_000,
            "raw": "{% raw %}" * 100_000,
            "brackets": "{{ " + "(" * 100_000 + " }}",
            "braces": "{{ " + "{" * 100_000,
            "digits": "{{ " + DIGITS + " }}",
            "endings": "~.js" * 250_000,
            "blocks": "{% block a %}" * 5000,
            "tags": "{{ a }}" * 120_000,
            "filters": "{{ a" + "|b" * 5000 + " }}",
            "sums": "{{ 1" + " + 1" * 5000 + " }}",
            "loops": "{% for i in [1,2,3,4,5,6,7,8,9] %}" * 19 + "{{ i }}" + "{% endfor %}" * 19,
            "ifs": "{% if x %}" * 400 + "{% endif %}" * 400,
            "elifs": "{% if x %}" + "{% elif y %}a" * 20_000 + "{% endif %}",
            "too large": "{% include 'a' %}\n" * 200_000,
        }
        for name, text in cases.items():
            with self.subTest(name):
                self.looked_at("pages/home2.html", text, built=name == "spaces")

    def test_templates_that_include_each_other(self) -> None:
        for slug in ("pier", "gull"):
            for number in range(35):
                names = [f"parts/i{n}.html" for n in range(35) if n != number][number % 5 : number % 5 + 4]
                text = "".join(f"{{% include '{name}' %}}" for name in names)
                deeper = "".join(f"{{% include 'parts/j{number + 1}.html' %}}" for _ in range(4))
                self.put(f"themes/{slug}/parts/i{number}.html", text)
                self.put(f"themes/{slug}/parts/j{number}.html", deeper)
            self.put(f"themes/{slug}/pages/home.html", "{% include 'parts/i0.html' %}{% include 'parts/j0.html' %}")
        self.attempt("check")
        self.attempt("points")


class PythonTest(TextCase):
    def test_python(self) -> None:
        calls = "".join(f"def f{n}():\n    return f{n + 1}() + f{n + 1}() + f{n + 1}()\n" for n in range(38))
        cases = {
            "calls": calls + "def f38():\n    return 1\nx = f0()\n",
            "loops": "".join("    " * n + f"for i{n} in [1, 2, 3, 4, 5]:\n" for n in range(19)) + "    " * 19 + "f()\n",
            "functions": "".join(f"def g{n}():\n    return {n}\n" for n in range(15_000)),
            "digits": f"x = {DIGITS}\n",
            "hexadecimal": f"x = 0x{'f' * 100_000}\n",
            "brackets": "x = " + "[" * 3000 + "]" * 3000 + "\n",
            "sums": "x = " + "+".join(["1"] * 20_000) + "\n",
            "strings": "x = 'a'\n" + "x = x + x\n" * 60,
            "lists": "x = [1]\n" + "x = x + x\n" * 60,
            "products": "x = 'a' * 10 ** 12\ny = [1] * 10 ** 12\nz = 2 ** 10 ** 9\n",
            "points": "from quay import on\n\n\ndef f(): pass\n" + "".join(f"on('p{n}')(f)\n" for n in range(8000)),
            "itself": "def f():\n    f()\n    f()\nf()\n",
            "decorators": "@d\n" * 5000 + "def f():\n    pass\n",
            "one line": "x = 1; " * 140_000,
            "nul": "x = '\0'\n",
            "surrogate": 'x = "\\ud800"\n',
        }
        for name, text in cases.items():
            with self.subTest(name):
                self.looked_at("code/extra.py", text, built=name == "calls")


class ManifestTest(TextCase):
    def test_sheets_scripts_and_settings(self) -> None:
        cases = {
            "styles/a.css": ["@import url(" * 80_000, "/*" * 400_000, '"\\"' * 300_000, "a{b:url(x)}" * 90_000, "{" * 400_000, "@import '" + "\\" * 500_000],
            "scripts/a.js": ["import\n" * 140_000, "/*" * 400_000, "`\\`" * 300_000, "import '" * 120_000],
            "settings.json": ["[" * 100_000, "[" * 3000 + "]" * 3000, '{"a":' * 20_000, f'{{"a": {DIGITS}}}', '{"a": "\\ud800"}', '{"a": 1e99999}', "NaN"],
            "lang/en.json": ['{"a": "\\ud800"}', "1" * 900_000],
        }  # fmt: skip
        for path, texts in cases.items():
            for number, text in enumerate(texts):
                with self.subTest(f"{path} {number}"):
                    for slug in ("pier", "gull"):
                        self.put(f"themes/{slug}/{path}", text + (" " if slug == "gull" else ""))
                    self.attempt("check")
                    self.attempt("survey")
                    self.fresh()

    def test_manifests(self) -> None:
        good = theme("gull", "pier", "1.0.0")
        for number, text in enumerate(
            [
                f'[theme]\nslug = "gull"\nrelease = {DIGITS}\n',
                '[theme]\nslug = "gull"\nparent = "pier"\nx = ' + "[" * 100_000,
                "a." * 3000 + "b = 1\n" + good,
                "[" + "a." * 3000 + "b]\n",
                good + "# " + "x" * (10 << 20),
                good + f'summary = "{"x" * 200_000}"\n',
                good.replace('"gull"', '"../../outside/deep"'),
                good.replace('"gull"', '"/etc"'),
                good.replace('"gull"', '"a;touch X;$(touch Y)"'),
                good.replace('"gull"', '"\\u001b[2J\\u202e"'),
                good.replace('"gull"', '""'),
                good.replace('"gull"', '".."'),
                good.replace('"1.0.0"', '"1/../../../outside/deep/1"'),
                good.replace('"1.0.0"', '"\\u001b]0;x\\u0007"'),
                good.replace('"pier"', '"../pier"'),
                good.replace('"pier"', '"gull"'),
                'x = "\\ud800"\n',
                good + "\n[sheets]\nsite = [" + '"a.css",' * 10_000 + "]\n",
            ]
        ):
            with self.subTest(number):
                self.put("themes/gull/quay.toml", text)
                for command in (
                    ["check"],
                    ["survey"],
                    ["pack"],
                    ["points"],
                    ["explain", "template:parts/foot.html"],
                    ["update", "pier"],
                ):
                    self.attempt(*command, writes=True, built=number == 6 and command[0] == "pack")
                self.fresh()

    def test_other_syntaxes_of_manifests(self) -> None:
        deep = "{" * 3000
        yaml = [
            "a: [" + "1, " * 100_000 + "]\n", "- x\n" * 100_000, "a: &a [1]\nb: *a\n", "[" * 5000, "a: " + DIGITS + "\n", "? " * 5000,
            "x: !!python/object:os.system {}\n", "a: |\n" + "  x\n" * 100_000, "&a " * 5000, "%YAML 9.9\n---\n", "a: \"\\ud800\"\n", "a: 1\n" * 30_000,
        ]  # fmt: skip
        ini = ["[a\n" * 50_000, "[a]\nb = " + "%(b)s" * 1000, "[a]\n" + "x\n" * 100_000, "[a]\nb=1\n" + " c\n" * 60_000]
        other = [
            DIGITS,
            deep,
            '{"a": ' + DIGITS + "}",
            "[" * 100_000,
            '{"' + "k" * 200_000 + '": 1}',
            '{"release": "\\ud800"}',
            '{"a": Infinity}',
        ]
        for platform, name, texts in (
            ("hedgerow", "hedgerow.yaml", yaml),
            ("kiln", "brine.ini", ini),
            ("millrace", "millrace.json", other),
        ):
            for number, text in enumerate(texts):
                with self.subTest(f"{platform} {number}"):
                    self.put(f"brine/{name}", text, self.work)
                    self.attempt("survey", "--platform", platform, str(self.work / "brine"))
                    (self.work / "brine" / name).unlink()


class PhpTest(TextCase):
    def test_php(self) -> None:
        nest = "".join(f"foreach ([1,2,3,4,5] as $i{n}) {{ " for n in range(19)) + "f();" + "}" * 19
        calls = "".join(f"function f{n}() {{ return f{n + 1}() . f{n + 1}() . f{n + 1}(); }}\n" for n in range(38))
        cases = [
            f"<?php {nest}",
            f"<?php {calls} function f38() {{ return 'x'; }} f0();",
            "<?php " + "".join(f"function g{n}() {{ return {n}; }}\n" for n in range(15_000)),
            f"<?php $x = {DIGITS};",
            "<?php $x = " + "(" * 20_000,
            "<?php $x = " + "[" * 3000 + "]" * 3000 + ";",
            "<?php " + "$x = $x . $x;" * 60,
            "<?php $x = 'a';" + "$x = $x . $x;" * 60,
            "<?php $x = [1];" + "$x = array_merge($x, $x);" * 60,
            "<?php " + "if ($a) {" * 3000,
            "<?php " + "/*" * 300_000,
            "<?php $x = <<<A\n" + "$y\n" * 100_000,
            "<?php " + "echo 1;" * 100_000,
            "<?php " + "'" * 300_001,
            "<?php " + "?><?php " * 60_000,
            "<?php " + "class A extends A {} " * 5000,
        ]
        for number, text in enumerate(cases):
            with self.subTest(number):
                folder = self.work / "brine"
                self.put("hedgerow.yaml", "slug: brine\ntitle: Brine\nrelease: '1'\n", folder)
                self.put("grove.php", text, folder)
                self.put("leaves/page.php", text, folder)
                self.attempt("survey", "--platform", "hedgerow", str(folder))


class OddFileTest(TextCase):
    def test_pipes_and_devices_in_place_of_files(self) -> None:
        places = [
            "themes/gull/quay.toml", "themes/gull/parts/foot.html", "themes/gull/code/x.py", "themes/gull/overrides.toml", "protypon.toml",
            "themes/pier/quay.toml", ".protypon/releases.json", ".protypon/proposals.json", ".protypon/lock", ".protypon/pending.json",
            ".protypon/store/HEAD", ".protypon/journal/000001.json", "proposals/gull/parts/foot.html", ".protypon/cache/reports/x.json",
        ]  # fmt: skip
        commands = [
            ["check"],
            ["update", "pier"],
            ["override", "styles/site.css", "--child", "gull"],
            ["undo"],
            ["pack"],
        ]
        for way in ("pipe", "device", "folder"):
            for place in places:
                with self.subTest(f"{way} {place}"):
                    full = self.bench / place
                    if full.exists():
                        full.unlink()
                    full.parent.mkdir(parents=True, exist_ok=True)
                    if way == "pipe":
                        os.mkfifo(full)
                    elif way == "device":
                        full.symlink_to("/dev/zero")
                    else:
                        full.mkdir()
                    for command in commands:
                        self.attempt(*command, writes=True)
                    self.fresh()
        os.mkfifo(self.work / "own.toml")
        for path in (self.work / "own.toml", Path("/dev/zero")):
            self.attempt("platform", "check", str(path))
            self.attempt("survey", "--platform", str(path), ".")


class LedgerTest(TextCase):
    def test_ledgers(self) -> None:
        head = 'format = "protypon.ledger/1"\n'
        record = (
            '[[override]]\nunit = "template:parts/foot.html"\nhow = "copy"\nfrom = "pier"\ndigest = "'
            + "0" * 40
            + '"\n'
        )
        for number, text in enumerate(
            [
                head + "# " + "x" * (10 << 20),
                head + "#\n" * 450_000,
                head + record.replace('"copy"', DIGITS),
                head + record + f"order = {DIGITS}\n",
                head + record.replace("parts/foot.html", "../../outside/precious"),
                head + record.replace("parts/foot.html", "\\ud800"),
                head + record.replace("parts/foot.html", "%00"),
                head + record.replace("parts/foot.html", "a/" * 3000),
                head + record.replace('"pier"', '"\\u001b[2J;$(touch X)"'),
                head + record + 'file = "../../outside/precious"\n',
                head + "x." * 3000 + "y = 1\n",
                head + "".join(record.replace("foot", f"foot{n}") for n in range(5000)),
            ]
        ):
            with self.subTest(number):
                self.put("themes/gull/overrides.toml", text)
                for command in (
                    ["check"],
                    ["drop", "parts/foot.html"],
                    ["update", "pier"],
                    ["override", "styles/site.css"],
                ):
                    self.attempt(*command, writes=True)
                self.fresh()

    def test_platform_files(self) -> None:
        from protypon.core.platform.shipped import text_of

        text = text_of("quayside")[0]
        for number, changed in enumerate(
            [
                text.replace('pattern = "[a-z][a-z0-9-]*"', 'pattern = "(a+)+b"'),
                text.replace('pattern = "[a-z][a-z0-9-]*"', 'pattern = "a{999999999999}"'),
                text.replace('pattern = "[a-z][a-z0-9-]*"', 'pattern = "((((a{1000}){1000}){1000}){1000}){1000}"'),
                text.replace("match = [", 'match = ["' + "**a" * 300 + '", ', 1),
                text.replace("match = [", 'match = ["' + "**a" * 3000 + '", ', 1),
                text.replace("match = [", 'match = ["' + "**/" * 300 + 'x", ', 1),
                text + "\nx = " + DIGITS,
                text + "#" * (2 << 20),
                text + "[" * 5000,
            ]
        ):
            with self.subTest(number):
                own = self.put("own.toml", changed)
                self.put(f"themes/{'a' * 200}/quay.toml", theme("a" * 60))
                self.put("themes/gull/" + "a/" * 60 + "a" * 200, "x")
                self.put("protypon.toml", (self.bench / "protypon.toml").read_text().replace("quayside", "own.toml"))
                for command in (
                    ["check"],
                    ["survey"],
                    ["platform", "check", str(own)],
                    ["new", "aaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaac", "--parent", "pier"],
                ):
                    self.attempt(*command, writes=True)
                self.fresh()
        pattern = (
            'format = "protypon.platform/1"\nname = "buoy"\n[slug]\nfrom = "folder"\npattern = "[a-z]+"\nsays = "letters"\n[[manifest]]\npath = "about.txt"\n'
            'syntax = "pattern"\n[manifest.fields]\ntitle = "^(a+)+b"\nparent = "Parent: (.*)"\nrelease = "Release: (.*)"\n'
            '[[files]]\nkind = "template"\nmatch = ["*.html"]\n'
        )
        own = self.put("buoy.toml", pattern)
        self.put("brine/about.txt", "a" * 60_000, self.work)
        ran = self.attempt("survey", "--platform", str(own), str(self.work / "brine"), built=True)
        self.assertIn("took over 1 s", ran.out + ran.err)

    def test_random_noise_in_every_file(self) -> None:
        rng = random.Random(20263)
        files = sorted(p for p in (self.spare / "themes").rglob("*") if p.is_file())
        bits = [
            "\0",
            "\x1b[2J",
            "{%",
            "%}",
            "{{",
            "'",
            '"',
            "\ud800".encode("utf-8", "surrogatepass"),
            "[",
            "(",
            "9" * 400,
            "<?php",
            "\r",
            "#",
            "=",
            b"\xff\xfe",
            "def ",
            "block",
        ]
        for number in range(60):
            with self.subTest(number):
                path = self.bench / rng.choice(files).relative_to(self.spare)
                data = bytearray(path.read_bytes())
                for _ in range(rng.randint(1, 5)):
                    bit = rng.choice(bits)
                    at = rng.randrange(len(data) + 1)
                    data[at:at] = (bit if isinstance(bit, bytes) else bit.encode()) * rng.choice([1, 1, 50])
                path.write_bytes(bytes(data))
                self.attempt(
                    *rng.choice([["check"], ["check", "--format", "json"], ["survey"], ["points"], ["update", "pier"]]),
                    writes=True,
                )
                if number % 6 == 5:
                    self.fresh()


if __name__ == "__main__":
    unittest.main()
