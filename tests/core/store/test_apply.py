"""Carrying out plans: all or nothing, whatever the disk says in the middle."""

from __future__ import annotations

import errno
import os
import random
import tempfile
import unittest
from collections.abc import Callable
from contextlib import ExitStack
from pathlib import Path
from typing import Any
from unittest import mock

from protypon.core.actions.undo import plan_last, plan_one, plan_to, steps
from protypon.core.files.folder import Folder
from protypon.core.files.listing import look
from protypon.core.model.errors import BadInput, ProtyponError
from protypon.core.model.paths import FOLDER, LINK, RUNNABLE
from protypon.core.store import apply
from protypon.core.store.plan_builder import PlanBuilder, content
from protypon.core.store.store import Store
from tests.support import state


class ApplyTest(unittest.TestCase):
    def setUp(self) -> None:
        holder = tempfile.TemporaryDirectory(prefix="protypon-apply-")
        self.addCleanup(holder.cleanup)
        self.root = Path(holder.name)
        self.folder = Folder(str(self.root))
        self.store = Store(self.folder)

    def put(self, path: str, data: bytes) -> None:
        (self.root / path).parent.mkdir(parents=True, exist_ok=True)
        (self.root / path).write_bytes(data)

    def files(self) -> dict[str, tuple[str, bytes | str]]:
        return state(self.root, ".protypon")

    def random_plan(self, rng: random.Random) -> PlanBuilder:
        """Changes of every sort: new, changed and removed files, links, run bits, files for folders and folders for files."""
        builder = PlanBuilder(self.folder)
        standing = [p for p, (kind, _) in self.files().items() if not kind.startswith("folder")]
        for path in rng.sample(standing, min(len(standing), rng.randint(0, 4))):
            builder.remove(path)
        for path in rng.sample(standing, min(len(standing), rng.randint(0, 3))):
            builder.write(path, content(rng.randbytes(9), rng.choice([0o100644, RUNNABLE])))
        for _ in range(rng.randint(1, 4)):
            path = "/".join(rng.choices("abc", k=rng.randint(1, 3))) + str(rng.randint(0, 99))
            if not (self.root / path).exists():
                builder.write(path, rng.choice([content(rng.randbytes(5)), content(b"elsewhere", LINK)]))
        return builder

    def test_any_plan_can_be_taken_back_byte_for_byte_and_bit_for_bit(self) -> None:
        rng = random.Random(12)
        for number in range(40):
            path = "/".join(rng.choices("abc", k=rng.randint(1, 3))) + f"{number}"
            self.put(path, rng.randbytes(3))
            (self.root / path).chmod(rng.choice([0o600, 0o444, 0o4755, 0o640, 0o777]))
            (self.root / path).parent.chmod(rng.choice([0o700, 0o755, 0o2755, 0o777]))
        history = []
        for number in range(60):
            if rng.random() < 0.3:
                (self.root / f"empty{number}" / "deep").mkdir(parents=True)
            history.append(self.files())
            if apply.carry_out(self.random_plan(rng).plan(f"step {number}"), self.store) is None:
                history.pop()
            elif rng.random() < 0.3:
                self.take_back(history.pop())
        while history:
            self.take_back(history.pop())

    def test_several_at_once_are_as_one_after_the_other(self) -> None:
        """Back to any step in one go, over steps that were taken back alone: the tree is as it was then."""
        for seed in range(12):
            rng = random.Random(f"to {seed}")
            self.doCleanups()
            self.setUp()
            for path in ("a/1", "a/2", "b/3", "old/deep/4"):
                self.put(path, rng.randbytes(3))
            states = {0: self.files()}
            for number in range(14):
                if apply.carry_out(self.random_plan(rng).plan(f"step {number}"), self.store) is not None:
                    states[steps(self.store)[0].entry.number] = self.files()
            to = rng.choice(sorted(states)[:-1])
            for _ in range(rng.choice((0, 0, 2))):
                alone = steps(self.store)[0].entry.number
                if alone > to:
                    apply.carry_out(plan_one(self.folder, self.store, alone)[0], self.store)
                    states.pop(alone)
                    break
            if not any(step.entry.number > to and not step.taken_back for step in steps(self.store)):
                continue
            plan, _, left = plan_to(self.folder, self.store, to)
            self.assertEqual(left, [])
            apply.carry_out(plan, self.store)
            self.assertEqual(self.files(), states[to], (seed, to))

    def test_empty_folders_that_come_and_go_over_several_steps(self) -> None:
        (self.root / "hollow/deep").mkdir(parents=True)
        (self.root / "hollow/deep").chmod(0o750)
        self.put("kept", b"kept")
        states = [self.files()]
        for number, (gone, comes) in enumerate(
            ((["hollow/deep"], "hollow/deep/a"), (["hollow/deep/a"], "b/c"), (["b/c"], "hollow/deep/d"))
        ):
            builder = PlanBuilder(self.folder)
            for path in gone:
                builder.remove(path)
            builder.write(comes, content(b"x"))
            apply.carry_out(builder.plan(f"step {number}"), self.store)
            states.append(self.files())
        for to in (2, 0):
            apply.carry_out(plan_to(self.folder, self.store, to)[0], self.store)
            self.assertEqual(self.files(), states[to])

    def take_back(self, before: dict[str, tuple[str, bytes | str]]) -> None:
        """Undo the last step: all is as it was, but for empty folders that came since."""
        apply.carry_out(plan_last(self.folder, self.store)[0], self.store)
        now = self.files()
        self.assertEqual({p: s for p, s in now.items() if p in before or not p.startswith("empty")}, before)

    def test_a_disk_that_refuses_at_any_move_leaves_all_as_it_was(self) -> None:
        for number in range(60):
            for path in ("a/1", "a/2", "b/3"):
                self.put(path, b"old " + path.encode())
            before = self.files()
            builder = PlanBuilder(self.folder)
            builder.remove("a/1")
            builder.write("a/2", content(b"new"))
            builder.write("c/4", content(b"new"))
            builder.write("b/3", content(b"new", RUNNABLE))
            plan = builder.plan("update")
            left = number

            def once(real: Callable[..., None]) -> Callable[..., None]:
                def refuse(*given: Any, **more: Any) -> None:
                    nonlocal left
                    left -= 1
                    if left == -1:
                        raise OSError(errno.ENOSPC, "No space left on device")
                    real(*given, **more)

                return refuse

            with ExitStack() as stack:
                for name in ("rename", "link", "mkdir", "rmdir", "unlink"):
                    stack.enter_context(mock.patch(f"os.{name}", once(getattr(os, name))))
                try:
                    apply.carry_out(plan, self.store)
                except BadInput as error:
                    self.assertIn("nothing was changed", error.message)
                    self.assertEqual(self.files(), before, number)
                    continue
            if left >= 0:
                break
        else:
            self.fail("never came through")
        self.assertGreater(number, 8)
        self.assertEqual(self.files()["c/4"][1], b"new")

    def test_another_file_system_is_written_beside_and_renamed(self) -> None:
        self.put("themes/a", b"old")
        real, crossed = os.rename, []

        def across(source: str, target: str, *, src_dir_fd: int, dst_dir_fd: int) -> None:
            if source == "0" and target in ("0", "a"):
                crossed.append(target)
                raise OSError(errno.EXDEV, "Invalid cross-device link")
            real(source, target, src_dir_fd=src_dir_fd, dst_dir_fd=dst_dir_fd)

        builder = PlanBuilder(self.folder)
        builder.write("themes/a", content(b"new", RUNNABLE))
        with mock.patch("os.rename", across):
            apply.carry_out(builder.plan("x"), self.store)
        self.assertTrue(crossed)
        self.assertEqual({p: (k[-3:], d) for p, (k, d) in self.files().items()}["themes/a"], ("755", b"new"))

    def test_a_file_that_changed_since_the_plan_stops_it(self) -> None:
        self.put("a", b"old")
        builder = PlanBuilder(self.folder)
        builder.write("a", content(b"new"))
        plan = builder.plan("x")
        self.put("a", b"edited meanwhile")
        with self.assertRaises(ProtyponError):
            apply.carry_out(plan, self.store)
        self.assertEqual((self.root / "a").read_bytes(), b"edited meanwhile")

    def test_nothing_is_written_through_a_link(self) -> None:
        outside = self.root / "outside"
        outside.mkdir()
        (self.root / "themes/t").mkdir(parents=True)
        (self.root / "themes/t/parts").symlink_to(outside)
        builder = PlanBuilder(self.folder)
        builder.write("themes/t/parts/foot.html", content(b"x"))
        with self.assertRaisesRegex(ProtyponError, "is a link"):
            apply.carry_out(builder.plan("x"), self.store)
        self.assertEqual(list(outside.iterdir()), [])

    def test_rights_of_a_file_stay(self) -> None:
        self.put("a", b"old")
        (self.root / "a").chmod(0o640)
        builder = PlanBuilder(self.folder)
        builder.write("a", content(b"new"))
        apply.carry_out(builder.plan("x"), self.store)
        self.assertEqual((self.root / "a").stat().st_mode & 0o777, 0o640)

    def test_a_folder_replaced_whole_is_just_the_new_one(self) -> None:
        for path in ("t/a", "t/b/c", "t/.DS_Store"):
            self.put(path, b"old")
        (self.root / "t/none").mkdir()
        builder = PlanBuilder(self.folder)
        old = look(self.root / "t").entries
        builder.replace_folder(
            str(self.root / "t"), old, {"b": content(b"now a file"), "d/e": content(b"x"), "f": content(b"", FOLDER)}
        )
        apply.carry_out(builder.plan("x"), self.store)
        found = {p: d for p, (_, d) in state(self.root / "t").items()}
        self.assertEqual(found, {"b": b"now a file", "d": "", "d/e": b"x", "f": ""})


if __name__ == "__main__":
    unittest.main()
