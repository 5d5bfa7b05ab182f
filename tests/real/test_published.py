"""Published children of four published themes, four releases each: every verdict as a person read it, and as the texts have it."""

from __future__ import annotations

import re
import shlex
import subprocess
import sys
import unittest
from importlib.util import find_spec
from typing import Any

from tests.real import published
from tests.real.published import CHILDREN, PARENTS, Child, files_of, lay, merges, wheel
from tests.support import BenchCase

GONE = published.missing()


class Published(BenchCase):
    """One child, taken over cold."""

    child: Child

    def begun(self) -> None:
        for number, slug in enumerate(self.child.parents):
            parent = PARENTS[slug]
            release = self.child.installed if number == 0 else parent.releases[-1]
            lay(files_of(f"{parent.wheel}-{release}", parent.inside), self.bench / "themes" / slug)
        lay(files_of(self.child.wheel, self.child.inside), self.bench / "themes" / self.child.slug)
        self.ok("init", "--platform", "sphinx")
        for slug in self.child.parents:
            for release in PARENTS[slug].releases:
                self.ok("keep", str(wheel(f"{PARENTS[slug].wheel}-{release}")))
        self.assertIn(f"protypon adopt {self.child.slug}", self.ok("check"))
        said = self.ok("adopt", self.child.slug)
        for line in said.splitlines():
            if line.strip().startswith("if so: protypon "):
                self.ok(*shlex.split(line.partition("protypon ")[2]))

    def rows(self, release: str) -> list[dict[str, Any]]:
        place = str(wheel(f"{PARENTS[self.child.parents[0]].wheel}-{release}"))
        report = self.check(*([] if release == self.child.installed else ["--against", place]))[self.child.slug]
        self.assertNotIn("error", {f["weight"] for f in report["findings"]})
        return list(report["overrides"])


@unittest.skipIf(GONE, f"published themes not tested: {', '.join(GONE[:3])} are not here")
class VerdictsTest(Published):
    def test_every_verdict_is_what_was_read_and_what_the_texts_say(self) -> None:
        read = {row[:3]: row[3] for row in published.read_before()}
        total = unknown = 0
        found = {}
        for child in CHILDREN:
            self.tearDown()
            self.setUp()
            self.child = child
            self.begun()
            for release in PARENTS[child.parents[0]].releases:
                for row in self.rows(release):
                    with self.subTest(child=child.slug, release=release, unit=row["unit"]):
                        key = (child.slug, release, row["unit"])
                        found[key] = row["verdict"]
                        self.assertEqual(row["verdict"], read.get(key), row["because"])
                        self.held_against_the_texts(release, row)
                    total += 1
                    unknown += row["verdict"] == "unknown"
        self.assertEqual(found.keys(), read.keys())
        self.assertGreater(total, 80)
        self.assertLess(unknown / total, 0.03)

    def held_against_the_texts(self, release: str, row: dict[str, Any]) -> None:
        parent = PARENTS[self.child.parents[0]]
        kind, _, address = row["unit"].partition(":")
        path, _, name = address.partition("#")
        theirs, base = (files_of(f"{parent.wheel}-{r}", parent.inside) for r in (release, row["taken"]))
        if row["from"] != self.child.parents[0]:
            return
        own = (self.bench / "themes" / self.child.slug / row["file"]).read_text("utf-8")
        if kind == "block":
            first = path.removeprefix("templates/")
            b, t = (published.parents_block(files, name, first) for files in (base, theirs))
            o = published.block(own, name)
        else:
            b, t = (files[path].decode() if path in files else None for files in (base, theirs))
            o = own
        if b is None or t is None or o is None:
            return
        if kind != "block" and o == t:
            wanted = {"needless"}
        elif b == t or (kind == "block" and "super()" in o):
            wanted = {"holds"}
        elif row["merge"] in ("rewrite", "clean") or kind == "block":
            wanted = {"drifted"} if row["merge"] == "rewrite" or kind != "block" else {"drifted", "conflicted"}
        else:
            wanted = {"drifted"} if merges(b, o, t) else {"conflicted"}
        self.assertIn(row["verdict"], wanted, row["because"])


@unittest.skipIf(
    GONE or find_spec("sphinx") is None, "Sphinx or the wheels of published themes are not here: no builds"
)
class BuildsTest(Published):
    def build(self, name: str) -> str:
        site = self.root / name
        site.mkdir()
        config = f"project = 'Tides'\npygments_style = 'sphinx'\nhtml_theme = {self.child.slug!r}\nhtml_theme_path = [{str(self.bench / 'themes')!r}]\n"
        (site / "conf.py").write_text(config)
        (site / "index.rst").write_text("Tides\n=====\n\nHigh at six.\n")
        command = [sys.executable, "-m", "sphinx", "-E", "-a", "-q", "-b", "html", str(site), str(site / "out")]
        done = subprocess.run(command, capture_output=True, text=True)
        self.assertEqual(done.returncode, 0, done.stderr)
        return (site / "out/index.html").read_text("utf-8")

    def test_what_holds_is_in_the_page_before_and_after_every_update(self) -> None:
        for child in CHILDREN:
            if child.parents[0] != "sphinx_rtd_theme":
                continue
            self.tearDown()
            self.setUp()
            self.child = child
            self.begun()
            before = self.build("before")
            shown = {
                row["unit"]: self.pieces(row) for row in self.rows(child.installed) if row["unit"].startswith("block:")
            }
            for unit, pieces in shown.items():
                for piece in pieces:
                    self.assertIn(piece, before, unit)
            for release in PARENTS["sphinx_rtd_theme"].releases:
                if release == child.installed:
                    continue
                foretold = {row["unit"]: row["verdict"] for row in self.rows(release)}
                self.ok("update", "sphinx_rtd_theme", "--to", str(wheel(f"sphinx_rtd_theme-{release}")))
                after = self.build(release)
                for unit, pieces in shown.items():
                    if foretold[unit] == "holds":
                        for piece in pieces:
                            self.assertIn(piece, after, (unit, release))
                self.ok("undo")

    def pieces(self, row: dict[str, Any]) -> list[str]:
        """Plain lines of a block that stand in a page as they are."""
        path, _, name = row["unit"].partition(":")[2].partition("#")
        text = published.block((self.bench / "themes" / self.child.slug / path).read_text("utf-8"), name) or ""
        outside = re.sub(
            r"\{#.*?#\}|\{%[-+]?\s*if\b.*?\{%[-+]?\s*endif\b[^%]*%\}|\{%[-+]?\s*macro\b.*?endmacro\s*[-+]?%\}",
            "",
            text,
            flags=re.DOTALL,
        )
        lines = [line.strip() for line in outside.splitlines()]
        return [line for line in lines if len(line) > 20 and "{" not in line and "}" not in line][:3]


del Published

if __name__ == "__main__":
    unittest.main()
