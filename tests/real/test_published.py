"""Published children of four published themes, four releases each: every verdict as a person read it, and as the texts have it."""

from __future__ import annotations

import os
import re
import shlex
import shutil
import subprocess
import sys
import unittest
from importlib.util import find_spec
from typing import Any

from tests.real import published
from tests.real.published import CHILDREN, PARENTS, Child, files_of, lay, merges, wheel
from tests.support import BenchCase

GONE = published.missing()
NEEDED = ("sphinx", "bs4", "a11y_pygments", "sphinxcontrib.jquery")
"""What the themes and the code beside them import."""


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
        errors = [f["because"] for f in report["findings"] if f["weight"] == "error"]
        named = published.FAILS.get((self.child.slug, release))
        self.assertEqual([named in error for error in errors], [True] if named else [], errors)
        return list(report["overrides"])


@unittest.skipIf(GONE, f"published themes not tested: {', '.join(GONE[:3])} are not here")
class VerdictsTest(Published):
    def test_every_verdict_is_what_was_read_and_what_the_texts_say(self) -> None:
        read = {row[:3]: row[3] for row in published.read_before()}
        total = unknown = rules = 0
        found = {}
        for child in CHILDREN:
            self.tearDown()
            self.setUp()
            self.child = child
            self.begun()
            for release in PARENTS[child.parents[0]].releases:
                for row in self.rows(release):
                    with self.subTest(child=child.slug, release=release, unit=row["unit"]):
                        if row["unit"].startswith("rule:"):
                            self.rule_held_against_the_sheets(release, row)
                            rules += 1
                            continue
                        key = (child.slug, release, row["unit"])
                        found[key] = row["verdict"]
                        self.assertEqual(row["verdict"], read.get(key), row["because"])
                        self.held_against_the_texts(release, row)
                    total += 1
                    unknown += row["verdict"] == "unknown"
        self.assertEqual(found.keys(), read.keys())
        self.assertGreater(total, 80)
        self.assertGreater(rules, 200)
        self.assertLess(unknown / total, 0.03)

    def rule_held_against_the_sheets(self, release: str, row: dict[str, Any]) -> None:
        """A rule holds as long as the parent says the same of what it sets, as another reader has both sheets."""
        parent = PARENTS[row["from"]]
        path, _, selector = row["unit"].removeprefix("rule:").partition("#")
        own = published.said_for((self.bench / "themes" / self.child.slug / row["file"]).read_text("utf-8"), selector)
        b, t = (
            published.said_for(files_of(f"{parent.wheel}-{r}", parent.inside)[path].decode(), selector)
            for r in (row["taken"], release if parent is PARENTS[self.child.parents[0]] else row["now"])
        )
        names = {name for _, name in own}

        def bears(name: str) -> bool:
            return any(name == n or name.startswith(f"{n}-") or n.startswith(f"{name}-") for n in names)

        before, now = ({key: value for key, value in side.items() if bears(key[1])} for side in (b, t))
        self.assertTrue(own and before, row)
        self.assertEqual(row["verdict"], "holds" if before == now else "drifted", row["because"])

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
        if kind != "block" and o == t and b != t:
            wanted = {"needless"}
        elif b == t or (kind == "block" and "super()" in o):
            wanted = {"holds"}
        elif row["merge"] in ("rewrite", "clean") or kind == "block":
            wanted = {"drifted"} if row["merge"] == "rewrite" or kind != "block" else {"drifted", "conflicted"}
        else:
            wanted = {"drifted"} if merges(b, o, t) else {"conflicted"}
        self.assertIn(row["verdict"], wanted, row["because"])


@unittest.skipIf(
    GONE or not all(find_spec(name) for name in NEEDED),
    f"{', '.join(NEEDED)} or published themes are not here: no builds",
)
class BuildsTest(Published):
    def build(self, release: str) -> subprocess.CompletedProcess[str]:
        """A page of a site with the child as it is in the bench, and the code that lies beside the themes in their wheels."""
        code, site = self.root / f"code {release}", self.root / f"site {release}"
        for number, slug in enumerate(self.child.parents):
            parent = PARENTS[slug]
            published.unpack(f"{parent.wheel}-{release if number == 0 else parent.releases[-1]}", code)
        published.unpack(self.child.wheel, code)
        shutil.copytree(self.bench / "themes" / self.child.slug, code / self.child.inside, dirs_exist_ok=True)
        site.mkdir()
        config = f"project = 'Tides'\npygments_style = 'sphinx'\nhtml_theme = {self.child.slug!r}\n"
        if not published.is_found(self.child, code):
            alone = self.root / f"alone {release}"
            shutil.copytree(self.bench / "themes" / self.child.slug, alone / self.child.slug)
            config += f"html_theme_path = [{str(alone)!r}]\n"
        (site / "conf.py").write_text(config)
        (site / "index.rst").write_text("Tides\n=====\n\nHigh at six.\n\nLow\n---\n\nAt noon.\n")
        command = [sys.executable, "-m", "sphinx", "-E", "-a", "-q", "-b", "html", str(site), str(site / "out")]
        env = {**os.environ, "PYTHONPATH": str(code)}
        return subprocess.run(command, capture_output=True, text=True, env=env)

    def page(self, release: str) -> str:
        return (self.root / f"site {release}/out/index.html").read_text("utf-8")

    def test_what_holds_is_in_the_page_before_and_after_every_update(self) -> None:
        built = held = 0
        for child in CHILDREN:
            self.tearDown()
            self.setUp()
            self.child = child
            self.begun()
            done = self.build(child.installed)
            with self.subTest(child=child.slug):
                self.assertEqual(done.returncode, 0, done.stderr)
            if done.returncode:
                continue
            rows = [row for row in self.rows(child.installed) if row["unit"].startswith("block:")]
            before = self.page(child.installed)
            shown = {row["unit"]: [piece for piece in self.pieces(row) if piece in before] for row in rows}
            for release in PARENTS[child.parents[0]].releases:
                if release == child.installed:
                    continue
                foretold = {row["unit"]: row["verdict"] for row in self.rows(release)}
                place = str(wheel(f"{PARENTS[child.parents[0]].wheel}-{release}"))
                self.ok("update", child.parents[0], "--to", place)
                done = self.build(release)
                with self.subTest(child=child.slug, release=release):
                    why = {**published.FAILS, **published.OUTSIDE}.get((child.slug, release))
                    if why:
                        self.assertIn(why, done.stderr)
                    else:
                        self.assertEqual(done.returncode, 0, done.stderr)
                        built += 1
                        after = self.page(release)
                        for unit, pieces in shown.items():
                            for piece in pieces if foretold[unit] == "holds" else ():
                                held += 1
                                self.assertIn(piece, after, unit)
                self.ok("undo")
        self.assertGreater(built, 14)
        self.assertGreater(held, 24)

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
