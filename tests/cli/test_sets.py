"""drop --save-as and override --load: overrides taken from one child into another, held against the release that is there."""

from __future__ import annotations

import json
from pathlib import Path

from protypon.standin.quayside import QuaysideSite
from tests.cli.test_rescue import FILES
from tests.support import BenchCase, state

UNITS = (
    "template:parts/foot.html", "asset:img/logo.svg", "block:parts/frame.html#side", "function:hours", "hook:page-end#bell", "hook:page-end#crab",
    "text:lang/en.json#open", "setting:settings.json#palette.primary", "rule:styles/site.css#.body", "value:page_width",
)  # fmt: skip


class SetsTest(BenchCase):
    def setUp(self) -> None:
        super().setUp()
        self.parent(FILES, sheets=["styles/site.css"])
        self.ok("init", "--platform", "quayside")
        for slug in ("gull", "tern"):
            self.ok("new", slug, "--parent", "pier")
        child = ("--child", "gull", "--why", "ours")
        self.ok("override", "parts/foot.html", "img/logo.svg", "block:parts/frame.html#side", "function:hours", *child)
        self.edit("themes/gull/parts/foot.html", b"Built on", b"Kept by")
        self.put("themes/gull/img/logo.svg", b"\xff\xfe<svg/>")
        self.edit("themes/gull/parts/frame.html", b"Side", b"Lee side")
        self.edit("themes/gull/code/gull.py", b"10 to 4", b"dawn to dusk")
        self.ok("override", "hook:page-end#bell", "--detach", *child)
        self.ok("override", "hook:page-end", "--attach", "crab", "--order", "7", *child)
        self.edit("themes/gull/code/gull.py", b'return ""', b'return "<p>The crab</p>"')
        self.ok("override", "text:lang/en.json#open", "--value", "Open at low tide", *child)
        self.ok("override", "setting:settings.json#palette.primary", "--value", "#abc", *child)
        self.ok("override", "rule:styles/site.css#.body", "--set", "color=navy", *child)
        self.ok("override", "value:page_width", "--value", "96", *child)
        self.file = self.root / "set.json"

    def page(self, child: str) -> tuple[str, object]:
        site = QuaysideSite(self.bench / "themes", child).run_code("home")
        return site.render("pages/home.html").html, (site.texts, site.settings, site.quay.values)

    def saved(self) -> None:
        self.ok("drop", *UNITS, "--child", "gull", "--save-as", str(self.file), "--leave")

    def test_the_other_child_comes_to_the_same(self) -> None:
        before = state(self.bench, ".protypon")
        self.saved()
        self.assertEqual(state(self.bench, ".protypon"), before)
        self.ok("override", "--load", str(self.file), "--child", "tern")
        self.assertEqual(self.page("tern"), self.page("gull"))
        self.assertEqual(self.verdicts("tern"), self.verdicts("gull"))
        self.assertEqual(set(self.verdicts("tern").values()), {"holds"})
        self.assertEqual(self.read("themes/tern/img/logo.svg"), b"\xff\xfe<svg/>")
        self.assertIn(b'why = "ours"', self.read("themes/tern/overrides.toml"))
        self.ok("undo")
        self.assertEqual(state(self.bench, ".protypon"), before)

    def test_saved_and_dropped(self) -> None:
        page = self.page("gull")
        self.ok("drop", *UNITS, "--child", "gull", "--save-as", str(self.file))
        self.assertEqual(self.verdicts("gull"), {})
        self.ok("override", "--load", str(self.file), "--child", "gull")
        self.assertEqual(self.page("gull"), page)

    def test_another_release_is_judged_and_merged(self) -> None:
        self.saved()
        changed = {
            "parts/foot.html": "<nav>New</nav>\n" + FILES["parts/foot.html"],
            "lang/en.json": FILES["lang/en.json"].replace("all year", "in summer"),
            "code/pier.py": FILES["code/pier.py"].replace("order=20", "order=25"),
        }
        self.parent({**FILES, **changed}, "1.1.0", sheets=["styles/site.css"])
        self.ok("override", "--load", str(self.file), "--child", "tern")
        verdicts = self.verdicts("tern")
        self.assertEqual(verdicts["template:parts/foot.html"], "drifted")
        self.assertIn(verdicts["text:lang/en.json#open"], ("drifted", "conflicted"))
        self.ok("update", "pier", "--child", "tern")
        self.assertEqual(self.read("themes/tern/parts/foot.html"), b"<nav>New</nav>\n<footer>Kept by Pier</footer>\n")

    def test_what_is_there_already_stays(self) -> None:
        self.saved()
        self.ok("override", "parts/foot.html", "--child", "tern")
        said = self.ok("override", "--load", str(self.file), "--child", "tern", status=1)
        self.assertIn("there is one already", said)
        self.assertEqual(self.read("themes/tern/parts/foot.html").decode(), FILES["parts/foot.html"])

    def test_bad_input(self) -> None:
        self.refused("override", status=2)
        self.refused("override", "parts/foot.html", "--load", str(self.file), status=2)
        done = self.refused("override", "--load", str(self.root / "nowhere"), "--child", "tern")
        self.assertIn("name a file that drop --save-as wrote", str(done))
        self.refused("drop", "parts/foot.html", "--leave", "--child", "gull", status=2)
        self.saved()
        good = json.loads(self.file.read_text())
        hostile = good["overrides"][0] | {"unit": "template:../../evil.html"}
        for text in (
            "", "[]", "{}", '{"format": "protypon.overrides/1"}', json.dumps({**good, "overrides": [{}]}), json.dumps({**good, "overrides": [hostile]}),
            json.dumps({**good, "overrides": [good["overrides"][0] | {"base": {"base64": "%"}}]}),
        ):  # fmt: skip
            with self.subTest(text=text[:60]):
                Path(self.file).write_text(text)
                self.refused("override", "--load", str(self.file), "--child", "tern")
        Path(self.file).write_text(json.dumps({**good, "platform": "kiln"}))
        self.refused("override", "--load", str(self.file), "--child", "tern", status=2)
