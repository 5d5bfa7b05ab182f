"""Platform files: what they take over, what they leave unsaid, and what in them can't be meant; each with its line."""

from __future__ import annotations

import re
import struct
import unittest
from pathlib import Path

from protypon.core.platform import platform
from protypon.core.platform.format import problems_of
from protypon.core.platform.lines import line_of
from protypon.core.platform.sense import doubts_of
from protypon.core.platform.shipped import shipped_platforms, text_of
from tests.support import BenchCase

LIKE = """format = "protypon.platform/1"
name = "sluice"
like = "hedgerow"
"""
BAD = {
    'page = [{ kind = "log-{day}", templates = ["log/{day}.php"] }]': '"log/{day}.php" is to be a template, and the files table takes it for nothing',
    'page = [{ kind = "log", templates = ["leaves/log.php"], names = { week = ["1"] } }]': '"week" stands in no template and in no kind',
    'register = [{ kind = "style", lists = "call", always = ["leaves/main.css"] }]': '"leaves/main.css" is to be a style, and',
    'files = [{ kind = "code", match = ["tackle/**.php"], new = "main.php" }]': '"main.php" does not fit what the row itself matches',
    'files = [{ kind = "asset", match = ["logo.svg"] }, { kind = "asset", match = ["logo.svg"] }]': '"logo.svg" stands in files[1] already',
    'point = [{ name = "late", since = "2.0", until = "1.0" }]': "holds from 2.0 and until 1.0: for no release",
    'code = { moments = ["rooted", "in_blosom"] }': '"in_blosom" is a moment, and no row of point is called so',
    'means = { detach = ["hedgerow_graft(point, callback)"], attach = ["hedgerow_graft(point, callback)"] }': "one call does not do both",
    'means = { region = ["bed(name)", "bed({name})"] }': 'bed has the meaning "region" twice (means.region[1])',
    'means = { attach = ["hang(callback)"] }': "hang can't attach anything: none of its arguments is the point",
    'means = { part = [{ call = "show(file)", tries = ["leaves/{file}.{shade}.php"] }] }': "{shade} in",
    'means = { drop-script = ["cast"] }': '"drop-script" undoes what "script" does, and nothing has that meaning',
}
BROKEN = {
    'means = { attach = ["hang(point"] }': 'means.attach[1]: found "hang(point"',
    'means = { attach = ["hang(point, callbak)"] }': 'found "callbak", "attach" has the roles point, callback, order, takes',
    "means = { attach = [{ once = true }] }": "says no call and no mark",
    'means = { atach = ["hang"] }': 'did you mean "attach"?',
    'manifest = [{ path = "about.txt", fields = ["parent"] }]': "manifest[1].syntax: not there",
    'manifest = [{ path = "about.json", fields = ["parnt", "parent"] }]': 'no meaning is called "parnt"; did you mean "parent"?',
    'manifest = [{ path = "about.json", fields = ["title"] }]': 'says nothing of "parent"',
    'picture = [{ path = "cover.png" }]': "picture[1].width: not there",
}


class SenseTest(unittest.TestCase):
    def test_the_shipped_files_and_those_of_the_tests_can_be_meant_and_are_short(self) -> None:
        own = Path(__file__).parents[2] / "platforms"
        for text, file in [
            *map(text_of, shipped_platforms()),
            *((p.read_text("utf-8"), str(p)) for p in own.glob("*.toml")),
        ]:
            self.assertEqual(list(map(str, doubts_of(text, file))), [])
            self.assertLess(len(text.partition("\n[root]")[0].splitlines()), 60, file)

    def test_what_cannot_be_meant_is_told_with_its_line(self) -> None:
        for line, words in BAD.items():
            text = LIKE + "\n# a line between\n" + line + "\n"
            self.assertEqual(problems_of(text, "sluice.toml"), [])
            found = [str(problem) for problem in doubts_of(text, "sluice.toml")]
            self.assertTrue(
                any(words in each and each.startswith("sluice.toml line 6: ") for each in found), (line, found)
            )

    def test_what_breaks_the_format_is_told_with_its_line(self) -> None:
        for line, words in BROKEN.items():
            found = [str(problem) for problem in problems_of(LIKE + "\n" + line + "\n", "sluice.toml")]
            self.assertTrue(
                any(words in each and each.startswith("sluice.toml line 5: ") for each in found), (line, found)
            )

    def test_lines_are_found_wherever_a_value_stands(self) -> None:
        text = 'a = [\n  1, # [[x]]\n  { b = "]", c = [\n    2,\n    3 ] },\n]\n[[x]]\nn = 1\n[[x]]\n"n" = """\n[y]\n"""\nm = 2\n'
        for where, line in {"a[2].b": 3, "a[2].c[2]": 5, "x[1].n": 8, "x[2].m": 13, "x[2].none": 9, "q": None}.items():
            self.assertEqual(line_of(text, where), line, where)


class GuideTest(BenchCase):
    def test_the_guide_begins_with_a_file_that_works_and_goes_on_with_pieces_that_do(self) -> None:
        guide = (Path(__file__).parents[3] / "docs/reference/platform-file.md").read_text("utf-8")
        blocks = re.findall(r"```toml\n(.*?)```", guide.partition("# Reference")[0], re.S)
        first, pages, code, like = blocks
        self.assertLessEqual(len(first.splitlines()), 10)
        self.put("wharf.toml", first)
        self.put("themes/pier/mantle.css", "/*\nWharf Title: Pier\nRelease: 1.0\n*/\na {}\n")
        self.put("themes/pier/plain.php", "<p>x</p>\n")
        self.assertIn("keeps to", self.ok("platform", "check", "wharf.toml", "--with", "themes/pier"))
        self.ok("init", "--platform", "wharf.toml")
        self.ok("new", "gull", "--parent", "pier")
        self.ok("override", "template:plain.php")
        self.assertEqual(self.verdicts("gull"), {"template:plain.php": "holds"})
        whole = first + "\n[means]" + code.partition("[means]")[2]
        files = code.partition("files = [\n")[2].partition("]\npoint")[0]
        whole = whole.replace("files = [\n", "files = [\n" + files, 1)
        whole = re.sub(r"(?m)^page = .*\n", pages, whole, count=1)
        whole = whole.replace("[means]", re.search(r"(?m)^point = .*\ncode = .*\n", code)[0] + "\n[means]", 1)  # type: ignore[index]
        self.put("wharf.toml", whole)
        self.put("sluice.toml", like)
        for name in ("wharf.toml", "sluice.toml"):
            self.assertEqual(self.ok("platform", "check", name), f"{name}: keeps to protypon.platform/1\n")


class LikeTest(BenchCase):
    def test_a_file_takes_over_another_one_and_changes_what_it_says(self) -> None:
        own = LIKE + (
            'page = [{ kind = "home", templates = ["leaves/front.php"] }]\n'
            'means = { part = ["hedgerow_part"], attach = ["hedgerow_leaf(point, callback, order=3)"] }\n'
            'code = { numbers = "descending" }\n'
        )
        self.put("sluice.toml", own)
        mine, theirs = platform.load("sluice.toml", self.bench), platform.load("hedgerow")
        self.assertEqual((mine.name, mine.title), ("sluice", "Hedgerow"))
        self.assertEqual(mine.rules, theirs.rules)
        self.assertEqual([page.kind for page in mine.code.pages], ["home", "{kind}"])
        self.assertEqual([m.does for m in mine.code.meanings_of("hedgerow_leaf")], ["attach"])
        self.assertEqual([m.does for m in mine.code.meanings_of("hedgerow_part")], ["part"])
        self.assertEqual((mine.code.numbers, mine.code.order), ("descending", "child-first"))
        self.put("other.toml", own.replace('"hedgerow"', '"sluice.toml"').replace('"sluice"\n', '"other"\n', 1))
        self.assertEqual(platform.load("other.toml", self.bench).code.meanings_of("hedgerow_leaf")[0].does, "attach")

    def test_one_that_is_like_itself_or_like_nothing_is_refused(self) -> None:
        self.put("sluice.toml", LIKE.replace("hedgerow", "sluice.toml"))
        self.assertIn("is like itself", self.refused("init", "--platform", "sluice.toml"))
        self.put("sluice.toml", LIKE.replace("hedgerow", "hedgrow"))
        self.assertIn('did you mean "hedgerow"', self.ok("platform", "check", "sluice.toml", status=3))

    def test_what_matches_nothing_in_a_theme_is_told(self) -> None:
        self.put("sluice.toml", LIKE)
        self.put("themes/pier/hedgerow.yaml", "title: Pier\n")
        self.put("themes/pier/grove.php", "<?php hedgerow_graft('rooted', 'x');\n")
        self.put("themes/pier/odd.txt", "x")
        told = self.ok("platform", "check", "sluice.toml", "--with", "themes/pier")
        self.assertIn('"styles/**.css" matches no file in themes/pier', told)
        self.assertIn("nothing calls hedgerow_prune in themes/pier", told)
        self.assertNotIn("nothing calls hedgerow_graft ", told)
        self.assertIn("odd.txt: no row of the files table matches it", told)


class ManifestTest(BenchCase):
    FIELDS = """manifest = [{ path = "sluice.json", unique = ["title"], fields = [
  "title", "release", "parent", { means = "summary", at = "about.short", since = "2.0", required = true },
] }]
picture = [{ path = "cover.png", width = 12, height = 9 }]
"""

    def test_fields_by_release_unique_titles_and_sizes_of_pictures(self) -> None:
        self.put("sluice.toml", LIKE + self.FIELDS)
        old, new = (platform.load(f"sluice.toml@{release}", self.bench) for release in ("1.9", "2.0"))
        self.assertEqual(dict(old.manifests[0].fields).get("summary"), None)
        self.assertEqual(new.manifests[0].fields["summary"], "about.short")
        self.assertEqual(new.manifests[0].required, ("summary",))
        about = '{{"title": "{}", "release": "1.0", "parent": "{}", "about": {{"short": "s"}}}}'
        self.put("themes/pier/sluice.json", about.format("Pier", ""))
        self.put("themes/gull/sluice.json", about.format("Pier", "pier"))
        self.put("themes/gull/overrides.toml", 'format = "protypon.ledger/1"\n')
        png = b"\x89PNG\r\n\x1a\n\0\0\0\rIHDR" + struct.pack(">II", 640, 9) + b"\x08\x02\0\0\0"
        self.put("themes/gull/cover.png", png)
        self.ok("init", "--platform", "sluice.toml")
        found = {f["code"]: f["because"] for f in self.check("gull")["gull"]["findings"]}
        self.assertIn("gull and pier have the same title", found["not-unique"])
        self.assertIn("cover.png is 640 x 9 pixels, and Hedgerow wants 12 x 9", found["picture-size"])
        self.put("themes/gull/sluice.json", about.format("Gull", "pier"))
        self.put("themes/gull/cover.png", png.replace(struct.pack(">I", 640), struct.pack(">I", 12)))
        self.assertEqual(self.codes("gull"), [])


if __name__ == "__main__":
    unittest.main()
