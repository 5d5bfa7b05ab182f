"""Message catalogues changed message by message: as an independent reader has them, and every other byte as it was."""

from __future__ import annotations

import gettext
import io
import random
import unittest
from typing import Any

import polib

from protypon.core.languages.data import po_source
from protypon.core.languages.data.keys import GONE
from protypon.core.languages.source import NotEdited
from protypon.core.merge.by_key import merge_keys
from tests.cases import few, seeds

CASES = 300
IDS = ["Lamp", "Tide at %s", "two\nlines", 'say "hi"', "back\\slash", "été", "a\tb", "", "Hall", "x" * 90]
WORDS = [
    "Lampe",
    "Flut um %s",
    "zwei\nZeilen\n",
    'sag "hallo"',
    "a\\b",
    "Sommer",
    "\t",
    "Halle",
    "y" * 200,
]
HEAD = {"Content-Type": "text/plain; charset=UTF-8", "Plural-Forms": "nplurals=2; plural=(n != 1);"}


def catalogue(rng: random.Random) -> polib.POFile:
    """As another program writes one, with all that it can have."""
    found = polib.POFile(wrapwidth=rng.choice([20, 78, 0]))
    found.metadata = dict(HEAD)
    seen = set()
    for _ in range(rng.randint(1, 8)):
        context = rng.choice([None, None, "menu", ""])
        message = rng.choice([each for each in IDS if each])
        plural = rng.choice([None, None, None, f"{message}s"])
        if (context, message) in seen:
            continue
        seen.add((context, message))
        entry = polib.POEntry(msgctxt=context, msgid=message)
        if plural:
            entry.msgid_plural = plural
            entry.msgstr_plural = {0: rng.choice(WORDS), 1: rng.choice(WORDS)}
        else:
            entry.msgstr = rng.choice([*WORDS, ""])
        entry.comment = rng.choice(["", "", "the author's note"])
        entry.tcomment = rng.choice(["", "", "ours\nof two lines"])
        entry.occurrences = rng.choice([[], [("pages/home.php", "3")]])
        entry.flags = rng.choice([[], [], ["php-format"], ["fuzzy"]])
        entry.obsolete = rng.random() < 0.1
        found.append(entry)
    return found


def read(text: str) -> dict[str, Any]:
    """What counts, by the keys of compiled catalogues."""
    found: dict[str, Any] = {}
    for each in polib.pofile(text + "\n"):
        value = list(each.msgstr_plural.values()) if each.msgid_plural else each.msgstr
        if not each.obsolete and "fuzzy" not in each.flags and any(value):
            context = f"{each.msgctxt}\x04" if each.msgctxt is not None else ""
            found[f"{context}{each.msgid}" + (f"\x00{each.msgid_plural}" if each.msgid_plural else "")] = value
    return found


class CatalogueTest(unittest.TestCase):
    def test_what_is_read_is_what_others_read(self) -> None:
        for seed in seeds(CASES):
            text = str(catalogue(random.Random(f"po {seed}")))
            self.assertEqual({key[0]: value for key, value in (po_source.leaves(text) or {}).items()}, read(text), text)
            for (key,), line in po_source.lines(text).items():
                self.assertRegex(text.split("\n")[line - 1], "^msg(ctxt|id) ", key)

    def test_a_message_changed_is_what_others_read_and_nothing_else_changes(self) -> None:
        done = refused = 0
        for seed in seeds(CASES):
            rng = random.Random(f"edit {seed}")
            text = str(catalogue(rng))
            text = text.replace("\n", "\r\n") if rng.random() < 0.2 else text
            before = read(text)
            key = rng.choice([*before, "new", "menu\x04new", "one\x00many", rng.choice(IDS[:4])])
            value: Any = GONE if rng.random() < 0.3 else rng.choice([*WORDS, "a\nb"])
            value = ["eins", "zwei\n"] if value is not GONE and "\x00" in key else value
            try:
                made = po_source.with_values(text, {(key,): value})
            except NotEdited:
                refused += 1
                continue
            done += 1
            wanted = {k: v for k, v in before.items() if k != key} | ({} if value is GONE else {key: value})
            self.assertEqual(read(made), wanted, (key, value, text, made))
            rows = made.split("\n")
            lost = [
                row
                for row in text.split("\n")
                if row not in rows and not row.startswith(('"', "msg", "#:", "#.", "#,"))
            ]
            self.assertEqual(lost, [], (key, text, made))
        if not few():
            self.assertLess(refused, done * 0.3)

    def test_the_language_itself_gives_what_was_written(self) -> None:
        text = po_source.with_values(
            "", {("Lamp",): "Lampe", ("menu\x04Lamp",): "Leuchte", ("one\x00many",): ["eins", "viele"]}
        )
        text = text.replace('UTF-8\\n"', 'UTF-8\\n"\n"Plural-Forms: nplurals=2; plural=(n != 1);\\n"')
        compiled = gettext.GNUTranslations(io.BytesIO(polib.pofile(text).to_binary()))
        self.assertEqual(
            (compiled.gettext("Lamp"), compiled.pgettext("menu", "Lamp"), compiled.ngettext("one", "many", 5)),
            ("Lampe", "Leuchte", "viele"),
        )

    def test_catalogues_are_merged_message_by_message(self) -> None:
        base = 'msgid "a"\nmsgstr "1"\n\nmsgid "b"\nmsgstr "2"\n'
        ours, theirs = base.replace('"1"', '"one"'), base.replace('"2"', '"two"') + '\nmsgid "c"\nmsgstr "3"\n'
        made = merge_keys((base.encode(), ours.encode(), theirs.encode()), po_source)  # type: ignore[arg-type]
        self.assertEqual(read((made or b"").decode()), {"a": "one", "b": "two", "c": "3"})
        clash = base.replace('"1"', '"uno"')
        self.assertIsNone(merge_keys((base.encode(), ours.encode(), clash.encode()), po_source))  # type: ignore[arg-type]

    def test_only_line_feeds_end_a_line(self) -> None:  # the other reader takes more for one
        made = po_source.with_values("", {("a\x85b",): "x\u2028y"})
        self.assertEqual(po_source.leaves(made), {("a\x85b",): "x\u2028y"})

    def test_what_does_not_parse_is_told_with_its_line(self) -> None:
        for text, line in (
            ('msgid "a"\nmsgstr b\n', 2),
            ('msgstr "x"\n', 1),
            ('"x"\n', 1),
            ('msgid "a"\n\nmsgid "b"\nmsgstr ""\n', 1),
            ('msgid "a"\nmsgstr "1"\nmsgid "a"\nmsgstr "2"\n', 3),
            ('msgid "a" x\nmsgstr "1"\n', 1),
        ):
            found = po_source.problems(text, "de.po")
            self.assertEqual([p.line for p in found], [line], text)
            with self.assertRaises(NotEdited, msg=text):
                po_source.with_values(text, {("a",): "x"})
        self.assertEqual(po_source.problems("# only a comment\n", "de.po"), [])

    def test_a_persons_comment_never_goes_with_its_message(self) -> None:
        with self.assertRaises(NotEdited):
            po_source.with_values('# ours\nmsgid "a"\nmsgstr "1"\n', {("a",): GONE})
        made = po_source.with_values('#: x.php:3\n#. note\nmsgid "a"\nmsgstr "1"\n', {("a",): GONE})
        self.assertEqual(made, "")


if __name__ == "__main__":
    unittest.main()
