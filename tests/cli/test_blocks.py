"""Blocks of templates as units: set, judged along the chain of what extends what, carried, dropped, explained."""

from __future__ import annotations

import json
from typing import Any

from tests.support import BenchCase

BASE = """<html>
{% block head %}<title>{% block title %}Pier{% endblock %}</title>{% endblock %}
{% block main %}
<p>Open at ten.</p>
<p>Closed on Monday.</p>

<p>The ferry runs at noon.</p>
{% endblock %}
{% block foot %}<p>The foot of the pier</p>{% endblock %}
</html>
"""
HOME = '{% extends "pages/base.html" %}\n{% block title %}Home of {{ super() }}{% endblock %}\n'
MAIN = "block:pages/home.html#main"


class BlockTest(BenchCase):
    types_steps = True

    def setUp(self) -> None:
        super().setUp()
        self.started({"pages/base.html": BASE, "pages/home.html": HOME})

    def home(self) -> str:
        return self.read("themes/gull/pages/home.html").decode()

    def explained(self, unit: str) -> dict[str, Any]:
        found: dict[str, Any] = json.loads(self.ok("explain", unit, "--format", "json"))
        return found

    def release(self, base: str, home: str, label: str) -> str:
        files: dict[str, str | bytes] = {"pages/base.html": base, "pages/home.html": home}
        return str(self.parent(files, label, root=self.root / label))

    def next_release(self, base: str = BASE, home: str = HOME) -> str:
        return self.release(base, home, "2.0.0")

    def test_a_block_two_files_up_is_begun_as_what_the_page_shows(self) -> None:
        self.ok("override", MAIN)
        self.assertIn('{% extends "parent:pages/home.html" %}', self.home())
        self.assertIn("<p>Closed on Monday.</p>", self.home())
        self.assertEqual(self.verdicts("gull"), {MAIN: "holds"})
        self.ok("override", "block:pages/home.html#title")
        self.assertIn("{% block title %}Home of Pier{% endblock %}", self.home())
        self.assertIn("overrides block:pages/home.html#main already", self.refused("override", MAIN))
        self.assertIn(
            "did you mean block:pages/home.html#foot?", self.refused("override", "block:pages/home.html#fot", status=2)
        )

    def test_what_a_block_hides_is_merged_where_it_can_be(self) -> None:
        self.ok("override", MAIN)
        self.edit("themes/gull/pages/home.html", b"at noon", b"at one")
        self.assertEqual(self.verdicts("gull"), {MAIN: "holds"})
        new = self.next_release(BASE.replace("at ten", "at nine"))
        row = self.row("gull", MAIN, "--against", new)
        self.assertEqual((row["verdict"], row["merge"]), ("drifted", "clean"))
        self.assertIn("line 4 of pier/pages/base.html; your line 7", row["because"])
        self.ok("update", "pier", "--to", new)
        self.assertIn("<p>Open at nine.</p>", self.home())
        self.assertIn("at one", self.home())
        self.assertEqual(self.verdicts("gull"), {MAIN: "holds"})

    def test_one_that_changes_the_same_line_gets_a_proposal(self) -> None:
        self.ok("override", MAIN)
        self.edit("themes/gull/pages/home.html", b"at ten", b"at eleven")
        new = self.next_release(BASE.replace("at ten", "at nine"))
        self.assertEqual(self.verdicts("gull", "--against", new), {MAIN: "conflicted"})
        before = self.home()
        self.ok("update", "pier", "--to", new)
        self.assertEqual(self.home(), before)
        proposal = "proposals/gull/block/pages/home.html/main.html"
        text = self.read(proposal).decode()
        self.assertIn("at eleven", text)
        self.put(proposal, "\n<p>Open at ten to nine.</p>\n")
        self.ok("update", "pier")
        self.assertIn("{% block main %}\n<p>Open at ten to nine.</p>\n{% endblock %}", self.home())

    def test_one_that_only_adds_still_applies_whatever_the_parent_changes(self) -> None:
        self.ok("override", MAIN, "--around")
        self.assertIn("{% block main %}\n{{ super() }}\n{% endblock %}", self.home())
        moved = BASE.replace("{% block main %}", "{% block page %}{% block main %}").replace(
            "noon.</p>\n{% endblock %}", "one.</p>\n{% endblock %}{% endblock %}"
        )
        row = self.row("gull", MAIN, "--against", self.next_release(moved))
        self.assertEqual(row["verdict"], "holds")
        self.assertIn(
            "yours only adds to it; it stood inside no other block, and stands inside page now", row["because"]
        )

    def test_one_written_anew_is_told_what_it_hides_and_never_merged(self) -> None:
        self.ok("override", MAIN)
        text = self.home()
        begin, end = text.index("{% block main %}"), text.index("{% endblock %}")
        self.put("themes/gull/pages/home.html", text[:begin] + "{% block main %}<b>Ask the keeper.</b>" + text[end:])
        before, new = self.home(), self.next_release(BASE.replace("at ten", "at nine"))
        row = self.row("gull", MAIN, "--against", new)
        self.assertEqual((row["verdict"], row["parts"]), ("drifted", ["main"]))
        self.assertIn("which yours hides: line 4 of pier/pages/base.html", row["because"])
        self.ok("update", "pier", "--to", new)
        self.assertEqual((self.home(), self.verdicts("gull")), (before, {MAIN: "drifted"}))
        self.ok("settle", MAIN, "--why", "seen")
        self.assertEqual(self.verdicts("gull"), {MAIN: "holds"})

    def test_one_that_nothing_prints_any_more_follows_the_one_that_took_its_place(self) -> None:
        foot = "block:pages/base.html#foot"
        self.ok("override", foot)
        self.edit("themes/gull/pages/base.html", b"The foot", b"The very foot")
        new = self.next_release(BASE.replace("block foot", "block footer"))
        row = self.row("gull", foot, "--against", new)
        self.assertEqual(row["verdict"], "idle")
        self.assertIn("stands in the block footer now", row["because"])
        self.ok("update", "pier", "--to", new)
        text = self.read("themes/gull/pages/base.html").decode()
        self.assertIn("{% block footer %}<p>The very foot of the pier</p>{% endblock %}", text)
        self.assertEqual(self.verdicts("gull"), {"block:pages/base.html#footer": "holds"})
        gone = self.release("<html>{% block head %}{% endblock %}</html>\n", HOME, "3.0.0")
        row = self.row("gull", "block:pages/base.html#footer", "--against", gone)
        self.assertEqual((row["verdict"], row["to"]), ("idle", None))

    def test_a_block_that_no_template_has_is_never_printed(self) -> None:
        self.put(
            "themes/gull/pages/home.html", '{% extends "parent:pages/home.html" %}\n{% block mian %}x{% endblock %}\n'
        )
        row = self.row("gull", "block:pages/home.html#mian")
        self.assertEqual((row["verdict"], row["reach"]), ("idle", "no"))
        self.put(
            "themes/gull/pages/tide.html", '{% extends "pages/base.html" %}\n{% block main %}Tides{% endblock %}\n'
        )
        self.assertNotIn("block:pages/tide.html#main", self.verdicts("gull"))

    def test_one_that_another_template_of_the_childs_sets_too_is_of_use(self) -> None:
        self.ok("override", "block:pages/base.html#foot", "block:pages/home.html#foot")
        self.edit("themes/gull/pages/base.html", b"The foot", b"Our foot")
        row = self.row("gull", "block:pages/home.html#foot")
        self.assertEqual((row["verdict"], row["next"]), ("holds", ""))
        self.assertIn("pages/base.html sets it too, and would be printed instead", row["because"])

    def test_drop_takes_a_block_out_and_the_template_with_the_last_one(self) -> None:
        self.ok("override", MAIN, "block:pages/home.html#foot")
        self.ok("drop", MAIN)
        self.assertEqual(
            self.home(),
            '{% extends "parent:pages/home.html" %}\n\n{% block foot %}<p>The foot of the pier</p>{% endblock %}\n',
        )
        self.ok("drop", "block:pages/home.html#foot")
        self.assertFalse((self.bench / "themes/gull/pages/home.html").exists())
        self.ok("undo")
        self.assertTrue((self.bench / "themes/gull/pages/home.html").exists())
        self.put(
            "themes/gull/pages/home.html",
            '{% extends "parent:pages/home.html" %}{% block main %}{% block foot %}a{% endblock %}{% endblock %}',
        )
        self.assertIn("stands inside the block main", self.refused("drop", "block:pages/home.html#foot"))

    def test_explain_tells_every_version(self) -> None:
        self.ok("override", "block:pages/home.html#title")
        found = self.explained("block:pages/home.html#title")
        self.assertEqual((found["in_force"]["theme"], found["in_force"]["file"]), ("gull", "pages/home.html"))
        self.assertEqual([row["file"] for row in found["hidden"]], ["pages/home.html", "pages/base.html"])
        self.assertIn("in the page it stands inside head", found["notes"])
        self.assertEqual(self.explained(MAIN)["in_force"]["theme"], "pier")

    def test_line_ends_and_words_that_are_no_ascii_stay(self) -> None:
        text = '{% extends "parent:pages/home.html" %}\r\n{# Öffnung #}\r\n{% block main %}\r\nnä\r\n{% endblock %}\r\n'
        self.put("themes/gull/pages/home.html", text)
        self.ok("override", "block:pages/home.html#foot")
        self.assertEqual(self.read("themes/gull/pages/home.html").decode()[: len(text)], text)
        self.ok("drop", "block:pages/home.html#foot")
        self.assertEqual(self.read("themes/gull/pages/home.html"), text.encode())

    def test_the_record_of_a_whole_template_stands_for_each_of_its_blocks(self) -> None:
        """As ledgers were written before blocks had records of their own."""
        self.put(
            "themes/gull/pages/base.html",
            '{% extends "parent:pages/base.html" %}\n{% block foot %}ours{% endblock %}\n',
        )
        digest = self.ok("override", "pages/home.html") and self.read("themes/gull/overrides.toml").decode()
        home = digest.split('digest = "')[1][:40]
        import hashlib

        base = hashlib.sha1(b"blob %d\0" % len(BASE.encode()) + BASE.encode()).hexdigest()
        record = (
            digest.replace("template:pages/home.html", "template:pages/base.html")
            .replace('"copy"', '"extends"')
            .replace(home, base)
        )
        self.put("themes/gull/overrides.toml", record)
        (self.bench / "themes/gull/pages/home.html").unlink()
        unit = "block:pages/base.html#foot"
        self.assertEqual(self.verdicts("gull"), {unit: "holds"})
        new = self.next_release(BASE.replace("The foot", "The end"))
        self.assertEqual(self.verdicts("gull", "--against", new), {unit: "drifted"})
        self.ok("update", "pier", "--to", new)
        self.ok("settle", unit, "--why", "seen")
        ledger = self.read("themes/gull/overrides.toml").decode()
        self.assertIn(f'unit = "{unit}"', ledger)
        self.assertNotIn("template:pages/base.html", ledger)
        self.assertEqual(self.verdicts("gull"), {unit: "holds"})
