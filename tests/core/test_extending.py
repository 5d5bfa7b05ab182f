"""A kind of unit and a language that stand in the tests alone, each one line in a registry: taken through check, override, update and drop."""

from __future__ import annotations

import contextlib
import io
import json
import shutil
import tempfile
import unittest
from pathlib import Path
from typing import Any
from unittest import mock

from protypon.cli.main import run
from protypon.core.languages.registry import LANGUAGES, LanguageRow
from protypon.core.units.registry import KINDS, KindRow
from tests.support import theme

LAMPS = 'import quay\n\nquay.give("lamp", "{}")\n'
PAGE = "<main>\n> parts/head.slip\n</main>\n"
HEAD = "; the head\n<h1>Pier</h1>\n<p>one</p>\n<p>two</p>\n"
SLIPS = """format = "protypon.platform/1"
name = "slips"
like = "quayside"
files = [{ kind = "template", match = ["pages/**.slip", "parts/**.slip"], language = "slip", entry = ["pages/**"] }]
"""


class ExtendingTest(unittest.TestCase):
    def setUp(self) -> None:
        self.root = Path(tempfile.mkdtemp(prefix="protypon-toys-"))
        self.addCleanup(shutil.rmtree, self.root, ignore_errors=True)
        for registry, row in (
            (LANGUAGES, {"slip": LanguageRow("tests.core.languages.toy_language.source")}),
            (KINDS, {"lamp": KindRow("tests.core.units.toy_kind")}),
        ):
            patch = mock.patch.dict(registry, row)  # type: ignore[arg-type]
            patch.start()
            self.addCleanup(patch.stop)
        KINDS.pop("variable")  # lamps are what this platform calls them
        self.bench = self.root / "bench"
        self.bench.mkdir()
        (self.bench / "slips.toml").write_text(SLIPS)
        self.parent(self.bench / "themes/pier", "1.0.0", HEAD, "green")
        self.run_command("init", "--platform", "slips.toml")
        self.run_command("new", "gull", "--parent", "pier")

    def parent(self, folder: Path, release: str, head: str, lamp: str) -> None:
        files = {"quay.toml": theme("pier", release=release), "pages/home.slip": PAGE, "parts/head.slip": head}
        for path, text in {**files, "code/lamps.py": LAMPS.format(lamp)}.items():
            (folder / path).parent.mkdir(parents=True, exist_ok=True)
            (folder / path).write_text(text)

    def run_command(self, *arguments: str, folder: Path | None = None, status: int = 0) -> str:
        out, err = io.StringIO(), io.StringIO()
        with contextlib.chdir(folder or self.bench), contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
            found = run(list(arguments))
        self.assertEqual(found, status, f"{arguments}: {out.getvalue()}{err.getvalue()}")
        return out.getvalue()

    def verdicts(self, *arguments: str, status: int = 0) -> dict[str, Any]:
        table = json.loads(self.run_command("check", *arguments, "--format", "json", status=status))
        rows = table["children"][0]["overrides"]
        return {row["unit"]: (row["verdict"], row["because"]) for row in rows}

    def test_a_language(self) -> None:
        part = self.bench / "themes/gull/parts/head.slip"
        self.run_command("override", "template:parts/head.slip")
        part.write_text(HEAD.replace("two", "ours"))
        self.assertEqual(self.verdicts()["template:parts/head.slip"][0], "holds")
        self.parent(self.root / "next", "1.1.0", HEAD.replace("; the head", "; another remark"), "green")
        remark = self.verdicts("--against", str(self.root / "next"), status=1)["template:parts/head.slip"]
        self.assertEqual(remark[0], "drifted")
        self.assertIn("only white space, line ends or comments", remark[1])
        self.parent(self.root / "next", "1.1.0", HEAD.replace("; the head", ">\n; the head"), "green")
        self.assertNotEqual(
            self.verdicts("--against", str(self.root / "next"), status=1)["template:parts/head.slip"][0], "holds"
        )
        self.parent(self.root / "next", "1.1.0", HEAD.replace("Pier", "Jetty"), "green")
        self.run_command("update", "pier", "--to", str(self.root / "next"))
        self.assertEqual(part.read_text(), HEAD.replace("two", "ours").replace("Pier", "Jetty"))
        (self.bench / "themes/pier/pages/home.slip").write_text("<main></main>\n")
        self.assertEqual(self.verdicts(status=1)["template:parts/head.slip"][0], "idle")
        self.run_command("drop", "template:parts/head.slip")
        self.assertFalse(part.exists())

    def test_a_kind(self) -> None:
        code = self.bench / "themes/gull/code/gull.py"
        self.run_command("override", "lamp:lamp", "--why", "the harbour wants it")
        self.assertIn('quay.give("lamp", "white")', code.read_text())
        self.assertEqual(self.verdicts()["lamp:lamp"], ("holds", "it shines white"))
        self.assertIn("lamp:lamp", self.run_command("explain", "lamp:lamp", "--format", "json"))
        self.assertIn("lamp dazzles ships", self.run_command("check"))
        surveyed = json.loads(self.run_command("survey", "--units", "--format", "json"))["themes"]
        self.assertEqual([t["offers"]["lamps"] for t in surveyed], [["lamp"], ["lamp"]])
        self.assertTrue(all("lamp:lamp" in t["addresses"] for t in surveyed))
        self.parent(self.root / "next", "1.1.0", HEAD, "red")
        self.assertEqual(self.verdicts("--against", str(self.root / "next"), status=1)["lamp:lamp"][0], "drifted")
        self.run_command("update", "pier", "--to", str(self.root / "next"))
        self.assertEqual(self.verdicts()["lamp:lamp"], ("holds", "it shines white"))
        (self.bench / "themes/pier/code/lamps.py").write_text("x = 1\n")
        self.assertEqual(
            self.verdicts("--fail-on", "fatal")["lamp:lamp"][0], "holds"
        )  # as released, until the edit is gone
        self.run_command("drop", "lamp:lamp")
        self.assertFalse(code.exists())
        self.assertNotIn("lamp:lamp", (self.bench / "themes/gull/overrides.toml").read_text())


if __name__ == "__main__":
    unittest.main()
