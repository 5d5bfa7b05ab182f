"""rescue and lighten: edits in a parent's folder, and whole copies, said by the lightest overrides; the site stays the same."""

from __future__ import annotations

import os
import shutil
import zipfile
from pathlib import Path

from protypon.standin.quayside import QuaysideSite
from tests.support import BenchCase, state

CODE = """import quay


@quay.offer
def hours():
    return "10 to 4"


@quay.on("page-end", order=20)
def bell():
    return "<p>The bell</p>"


@quay.offer
def lamp():
    return "<p>The lamp</p>"


quay.on("page-end", "lamp", order=30)
quay.on("page-end", bell, order=40)
"""
FILES = {
    "pages/home.html": '{% extends "parts/frame.html" %}{% block body %}<p>{{ call("hours") }}</p>{{ text("open") }}{% endblock %}\n',
    "parts/frame.html": "<html>\n<h1>Pier</h1>\n<ul>\n<li>one</li>\n<li>two</li>\n</ul>\n{% block side %}<aside>Side</aside>{% endblock %}\n"
    '{% block body %}{% endblock %}\n{% include "parts/foot.html" %}\n{{ ring("page-end") }}\n</html>\n',
    "parts/foot.html": "<footer>Built on Pier</footer>\n",
    "lang/en.json": '{\n  "open": "Open all year",\n  "shut": "Closed"\n}\n',
    "settings.json": '{"palette": {"primary": "#123"}}\n',
    "styles/site.css": ".foot { color: red; margin: 0 }\n.side { color: blue }\n.body { color: green }\n",
    "img/logo.svg": "<svg/>\n",
    "code/pier.py": CODE,
}


class RescueCase(BenchCase):
    def setUp(self) -> None:
        super().setUp()
        self.parent(FILES, sheets=["styles/site.css"])
        self.ok("init", "--platform", "quayside")
        self.ok("new", "gull", "--parent", "pier")
        self.released = state(self.bench / "themes/pier")

    def page(self, child: str = "gull") -> tuple[str, object]:
        site = QuaysideSite(self.bench / "themes", child).run_code("home")
        return site.render("pages/home.html").html, (site.texts, site.settings)

    def units(self, child: str = "gull") -> set[str]:
        return set(self.verdicts(child))


class RescueTest(RescueCase):
    def test_each_edit_becomes_the_lightest_override(self) -> None:
        for path, old, new, units in (
            ("lang/en.json", b"all year", b"daily", {"text:lang/en.json#open"}),
            ("settings.json", b"#123", b"#456", {"setting:settings.json#palette.primary"}),
            ("styles/site.css", b"color: red", b"color: teal", {"rule:styles/site.css#.foot"}),
            ("code/pier.py", b"10 to 4", b"11 to 3", {"function:hours"}),
            ("code/pier.py", b'"lamp", order=30', b'"lamp", order=5', {"hook:page-end#lamp"}),
            ("code/pier.py", b'quay.on("page-end", "lamp", order=30)\n', b"", {"hook:page-end#lamp"}),
            ("parts/frame.html", b"<aside>Side", b"<aside>Beside", {"block:parts/frame.html#side"}),
            ("parts/foot.html", b"Built on", b"Made with", {"template:parts/foot.html"}),
            ("img/logo.svg", b"<svg/>", b"<svg></svg>", {"asset:img/logo.svg"}),
        ):
            with self.subTest(path=path, new=new):
                self.edit(f"themes/pier/{path}", old, new)
                before = self.page()
                self.assertEqual(
                    next(f for f in self.check()["gull"]["findings"] if f["code"] == "edited-parent")["next"],
                    "protypon rescue pier",
                )
                self.ok("rescue", "pier")
                self.assertEqual(self.page(), before)
                self.assertEqual(state(self.bench / "themes/pier"), self.released)
                self.assertEqual(self.verdicts("gull"), dict.fromkeys(units, "holds"))
                self.assertEqual({"edited-parent", "edits-wiped-out"} & set(self.codes("gull")), set())
                self.ok("undo")
                self.edit(f"themes/pier/{path}", new, old) if new else shutil.copytree(
                    self.kept(), self.bench / "themes/pier", dirs_exist_ok=True
                )
                self.assertEqual(state(self.bench / "themes/pier"), self.released)

    def kept(self) -> Path:
        """The parent as it was released, elsewhere."""
        folder = self.root / "kept" / "pier"
        if not folder.exists():
            self.parent(FILES, sheets=["styles/site.css"], root=self.root / "kept")
        return folder

    def test_what_is_new_in_the_parent_becomes_the_childs_own(self) -> None:
        self.put("themes/pier/img/crab.svg", "<svg>crab</svg>")
        with (self.bench / "themes/pier/code/pier.py").open("a") as stream:
            stream.write('\n\n@quay.on("page-end", order=60)\ndef seal():\n    return "<p>The seal</p>"\n')
        before = self.page()
        self.ok("rescue", "pier")
        self.assertEqual(self.page(), before)
        self.assertIn(b"def seal", self.read("themes/gull/code/gull.py"))
        self.assertEqual(self.read("themes/gull/img/crab.svg"), b"<svg>crab</svg>")
        self.assertEqual(state(self.bench / "themes/pier"), self.released)

    def test_what_no_override_can_say_stays(self) -> None:
        self.edit("themes/pier/code/pier.py", b"@quay.offer\ndef hours", b"def hours")
        self.edit("themes/pier/lang/en.json", b"all year", b"daily")
        before, edited = self.page(), self.read("themes/pier/code/pier.py")
        said = self.ok("rescue", "pier", status=1)
        self.assertIn("stays     pier/code/pier.py", said)
        self.assertEqual(self.page(), before)
        self.assertEqual(self.read("themes/pier/code/pier.py"), edited)
        self.assertEqual(self.verdicts("gull"), {"text:lang/en.json#open": "holds"})
        self.assertEqual(self.read("themes/pier/lang/en.json").decode(), FILES["lang/en.json"])
        self.assertIn("edited-parent", self.codes("gull"))

    def test_a_file_that_was_taken_away_and_is_used_stays_away(self) -> None:
        (self.bench / "themes/pier/lang/en.json").unlink()
        self.assertIn("can't take away", self.ok("rescue", "pier", status=1))
        self.assertFalse((self.bench / "themes/pier/lang/en.json").exists())

    def test_every_child_keeps_the_edits(self) -> None:
        self.ok("new", "tern", "--parent", "pier")
        self.ok("override", "parts/foot.html", "--child", "tern")
        self.edit("themes/pier/parts/foot.html", b"Built on", b"Made with")
        before = self.page(), self.page("tern")
        self.assertIn("--into tern", self.refused("rescue", "pier", "--into", "gull", status=2))
        self.ok("rescue", "pier")
        self.assertEqual((self.page(), self.page("tern")), before)
        self.assertEqual(self.units("tern"), {"template:parts/foot.html"})
        self.assertIn(b"Built on", self.read("themes/tern/parts/foot.html"))

    def test_a_child_is_begun_where_there_is_none(self) -> None:
        shutil.rmtree(self.bench / "themes/gull")
        self.edit("themes/pier/parts/foot.html", b"Built on", b"Made with")
        before = self.page("pier")
        before_all = state(self.bench, ".protypon")
        said = self.ok("rescue", "pier", "--into", "gull", "--dry-run")
        self.assertIn("next: protypon rescue pier --into gull\n", said)
        self.assertEqual(state(self.bench, ".protypon"), before_all)
        self.ok("rescue", "pier", "--into", "tern")
        self.assertEqual(self.page("tern")[0], before[0])
        self.assertEqual(self.verdicts("tern"), {"template:parts/foot.html": "holds"})
        self.ok("undo")
        self.assertEqual(state(self.bench, ".protypon"), before_all)

    def test_from_the_makers_archive(self) -> None:
        archive = self.root / "pier-1.0.0.zip"
        with zipfile.ZipFile(archive, "w") as made:
            for path in self.kept().rglob("*"):
                made.write(path, "pier/" + str(path.relative_to(self.kept())))
        shutil.rmtree(self.bench / ".protypon")
        self.edit("themes/pier/parts/foot.html", b"Built on", b"Made with")
        self.refused("rescue", "pier")
        self.ok("rescue", "pier", "--pristine", str(archive))
        self.assertEqual(self.verdicts("gull"), {"template:parts/foot.html": "holds"})
        self.assertEqual(self.read("themes/pier/parts/foot.html").decode(), FILES["parts/foot.html"])

    def test_what_an_update_has_wiped_out(self) -> None:
        self.edit("themes/pier/parts/foot.html", b"Built on", b"Made with")
        self.edit("themes/pier/lang/en.json", b"all year", b"daily")
        release = self.parent(
            {**FILES, "parts/foot.html": "<nav>New</nav>\n" + FILES["parts/foot.html"]}, "2.0.0", root=self.root / "new"
        )
        self.ok("update", "pier", "--to", str(release))
        self.assertIn("edits-wiped-out", self.codes("gull"))
        self.ok("rescue", "pier")
        self.assertNotIn("edits-wiped-out", self.codes("gull"))
        self.assertEqual(
            self.verdicts("gull"), {"template:parts/foot.html": "drifted", "text:lang/en.json#open": "holds"}
        )
        self.ok("update", "pier")
        self.assertEqual(self.read("themes/gull/parts/foot.html"), b"<nav>New</nav>\n<footer>Made with Pier</footer>\n")

    def test_bad_input(self) -> None:
        self.refused("rescue", "pier")  # nothing was edited
        self.refused("rescue", "gull")
        self.refused("rescue", "nobody", status=2)
        self.edit("themes/pier/parts/foot.html", b"Built on", b"Made with")
        stranger = self.parent(
            {"pages/other.html": "x", "a.txt": "y", "b.txt": "z"}, slug="pier", root=self.root / "strange"
        )
        self.assertIn("no release of that", self.refused("rescue", "pier", "--pristine", str(stranger)))
        self.refused("rescue", "pier", "--pristine", str(self.root / "nowhere.zip"))
        self.refused("rescue", "pier", "--into", "pier", status=2)


class LightenTest(RescueCase):
    def copied(self, path: str, old: bytes, new: bytes) -> None:
        self.ok("override", path)
        self.edit(f"themes/gull/{path}", old, new)

    def test_a_copy_becomes_what_it_says_otherwise(self) -> None:
        for path, old, new, unit in (
            ("parts/frame.html", b"<aside>Side", b"<aside>Beside", "block:parts/frame.html#side"),
            ("styles/site.css", b"color: blue", b"color: navy", "rule:styles/site.css#.side"),
        ):
            with self.subTest(path=path):
                self.copied(path, old, new)
                self.assertIn("copied-whole", self.codes("gull") if path.endswith("html") else ["copied-whole"])
                before = self.page()[0]
                self.assertIn("can be", self.ok("lighten"))
                self.ok("lighten", path)
                self.assertEqual(self.page()[0], before)
                self.assertEqual(self.verdicts("gull"), {unit: "holds"})
                self.assertNotIn("copied-whole", self.codes("gull"))
                self.ok("drop", unit)

    def test_what_can_not_be_lighter_stays(self) -> None:
        self.copied("parts/foot.html", b"Built on", b"Made with")
        before = state(self.bench, ".protypon")
        self.assertIn("no kind of override says it", self.ok("lighten", "parts/foot.html", status=1))
        self.assertEqual(state(self.bench, ".protypon"), before)
        self.refused("lighten", "nothing", status=2)

    def test_a_rule_that_would_not_win_stays_a_copy(self) -> None:
        self.copied("styles/site.css", b".body { color: green }", b".body { color: green }\n.foot { color: pink }")
        self.copied_is_whole("styles/site.css")

    def copied_is_whole(self, path: str) -> None:
        before = self.read(f"themes/gull/{path}")
        self.ok("lighten", path, status=1)
        self.assertEqual(self.read(f"themes/gull/{path}"), before)

    def test_a_copy_that_the_parent_has_changed_since_is_carried_over_first(self) -> None:
        self.copied("parts/frame.html", b"<aside>Side", b"<aside>Beside")
        self.parent(
            {**FILES, "parts/frame.html": FILES["parts/frame.html"] + "<!-- new -->\n"},
            "1.1.0",
            sheets=["styles/site.css"],
        )
        self.assertIn("protypon update pier", self.refused("lighten", "parts/frame.html"))


class StrangeChildrenTest(RescueCase):
    def test_what_else_lies_in_a_child_costs_nothing(self) -> None:
        folder = self.bench / "themes/gull"
        for number in range(1000):
            self.put(f"themes/gull/notes/{number}.txt", f"note {number}")
        os.symlink("/", folder / "root")
        with (folder / "film.mp4").open("wb") as stream:
            stream.truncate(200 << 20)
        self.edit("themes/pier/parts/foot.html", b"Built on", b"Made with")
        for command in (
            ["find", "Built"],
            ["find", "Made with"],
            ["twin", "gull", "tern", "--dry-run"],
            ["rescue", "pier"],
            ["lighten"],
            ["check"],
        ):
            with self.subTest(command=command):
                done = self.run_command(*command)
                self.assertIn(done.returncode, (0, 1, 3), done.stderr)
                self.assertNotIn("Traceback", done.stderr)
                self.assertNotIn("unexpected", done.stderr)
