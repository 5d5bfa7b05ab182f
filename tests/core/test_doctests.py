"""The examples in docstrings are run."""

from __future__ import annotations

import doctest
import pkgutil
import unittest
from importlib import import_module

import protypon.core
import protypon.render


class DocstringTest(unittest.TestCase):
    def test_examples_in_docstrings(self) -> None:
        tried = 0
        for package in (protypon.core, protypon.render):
            for module in pkgutil.walk_packages(package.__path__, package.__name__ + "."):
                with self.subTest(module.name):
                    result = doctest.testmod(import_module(module.name))
                    self.assertEqual(result.failed, 0)
                    tried += result.attempted
        self.assertGreater(tried, 15)


if __name__ == "__main__":
    unittest.main()
