"""Platforms that a person describes: traits that none of the shipped ones has, from the platform file to the check."""

from __future__ import annotations

import json

from protypon.core.platform.format import problems_of
from protypon.core.platform.meanings import Argument, CodeRules, code_rules
from tests.support import BenchCase

HEAD = """format = "protypon.platform/1"
name = "lock"

[slug]
from = "folder"
pattern = "[a-z]+"
says = "lower case letters"

"""
COMMENT = (
    HEAD
    + """[[manifest]]
path = "css/main.css"
syntax = "comment"
required = ["title"]

[manifest.fields]
title = "sluice_title"
release = "release"
parent = "opens_into"
regions = "places"
"""
)
PATTERN = (
    HEAD
    + """[[manifest]]
path = "about.php"
syntax = "pattern"
required = ["title"]

[manifest.fields]
title = "define\\\\('TITLE', '([^']*)'"
release = "define\\\\('RELEASE', '([^']*)'"
parent = "define\\\\('INTO', '([^']*)'"
regions = "define\\\\('PLACES', '([^']*)'"
"""
)
CODE = """
[[files]]
kind = "code"
match = ["gates.php"]
language = "php"
combine = "load"

[[files]]
kind = "template"
match = ["*.html.php"]
language = "php"
entry = ["**"]

[code]
order = "child-first"
moments = ["full"]

[[means]]
does = "attach"
name = ["at"]
arguments = ["-", "point", "callback", "order=7"]

[[means]]
does = "detach"
name = ["off"]
arguments = ["point", "callback"]

[[means]]
does = "fire"
name = ["flow"]

[[means]]
does = "print-region"
name = ["place"]

[[point]]
name = "full"
about = "All code has run."

[[point]]
name = "head"
about = "What stands in the head of a page."
arguments = 1
passes = true

[[page]]
kind = "any"
templates = ["page.html.php"]
"""


class OwnPlatformTest(BenchCase):
    def bench_of(self, platform: str) -> None:
        self.put("lock.toml", platform)
        self.assertIn("keeps to", self.ok("platform", "check", "lock.toml"))
        self.ok("init", "--platform", "lock.toml")

    def test_a_manifest_in_the_leading_comment_of_a_sheet(self) -> None:
        self.put(
            "themes/pool/css/main.css",
            "/*\n * Sluice Title: The Pool\n * Release: 2.0\n * Places: aside, foot\n */\na {}\n",
        )
        self.put("themes/pool/gates.php", "<?php function tide() {}\nat(1, 'full', 'tide');\nat(1, 'head', 'tide');\n")
        self.put("themes/pool/page.html.php", "<?php flow('full'); place('aside'); place('foot'); ?>")
        self.bench_of(COMMENT + CODE)
        self.ok("new", "weir", "--parent", "pool", "--title", "My Weir")
        manifest = self.read("themes/weir/css/main.css").decode()
        self.assertIn(" * Sluice title: My Weir\n", manifest)
        self.assertIn(" * Opens into: pool\n", manifest)
        table = self.check("weir")["weir"]
        self.assertEqual((table["lineage"], table["findings"]), (["weir", "pool"], []))
        self.put(
            "themes/weir/gates.php", "<?php function half($a, $b) {}\nat(1, 'head', 'half');\noff('full', 'tide');\n"
        )
        self.put("themes/weir/page.html.php", "<?php flow('full'); place('foot'); ?>")
        found = {f["code"]: f["because"] for f in self.check("weir")["weir"]["findings"]}
        self.assertIn("half needs 2 arguments, head gives 1 (lock)", found["needs-more-arguments"])
        self.assertIn("head passes a value on (lock)", found["returns-nothing"])
        self.assertIn("attached only later", found["detaches-nothing"])
        self.assertIn("prints the region aside; your page.html.php", found["region-hidden"])
        row = next(
            p for p in json.loads(self.ok("points", "weir", "--format", "json"))["points"] if p["point"] == "head"
        )
        self.assertEqual((row["about"], row["own"], row["passes"]), ("What stands in the head of a page.", True, True))
        self.assertEqual([(c["callback"], c["order"]) for c in row["callbacks"]], [("half", 7), ("tide", 7)])

    def test_a_manifest_that_only_expressions_can_read(self) -> None:
        self.put("themes/pool/about.php", "<?php\ndefine('TITLE', 'The Pool');\ndefine('RELEASE', '2.0');\n")
        self.put(
            "themes/weir/about.php",
            "<?php\ndefine('TITLE', 'Weir');\ndefine('RELEASE', '0.1');\ndefine('INTO', 'pool');\n",
        )
        self.put("themes/weir/overrides.toml", 'format = "protypon.ledger/1"\n')
        self.bench_of(PATTERN + CODE)
        self.assertEqual(self.check("weir")["weir"]["lineage"], ["weir", "pool"])
        self.edit("themes/weir/about.php", b"'pool'", b"'The Pool'")
        self.assertEqual(self.codes("weir"), ["parent-by-title"])
        self.ok("mend", "parent-by-title", "--child", "weir")
        self.assertIn(b"define('INTO', 'pool');", self.read("themes/weir/about.php"))

    def test_every_error_in_the_tables_about_code_is_told(self) -> None:
        cases = {
            CODE.replace('"attach"', '"atach"'): 'means[1].does: found "atach"',
            CODE.replace(
                '"callback", "order=7"', '"callbak", "order=7"'
            ): 'means[1].arguments: found "callbak", "attach" has the roles point, callback, order, takes',
            CODE.replace(
                "arguments = 1", 'arguments = "1"'
            ): 'point[2].arguments: found "1", allowed is a whole number',
            CODE.replace('"child-first"', '"kid-first"'): 'code.order: found "kid-first"',
            CODE.replace("moments", "moment"): "code.moment: no such key",
            CODE.replace('templates = ["page.html.php"]', "templates = []"): "page[1].templates",
        }
        for text, words in cases.items():
            self.assertIn(words, " ".join(map(str, problems_of(COMMENT + text, "lock.toml"))))

    def test_arguments_and_names(self) -> None:
        self.assertEqual(Argument.read("order:at=-3"), Argument("order", "at", -3))
        self.assertEqual(Argument.read("point"), Argument("point", "point", None))
        rules = CodeRules(pattern="{prefix}_{name}_{slug}")
        self.assertEqual(rules.function_name("tide", "lantern-rock"), "lantern_rock_tide_lantern-rock")
        table = {
            "means": [{"does": "page", "name": ["a"], "until": "2.0"}, {"does": "page", "name": ["b"], "since": "2.0"}]
        }
        for release, wanted in (("1.9", ["a"]), ("2.0", ["b"]), ("2.0.1", ["b"]), (None, ["b"])):
            self.assertEqual(list(code_rules(table, release).calls), wanted)
