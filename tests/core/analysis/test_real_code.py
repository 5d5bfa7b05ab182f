"""Python's own library, which nobody here wrote: no module that can be imported is said to end by an error."""

from __future__ import annotations

import random
import subprocess
import sys
import sysconfig
import unittest
from pathlib import Path

from tests.cases import seeds
from tests.core.analysis.programs import followed

LIBRARY = Path(sysconfig.get_paths()["stdlib"])
ALWAYS = (
    "_collections_abc.py", "_pyio.py", "dataclasses.py", "enum.py", "importlib/abc.py", "multiprocessing/shared_memory.py", "numbers.py", "string.py",
    "types.py",
)  # fmt: skip
"""Modules that do much with classes while they load."""


def modules() -> list[Path]:
    found = (path.relative_to(LIBRARY) for path in sorted(LIBRARY.rglob("*.py")))
    return [path for path in found if not {"site-packages", "test", "tests", "idlelib"} & set(path.parts)]


class RealCodeTest(unittest.TestCase):
    def test_what_can_be_imported_is_not_said_to_end(self) -> None:
        every = modules()
        chosen = [random.Random(f"module {seed}").choice(every) for seed in seeds(50)]
        for path in dict.fromkeys([*map(Path, ALWAYS), *chosen]):
            if not (LIBRARY / path).exists():
                continue
            found = followed("python", (LIBRARY / path).read_text("utf-8", "surrogateescape"))
            name = ".".join(path.with_suffix("").parts).removesuffix(".__init__")
            with self.subTest(module=name):
                self.assertTrue(not found.raised or not self.loads(name), "it is said to end by an error")

    def loads(self, name: str) -> bool:
        command = [sys.executable, "-c", f"import importlib; importlib.import_module({name!r})"]
        return subprocess.run(command, capture_output=True, timeout=60).returncode == 0
