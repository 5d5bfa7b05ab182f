"""What a parent's change weighs: rewrites, layout and comments, edits of one line; and what an update makes of it."""

from __future__ import annotations

import unittest

from tests.support import BenchCase

BASE = "<main>\n<h1>{{ page.title }}</h1>\n" + "".join(f'<p class="row">line {n}</p>\n' for n in range(8)) + "</main>\n"
PAGE = "pages/home.html"


class WeighingTest(BenchCase):
    def judged(self, ours: str, theirs: str) -> tuple[str, str]:
        """The verdict and the reason, for a copy that was edited and a release."""
        self.started({PAGE: BASE}, PAGE)
        self.put(f"themes/gull/{PAGE}", ours)
        self.new = str(self.parent({PAGE: theirs}, "2.0.0", root=self.root / "new"))
        row = self.row("gull", f"template:{PAGE}", "--against", self.new)
        self.found = row
        return row["verdict"], row["because"]

    def updated(self) -> str:
        self.ok("update", "pier", "--to", self.new)
        return self.read(f"themes/gull/{PAGE}").decode()

    def test_a_rewrite_is_told_what_changed_and_never_merged(self) -> None:
        ours = "<ul>\n" + "".join(f"<li>of our own {n}</li>\n" for n in range(9)) + "</ul>\n"
        verdict, because = self.judged(ours, BASE.replace("line 3", "line three"))
        self.assertEqual((verdict, self.found["how"], self.found["merge"]), ("drifted", "rewrite", "rewrite"))
        self.assertIn("changed line 6 of pages/home.html; yours was written anew (0% is left", because)
        self.assertIn("protypon compare", self.found["look"])
        self.assertIn("update", self.found["next"])
        self.assertEqual(self.updated(), ours)
        self.assertEqual(self.verdicts("gull"), {f"template:{PAGE}": "drifted"})
        self.assertIn("protypon settle", self.row("gull", f"template:{PAGE}")["next"])
        self.ok("settle", PAGE, "--why", "ours is another page")
        self.assertEqual(self.verdicts("gull"), {f"template:{PAGE}": "holds"})

    def test_layout_and_comments_beside_an_edit_give_way(self) -> None:
        ours = BASE.replace("line 3<", "our line<")
        for theirs in (
            BASE.replace("line 3</p>\n", "line 3</p>   \n"),
            BASE.replace('<p class="row">line 3', '{# the third #}\n<p class="row">line 3'),
            BASE.replace('<p class="row">line 3', '  <p class="row">line 3'),
        ):
            with self.subTest(theirs=theirs):
                self.tearDown()
                self.setUp()
                self.assertEqual(self.judged(ours, theirs)[0], "drifted")
                self.assertIn("our line", self.updated())
                self.assertEqual(self.verdicts("gull"), {f"template:{PAGE}": "holds"})

    def test_edits_of_one_line_merge_element_by_element(self) -> None:
        ours = BASE.replace('class="row">line 3', 'class="row own">line 3')
        verdict, because = self.judged(ours, BASE.replace("line 3", "line three").replace("row", "line"))
        self.assertEqual(verdict, "drifted")
        self.assertIn("element by element", because)
        text = self.updated()
        self.assertIn('<p class="own line">line three</p>\n', text)
        self.assertEqual(text.count('<p class="line">'), 7)

    def test_a_file_that_was_split_says_where_its_lines_went(self) -> None:
        self.started({PAGE: BASE}, PAGE)
        self.put(f"themes/gull/{PAGE}", BASE.replace("line 3", "our line"))
        rows = "".join(f'<p class="row">line {n}</p>\n' for n in range(8))
        files: dict[str, str | bytes] = {
            PAGE: '<main>\n{% include "parts/rows.html" %}\n</main>\n',
            "parts/rows.html": rows,
        }
        new = str(self.parent(files, "2.0.0", root=self.root / "new"))
        row = self.row("gull", f"template:{PAGE}", "--against", new)
        self.assertEqual(row["verdict"], "conflicted")
        self.assertRegex(row["because"], r"of which \d+% is left; lines 3-10 of it are in parts/rows.html now")
        emptied = str(self.parent({PAGE: "<p>gone</p>\n"}, "3.0.0", root=self.root / "emptied"))
        self.assertIn("of which 0% is left", self.row("gull", f"template:{PAGE}", "--against", emptied)["because"])

    def test_a_file_that_was_joined_with_another_says_where_its_lines_are(self) -> None:
        rows = "".join(f'<p class="row">line {n}</p>\n' for n in range(9))
        page = '<main>\n{% include "parts/rows.html" %}\n</main>\n'
        self.started({PAGE: page, "parts/rows.html": rows}, "parts/rows.html")
        self.put("themes/gull/parts/rows.html", rows.replace("line 3", "our line"))
        new = str(
            self.parent({PAGE: f"<main>\n<h1>one file now</h1>\n{rows}</main>\n"}, "2.0.0", root=self.root / "new")
        )
        row = self.row("gull", "template:parts/rows.html", "--against", new)
        self.assertEqual(row["verdict"], "stranded")
        self.assertIn("lines 1-10 of it are in pages/home.html now", row["because"])

    def test_of_several_places_only_those_that_meet_are_marked(self) -> None:
        ours = BASE.replace('class="row">line 1<', 'class="row own">line 1<').replace("line 6", "ours")
        verdict, _ = self.judged(ours, BASE.replace("line 1<", "line one<").replace("line 6", "theirs"))
        self.assertEqual(verdict, "conflicted")
        self.assertEqual(self.updated(), ours)
        proposal = self.read(f"proposals/gull/{PAGE}").decode()
        self.assertEqual(proposal.count("<<<<<<<"), 1)
        self.assertIn('<p class="row own">line one</p>\n', proposal)


if __name__ == "__main__":
    unittest.main()
