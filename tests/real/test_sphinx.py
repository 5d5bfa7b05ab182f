"""A real platform and real releases: Sphinx, and two releases of sphinx-rtd-theme from the registry, as wheels.

Needs Sphinx in this environment and the wheels in the folder that PROTYPON_WHEELS names; ``.ci/run`` sees to both.
"""

from __future__ import annotations

import json
import os
import random
import shutil
import subprocess
import sys
import unittest
import zipfile
from importlib.util import find_spec
from pathlib import Path

from tests.support import BenchCase

WHEELS = Path(os.environ.get("PROTYPON_WHEELS", "wheels"))
OLD = next(iter(sorted(WHEELS.glob("sphinx_rtd_theme-1.3.0-*.whl"))), None)
NEW = next(iter(sorted(WHEELS.glob("sphinx_rtd_theme-3.0.2-*.whl"))), None)
THERE = OLD is not None and NEW is not None and find_spec("sphinx") is not None
MARKER = "Charted by the Federation of Small Coastal Museums"


@unittest.skipUnless(
    THERE, "Sphinx or the wheels of sphinx-rtd-theme 1.3.0 and 3.0.2 are not here: real releases not tested"
)
class SphinxTest(BenchCase):
    def unpacked(self, wheel: Path) -> None:
        with zipfile.ZipFile(wheel) as archive:
            archive.extractall(
                self.bench / "themes", [n for n in archive.namelist() if n.startswith("sphinx_rtd_theme/")]
            )

    def build(self, name: str, theme: str = "tide_docs", themes: Path | None = None, fine: bool = True) -> str:
        """Build a one-page site with the real generator; returns the page."""
        site = self.root / name
        site.mkdir()
        (site / "conf.py").write_text(
            f"project = 'Tides'\nhtml_theme = {theme!r}\nhtml_theme_path = [{str(themes or self.bench / 'themes')!r}]\n"
        )
        (site / "index.rst").write_text("Tides\n=====\n\nHigh at six.\n")
        command = [sys.executable, "-m", "sphinx", "-E", "-a", "-q", "-b", "html", str(site), str(site / "out")]
        done = subprocess.run(command, capture_output=True, text=True)
        self.assertEqual(done.returncode == 0, fine, done.stderr)
        return (site / "out/index.html").read_text("utf-8") if fine else done.stderr

    def begun(self) -> None:
        assert OLD
        self.unpacked(OLD)
        self.ok("init", "--platform", "sphinx")
        self.ok("keep", str(OLD))
        self.ok("new", "tide_docs", "--parent", "sphinx_rtd_theme")
        self.ok("override", "layout.html", "footer.html", "breadcrumbs.html", "--why", "our credit line")

    def edited(self) -> None:
        self.edit("themes/tide_docs/footer.html", b"<hr/>", f"<hr/>\n  <p>{MARKER}</p>".encode())
        self.edit(
            "themes/tide_docs/layout.html",
            b'{% include "footer.html" %}',
            b'<i>layout-marker</i>\n          {% include "footer.html" %}',
        )
        self.edit(
            "themes/tide_docs/breadcrumbs.html",
            b"{%- block breadcrumbs %}",
            b"<!-- trail-marker -->\n  {%- block breadcrumbs %}",
        )

    def test_a_child_is_carried_from_one_real_release_to_the_next(self) -> None:
        assert OLD and NEW
        table = json.loads(self.ok("survey", "--platform", "sphinx", "--format", "json", str(OLD)))
        found = [(t["slug"], t["release"], t["lineage"]) for t in table["themes"]]
        self.assertEqual(found, [("sphinx_rtd_theme", "1.3.0", ["sphinx_rtd_theme", "basic"])])
        self.begun()
        self.edited()
        report = self.check()["tide_docs"]
        self.assertEqual(report["summary"], {"holds": 3})
        self.assertEqual(report["parents"], [{"theme": "sphinx_rtd_theme", "taken": "1.3.0", "now": "1.3.0"}])
        self.assertEqual([row["code"] for row in report["findings"]], ["copied-whole"])
        before = self.build("before")
        foretold = self.verdicts("tide_docs", "--against", str(NEW))
        self.assertEqual(foretold["template:layout.html"], "drifted")
        self.ok("update", "sphinx_rtd_theme", "--to", str(NEW))
        self.assertEqual(self.check()["tide_docs"]["summary"], {"holds": 3})
        after = self.build("after")
        self.assertNotEqual(before, after)
        for page in (before, after):
            for piece in (
                MARKER,
                "layout-marker",
                "trail-marker",
                "_static/css/theme.css",
                "_static/css/tide_docs.css",
            ):
                self.assertIn(piece, page)
        self.assertIn('class="writer-html5" lang="en" data-content_root', after)
        self.ok("undo")
        self.assertEqual(self.build("undone"), before)

    def test_the_packed_child_is_a_theme_that_the_generator_loads(self) -> None:
        self.begun()
        self.edited()
        self.ok("pack")
        shelf = self.root / "shelf"
        shelf.mkdir()
        shutil.copy(self.bench / "packages/tide_docs.zip", shelf)
        shutil.copytree(self.bench / "themes/sphinx_rtd_theme", shelf / "sphinx_rtd_theme")
        self.assertIn(MARKER, self.build("packed", themes=shelf))

    def test_what_a_check_calls_fatal_stops_the_generator(self) -> None:
        self.begun()
        self.edit("themes/tide_docs/footer.html", b"{%- endif %}", b"")
        self.assertEqual(self.row("tide_docs", "template:footer.html")["verdict"], "fatal")
        self.build("broken", fine=False)
        self.ok("drop", "footer.html")
        self.edit("themes/tide_docs/theme.conf", b"inherit = sphinx_rtd_theme", b"inherit = Sphinx_RTD_theme")
        self.assertEqual(self.codes("tide_docs"), ["parent-wrong-case"])
        self.assertIn("Sphinx_RTD_theme", self.build("nowhere", fine=False))
        self.ok("mend", "parent-wrong-case")
        self.build("mended")

    def test_a_sheet_list_of_the_childs_replaces_the_parents(self) -> None:
        self.begun()
        self.edit("themes/tide_docs/theme.conf", b"css/theme.css, ", b"")
        page = self.build("alone")
        self.assertNotIn("_static/css/theme.css", page)
        self.ok("override", "static/css/theme.css")
        self.edit("themes/tide_docs/static/css/theme.css", b"html", b"body")
        row = self.row("tide_docs", "style:static/css/theme.css")
        self.assertEqual(row["reach"], "unknown")
        self.assertIn("no manifest registers it", row["because"])

    def test_random_overrides_win_where_resolution_says(self) -> None:
        """Marked copies at random levels of a lineage of three: the generator shows the one that resolution calls the winner."""
        assert OLD
        self.begun()
        self.ok("drop", "layout.html", "footer.html", "breadcrumbs.html")
        self.ok("new", "tide_notes", "--parent", "tide_docs")
        rng = random.Random(3)
        names = ["footer.html", "breadcrumbs.html", "versions.html", "searchbox.html"]
        for number in range(4):
            for level in ("tide_docs", "tide_notes"):
                for name in names:
                    file = self.bench / "themes" / level / name
                    file.unlink(missing_ok=True)
                    if rng.random() < 0.5:
                        file.write_text(f"<b>{level}-{name}</b>\n")
            page = self.build(f"random{number}", "tide_notes")
            for name in names:
                levels = [t for t in ("tide_notes", "tide_docs") if (self.bench / "themes" / t / name).exists()]
                shown = [t for t in ("tide_notes", "tide_docs") if f"{t}-{name}" in page]
                self.assertEqual(shown, levels[:1], name)
                rows = {r["unit"]: r for r in self.check()["tide_notes"]["overrides"]}
                row = rows.get(f"template:{name}")
                self.assertEqual(row is not None, levels[:1] == ["tide_notes"])
                if row:
                    self.assertEqual(
                        (row["reach"], row["from"]), ("yes", levels[1] if len(levels) > 1 else "sphinx_rtd_theme")
                    )


if __name__ == "__main__":
    unittest.main()
