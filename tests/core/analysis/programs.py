"""Small programs, run by the interpreter and followed without running: whether what is said for sure of them is so."""

from __future__ import annotations

import json
import re
import subprocess
import sys
import tempfile
from collections import Counter
from pathlib import Path
from typing import NamedTuple

from protypon.core.analysis.control import Leaving
from protypon.core.analysis.following import FOLLOWING
from protypon.core.analysis.loading import RECURSION
from protypon.core.analysis.machine import Machine
from protypon.core.analysis.state import Halted
from protypon.core.analysis.values import Env, File
from protypon.core.languages.registry import coded_language
from protypon.core.languages.values import Unknown
from protypon.core.platform.meanings import Argument, CodeRules, Meaning
from tests.core.analysis.pieces import fits

HERE = Path(__file__).parent / "constructs"
RUNNERS = {"php": ["php", "-n", str(HERE / "run.php")], "python": [sys.executable, str(HERE / "run.py")]}
ENDINGS = {"php": ".php", "python": ".py"}
MARK = Meaning(
    "attach", ("mark",), (Argument("point", "point"), Argument("callback", "callback"), Argument("order", "order", 0))
)


class Ran(NamedTuple):
    """What a program did: what it printed, the points that it marked, and how it died."""

    printed: str
    marked: list[str]
    died: str | None


class Judged(NamedTuple):
    """Whether what is said of a program is ``known`` to the last part, ``unknown`` in part, or ``wrong``; or it ``died``."""

    how: str
    why: str = ""


def read(language: str, which: str = "") -> list[tuple[str, str]]:
    """The programs of a language, by name; or ``_further`` ones, about how things work together."""
    text = (HERE / f"{language}{which}.txt").read_text("utf-8")
    rows = [part.partition("\n") for part in re.split(r"(?m)^=== ", text)[1:]]
    return [(name.strip(), whole(language, body)) for name, _, body in rows]


def whole(language: str, body: str) -> str:
    return "<?php\n" + body.rstrip("\n") if language == "php" else body


def ran(language: str, programs: list[str], *options: str) -> list[Ran]:
    """Run programs, each in a process of its own; ``options`` are the interpreter's."""
    with tempfile.TemporaryDirectory(prefix="protypon-programs-") as folder:
        paths = []
        for number, source in enumerate(programs):
            path = Path(folder, f"{number}{ENDINGS[language]}")
            path.write_text(source, "utf-8")
            paths.append(str(path))
        runner = [RUNNERS[language][0], *options, *RUNNERS[language][1:]]
        done = subprocess.run(runner, input=json.dumps(paths), capture_output=True, text=True, check=True)
    lines = done.stdout.split("\n")[: len(programs)]
    return [Ran(*json.loads(line)) if line else Ran("", [], "killed") for line in lines]


class Followed(NamedTuple):
    """What is said of a program without running it."""

    machine: Machine
    printed: list[str | Unknown]
    raised: bool
    halted: str = ""
    """Why the site would stop for good."""


def followed(language: str, source: str) -> Followed:
    module = coded_language(language)
    rules = CodeRules(declares="all" if language == "php" else "marked", meanings=(MARK,), calls={"mark": (MARK,)})
    machine = Machine(rules, FOLLOWING)
    machine.is_own = module.SEMANTICS.is_own
    said: list[str | Unknown] = machine.out if language == "php" else []

    def say(*values: object) -> None:
        for value in values:
            text, doubt = machine.text(value, machine.frames[-1]), machine.doubt or machine.out_of_order
            said.append(Unknown(doubt) if doubt else text)

    machine.lookups["say"] = say
    sys.setrecursionlimit(max(sys.getrecursionlimit(), RECURSION))
    raised, halted = False, ""
    try:
        machine.run_file(File("theme", "file", module.code(source.encode()), module.SEMANTICS), Env({}))
    except Leaving as leaving:
        raised = leaving.kind == "raise"
    except Halted as stop:
        halted = stop.because
    return Followed(machine, machine.out if language == "php" else said, raised, halted)


def judged(language: str, source: str, real: Ran) -> Judged:
    """Hold what is said of a program against its run."""
    if real.died:
        return Judged("died", real.died)
    found = followed(language, source)
    state = found.machine.state
    if found.raised or found.halted:
        return Judged("wrong", "it is said to die")
    if not fits(found.printed, real.printed):
        return Judged("wrong", f"printed {real.printed!r}, said {found.printed}")
    sure = [str(c.point) for c in state.callbacks if not c.doubt]
    if Counter(sure) - Counter(real.marked):
        return Judged("wrong", f"marked {real.marked}, said {sure}")
    strange = set(real.marked) - {str(c.point) for c in state.callbacks}
    if not state.blind and not all(any(each.point.may_be(point) for each in state.anywhere) for point in strange):
        return Judged("wrong", f"marked {real.marked}, and some are not foreseen")
    unknown = [piece.why for piece in found.printed if isinstance(piece, Unknown)]
    unknown += [c.doubt for c in state.callbacks if c.doubt] + [str(m.value) for m in state.blind]
    unknown += [each.why for each in state.anywhere]
    return Judged("unknown", unknown[0]) if unknown else Judged("known")
