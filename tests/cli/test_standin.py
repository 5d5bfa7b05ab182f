"""Quayside, running: what the platform itself does, told apart from what Protypon says of it."""

from __future__ import annotations

import json
import subprocess
import sys
import unittest

from protypon.standin.quayside import NotLoaded, QuaysideSite
from tests.support import BenchCase, theme


class QuaysideTest(BenchCase):
    def page(self, *arguments: str) -> subprocess.CompletedProcess[str]:
        command = [sys.executable, "-m", "protypon.standin.quayside", str(self.bench / "themes"), *arguments]
        return subprocess.run(command, capture_output=True, text=True, timeout=60)

    def test_a_marker_shows_which_theme_made_which_part_of_a_page(self) -> None:
        self.ok("demo", str(self.root / "demo"), "--lay-out-only")
        self.bench = self.root / "demo"
        self.ok("init", "--platform", "quayside")
        self.ok("new", "lantern-rock", "--parent", "breakwater")
        self.ok("override", "parts/footer.html")
        before = self.page("lantern-rock", "pages/exhibit.html").stdout
        self.edit("themes/lantern-rock/parts/footer.html", b"Built on Breakwater", b"MARKER, built on Breakwater")
        after = self.page("lantern-rock", "pages/exhibit.html").stdout
        self.assertEqual(after, before.replace("Built on Breakwater", "MARKER, built on Breakwater"))
        self.assertIn("/themes/lantern-rock/styles/lantern-rock.css", after)
        self.ok("update", "breakwater", "--to", str(self.bench / "downloads/breakwater-1.5.0"))
        updated = self.page("lantern-rock", "pages/exhibit.html").stdout
        self.assertIn("MARKER", updated)
        self.assertIn("<time>1891</time>", updated)
        used = QuaysideSite(self.bench / "themes", "lantern-rock").run_code().render("pages/exhibit.html").used
        self.assertIn(("lantern-rock", "parts/footer.html"), used)
        self.assertNotIn(("breakwater", "parts/footer.html"), used)

    def test_settings_and_texts_are_laid_key_by_key(self) -> None:
        self.parent(
            {
                "settings.json": json.dumps({"a": {"x": 1, "y": 2}, "b": 3}),
                "pages/p.html": "{{ settings.a.x }}{{ settings.a.y }}{{ settings.b }}",
            }
        )
        self.put("themes/gull/quay.toml", theme("gull", "pier"))
        self.put("themes/gull/settings.json", json.dumps({"a": {"y": 9}}))
        self.assertEqual(self.page("gull", "pages/p.html").stdout, "193\n")

    def test_what_stops_a_site(self) -> None:
        self.parent({"pages/p.html": "x", "code/a.py": "def f(:\n"})
        self.assertRaisesRegex(NotLoaded, "a.py", QuaysideSite, self.bench / "themes", "pier")
        self.parent({"pages/p.html": "x"}, parent="Pier")
        self.assertRaisesRegex(NotLoaded, "no theme Pier", QuaysideSite, self.bench / "themes", "pier")
        self.parent({"pages/p.html": "x"}, parent="pier")
        self.assertRaisesRegex(NotLoaded, "own ancestor", QuaysideSite, self.bench / "themes", "pier")
        self.assertEqual(self.page("pier").returncode, 1)

    def test_a_hostile_template_is_held_in(self) -> None:
        self.parent(
            {
                "pages/home.html": "{{ ''.__class__.__mro__ }}",
                "pages/long.html": "{% for a in range(99999) %}{% for b in range(99999) %}{% endfor %}{% endfor %}",
            }
        )
        done = self.page("pier", "pages/home.html")
        self.assertEqual((done.returncode, done.stdout), (1, ""))
        self.assertIn("unsafe", done.stderr)

    def test_what_check_calls_fatal_and_what_loads_agree(self) -> None:
        """Every way to break a child that the check calls fatal keeps the site from loading; others do not."""
        self.started(
            {"pages/home.html": "<p>home</p>\n", "settings.json": '{"a": 1}\n'},
            "setting:settings.json#a",
            "pages/home.html",
        )
        good = {
            p.relative_to(self.bench): p.read_bytes() for p in (self.bench / "themes/gull").rglob("*") if p.is_file()
        }
        cases = {
            "themes/gull/settings.json": b'{"a": }',
            "themes/gull/lang/en.json": b"{",
            "themes/gull/code/a.py": b"x = = 1\n",
            "themes/gull/quay.toml": b"[theme\n",
            "themes/gull/pages/home.html": b"{% if %}",
            "themes/gull/styles/gull.css": b"}}}",
            "themes/gull/img/a.svg": b"<svg",
        }
        for path, data in cases.items():
            self.put(path, data)
            report = self.check("--fail-on", "fatal")["gull"]
            fatal = any(row["weight"] == "fatal" for row in (*report["overrides"], *report["findings"]))
            try:
                QuaysideSite(self.bench / "themes", "gull")
                loads = True
            except NotLoaded:
                loads = False
            self.assertEqual(fatal, not loads, path)
            (self.bench / path).unlink()
            for name, text in good.items():
                self.put(str(name), text)


if __name__ == "__main__":
    unittest.main()
