"""Steps that can be taken back: listed, one by its number, several at once, and past what stands in the way of one."""

from __future__ import annotations

import json
import random
import tomllib
import unittest
from typing import Any

from tests.cases import seeds
from tests.support import BenchCase, state

FILES: dict[str, str | bytes] = {f"parts/{name}.html": f"<p>{name}</p>\n" for name in "abcd"}


class UndoCase(BenchCase):
    def steps(self) -> list[dict[str, Any]]:
        found: list[dict[str, Any]] = json.loads(self.ok("undo", "--list", "--format", "json"))["steps"]
        return found

    def begun(self) -> None:
        """Two children, so that their steps touch paths of their own."""
        self.started(FILES)
        self.ok("new", "skua", "--parent", "pier")


class ListTest(UndoCase):
    def test_steps_are_listed_with_number_time_command_and_paths_the_last_one_first(self) -> None:
        self.assertIn("no command has written here", self.lists_nothing())
        self.begun()
        self.ok("override", "parts/a.html", "--child", "gull")
        rows = self.steps()
        self.assertEqual([row["step"] for row in rows], [4, 3, 2, 1])
        self.assertEqual(rows[0]["command"], "override template:parts/a.html --child gull")
        self.assertEqual(rows[0]["paths"], ["themes/gull/overrides.toml", "themes/gull/parts/a.html"])
        self.assertRegex(rows[0]["time"], r"^\d{4}-\d\d-\d\dT")
        said = self.ok("undo", "--list")
        self.assertRegex(said, r"(?m)^4  \d{4}-\d\d-\d\d \d\d:\d\d  protypon override template:parts/a.html")
        self.assertIn("next: protypon undo", said)
        self.assertLessEqual(max(map(len, said.splitlines())), 100)
        self.ok("undo")
        self.assertEqual([row["taken_back"] for row in self.steps()], [True, False, False, False])
        self.assertIn("taken back  protypon override", self.ok("undo", "--list"))

    def lists_nothing(self) -> str:
        self.put("protypon.toml", 'platform = "quayside"\n')
        said = self.ok("undo", "--list")
        (self.bench / "protypon.toml").unlink()
        return said

    def test_what_can_not_be_meant_is_refused(self) -> None:
        self.begun()
        self.assertIn("can't be meant together", self.refused("undo", "2", "--list", status=2))
        self.assertIn("there is no step 99", self.refused("undo", "99", status=2))
        self.assertIn("there is no step 99", self.refused("undo", "--to", "99", status=2))
        self.assertIn("no step comes after it", self.refused("undo", "--to", "3"))
        self.ok("undo")
        self.assertIn("is taken back already", self.refused("undo", "3"))


class OneTest(UndoCase):
    def test_one_alone_where_no_later_one_builds_on_it(self) -> None:
        self.begun()
        self.ok("override", "parts/a.html", "--child", "gull")
        before = state(self.bench / "themes/gull")
        self.ok("override", "parts/b.html", "--child", "gull")
        self.ok("override", "parts/a.html", "--child", "skua")
        after = state(self.bench / "themes/skua")
        self.ok("undo", "5")
        self.assertEqual(state(self.bench / "themes/gull"), before)
        self.assertEqual(state(self.bench / "themes/skua"), after)

    def test_one_of_a_child_is_free_of_its_later_ones(self) -> None:
        self.started(FILES)
        self.ok("override", "parts/a.html", "--why", "our own")
        self.ok("override", "parts/b.html")
        self.edit("themes/gull/parts/b.html", b"b", b"ours")
        said = self.ok("undo", "3")
        self.assertIn("as before: themes/gull/overrides.toml, themes/gull/parts/a.html", said)
        self.assertEqual(self.verdicts("gull"), {"template:parts/b.html": "idle"})
        self.assertEqual(self.read("themes/gull/parts/b.html"), b"<p>ours</p>\n")

    def test_a_record_that_a_later_one_changed_stands_in_the_way(self) -> None:
        self.started(FILES)
        self.ok("override", "parts/a.html")
        self.ok("override", "parts/b.html")
        self.parent({**FILES, "parts/a.html": "<p>new</p>\n"}, release="2.0.0")
        self.ok("settle", "parts/a.html", "--why", "ours is better")
        said = self.refused("undo", "3")
        self.assertRegex(said, r"step 5 \(settle .*\) changed themes/gull/overrides.toml after step 3")
        self.ok("undo", "4")
        self.ok("undo", "5")
        self.ok("undo", "3")
        self.assertNotIn("[[override]]", self.read("themes/gull/overrides.toml").decode())

    def test_a_ledger_edited_by_hand(self) -> None:
        """What a person wrote into other records, and between them, stays; what was written into the step's own is not lost."""
        self.started(FILES)
        for name in "abc":
            self.ok("override", f"parts/{name}.html")
        path = "themes/gull/overrides.toml"
        self.edit(path, b'unit = "template:parts/b.html"\n', b'# for the jubilee\nunit = "template:parts/b.html"\n')
        whole = self.read(path)
        self.assertIn(f"{path} changed since", self.refused("undo", "4"))
        self.ok("undo", "3")
        left = self.read(path)
        self.assertIn(b"# for the jubilee\n", left)
        self.assertNotIn(b"parts/a.html", left)
        self.ok("undo")
        self.assertEqual(self.read(path).count(b"[[override]]"), 1)
        self.assertIn(whole[whole.index(b"# for the") :].partition(b"\n\n")[0], self.read(path))
        self.put(path, b"no ledger at all")
        self.assertIn(f"{path} changed since", self.refused("undo"))

    def test_in_any_order_all_is_as_it_was(self) -> None:
        """Steps of one child, taken back one by one in random order: records and files agree each time, and in the end no byte is left."""
        for seed in seeds(2):
            with self.subTest(seed=seed):
                self.doCleanups()
                self.setUp()
                self.in_any_order(random.Random(f"any order {seed}"))

    def in_any_order(self, rng: random.Random) -> None:
        self.started(FILES)
        begun = state(self.bench, ".protypon")
        names = rng.sample("abcd", 4)
        for name in names:
            self.ok("override", f"parts/{name}.html")
        standing = dict(zip(names, range(3, 7), strict=True))
        while standing:
            name = rng.choice(list(standing))
            self.ok("undo", str(standing.pop(name)))
            report = self.check()["gull"]
            self.assertEqual(
                {row["unit"] for row in report["overrides"]}, {f"template:parts/{left}.html" for left in standing}
            )
            self.assertEqual(report["findings"], [])
        self.assertEqual(state(self.bench, ".protypon"), begun)

    def test_what_stands_in_the_way_of_the_last_does_not_keep_another_from_being_taken_back(self) -> None:
        self.begun()
        before = state(self.bench / "themes/gull")
        self.ok("override", "parts/a.html", "--child", "gull")
        self.ok("override", "parts/a.html", "--child", "skua")
        self.edit("themes/skua/parts/a.html", b"a", b"ours")
        said = self.refused("undo")
        self.assertIn("themes/skua/parts/a.html changed since", said)
        self.assertIn("or take back another step alone: protypon undo 4", said)
        self.ok("undo", "4")
        self.assertEqual(state(self.bench / "themes/gull"), before)
        self.assertEqual(self.read("themes/skua/parts/a.html"), b"<p>ours</p>\n")


class ToTest(UndoCase):
    def test_all_after_a_step_in_one_step(self) -> None:
        self.begun()
        before = state(self.bench, ".protypon")
        for name in "abc":
            self.ok("override", f"parts/{name}.html", "--child", "gull")
        self.ok("drop", "parts/b.html", "--child", "gull")
        self.assertIn("would take back", self.ok("undo", "--to", "3", "--dry-run"))
        self.ok("undo", "--to", "3")
        self.assertEqual(state(self.bench, ".protypon"), before)
        self.assertEqual([row["step"] for row in self.steps() if not row["taken_back"]], [3, 2, 1])
        self.ok("undo", "--to", "0")
        self.assertEqual([path for path in state(self.bench, ".protypon") if "gull" in path], [])

    def test_random_steps_and_edits(self) -> None:
        """Paths that nobody edited are as they were after the step, where no step that had to stay touched them; edits stay."""
        for seed in seeds(6):
            with self.subTest(seed=seed):
                self.doCleanups()
                self.setUp()
                self.one(random.Random(f"undo {seed}"))

    def one(self, rng: random.Random) -> None:
        self.begun()
        states = {3: state(self.bench, ".protypon")}
        for _ in range(8):
            child, name = rng.choice(("gull", "skua")), rng.choice("abcd")
            there = (self.bench / f"themes/{child}/parts/{name}.html").exists()
            self.ok("drop" if there else "override", f"parts/{name}.html", "--child", child)
            states[self.steps()[0]["step"]] = state(self.bench, ".protypon")
        edited = [p for p in states[max(states)] if p.endswith(".html") and "pier" not in p and rng.random() < 0.2]
        for path in edited:
            self.put(path, b"edited by hand\n")
        now = state(self.bench, ".protypon")
        to = rng.choice(sorted(states)[:-1])
        done = self.run_command("undo", "--to", str(to), "--format", "json")
        if done.returncode == 3:
            self.assertEqual(state(self.bench, ".protypon"), now)
            return
        left = json.loads(done.stdout)["left"]
        self.assertEqual(done.returncode, 1 if left else 0)
        stuck = {
            path for row in self.steps() for path in row["paths"] if row["step"] in {each["step"] for each in left}
        }
        then, after = states[to], state(self.bench, ".protypon")
        for path in {*then, *after}:
            if path in edited:
                self.assertEqual(after[path], now[path], path)
            elif path not in stuck and not any(p.startswith(path + "/") for p in {*edited, *stuck}):
                self.assertEqual(after.get(path), then.get(path), path)
        for child in ("gull", "skua"):
            records = tomllib.loads(self.read(f"themes/{child}/overrides.toml").decode()).get("override", [])
            files = sorted(path.name for path in (self.bench / f"themes/{child}/parts").glob("*"))
            self.assertEqual(sorted(row["unit"].rpartition("/")[2] for row in records), files)


if __name__ == "__main__":
    unittest.main()
