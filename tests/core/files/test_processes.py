"""Shares of work in processes of their own."""

from __future__ import annotations

import os
import signal
import unittest
from functools import partial

from protypon.core.files.processes import in_processes
from protypon.core.model.errors import BadInput


class ProcessesTest(unittest.TestCase):
    def test_what_each_makes_comes_back_in_order(self) -> None:
        self.assertEqual(
            in_processes([partial(str.__mul__, "x", n) for n in (3, 1 << 20, 0)]), ["xxx", "x" * (1 << 20), ""]
        )

    def test_each_is_another_process(self) -> None:
        self.assertEqual(len({os.getpid(), *in_processes([os.getpid] * 3)}), 4)

    def test_what_one_raises_is_raised_whole(self) -> None:
        def fails() -> None:
            raise BadInput("a.html: is no text", "mend it")

        with self.assertRaises(BadInput) as caught:
            in_processes([lambda: None, fails])
        self.assertEqual((caught.exception.message, caught.exception.hint), ("a.html: is no text", "mend it"))

    def test_one_that_is_killed_gives_nothing(self) -> None:
        def killed() -> int:
            os.kill(os.getpid(), signal.SIGKILL)
            return 1

        self.assertEqual(in_processes([lambda: 1, killed, lambda: 3]), [1, None, 3])


if __name__ == "__main__":
    unittest.main()
