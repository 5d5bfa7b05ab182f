"""Random edits of templates on both sides, where lines conflict: what is merged renders with both changes, and loses nothing."""

from __future__ import annotations

import random
import re
import subprocess
import tempfile
import unittest
from collections import Counter
from pathlib import Path

from jinja2 import Environment

from protypon.core.merge import three_way
from protypon.core.merge.by_element import merge_elements, merged_tag, solve_clash, tokens
from protypon.core.merge.markers import Clash, put_together, taken_apart
from protypon.core.store.git import merge_files
from protypon.core.themes.comparisons import Three, _better
from tests.cases import few, seeds

NAMES = {"title": "Pier", "hours": "ten to five", "tides": ["low", "high"], "open": True}


class Page:
    """A random template as a tree: (tag, attributes, children), texts, statements."""

    def __init__(self, rng: random.Random) -> None:
        self.rng, self.serial = rng, 0

    def fresh(self, side: str) -> str:
        self.serial += 1
        return f"{side}{self.serial}x"

    def made(self, depth: int = 0) -> list[object]:
        tag = self.rng.choice(["div", "p", "ul", "section", "a"])
        attributes = {"class": " ".join(self.fresh("c") for _ in range(self.rng.randint(1, 3)))}
        if self.rng.random() < 0.4:
            attributes["href"] = "/{{ title }}"
        children: list[object] = []
        for _ in range(self.rng.randint(1, 3)):
            what = self.rng.random()
            if what < 0.45 and depth < 2:
                children.append(self.made(depth + 1))
            elif what < 0.75:
                children.append(self.fresh("t"))
            else:
                children.append("{{ hours }}" + self.fresh("e"))
        return [tag, attributes, children]

    def nodes(self, node: list[object]) -> list[list[object]]:
        found = [node]
        for child in node[2]:  # type: ignore[attr-defined]
            if isinstance(child, list):
                found += self.nodes(child)
        return found

    def edited(self, root: list[object], side: str) -> tuple[list[object], list[str], list[str]]:
        """One edit of a copy: the new tree, what it brought and what it took away."""
        copy = eval(repr(root))
        node = self.rng.choice(self.nodes(copy))
        _, attributes, children = node
        mark = self.fresh(side)
        what = self.rng.randrange(7)
        if what == 0:
            attributes["class"] += f" {mark}"
        elif what == 1:
            words = attributes["class"].split()
            gone = words.pop(self.rng.randrange(len(words)))
            attributes["class"] = " ".join(words)
            return copy, [], [gone]
        elif what == 2:
            attributes[f"data-{side}"] = mark
        elif what == 3:
            children.insert(self.rng.randint(0, len(children)), ["i", {"class": mark}, [mark + "t"]])
            return copy, [mark, mark + "t"], []
        elif what == 4:
            at = self.rng.randrange(len(children))
            if isinstance(children[at], str):
                gone, children[at] = re.sub(r"\{\{.*?\}\}", "", children[at]), mark
                return copy, [mark], [gone]
            attributes["title"] = mark
        elif what == 5:
            inside = list(node)
            node[:] = ["div", {"class": mark}, [inside]]
        else:
            node[2] = ["{% if open %}" + mark, *children, "{% endif %}"]
        return copy, [mark], []

    def text(self, node: object, indent: str = "") -> str:
        if isinstance(node, str):
            return f"{indent}{node}\n"
        tag, attributes, children = node  # type: ignore[misc]
        opened = f"<{tag}{''.join(f' {k}={chr(34)}{v}{chr(34)}' for k, v in attributes.items())}>"
        if len(children) == 1 and isinstance(children[0], str):
            return f"{indent}{opened}{children[0]}</{tag}>\n"
        inside = "".join(self.text(child, indent + "  ") for child in children)
        return f"{indent}{opened}\n{inside}{indent}</{tag}>\n"


def words(text: str) -> Counter[str]:
    return Counter(re.findall(r"\w+", text))


class RandomTemplatesTest(unittest.TestCase):
    def test_what_lines_can_not_merge_elements_do_with_both_changes_in_the_page(self) -> None:
        environment = Environment()
        texts, expected = [], []
        for number in seeds(2000):
            page = Page(random.Random(number))
            root = page.made()
            (ours, own, own_gone), (theirs, new, new_gone) = page.edited(root, "own"), page.edited(root, "new")
            texts.append(tuple(page.text(tree).encode() for tree in (root, ours, theirs)))
            expected.append((own + new, own_gone + new_gone))
        plain = three_way.merge_all(texts, merge_files)
        saved = kept = 0
        for triple, (brought, gone), lines in zip(texts, expected, plain, strict=True):
            if lines.text is not None:
                continue
            result = _better(Three("b", "o", "t", triple[1], triple[2], "jinja"), triple, lines)
            if result.text is None:
                kept += 1
                continue
            saved += 1
            page_text = environment.from_string(result.text.decode()).render(NAMES)
            for word in brought:
                self.assertEqual(words(page_text)[word], 1, (word, triple, result.text))
            for word in gone:
                self.assertEqual(words(page_text)[word], 0, (word, triple, result.text))
            base, one, other = (words(environment.from_string(t.decode()).render(NAMES)) for t in triple)
            for word in base.keys() & one.keys() & other.keys():
                if base[word] == one[word] == other[word]:
                    self.assertEqual(words(page_text)[word], base[word], (word, triple, result.text))
        if not few():
            self.assertGreater(saved, 100, (saved, kept))
            self.assertGreater(saved, kept)


class ElementsTest(unittest.TestCase):
    def test_edits_of_one_line(self) -> None:
        base = '<p class="a"><b>low</b> {{ n }}</p>\n'
        wrapped = f"<div>\n  {base}</div>\n"

        def put(old: str, new: str, text: str = base) -> str:
            self.assertIn(old, text)
            return text.replace(old, new)

        classed, shown = put('"a"', '"a own"'), put("{{ n }}", "{{ m }}")
        for ours, theirs, wanted in (
            (classed, put("low", "high"), put("low", "high", classed)),
            (classed, put('"a"', '"b" id="q"'), put('"a"', '"own b" id="q"')),
            (wrapped, shown, put("{{ n }}", "{{ m }}", wrapped)),
            (put("low", "mine"), put("low", "theirs"), None),
            (classed, "", None),
            (put("<p", '<p id="mine"'), put("<p", '<p id="theirs"'), None),
        ):
            self.assertEqual(merge_elements(base, ours, theirs), wanted)

    def test_a_name_that_one_side_renamed_is_not_used_by_the_other(self) -> None:
        base = "{% for tide in tides %}<li>{{ tide }}</li>{% endfor %}\n"
        theirs = "{% for row in tides %}<li>{{ row }}</li>{% endfor %}\n"
        ours = "{% for tide in tides %}<li>{{ tide }}</li><i>{{ tide.at }}</i>{% endfor %}\n"
        self.assertIsNone(merge_elements(base, ours, theirs))

    def test_a_tag_whose_values_hold_code(self) -> None:
        tag = """<a class="{% if x == "y" %}b{% endif %}" href="{{ pathto('a') }}">"""
        found = tokens(tag)
        assert found is not None
        self.assertEqual([t.text for t in found], [tag, ""])
        self.assertEqual(
            merged_tag(tag, tag.replace("'a'", "'b'"), tag.replace("<a", '<a id="q"')),
            tag.replace("'a'", "'b'").replace(">", ' id="q">'),
        )
        self.assertIsNone(merged_tag(tag, tag.replace("}b{", "}own{"), tag.replace("}b{", "}new{")))

    def test_markers_are_taken_apart_and_put_together_again(self) -> None:
        base, ours, theirs = b"a\nb\nc\nd\n", b"a\nB\nc\nD", b"a\nq\nc\ne\n"
        (result,) = three_way.merge_all([(base, ours, theirs)], merge_files)
        assert result.marked is not None
        pieces = taken_apart(result.marked, result.token, (base, ours, theirs))
        assert pieces is not None
        self.assertEqual(
            [p for p in pieces if isinstance(p, Clash)], [Clash(b"b\n", b"B\n", b"q\n"), Clash(b"d\n", b"D", b"e\n")]
        )
        self.assertEqual(put_together(pieces, result.token), (result.marked, False))
        self.assertIsNone(
            taken_apart(result.marked.replace(b"\nq\n", b"\n=======\n"), result.token, (base, ours, theirs))
        )

    def test_of_a_place_only_the_lines_that_meet_are_left(self) -> None:
        found = solve_clash(
            Clash(b"<h1>a</h1>\n<p>x</p>\n", b'<h1 id="u">a</h1>\n<p>q</p>\n', b"<h1>b</h1>\n<p>z</p>\n")
        )
        self.assertEqual(found, [b'<h1 id="u">b</h1>\n', Clash(b"<p>x</p>\n", b"<p>q</p>\n", b"<p>z</p>\n")])

    def test_lines_that_lie_in_git_as_well_come_out_as_git_has_them(self) -> None:
        """What lines alone can merge is not touched by any of this."""
        with tempfile.TemporaryDirectory() as folder:
            for number in seeds(40):
                page = Page(random.Random(number))
                root = page.made()
                triple = tuple(
                    page.text(t).encode() for t in (root, page.edited(root, "own")[0], page.edited(root, "new")[0])
                )
                (lines,) = three_way.merge_all([triple], merge_files)
                for name, data in zip(("base", "ours", "theirs"), triple, strict=True):
                    Path(folder, name).write_bytes(data)
                done = subprocess.run(
                    ["git", "merge-file", "-p", "ours", "base", "theirs"], cwd=folder, capture_output=True
                )
                if done.returncode == 0:
                    result = _better(Three("b", "o", "t", triple[1], triple[2], "jinja"), triple, lines)
                    self.assertEqual(result.text, done.stdout)


if __name__ == "__main__":
    unittest.main()
