"""Elements that a template prints, against what Jinja and an HTML parser make of it."""

from __future__ import annotations

import random
import unittest
from html.parser import HTMLParser

import jinja2

from protypon.core.languages.markup import HOLE, may_have_class, may_have_id, printed_elements
from tests.cases import few, seeds

CASES = 120
CLASSES = [
    "lamp",
    "tide-table",
    "is-{{ kind }}",
    "{{ kind }}",
    "{{ kind }}-row",
    "{% if wide %}wide{% endif %}",
    "a{{ x }}b",
]


def template(rng: random.Random, depth: int = 0) -> str:
    found = []
    for _ in range(rng.randint(1, 4)):
        kind = rng.random()
        if kind < 0.15:
            found.append(f"{{% if wide %}}\n{template(rng, depth + 1) if depth < 2 else ''}{{% endif %}}")
        elif kind < 0.25:
            found.append("{% for each in rows %}<li class='row {{ loop.index }}'>{{ each }}</li>{% endfor %}\n")
        else:
            quote = rng.choice("\"'")
            classes = " ".join(rng.sample(CLASSES, k=rng.randint(0, 3)))
            parts = [rng.choice(["p", "div", "section", "h{{ level }}"])]
            if classes:
                parts.append(f"class={quote}{classes}{quote}")
            if rng.random() < 0.3:
                parts.append(f"id={quote}{rng.choice(['hall', 'row-{{ level }}'])}{quote}")
            if rng.random() < 0.2:
                parts.append(rng.choice(["{{ attributes }}", "data-x='{{ kind }}'", "hidden", "title='a > b'"]))
            inside = template(rng, depth + 1) if depth < 2 else "x &lt; {{ x }}"
            found.append(f"<{' '.join(parts)}>{inside}</p>\n")
    return "".join(found)


class Elements(HTMLParser):
    def __init__(self) -> None:
        super().__init__()
        self.found: list[tuple[str, set[str], str]] = []

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        values = dict(reversed(attrs))  # of two of a name the first counts (HTML, section 13.2.5.33)
        self.found.append((tag, set((values.get("class") or "").split()), values.get("id") or ""))


class PrintedTest(unittest.TestCase):
    def test_every_element_of_every_rendering_is_one_that_the_template_prints(self) -> None:
        total = 0
        for seed in seeds(CASES):
            rng = random.Random(f"markup {seed}")
            text = template(rng)
            facts = list(printed_elements(text))
            for _ in range(2):
                values = {
                    "kind": rng.choice(["boat", "net"]), "wide": rng.random() < 0.5, "x": rng.choice(["", "1"]), "rows": ["r"], "level": 2,
                    "attributes": rng.choice(["", 'class="late"', 'id="late"']),
                }  # fmt: skip
                page = Elements()
                page.feed(jinja2.Environment(autoescape=False).from_string(text).render(values))
                for name, classes, ident in page.found:
                    total += 1
                    fitting = [
                        fact
                        for fact in facts
                        if fact.name in ("", name)
                        and all(may_have_class(fact, each) for each in classes)
                        and (not ident or may_have_id(fact, ident))
                        and fact.classes <= classes
                    ]
                    self.assertTrue(fitting, (name, classes, ident, text))
        if not few():
            self.assertGreater(total, CASES * 3)

    def test_what_is_certain_is_told_apart_from_what_is_filled_in(self) -> None:
        for text, classes, more, is_open in (
            ('<p class="lamp b-{{ y }}">', {"lamp"}, (f"b-{HOLE}",), False),
            ("<p class=lamp hidden>", {"lamp"}, (), False),
            ("<p {{ more }} class='lamp'>", {"lamp"}, (HOLE,), True),
            ("<p <?php x('>'); ?> class='lamp'>", {"lamp"}, (HOLE,), True),
            ("return '<p class=\"' . $kind . ' row\">' . $x;", {"row"}, (HOLE,), False),
            ('"<p class=\\"light\\">"', {"light"}, (), False),
            ('"<p class=" + x', set(), (), True),
        ):
            found = next(iter(printed_elements(text)))
            self.assertEqual((found.classes, found.open), (classes, is_open), text)
            self.assertEqual(set(found.more), set(more), text)
        self.assertEqual(list(printed_elements("a < b and c > d")), [])

    def test_what_code_prints_is_there_with_its_line(self) -> None:
        text = "<?php\nfunction lamp($x) {\n    echo '<p class=\"lamp\">' . $x . '</p>';\n}\n?>\n<b class='net'>\n<?php echo \"<i id='hall'>\";"
        found = [(e.name, sorted(e.classes), e.ids, e.line) for e in printed_elements(text)]
        self.assertEqual(sorted(found), [("b", ["net"], (), 6), ("i", [], ("hall",), 7), ("p", ["lamp"], (), 3)])


if __name__ == "__main__":
    unittest.main()
