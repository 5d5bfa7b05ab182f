"""The examples in docstrings are true."""

from __future__ import annotations

import doctest
import importlib
import pkgutil
import unittest

import protypon.core
import protypon.render


def load_tests(loader: unittest.TestLoader, tests: unittest.TestSuite, pattern: str | None) -> unittest.TestSuite:
    for package in (protypon.core, protypon.render):
        for module in pkgutil.walk_packages(package.__path__, package.__name__ + "."):
            tests.addTests(doctest.DocTestSuite(importlib.import_module(module.name)))
    return tests
