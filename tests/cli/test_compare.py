"""Compare: one override as three texts, for people, for programs and for patch."""

from __future__ import annotations

import json
import os
import re
import subprocess
import unittest
from typing import ClassVar

from tests.program import PROGRAM
from tests.support import BenchCase

BASE = '<main>\n<h1>{{ page.title }}</h1>\n<ul class="days">\n<li>open ten to five</li>\n</ul>\n<p>north steps</p>\n</main>\n'


class CompareTest(BenchCase):
    OLD: ClassVar[dict[str, str | bytes]] = {
        "pages/home.html": '{% include "parts/hours.html" %}{% block aside %}<p>tides</p>{% endblock %}\n',
        "parts/hours.html": BASE,
        "code/pier.py": 'import quay\n@quay.offer\ndef tide():\n    """High water."""\n    return 5\n',
    }

    def setUp(self) -> None:
        super().setUp()
        self.started(self.OLD)
        self.ok("override", "parts/hours.html", "function:tide")
        self.ours = BASE.replace("ten to five", "ten to six").replace("<p>north", "<p>the north")
        self.put("themes/gull/parts/hours.html", self.ours)
        self.theirs = BASE.replace("open ten to five", "open nine to five").replace("h1>", "h2>")
        new = {**self.OLD, "parts/hours.html": self.theirs}
        new["code/pier.py"] = str(new["code/pier.py"]).replace("High", "Low")
        new["pages/home.html"] = str(new["pages/home.html"]).replace("tides", "waves")
        self.new = str(self.parent(new, "2.0.0", root=self.root / "new"))

    def test_who_changed_what_where_and_how_it_meets(self) -> None:
        said = self.ok("compare", "parts/hours.html", "--against", self.new)
        self.assertIn("P  pier 2.0.0 (pier/parts/hours.html): 2 lines out, 2 in", said)
        self.assertIn("Y  gull (parts/hours.html): 2 lines out, 2 in", said)
        self.assertIn("lines 1-7, in <main>: both changed lines that touch", said)
        rows = [line for line in said.splitlines() if re.match(r"[PYB ][+-] ", line)]
        self.assertEqual(
            [(line[:2], line[9:]) for line in rows],
            [
                ("P-", "<h1>{{ page.title }}</h1>"),
                ("P+", "<h2>{{ page.title }}</h2>"),
                ("B-", "<li>open ten to five</li>"),
                ("P+", "<li>open nine to five</li>"),
                ("Y+", "<li>open ten to six</li>"),
                ("Y-", "<p>north steps</p>"),
                ("Y+", "<p>the north steps</p>"),
            ],
        )
        lines = said.splitlines()
        below = lines[lines.index(next(line for line in lines if line.startswith("Y+") and "six" in line)) + 1]
        self.assertEqual(below, " " * (9 + len("<li>open ten to ")) + "^^^")

    def test_two_patches_that_patch_takes(self) -> None:
        said = self.ok("compare", "parts/hours.html", "--against", self.new, "--format", "patch")
        at = said.index("what you changed since")
        for text, wanted in ((said[:at], self.theirs), (said[at:], self.ours)):
            folder = self.root / "patched"
            file = folder / re.findall(r"^\+\+\+ b/(\S+)", text, re.M)[0]
            file.parent.mkdir(parents=True, exist_ok=True)
            file.write_text(BASE, "utf-8")
            done = subprocess.run(["patch", "-p1"], input=text, cwd=folder, capture_output=True, text=True)
            self.assertEqual(done.returncode, 0, done.stdout + done.stderr)
            self.assertEqual(file.read_text("utf-8"), wanted)

    def test_the_table_for_programs(self) -> None:
        table = json.loads(self.ok("compare", "parts/hours.html", "--against", self.new, "--format", "json"))
        self.assertEqual(table["format"], "protypon.compare/1")
        self.assertEqual((table["unit"], table["verdict"]), ("template:parts/hours.html", "conflicted"))
        self.assertEqual(table["base"]["text"], BASE)
        self.assertEqual((table["parent"]["text"], table["child"]["text"]), (self.theirs, self.ours))
        (region,) = table["regions"]
        self.assertEqual(
            (region["first"], region["last"], region["place"], region["meets"]), (1, 7, "<main>", "conflict")
        )
        self.assertIn({"who": "both", "sign": "-", "line": 4, "text": "<li>open ten to five</li>"}, region["rows"])

    def test_check_names_it_where_a_person_must_look_and_it_can_be_typed(self) -> None:
        row = self.row("gull", "template:parts/hours.html", "--against", self.new)
        self.assertEqual(row["look"], f"protypon compare template:parts/hours.html --against {self.new}")
        said = self.ok("check", "--against", self.new, status=1)
        self.assertIn("look: " + row["look"], said)
        self.ok(*row["look"].split()[1:])
        self.assertIsNone(self.row("gull", "function:tide", "--against", self.new).get("look"))

    def test_a_function_a_block_and_what_has_no_record(self) -> None:
        said = self.ok("compare", "tide", "--against", self.new)
        self.assertIn("pier 2.0.0 (pier/code/pier.py): 1 line out, 1 in", said)
        self.assertIn("in function tide", said)
        self.put(
            "themes/gull/pages/home.html",
            '{% extends "parent:pages/home.html" %}\n{% block aside %}<p>ours</p>{% endblock %}\n',
        )
        said = self.ok("compare", "block:pages/home.html#aside")
        self.assertIn("no record: held against what is there now", said)
        self.assertIn("Y+       <p>ours</p>", said)
        self.ok("adopt", "gull")
        said = self.ok("compare", "block:pages/home.html#aside", "--against", self.new)
        self.assertIn("P+       <p>waves</p>", said)

    def test_what_cannot_be_compared_is_said_in_a_line(self) -> None:
        said = self.refused("compare", "parts/nothing.html", status=2)
        self.assertIn("parts/nothing.html", said)
        ledger = self.bench / "themes/gull/overrides.toml"
        text = ledger.read_text("utf-8")
        ledger.write_text(re.sub(r'digest = "[0-9a-f]+"', f'digest = "{"0" * 40}"', text), "utf-8")
        said = self.refused("compare", "parts/hours.html")
        self.assertIn("is not in this store", said)
        self.assertIn("protypon keep", said)

    def test_control_characters_tabs_and_long_lines(self) -> None:
        self.put("themes/gull/parts/hours.html", BASE + "\t<p>\x1b[31m" + "low water " * 30 + "</p>\n")
        said = self.ok("compare", "parts/hours.html")
        self.assertNotIn("\x1b", said)
        self.assertLessEqual(max(map(len, said.splitlines())), 100)
        self.put("themes/gull/parts/hours.html", b"\x00\x01")
        self.assertIn("these are no texts", self.ok("compare", "parts/hours.html"))

    def on_a_terminal(self, *words: str, columns: int) -> str:
        command = f"stty cols {columns} rows 24; " + " ".join([*PROGRAM, *words])
        done = subprocess.run(
            ["script", "-qec", command, "/dev/null"], cwd=self.bench, capture_output=True, text=True,
            env={**os.environ, "TERM": "xterm", "PAGER": "sed s/^/through:/", "NO_COLOR": "1"},
        )  # fmt: skip
        return re.sub(r"\x1b\[[0-9;]*[mK]|\r", "", done.stdout)

    def test_two_columns_and_a_pager_on_a_terminal(self) -> None:
        words = ("compare", "parts/hours.html", "--against", self.new)
        said = self.on_a_terminal(*words, columns=130)
        self.assertIn("through:template:parts/hours.html", said)
        self.assertRegex(said, r"P\+ +<li>open nine to five</li> +\| Y\+ +<li>open ten to six</li>")
        self.assertLessEqual(max(map(len, said.replace("through:", "").splitlines())), 130)
        plain = self.on_a_terminal(*words, "--no-pager", columns=100)
        self.assertNotIn("through:", plain)
        self.assertNotIn(" | ", plain)
        self.assertIn("Y+       <li>open ten to six</li>", plain)


if __name__ == "__main__":
    unittest.main()
