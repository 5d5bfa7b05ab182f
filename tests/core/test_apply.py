"""Carrying out plans: all or nothing, whatever the disk says in the middle."""

from __future__ import annotations

import errno
import os
import random
import tempfile
import unittest
from pathlib import Path
from unittest import mock

from protypon.core import apply
from protypon.core.actions.undo import last, plan_undo
from protypon.core.errors import BadInput, ProtyponError
from protypon.core.overlay import Overlay, content
from protypon.core.paths import FOLDER, LINK, RUNNABLE
from protypon.core.store import Store
from tests.support import state


class ApplyTest(unittest.TestCase):
    def setUp(self) -> None:
        holder = tempfile.TemporaryDirectory(prefix="protypon-apply-")
        self.addCleanup(holder.cleanup)
        self.root = Path(holder.name)
        self.store = Store(self.root / ".protypon")
        self.store.folder.mkdir()

    def put(self, path: str, data: bytes) -> None:
        (self.root / path).parent.mkdir(parents=True, exist_ok=True)
        (self.root / path).write_bytes(data)

    def files(self) -> dict[str, tuple[str, bytes | str]]:
        return state(self.root, ".protypon")

    def random_overlay(self, rng: random.Random) -> Overlay:
        """Changes of every sort: new, changed and removed files, links, run bits, files for folders and folders for files."""
        overlay = Overlay(str(self.root))
        standing = [p for p, (kind, _) in self.files().items() if kind != "folder"]
        for path in rng.sample(standing, min(len(standing), rng.randint(0, 4))):
            overlay.remove(path)
        for path in rng.sample(standing, min(len(standing), rng.randint(0, 3))):
            overlay.write(path, content(rng.randbytes(9), rng.choice([0o100644, RUNNABLE])))
        for _ in range(rng.randint(1, 4)):
            path = "/".join(rng.choices("abc", k=rng.randint(1, 3))) + str(rng.randint(0, 99))
            if not (self.root / path).exists():
                overlay.write(path, rng.choice([content(rng.randbytes(5)), content(b"elsewhere", LINK)]))
        return overlay

    def test_any_plan_can_be_taken_back_byte_for_byte(self) -> None:
        rng = random.Random(12)
        history = []
        for number in range(40):
            if rng.random() < 0.3:
                (self.root / f"empty{number}" / "deep").mkdir(parents=True)
            history.append(self.files())
            if apply.carry_out(self.random_overlay(rng).plan(f"step {number}"), self.store) is None:
                history.pop()
        while history:
            entry = last(self.store)
            plan = plan_undo(str(self.root), self.store, entry)
            apply.carry_out(plan, self.store, entry.number, entry.emptied)
            before = history.pop()
            now = self.files()
            files = {p: s for p, s in now.items() if s[0] != "folder"}
            self.assertEqual(files, {p: s for p, s in before.items() if s[0] != "folder"})
            self.assertLessEqual({p for p, s in before.items() if s[0] == "folder"}, now.keys())

    def test_a_disk_that_refuses_at_any_rename_leaves_all_as_it_was(self) -> None:
        real = os.replace
        for number in range(30):
            for path in ("a/1", "a/2", "b/3"):
                self.put(path, b"old " + path.encode())
            before = self.files()
            overlay = Overlay(str(self.root))
            overlay.remove("a/1")
            overlay.write("a/2", content(b"new"))
            overlay.write("c/4", content(b"new"))
            overlay.write("b/3", content(b"new", RUNNABLE))
            left = number

            def refuse(source: str, target: str) -> None:
                nonlocal left
                left -= 1
                if left < 0 and ".protypon" not in str(target):
                    raise OSError(errno.ENOSPC, "No space left on device", str(target))
                real(source, target)

            with mock.patch("os.replace", refuse):
                try:
                    apply.carry_out(overlay.plan("update"), self.store)
                except BadInput as error:
                    self.assertIn("No space left", error.message)
                    self.assertEqual(self.files(), before, number)
                    continue
            break
        else:
            self.fail("never came through")
        self.assertGreater(number, 2)
        self.assertEqual(self.files()["c/4"][1], b"new")

    def test_another_file_system_is_written_beside_and_renamed(self) -> None:
        self.put("themes/a", b"old")
        real = os.replace

        def across(source: str, target: str) -> None:
            if "stage" in str(source) and ".protypon" not in str(target):
                raise OSError(errno.EXDEV, "Invalid cross-device link")
            real(source, target)

        overlay = Overlay(str(self.root))
        overlay.write("themes/a", content(b"new", RUNNABLE))
        with mock.patch("os.replace", across):
            apply.carry_out(overlay.plan("x"), self.store)
        self.assertEqual(self.files(), {"themes": ("folder", ""), "themes/a": ("file 111", b"new")})

    def test_a_file_that_changed_since_the_plan_stops_it(self) -> None:
        self.put("a", b"old")
        overlay = Overlay(str(self.root))
        overlay.write("a", content(b"new"))
        plan = overlay.plan("x")
        self.put("a", b"edited meanwhile")
        with self.assertRaises(ProtyponError):
            apply.carry_out(plan, self.store)
        self.assertEqual((self.root / "a").read_bytes(), b"edited meanwhile")

    def test_nothing_is_written_through_a_link(self) -> None:
        outside = self.root / "outside"
        outside.mkdir()
        (self.root / "themes/t").mkdir(parents=True)
        (self.root / "themes/t/parts").symlink_to(outside)
        overlay = Overlay(str(self.root))
        overlay.write("themes/t/parts/foot.html", content(b"x"))
        with self.assertRaisesRegex(ProtyponError, "is a link"):
            apply.carry_out(overlay.plan("x"), self.store)
        self.assertEqual(list(outside.iterdir()), [])

    def test_rights_of_a_file_stay(self) -> None:
        self.put("a", b"old")
        (self.root / "a").chmod(0o640)
        overlay = Overlay(str(self.root))
        overlay.write("a", content(b"new"))
        apply.carry_out(overlay.plan("x"), self.store)
        self.assertEqual((self.root / "a").stat().st_mode & 0o777, 0o640)

    def test_a_folder_replaced_whole_is_just_the_new_one(self) -> None:
        for path in ("t/a", "t/b/c", "t/.DS_Store"):
            self.put(path, b"old")
        (self.root / "t/none").mkdir()
        overlay = Overlay(str(self.root))
        old = ["a", "b/c", ".DS_Store", "none"]
        overlay.replace_folder(
            str(self.root / "t"), old, {"b": content(b"now a file"), "d/e": content(b"x"), "f": content(b"", FOLDER)}
        )
        apply.carry_out(overlay.plan("x"), self.store)
        found = {p: d for p, (_, d) in state(self.root / "t").items()}
        self.assertEqual(found, {"b": b"now a file", "d": "", "d/e": b"x", "f": ""})


if __name__ == "__main__":
    unittest.main()
