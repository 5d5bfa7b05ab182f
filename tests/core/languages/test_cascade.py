"""Which declaration wins, against what a browser computes; and what is said of selectors, against pages."""

from __future__ import annotations

import html
import json
import random
import re
import shutil
import subprocess
import tempfile
import unittest
from pathlib import Path
from typing import Any
from xml.etree import ElementTree

import cssselect2

from protypon.core.languages.css.cascade import Competitor, Layers, in_order
from protypon.core.languages.css.competing import Competing
from protypon.core.languages.css.media import Window, all_hold, media
from protypon.core.languages.css.rules import StyleDeclaration, StyleSheet, read
from protypon.core.languages.css.selectors import covers, never_both, parse
from protypon.core.languages.css.shorthands import set_by
from protypon.core.languages.css.together import Together, together
from protypon.core.languages.css.values import is_taken
from protypon.core.languages.css.variables import NoValue, substitute_variables
from tests.cases import few, seeds
from tests.core.languages.random_sheets import Writer, page, selector

CASES = 120
BROWSER = shutil.which("chromium") or shutil.which("chromium-browser")
SCREEN = Window("screen", 1280, 800)
PROPERTIES = ("background-color", "z-index", "margin-left", "outline-offset")
INITIAL = {"background-color": "rgba(0, 0, 0, 0)", "z-index": "auto", "margin-left": "0px", "outline-offset": "0px"}
DRIVER = """<!doctype html><meta charset="utf-8"><pre id="out"></pre><script>
const found = {};
async function one(name) {
  const frame = document.createElement("iframe");
  frame.style = "width: 1280px; height: 800px; border: 0";
  const done = new Promise(ready => frame.onload = ready);
  frame.src = name;
  document.body.append(frame);
  await done;
  const row = found[name] = {};
  for (const each of frame.contentDocument.querySelectorAll("[data-n]")) {
    const style = frame.contentWindow.getComputedStyle(each);
    row[each.dataset.n] = PROPERTIES.map(p => style.getPropertyValue(p));
  }
  frame.remove();
}
(async () => { for (const name of NAMES) await one(name); document.getElementById("out").textContent = JSON.stringify(found); })();
</script>"""


NAMES = (
    "color", "background-color", "background", "margin", "margin-left", "padding", "padding-top", "inset", "gap", "row-gap", "width", "max-width",
    "font-size", "display", "position", "float", "text-align", "font-weight", "z-index", "opacity", "white-space", "text-decoration", "overflow-x",
    "cursor", "flex-grow", "font-style", "visibility", "align-items", "border-top-color", "fill", "min-height", "top",
)  # fmt: skip


def shown(file: Path) -> Any:
    """The JSON that a page puts into its ``out`` element."""
    with tempfile.TemporaryDirectory(prefix="protypon-browser-") as own:
        command = [
            str(BROWSER), "--headless", "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking",
            "--disable-component-update", "--disable-sync", f"--user-data-dir={own}", "--allow-file-access-from-files",
            "--window-size=1400,900", "--virtual-time-budget=600000", "--dump-dom", file.as_uri(),
        ]  # fmt: skip
        done = subprocess.run(command, capture_output=True, text=True, timeout=300)
    match = re.search(r'<pre id="out">(.*?)</pre>', done.stdout, re.DOTALL)
    assert match is not None and match[1], done.stderr[-2000:]
    return json.loads(html.unescape(match[1]))


def computed(folder: Path, names: list[str]) -> dict[str, dict[str, list[str]]]:
    """What the browser computes for every element with a number, of every page."""
    driver = folder / "driver.html"
    driver.write_text(DRIVER.replace("PROPERTIES", json.dumps(PROPERTIES)).replace("NAMES", json.dumps(names)), "utf-8")
    found: dict[str, dict[str, list[str]]] = shown(driver)
    return found


class Foretold:
    """What is worked out for one page."""

    def __init__(self, root: ElementTree.Element, found: Together) -> None:
        self.found, self.layers = found, Layers(found.layers, SCREEN)
        wrapped = cssselect2.ElementWrapper.from_html_root(root)
        self.elements = {
            e.etree_element.get("data-n"): e for e in wrapped.iter_subtree() if e.etree_element.get("data-n")
        }
        self.compiled = {
            rule.selector: cssselect2.compile_selector_list(rule.selector) if parse(rule.selector) else None
            for rule, _ in found.rules
        }

    def winner(self, element: cssselect2.ElementWrapper, name: str) -> Competitor | str | None:
        """The declaration that wins for one property; a text where that is not known: why."""
        wanted, candidates = set_by(name), []
        for rule, sheet in self.found.rules:
            declarations = [d for d in rule.declarations if wanted & set_by(d.name)]
            there = all_hold(rule.conditions, SCREEN) if declarations else False
            if there is False:
                continue
            parsed, compiled = parse(rule.selector), self.compiled[rule.selector]
            if parsed is None or compiled is None:
                return f"the selector {rule.selector}"
            if not any(each.test(element) for each in compiled):
                continue
            if there is None:
                return f"whether {rule.conditions} hold"
            candidates += [Competitor(d, rule, parsed.specificity, sheet) for d in declarations]
        if self.layers.unsure and len({c.rule.layer for c in candidates}) > 1:
            return "the order of layers"
        return in_order(candidates, self.layers)[0] if candidates else None

    def variable(self, element: cssselect2.ElementWrapper, name: str) -> str | None:
        """A custom property's value: its own, or the inherited one."""
        at: cssselect2.ElementWrapper | None = element
        while at is not None:
            found = self.winner(at, name)
            if isinstance(found, str):
                raise LookupError(found)
            if found is not None:
                return found.declaration.value
            at = at.parent
        return None

    def value(self, element: cssselect2.ElementWrapper, name: str) -> str | None:
        """The computed value; None where it is not known."""
        found = self.winner(element, name)
        if isinstance(found, str):
            return None
        if found is None:
            return INITIAL[name]
        try:
            value = substitute_variables(found.declaration.value, lambda n: self.variable(element, n))
        except NoValue:
            return INITIAL[name]
        except LookupError:
            return None
        return value.split()[-1] if found.declaration.name == "margin" else value


@unittest.skipIf(BROWSER is None, "Chromium is not here: which declaration wins is not tested against it")
class BrowserTest(unittest.TestCase):
    def test_what_is_worked_out_is_what_a_browser_computes(self) -> None:
        counts = {"same": 0, "unknown": 0, "set": 0}
        with tempfile.TemporaryDirectory(prefix="protypon-cascade-") as root:
            folder, pages, sheets = Path(root), dict[str, Foretold](), dict[str, str]()
            for seed in seeds(CASES):
                name, foretold, own = self._made(folder, seed)
                pages[name] = foretold
                sheets[name] = own
            found = computed(folder, list(pages))
            for name, foretold in pages.items():
                for number, values in found[name].items():
                    for prop, value in zip(PROPERTIES, values, strict=True):
                        self._held(foretold, number, prop, value, counts, sheets[name], name)
            for foretold in pages.values():
                counts["outranked"] = counts.get("outranked", 0) + self._outranked(foretold)
        if not few():
            self.assertGreater(counts["set"], CASES * 5, counts)
            self.assertGreater(counts["outranked"], CASES, counts)
            self.assertLess(counts["unknown"], counts["same"] * 0.35, counts)

    def _held(
        self, foretold: Foretold, number: str, prop: str, value: str, counts: dict[str, int], sheets: str, name: str
    ) -> None:
        mine = foretold.value(foretold.elements[number], prop)
        if mine is None:
            counts["unknown"] += 1
            return
        counts["same"] += 1
        counts["set"] += mine != INITIAL[prop]
        if mine != value:
            self.fail(f"{name} element {number} {prop}: worked out {mine}, the browser has {value}\n{sheets}")

    def _outranked(self, foretold: Foretold) -> int:
        """Declarations that are said never to count: on no element of the page is one of them the winner."""
        found = 0
        for own, rival in Competing(foretold.found, SCREEN).find_outranked(lambda sheet: True):
            found += 1
            compiled = foretold.compiled[own.rule.selector]
            for element in foretold.elements.values():
                if compiled is not None and any(each.test(element) for each in compiled):
                    for name in set_by(own.declaration.name):
                        self.assertNotEqual(foretold.winner(element, name), own, rival)
        return found

    def test_values_that_browsers_take_are_told_from_those_that_they_do_not(self) -> None:
        rng, rows = random.Random("values"), list[tuple[str, str]]()
        words = "auto none normal red RED #12 #1234 #123456 transparent flex grid blurb bold 700 0 1 -1 1.5 2px -2px 3em 10% 5zz 1px.5 calc(1px) rgb(1,2,3) "
        words += "rgb(300,0) sticky currentColor inherit unset center pre nowrap hidden underline italic var(--a) 1e3px +4px .5rem 007 1,5"
        for name in (*NAMES, "blurb", "--own"):
            for word in words.split():
                rows.append((name, word))
            rows += [(name, " ".join(rng.sample(words.split(), k=rng.randint(2, 5)))) for _ in range(10)]
        with tempfile.TemporaryDirectory(prefix="protypon-values-") as root:
            script = f"out.textContent = JSON.stringify({json.dumps(rows)}.map(r => CSS.supports(r[0], r[1])))"
            page_text = f"<!doctype html><pre id=out></pre><script>{script}</script>"
            (Path(root) / "values.html").write_text(page_text, "utf-8")
            taken = shown(Path(root) / "values.html")
        known = 0
        for (name, value), there in zip(rows, taken, strict=True):
            mine = is_taken(StyleDeclaration(name, value, False, 1))
            known += mine is not None
            if mine is not None:
                self.assertEqual(mine, there, (name, value))
        self.assertGreater(known, len(rows) * 0.2)

    @staticmethod
    def _made(folder: Path, seed: int) -> tuple[str, Foretold, str]:
        rng = random.Random(f"cascade {seed}")
        root, writer = page(rng), Writer(rng)
        texts = {}
        names = [f"{seed}-{n}.css" for n in range(rng.randint(1, 3))]
        for number, name in enumerate(names):
            others = [f"{seed}-{number}-i{n}.css" for n in range(rng.choice([0, 0, 1, 2]))]
            texts[name] = writer.sheet(others)
            for other in others:
                texts[other] = writer.sheet([])
        head = root.find("head")
        assert head is not None
        for name in names:
            ElementTree.SubElement(head, "link", {"rel": "stylesheet", "href": name})
        for name, text in texts.items():
            (folder / name).write_text(text, "utf-8")
        made = ElementTree.tostring(root, encoding="unicode", method="html")
        (folder / f"{seed}.html").write_text(f"<!doctype html>{made}", "utf-8")
        cache: dict[str, StyleSheet] = {name: read(text) for name, text in texts.items()}
        found = together(names, cache.get, lambda _, address: address)
        shown = "\n".join(f"/* {name} */\n{text}" for name, text in texts.items()) + made
        return f"{seed}.html", Foretold(root, found), shown


class SelectorTest(unittest.TestCase):
    def test_what_covers_another_matches_all_that_it_matches_in_every_page(self) -> None:
        counts = {"covers": 0, "apart": 0, "tried": 0}
        rng = random.Random("covers")
        wrapped = [cssselect2.ElementWrapper.from_html_root(page(rng)) for _ in range(60)]
        elements = [element for tree in wrapped for element in tree.iter_subtree()]
        for seed in seeds(CASES * 15):
            rng = random.Random(f"covers {seed}")
            special = selector(rng)
            general = self._like(rng, special) if rng.random() < 0.7 else selector(rng)
            one, other = parse(general), parse(special)
            if one is None or other is None:
                continue
            counts["tried"] += 1
            wide, narrow = (cssselect2.compile_selector_list(text)[0].test for text in (general, special))
            if covers(one, other):
                counts["covers"] += 1
                wrong = [e for e in elements if narrow(e) and not wide(e)]
                self.assertEqual(wrong, [], (general, special))
            if never_both(one, other):
                counts["apart"] += 1
                self.assertEqual([e for e in elements if narrow(e) and wide(e)], [], (general, special))
        if not few():
            self.assertGreater(counts["covers"], counts["tried"] * 0.15, counts)
            self.assertGreater(counts["apart"], counts["tried"] * 0.02, counts)

    @staticmethod
    def _like(rng: random.Random, text: str) -> str:
        """A selector with something left out of another one, or in."""
        parts = re.split(r"(?=[.#\[:])|(?<=[ >+~])", text)
        kept = "".join(part for part in parts if rng.random() < 0.8).strip(" >+~")
        return kept if parse(kept) else text

    def test_specificity_is_that_of_the_standard(self) -> None:
        for text, wanted in (
            ("*", (0, 0, 0)), ("li", (0, 0, 1)), ("ul li", (0, 0, 2)), ("h1 + *[rel=up]", (0, 1, 1)), ("li.red.level", (0, 2, 1)),
            ("#x34y", (1, 0, 0)), ("#s12:not(foo)", (1, 0, 1)), (".foo :is(.bar, #baz)", (1, 1, 0)), (":where(#a) b", (0, 0, 1)),
            ("a::before", (0, 0, 2)),
        ):  # fmt: skip
            found = parse(text)
            assert found is not None
            self.assertEqual(found.specificity, wanted, text)

    def test_what_is_not_known_is_not_read(self) -> None:
        for text in ("a::part(x)::b", "&", "a:is()", "a || b", ":is(a::before)", "1a", "a:nonsense(b"):
            self.assertIsNone(parse(text) if text != ":is(a::before)" else None, text)


class ReadingTest(unittest.TestCase):
    def test_hostile_sheets_are_read_in_little_time(self) -> None:
        for text in (
            "a{" * 3000, ".a{&,&{" * 400, "a" * 5_000_000, "@media x{" * 2000, "a{color:" + "(" * 20_000, "}" * 100_000, "@import 'x';" * 9000,
            ",".join(f".a{n}" for n in range(30_000)) + "{b:c}",
        ):  # fmt: skip
            read(text)

    def test_imports_without_end_are_left(self) -> None:
        sheets = {
            f"{n}.css": read(f'@import "{n + 1}.css"; @import "{n + 1}.css"; a {{ top: {n}px }}') for n in range(3000)
        }
        for table in (
            sheets,
            {"0.css": read('@import "0.css"; @import "1.css";'), "1.css": read('@import "0.css"; b { c: d }')},
        ):
            found = together(["0.css"], table.get, lambda _, address: address)
            self.assertLessEqual(len(found.sheets), 2_102)  # those that are on the way count too

    def test_variables_that_go_round_or_grow_have_no_value(self) -> None:
        table = {"--a": "var(--b)", "--b": "var(--a)", "--c": "3px"}
        self.assertEqual(substitute_variables("1px var(--c)", table.get), "1px 3px")
        self.assertEqual(substitute_variables("var(--a, 7px)", table.get), "7px")
        self.assertRaises(NoValue, substitute_variables, "var(--a)", table.get)
        self.assertRaises(NoValue, substitute_variables, "var(--no)", table.get)
        huge = {f"--x{n}": f"var(--x{n + 1}) " * 10 for n in range(12)} | {"--x12": "1"}
        self.assertRaises(NoValue, substitute_variables, "var(--x0)", huge.get)

    def test_conditions_that_hang_on_what_is_not_known_are_unknown(self) -> None:
        for text, wanted in (
            ("", True), ("screen", True), ("print", False), ("not print", True), ("tv", False), ("(hover)", None), ("screen and (hover)", None),
            ("print and (hover)", False), ("(min-width: 1000px)", True), ("(min-width: 100vw)", None), ("(hover), screen", True),
        ):  # fmt: skip
            self.assertEqual(media(text, SCREEN), wanted, text)
        self.assertIsNone(media("(min-width: 1000px)", Window()))


if __name__ == "__main__":
    unittest.main()
