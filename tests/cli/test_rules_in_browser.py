"""Rules that were taken over, against what a browser computes: the new value is there where the parent's was, and what is said of it is so."""

from __future__ import annotations

import random
import unittest
from pathlib import Path
from typing import Any, NamedTuple
from xml.etree import ElementTree

import cssselect2

from protypon.core.languages.css.rules import StyleRule, read
from protypon.core.languages.css.selectors import normal, parse
from protypon.standin.quayside import QuaysideSite
from tests.cases import few, seeds
from tests.core.languages.random_sheets import Writer, page
from tests.core.languages.test_cascade import BROWSER, PROPERTIES, computed
from tests.support import BenchCase, theme

CASES = 30
FORMS = {
    "background-color": "rgb({0}, 9, 9)",
    "z-index": "{0}",
    "margin-left": "{0}px",
    "outline-offset": "{0}px",
}
"""A value that stands nowhere else, as the browser shows it."""
Row = dict[str, list[str]]


class Taken(NamedTuple):
    """A rule that was taken over."""

    unit: str
    name: str
    old: str
    new: str
    others: tuple[str, ...]
    """The other selectors of the parent's rule."""


@unittest.skipIf(BROWSER is None, "Chromium is not here: rules that are taken over are not tested against it")
class RulesInBrowserTest(BenchCase):
    def test_what_is_taken_over_counts_where_the_parents_did_and_verdicts_are_so(self) -> None:
        cases = [found for seed in seeds(CASES) if (found := self.case(seed)) is not None]
        shown = computed(self.root, [name for case in cases for name in case["pages"].values()])
        counts = {"replaced": 0, "idle": 0, "mended": 0, "needless": 0, "holds": 0}
        for case in cases:
            with self.subTest(seed=case["seed"]):
                self.judge(case, {key: shown[name] for key, name in case["pages"].items()}, counts)
        if not few():
            self.assertGreater(counts["replaced"], CASES, counts)
            self.assertGreater(min(counts["idle"], counts["mended"]), 2, counts)

    def case(self, seed: int) -> dict[str, Any] | None:
        """A lineage before and after a release, with pages of each state."""
        rng = random.Random(f"bench {seed}")
        self.bench = self.root / str(seed)
        self.bench.mkdir()
        writer, root = Writer(rng), page(rng)
        self.parent({"a.css": "", **self.sheets(writer, rng)}, sheets=["styles/a.css", "styles/b.css"])
        self.ok("init", "--platform", "quayside")
        self.ok("new", "gull", "--parent", "pier")
        pages = {"before": self.page(root, seed, "before")}
        taken = self.take_over(rng)
        if not taken:
            return None
        pages["after"] = self.page(root, seed, "after")
        self.release(writer, rng, taken)
        said = "".join(map(self.sheet, ("styles/a.css", "styles/b.css")))
        rows = {row["unit"]: row for row in self.check()["gull"]["overrides"]}
        pages["released"] = self.page(root, seed, "released")
        idle = [
            row["unit"] for row in rows.values() if row["verdict"] == "idle" and row["next"].startswith("protypon mend")
        ]
        sheet = self.read("themes/gull/styles/gull.css")
        if idle:
            self.ok("mend", *idle)
            pages["mended"] = self.page(root, seed, "mended")
            left = {row["unit"]: row["verdict"] for row in self.check()["gull"]["overrides"]}
            self.assertNotIn("idle", [left[unit] for unit in idle], seed)
            self.put("themes/gull/styles/gull.css", sheet)
        needless = [row["unit"] for row in rows.values() if row["verdict"] == "needless"]
        if needless:
            self.ok("undo") if idle else None
            self.ok("drop", *needless)
            pages["dropped"] = self.page(root, seed, "dropped")
        return {
            "seed": seed,
            "root": root,
            "pages": pages,
            "taken": taken,
            "rows": rows,
            "idle": idle,
            "needless": needless,
            "said": said,
        }

    @staticmethod
    def sheets(writer: Writer, rng: random.Random) -> dict[str, str]:
        return {f"styles/{name}.css": writer.sheet([]) + writer.sheet([]) for name in "ab"}

    def page(self, root: ElementTree.Element, seed: int, name: str) -> str:
        """The page with the sheets that the site loads now, each as it is now."""
        head = root.find("head")
        assert head is not None
        for each in list(head):
            head.remove(each)
        for number, address in enumerate(QuaysideSite(self.bench / "themes", "gull").sheets()):
            copy = self.root / f"{seed}-{name}-{number}.css"
            copy.write_bytes((self.bench / address.lstrip("/")).read_bytes())
            ElementTree.SubElement(head, "link", {"rel": "stylesheet", "href": copy.name})
        text = "<!doctype html>" + ElementTree.tostring(root, encoding="unicode", method="html")
        Path(self.root / f"{seed}-{name}.html").write_text(text, "utf-8")
        return f"{seed}-{name}.html"

    def take_over(self, rng: random.Random) -> list[Taken]:
        """Some of the parent's rules, each with another value of one property."""
        found: list[Taken] = []
        rules = [(path, rule) for path in ("styles/a.css", "styles/b.css") for rule in read(self.sheet(path)).rules]
        rng.shuffle(rules)
        seen: set[tuple[str, str]] = set()
        for number, (path, rule) in enumerate(rules[:8]):
            name = next((d.name for d in rule.declarations if d.name in PROPERTIES and "var(" not in d.value), "")
            others = [r for _, r in rules if normal(r.selector) == normal(rule.selector)]
            if not name or parse(rule.selector) is None or (path, normal(rule.selector)) in seen or len(others) > 1:
                continue
            seen.add((path, normal(rule.selector)))
            new = FORMS[name].format(240 + number if name == "background-color" else 70000 + number)
            unit = f"rule:{path}#{rule.selector}"
            done = self.run_command("override", unit, "--set", f"{name}={new}")
            if done.returncode == 0:
                beside = tuple(r.selector for p, r in rules if (p, r.number) == (path, rule.number) and r is not rule)
                found.append(Taken(unit, name, self.last(rule, name), new, beside))
            else:
                self.assertRegex(done.stderr, "never count|layer without a name")
        return found

    @staticmethod
    def last(rule: StyleRule, name: str) -> str:
        important = [d for d in rule.declarations if d.name == name and d.important]
        return (important or [d for d in rule.declarations if d.name == name])[-1].value

    def sheet(self, path: str) -> str:
        return self.read(f"themes/pier/{path}").decode()

    def release(self, writer: Writer, rng: random.Random, taken: list[Taken]) -> None:
        """The parent's next release: rules put in, taken out, made important, or saying what the child says."""
        for path in ("styles/a.css", "styles/b.css"):
            text = self.sheet(path)
            for _ in range(rng.randint(0, 3)):
                at = rng.choice([n for n, char in enumerate(text) if char == ";"] or [0])
                text = rng.choice([text[:at] + " !important" + text[at:], text + writer.rule() + "\n"])
            for old, new in self.said(rng):
                text = text.replace(old, new)
            for each in taken:
                selector, shown = each.unit.partition("#")[2], FORMS[each.name].format(rng.randint(1, 200))
                if rng.random() < 0.2:
                    text += f"{selector} {{ {each.name}: {shown} !important }}\n"
                elif rng.random() < 0.2:
                    text += f":is({selector}, .a.b.c.d.e.f) {{ {each.name}: {shown} }}\n"
            self.put(f"themes/pier/{path}", text.replace("!important !important", "!important"))
        self.put("themes/pier/quay.toml", theme("pier", release="2.0.0", sheets=["styles/a.css", "styles/b.css"]))

    def said(self, rng: random.Random) -> list[tuple[str, str]]:
        """Some of the child's values in the place of the parent's."""
        mine = read(self.read("themes/gull/styles/gull.css").decode()).rules
        found = []
        for rule in mine:
            for theirs in read(self.sheet("styles/a.css")).rules:
                if normal(theirs.selector) == normal(rule.selector) and rng.random() < 0.5:
                    for each in rule.declarations:
                        found += [(d.value, each.value) for d in theirs.declarations if d.name == each.name]
        return found

    @staticmethod
    def matched(root: ElementTree.Element, selector: str, others: tuple[str, ...]) -> set[str]:
        """The elements that a selector matches, and none of some others."""
        compiled = cssselect2.compile_selector_list(selector)
        rest = [one for each in others for one in cssselect2.compile_selector_list(each)]
        found = set()
        for element in cssselect2.ElementWrapper.from_html_root(root).iter_subtree():
            mine = any(each.test(element) for each in compiled) and not any(each.test(element) for each in rest)
            if mine and element.etree_element.get("data-n"):
                found.add(element.etree_element.get("data-n"))
        return found

    def judge(self, case: dict[str, Any], shown: dict[str, dict[str, list[str]]], counts: dict[str, int]) -> None:
        """What the browser says of every state."""
        for each in case["taken"]:
            at = PROPERTIES.index(each.name)
            before, after, released = (
                {n: v[at] for n, v in shown[key].items()} for key in ("before", "after", "released")
            )
            alone = self.matched(case["root"], each.unit.partition("#")[2], each.others)
            there = [n for n, value in before.items() if value == each.old and n in alone]
            for number in there:
                self.assertEqual(after[number], each.new, f"{each.unit}, element {number}: {each}")
                counts["replaced"] += 1
            verdict = case["rows"].get(each.unit, {}).get("verdict", "")
            if verdict == "idle" and each.new not in case["said"]:
                self.assertNotIn(each.new, released.values(), each)
                counts["idle"] += 1
            counts["holds"] += verdict == "holds"
        if case["idle"]:
            new = {each.new for each in case["taken"] if each.unit in case["idle"]}
            counts["mended"] += sum(value in new for row in shown["mended"].values() for value in row)
        if case["needless"]:
            counts["needless"] += len(case["needless"])
            self.assertEqual(shown["dropped"], shown["released"])


if __name__ == "__main__":
    unittest.main()
