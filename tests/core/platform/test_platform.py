"""Platform files: the shipped ones keep to the format, and every way of breaking it is told."""

from __future__ import annotations

import random
import re
import unittest
from pathlib import Path

from protypon.core.platform import platform
from protypon.core.platform.format import problems_of
from protypon.core.platform.meanings import DOES
from protypon.core.platform.patterns import expression
from protypon.core.platform.shipped import shipped_platforms, text_of
from tests.support import BenchCase

GOOD = text_of("quayside")[0]


class FormatTest(unittest.TestCase):
    def test_the_shipped_files_keep_to_the_format(self) -> None:
        self.assertEqual(shipped_platforms(), ["hedgerow", "kiln", "millrace", "quayside", "sphinx"])
        for name in shipped_platforms():
            self.assertEqual(problems_of(*text_of(name)), [])
            self.assertEqual(platform.load(name).name, name)

    def test_the_roles_are_those_that_the_guide_lists(self) -> None:
        guide = (Path(__file__).parents[3] / "docs/reference/platform-file.md").read_text("utf-8")
        rows = re.findall(r"(?m)^\| `([a-z-]+)` \| (?:`([a-z ]+)`)? ?\| [^|]+ \|$", guide.partition("| `does` |")[2])
        self.assertEqual({word: tuple(roles.split()) for word, roles in rows if word in DOES}, DOES)

    def test_every_error_names_key_found_allowed_and_the_nearest_word(self) -> None:
        cases = {
            'pattern = "[a-z][a-z0-9-]*"': (
                'pattern = "["',
                'slug.pattern: found "[", allowed is a regular expression',
            ),
            'path = "quay.toml", ': (
                'path = "quay.toml", syntax = "tml", ',
                'manifest[1].syntax: found "tml", allowed is one of "toml", "json", "ini", "yaml", "comment", "pattern"; did you mean "toml"?',
            ),
            'kind = "template"': ('knd = "template"', "files[1].knd: no such key"),
            'combine = "overlay"': (
                "combine = 3",
                'files[4].combine: found 3, allowed is one of "replace", "overlay", "load"',
            ),
            'match = ["js/**.js"]': ('match = "js/**.js"', "files[3].match: found"),
            'field = "sheets"': ('field = "sheet"', 'did you mean "sheets"?'),
            '"slug", "title", "release", "parent"': (
                '"title", "release", "parent"',
                'manifest[1].fields: says nothing of "slug", which this platform needs',
            ),
            'path = "quay.toml"': ('path = "../quay.toml"', "manifest[1].path"),
            'name = "quayside"': ("name = quayside", "not TOML"),
            'from = "field", ': ("", "slug.from: not there, needed is one of"),
        }
        for old, (new, words) in cases.items():
            self.assertIn(old, GOOD)
            problems = [str(p) for p in problems_of(GOOD.replace(old, new, 1), "mine.toml")]
            self.assertTrue(any(words in p and p.startswith("mine.toml") for p in problems), (words, problems))

    def test_patterns_fit_as_documented(self) -> None:
        """Against a matcher written another way: segment by segment."""

        def fits(pattern: list[str], path: list[str]) -> bool:
            if not pattern:
                return not path
            if pattern[0] == "**":
                return any(fits(pattern[1:], path[n:]) for n in range(len(path)))
            one = "".join({"*": ".*", "?": "."}.get(c, re.escape(c)) for c in pattern[0])
            return bool(path) and re.fullmatch(one, path[0]) is not None and fits(pattern[1:], path[1:])

        rng = random.Random(2)
        parts = ["a", "b*", "*", "?", "*.x", "a.x", "**"]
        for _ in range(3000):
            pattern = [rng.choice(parts) for _ in range(rng.randint(0, 3))] + [rng.choice(parts[:-1])]
            path = [rng.choice(["a", "bc", "a.x", "b"]) for _ in range(rng.randint(1, 4))]
            got = re.fullmatch(expression("/".join(pattern)), "/".join(path)) is not None
            self.assertEqual(got, fits(pattern, path), (pattern, path))


class OwnPlatformTest(BenchCase):
    OWN = """
format = "protypon.platform/1"
name = "jetty"
[slug]
from = "folder"
pattern = "[a-z]+"
says = "lower case letters"
[[manifest]]
path = "{slug}.json"
syntax = "json"
required = ["parent"]
[manifest.fields]
title = "title"
parent = "base.0"
release = "release"
sheets = "css"
[root]
no_parent = "none"
[[files]]
kind = "template"
match = ["views/**"]
language = "jinja"
lookup = "name"
entry = ["**"]
[package]
archive = "tar.gz"
top = "{slug}"
name = "{slug}.tar.gz"
"""

    def test_a_platform_of_ones_own_is_checked_shown_and_used(self) -> None:
        own = self.OWN.replace("base.0", "base")
        self.put("jetty.toml", own)
        self.assertIn("keeps to protypon.platform/1", self.ok("platform", "check", "jetty.toml"))
        self.assertIn(
            "no such key",
            self.ok("platform", "check", str(self.put("bad.toml", own.replace("[slug]", "[slog]"))), status=3),
        )
        self.assertEqual(self.ok("platform", "show", "jetty.toml"), own)
        self.assertIn("quayside", self.ok("platform", "list"))
        self.put("themes/hull/hull.json", '{"title": "Hull", "base": "none", "release": "1"}')
        self.put("themes/hull/views/deep/foot.html", "<p>one</p>\n<p>two</p>\n")
        self.ok("init", "--platform", "jetty.toml")
        self.ok("new", "keel", "--parent", "hull")
        self.put("themes/keel/views/elsewhere/foot.html", "<p>ours</p>\n<p>two</p>\n")
        row = self.row("keel", "template:views/deep/foot.html")
        self.assertEqual((row["verdict"], row["reach"], row["file"]), ("unlisted", "yes", "views/elsewhere/foot.html"))
        self.ok("adopt", "keel")
        self.put("themes/hull/views/other/foot.html", "<p>eins</p>\n<p>two</p>\n")
        (self.bench / "themes/hull/views/deep/foot.html").unlink()
        self.put("themes/hull/hull.json", '{"title": "Hull", "base": "none", "release": "2"}')
        self.assertEqual(self.row("keel", "template:views/deep/foot.html")["verdict"], "conflicted")
        self.ok("pack", "--despite", "conflicted")
        self.assertTrue((self.bench / "packages/keel.tar.gz").exists())

    def test_ini_and_json_manifests_keep_their_other_lines(self) -> None:
        from protypon.core.platform.manifests.registry import syntax

        ini = "# mine\n[theme]\n; the parent\ninherit = a\n  b\nkeep: 1\n\n[options]\nx = 1\n"
        out = syntax("ini").write(
            ini, {("theme", "inherit"): "c", ("theme", "new"): ["p", "q"], ("options", "x"): None}
        )
        self.assertEqual(out, "# mine\n[theme]\n; the parent\ninherit = c\nkeep: 1\nnew = p, q\n\n[options]\n")
        self.assertEqual(
            syntax("json").write('{\n    "a": 1\n}', {("b", "c"): "d"}),
            '{\n    "a": 1,\n    "b": {\n        "c": "d"\n    }\n}\n',
        )
