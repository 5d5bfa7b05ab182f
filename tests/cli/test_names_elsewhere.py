"""Names that stand in manifests, and files and blocks of which nobody here knows all: on themes of the documentation generator."""

from __future__ import annotations

import unittest
from pathlib import Path

from tests.support import BenchCase

LAYOUT = '{% extends "basic/layout.html" %}\n{% block footer %}<p>pier</p>{% endblock %}\n'
BOX = "".join(f'<p class="box">line {n}</p>\n' for n in range(9))


class NamesElsewhereTest(BenchCase):
    def parent(self, root: Path, release: str, **more: str) -> Path:
        """A release of the parent, in its folder."""
        files = {"theme.conf": "[theme]\ninherit = basic\n", "layout.html": LAYOUT, "VERSION": release, **more}
        for path, text in files.items():
            self.put(path, text, root)
        return root

    def begun(self, manifest: str = "", **files: str) -> None:
        self.parent(self.bench / "themes/pier", "1.0", **{"parts/box.html": BOX})
        self.put("themes/gull/theme.conf", f"[theme]\ninherit = pier\n{manifest}")
        for path, text in files.items():
            self.put(f"themes/gull/{path}", text)
        self.ok("init", "--platform", "sphinx")
        self.ok("adopt", "gull")

    def test_a_template_that_a_manifest_names_and_a_release_took_away_is_an_error(self) -> None:
        for field in ("sidebars = globaltoc.html, box.html", "stylesheet = a.css\n[options]\naside = box.html"):
            with self.subTest(field=field):
                self.tearDown()
                self.setUp()
                self.begun(field + "\n")
                self.assertNotIn("broken-reference", self.codes("gull"))
                new = str(self.parent(self.root / "pier", "2.0"))
                rows = [f for f in self.check("--against", new)["gull"]["findings"] if f["code"] == "broken-reference"]
                self.assertEqual([row["file"] for row in rows], ["theme.conf"])
                self.assertRegex(rows[0]["because"], r"names 'box.html', which pier \S+ had and nothing")
                self.assertEqual(rows[0]["line"], 3 if "sidebars" in field else 5)

    def test_what_no_release_had_or_the_child_has_itself_is_not_told(self) -> None:
        self.begun("sidebars = box.html, other.html\n", **{"box.html": "<p>gull</p>\n"})
        new = str(self.parent(self.root / "pier", "2.0"))
        found = [f["code"] for f in self.check("--against", new)["gull"]["findings"]]
        self.assertNotIn("broken-reference", found)

    def test_a_copy_in_another_folder_that_something_may_name_is_not_called_idle(self) -> None:
        self.begun("sidebars = own/box.html\n", **{"own/box.html": BOX.replace("line 3", "ours")})
        self.assertNotIn("idle", [row["verdict"] for row in self.check()["gull"]["overrides"]])

    def test_a_block_that_only_adds_to_one_of_the_platforms_needs_no_record(self) -> None:
        blocks = (
            "{% block scripts %}{{ super() }}<script>1</script>{% endblock %}",
            "{% block css %}<style></style>{% endblock %}",
        )
        page = "\n".join(('{% extends "pier/layout.html" %}', *blocks, ""))
        self.begun(**{"layout.html": page})
        rows = {row["unit"]: row for row in self.check()["gull"]["overrides"]}
        self.assertEqual(rows["block:layout.html#scripts"]["verdict"], "holds")
        self.assertEqual(rows["block:layout.html#css"]["verdict"], "unknown")
        self.assertIn("comes with the platform", rows["block:layout.html#css"]["because"])

    def test_a_block_inside_one_that_the_child_hides_says_which(self) -> None:
        inner = "{% block page %}{% block aside %}z{% endblock %}{% endblock %}"
        mine = "{% block page %}mine{% endblock %}\n{% block aside %}y{% endblock %}\n"
        self.begun(**{"layout.html": '{% extends "pier/layout.html" %}\n' + mine})
        self.put("themes/pier/layout.html", LAYOUT.replace("<p>pier</p>", inner))
        row = next(r for r in self.check()["gull"]["overrides"] if r["unit"].endswith("#aside"))
        self.assertEqual(row["verdict"], "idle")
        self.assertIn("stands inside page, and layout.html sets page without it", row["because"])


if __name__ == "__main__":
    unittest.main()
