"""What is the same in several children is asked once, and settled or dropped in one go."""

from __future__ import annotations

import unittest

from tests.support import BenchCase

PAGE = "pages/home.html"
BASE = "<main>\n" + "".join(f"<p>line {n}</p>\n" for n in range(12)) + "</main>\n"


class SeveralChildrenTest(BenchCase):
    def setUp(self) -> None:
        super().setUp()
        self.parent({PAGE: BASE, "pages/visit.html": "<p>visit</p>\n"})
        self.ok("init", "--platform", "quayside")
        for child in ("auk", "gull", "tern"):
            self.ok("new", child, "--parent", "pier")
            self.ok("override", PAGE, "--child", child)
            self.put(f"themes/{child}/{PAGE}", BASE.replace("line 3", "our line").replace("line 9", f"of {child}"))
        self.new = str(
            self.parent(
                {PAGE: BASE.replace("line 3", "their line"), "pages/visit.html": "<p>visit</p>\n"},
                "2.0.0",
                root=self.root / "new",
            )
        )

    def test_a_conflict_that_is_the_same_is_proposed_once_and_its_solution_goes_into_each(self) -> None:
        said = " ".join(self.ok("update", "pier", "--to", self.new).split())
        self.assertEqual(said.count("finish proposals/auk/pages/home.html"), 1)
        self.assertEqual(said.count("the same place as in proposals/auk/pages/home.html"), 2)
        self.assertEqual([p.name for p in (self.bench / "proposals").iterdir() if p.is_dir()], ["auk"])
        again = " ".join(self.ok("update", "pier").split())
        self.assertEqual(again.count("the same place as in proposals/auk/pages/home.html"), 2)
        proposal = self.bench / "proposals/auk" / PAGE
        text = proposal.read_text("utf-8")
        before, _, rest = text.partition("<<<<<<< ")
        proposal.write_text(before + "<p>our line, and theirs</p>\n" + rest.partition(">>>>>>> ")[2].partition("\n")[2])
        said = " ".join(self.ok("update", "pier").split())
        self.assertEqual(said.count("with what you made of the same place in proposals/auk/pages/home.html"), 2)
        for child in ("auk", "gull", "tern"):
            wanted = BASE.replace("line 3", "our line, and theirs").replace("line 9", f"of {child}")
            self.assertEqual(self.read(f"themes/{child}/{PAGE}").decode(), wanted)
            self.assertEqual(self.verdicts(child), {f"template:{PAGE}": "holds"})
        self.ok("undo")
        self.assertIn("our line<", self.read(f"themes/tern/{PAGE}").decode())

    def test_another_edit_at_that_place_has_a_proposal_of_its_own(self) -> None:
        self.put(f"themes/tern/{PAGE}", BASE.replace("line 3", "another line"))
        self.ok("update", "pier", "--to", self.new)
        found = sorted(p.name for p in (self.bench / "proposals").iterdir() if p.is_dir())
        self.assertEqual(found, ["auk", "tern"])

    def test_settle_and_drop_in_several_children(self) -> None:
        self.ok("update", "pier", "--to", self.new)
        said = self.ok("settle", PAGE, "--child", "auk", "--child", "gull", "--why", "ours is wanted")
        self.assertIn("of auk", said)
        self.assertEqual(
            [self.verdicts(c)[f"template:{PAGE}"] for c in ("auk", "gull", "tern")], ["holds", "holds", "conflicted"]
        )
        self.ok("override", "pages/visit.html", "--child", "gull")
        said = self.ok("drop", "pages/visit.html", "--all-children")
        self.assertIn("dropped   template:pages/visit.html", said)
        self.ok("drop", PAGE, "--all-children")
        self.assertEqual([self.verdicts(c) for c in ("auk", "gull", "tern")], [{}, {}, {}])
        self.ok("undo")
        self.assertEqual(self.verdicts("tern"), {f"template:{PAGE}": "conflicted"})

    def test_what_can_not_be_meant_is_said(self) -> None:
        self.assertIn("which child", self.refused("drop", PAGE, status=2))
        self.assertIn("both", self.refused("drop", PAGE, "--child", "auk", "--all-children", status=2))
        self.refused("drop", "pages/none.html", "--all-children", status=2)
        self.refused("settle", "pages/visit.html", "--child", "auk", "--child", "gull", "--why", "x", status=2)


if __name__ == "__main__":
    unittest.main()
