"""What checks, points and explain say of code, each held against a run of the platform."""

from __future__ import annotations

import json
import shutil
import subprocess
import sys
import unittest
from typing import Any

from protypon.standin import hosted
from tests.support import BenchCase

PAGE = """<main><?php hedgerow_shake('top', 1); ?></main>
<?= hedgerow_ripen('rate', 5) ?>
<?php hedgerow_show_bed('aside'); ?>
"""
LEDGER = 'format = "protypon.ledger/1"\n'


@unittest.skipUnless(shutil.which("php"), "there is no PHP interpreter here")
class CodeCase(BenchCase):
    """An hedgerow bench: ``base`` and its child ``kid``."""

    def themes(self, base: str, kid: str, page: str = PAGE, **more: str) -> None:
        """Write both themes; ``more`` names further files, ``base__crates__x_php="…"``."""
        files = {
            "base/hedgerow.yaml": "title: Base\nrelease: 1.0.0\n",
            "base/grove.php": "<?php\nhedgerow_bed('aside');\n" + base,
            "base/leaves/page.php": page,
            "kid/hedgerow.yaml": "title: Kid\nrelease: 0.1.0\ngrown_on: base\n",
            "kid/overrides.toml": LEDGER,
            "kid/grove.php": "<?php\n" + kid,
        }
        for path, text in files.items():
            self.put("themes/" + path, text)
        for name, text in more.items():
            self.put("themes/" + name.replace("__", "/").replace("_php", ".php"), text)
        if not (self.bench / "protypon.toml").exists():
            self.ok("init", "--platform", "hedgerow")

    def runs(self) -> dict[str, Any]:
        return hosted.run("hedgerow", self.bench / "themes", "kid", "home")

    def found(self) -> dict[str, dict[str, Any]]:
        """Findings about code, by code: the parent is edited in place all the time here."""
        return {f["code"]: f for f in self.check("kid")["kid"]["findings"] if f["code"] != "edited-parent"}

    def labels(self, point: str) -> list[str]:
        return [label for label, _ in self.runs()["points"].get(point, [])]

    def json(self, *arguments: str) -> dict[str, Any]:
        found: dict[str, Any] = json.loads(self.ok(*arguments, "--format", "json"))
        return found


class FindingTest(CodeCase):
    types_steps = True

    def test_a_second_declaration_stops_the_site_and_a_guarded_one_gives_way(self) -> None:
        self.themes("function tide() {}", "function TIDE() {}")
        told = self.found()["declared-twice"]
        self.assertEqual((told["weight"], told["theme"], told["line"]), ("fatal", "base", 3))
        self.assertIn("kid/grove.php line 2", told["because"])
        self.assertIn("Cannot redeclare", self.runs()["fatal"][0])
        self.themes(
            "if (!function_exists('tide')) { function tide() {} }\nhedgerow_graft('top', 'tide');", "function tide() {}"
        )
        self.assertEqual(self.found(), {})
        self.assertEqual(self.runs()["functions"]["tide"], ["kid/grove.php", 2])
        explained = self.json("explain", "tide")
        self.assertEqual((explained["in_force"]["theme"], explained["without"]["theme"]), ("kid", "base"))
        self.assertEqual(explained["hidden"][0]["how"], "guarded: declared already")
        self.themes("if (false) { function tide() {} }", "")
        explained = self.json("explain", "function:tide")
        self.assertEqual(
            (explained["in_force"], explained["hidden"][0]["how"]), (None, "under a condition that does not hold")
        )

    def test_a_second_declaration_under_a_condition_that_cannot_be_known_is_a_warning(self) -> None:
        self.themes(
            "function tide() { echo 1; }\nhedgerow_graft('top', 'tide');", "if (getenv('X')) { function tide() {} }"
        )
        self.assertEqual(self.found()["declared-twice"]["weight"], "warning")

    def test_a_syntax_error_is_fatal_only_where_the_file_would_load(self) -> None:
        self.themes("", "hedgerow_graft('top', ;\n")
        told = self.found()["does-not-parse"]
        self.assertEqual((told["weight"], told["line"]), ("fatal", 2))
        self.assertRegex(told["because"], r"kid/grove.php line 2 column \d+: syntax error, unexpected token")
        self.assertIsNotNone(self.runs()["fatal"])
        self.assertEqual(set(self.found()), {"does-not-parse"}, "of broken code nothing else is said")
        self.assertIn("kid/grove.php line 2", self.json("points", "kid")["unknown"])
        self.assertIn("the site stops", self.json("explain", "hook:rooted")["unknown"])
        self.themes("", "", kid__crates__old_php="<?php function (\n")
        self.assertEqual(self.found()["does-not-parse"]["weight"], "warning")
        self.assertIsNone(self.runs()["fatal"])

    def test_what_would_make_a_detachment_match_is_true(self) -> None:
        """Each reason is given where a run still has the callback; then the advice is taken, and the run has it no more."""
        base = "function boat() {}\nhedgerow_graft('top', 'boat', 30);\n"
        base += "function late() { hedgerow_graft('top', 'boat', 40); }\nhedgerow_graft('rooted', 'late');"
        later = "function kid_tidy() {{ {0} }}\nhedgerow_graft('{1}', 'kid_tidy', 99);"
        cases = [
            ("hedgerow_prune('top', 'boat', 30);", "it is attached only later, while code loads", "rooted"),
            (later.format("hedgerow_prune('top', 'boat', 10);", "rooted"), "with order 30", "30"),
            (later.format("hedgerow_prune('top', 'boat', 40);", "x"), "", ""),
            (later.format("hedgerow_prune('tip', 'boat', 30);", "rooted"), "it is attached at top", "top"),
            (later.format("hedgerow_prune('top', 'boot', 30);", "rooted"), "there is boat at that point", "boat"),
        ]
        for code, reason, advice in cases:
            with self.subTest(code):
                self.themes(base, code)
                self.assertIn(["boat", 30], self.runs()["points"]["top"])
                if not reason:
                    self.assertNotIn("detaches-nothing", self.found())
                    continue
                told = self.found()["detaches-nothing"]["because"]
                self.assertIn(reason, told)
                self.assertIn(advice, told)
        self.themes(base, later.format("hedgerow_prune('top', 'boat', 30);", "rooted"))
        self.assertNotIn(["boat", 30], self.runs()["points"]["top"])
        self.assertEqual(self.found(), {})

    def test_a_callback_that_needs_more_than_its_point_gives_breaks_the_page(self) -> None:
        self.themes("", "function two($a, $b) {}\nhedgerow_graft('top', 'two', 10, 2);")
        self.assertIn("two needs 2 arguments, top gives 1", self.found()["needs-more-arguments"]["because"])
        self.assertIn("Too few arguments", self.runs()["fatal"][0])
        self.themes("", "function two($a, $b = 1) {}\nhedgerow_graft('top', 'two', 10, 2);")
        self.assertEqual(self.found(), {})
        self.assertIsNone(self.runs()["fatal"])

    def test_a_value_callback_that_returns_nothing_loses_the_value(self) -> None:
        self.themes(
            "", "function half($v) { if ($v > 3) { echo 'x'; } else { return $v; } }\nhedgerow_graft('rate', 'half');"
        )
        self.assertIn("returns-nothing", self.found())
        self.assertNotIn("5", self.runs()["html"])
        self.themes("", "function half($v) { if ($v > 3) { return 2; } return $v; }\nhedgerow_graft('rate', 'half');")
        self.assertEqual(self.found(), {})
        row = next(p for p in self.json("points", "kid")["points"] if p["point"] == "rate")
        self.assertEqual((row["start"], row["values"]), (5, [2]))
        self.assertIn("\n2", self.runs()["html"])

    def test_one_of_a_pair_taken_away_leaves_the_page_open(self) -> None:
        base = (
            "function opens() { echo '<div>'; }\nfunction closes() { echo '</div>'; }\n"
            "hedgerow_graft('top', 'opens', 1);\nhedgerow_graft('top', 'closes', 99);\n"
        )
        wait = "hedgerow_graft('rooted', function () {{ {0} }});"
        one, both = (
            "hedgerow_prune('top', 'closes', 99);",
            "hedgerow_prune('top', 'closes', 99); hedgerow_prune('top', 'opens', 1);",
        )
        self.themes(base, wait.format(one))
        told = self.found()["out-of-balance"]["because"]
        self.assertIn("closes, which closes </div> at top, runs no more", told)
        self.assertIn("opens (base/grove.php line 5)", told)
        self.assertIn("<main><div></main>", self.runs()["html"])
        self.themes(base, wait.format(both))
        self.assertEqual(self.found(), {})

    def test_a_copy_of_a_code_file_is_dead_where_the_parent_asks_by_a_fixed_path(self) -> None:
        crate = "<?php function crate() { echo 'base'; }\nhedgerow_graft('top', 'crate');"
        for ask, verdict, heard in (
            ("require_once __DIR__ . '/crates/a.php';", "idle", "base"),
            ("hedgerow_fetch('crates/a.php');", "holds", "kid"),
        ):
            with self.subTest(ask):
                shutil.rmtree(self.bench / ".protypon", ignore_errors=True)  # another parent, not an edited one
                self.themes(ask, "", base__crates__a_php=crate)
                shutil.rmtree(self.bench / "themes/kid/crates", ignore_errors=True)
                self.put("themes/kid/overrides.toml", LEDGER)
                self.ok("override", "code:crates/a.php")
                self.edit("themes/kid/crates/a.php", b"'base'", b"'kid'")
                row = self.row("kid", "code:crates/a.php")
                self.assertEqual(row["verdict"], verdict)
                self.assertIn("pulls in its own by a fixed path" if verdict == "idle" else "", row["because"])
                self.assertIn(f"<main>{heard}</main>", self.runs()["html"])

    def test_regions_declared_printed_and_hidden(self) -> None:
        self.themes(
            "", "hedgerow_bed('porch');", kid__leaves__page_php="<main></main>\n<?php hedgerow_show_bed('shed'); ?>"
        )
        found = self.found()
        self.assertIn(
            "base/leaves/page.php line 3 prints the region aside; your leaves/page.php",
            found["region-hidden"]["because"],
        )
        self.assertIn("kid/grove.php line 2 declares the region porch", found["region-not-printed"]["because"])
        self.assertIn("kid/leaves/page.php line 2 prints the region shed", found["region-not-declared"]["because"])
        ran = self.runs()
        self.assertEqual((sorted(ran["regions"]), ran["shown"]), (["aside", "porch"], ["shed"]))
        self.assertNotIn('class="bed"', ran["html"])
        hidden = self.json("explain", "region:aside")
        self.assertIsNone(hidden["in_force"])

    def test_variables_that_nothing_provides_and_that_nothing_uses(self) -> None:
        base = "function lend() { hedgerow_give('tides', 3); }\nhedgerow_graft('rooted', 'lend');"
        page = "<?= $tides ?> <?= $title ?> <?php foreach ([1] as $n) { echo $n; } ?> <?= isset($moon) ? $moon : '' ?>"
        self.themes(base, "hedgerow_give('gulls', 1);", page)
        self.assertEqual(set(self.found()), {"variable-unused"})
        self.themes(
            base,
            "function kid_off() { hedgerow_prune('rooted', 'lend'); }\nhedgerow_graft('rooted', 'kid_off', 1);",
            page,
        )
        self.assertNotIn("variable-not-provided", self.found(), "a snapshot of the point was taken before")
        self.assertIn("tides", self.runs()["given"])
        self.themes(
            base.replace("'rooted'", "'in_blossom'"),
            "function kid_off() { hedgerow_prune('in_blossom', 'lend'); }\nhedgerow_graft('rooted', 'kid_off');",
            page,
        )
        self.assertIn("base/grove.php line 3 would provide it", self.found()["variable-not-provided"]["because"])
        self.assertEqual(self.runs()["given"], [])

    def test_functions_and_points_that_lead_nowhere(self) -> None:
        self.themes(
            "function boat() { echo 1; }\nhedgerow_graft('top', 'boat');",
            "function idle_hands() {}\nhedgerow_graft('topp', 'boat');\nhedgerow_graft('top', 'boot');\nhedgerow_graft('rate', 'abs');",
        )
        found = self.found()
        self.assertEqual(
            {c: found[c]["line"] for c in found}, {"never-called": 2, "point-never-fired": 3, "callback-missing": 4}
        )
        self.assertIn("did you mean top?", found["point-never-fired"]["because"])
        self.assertIn("did you mean boat?", found["callback-missing"]["because"])
        for row in found.values():
            self.ok(*row["next"].split()[1:])

    def test_a_name_made_at_run_time_makes_points_unknown_and_not_wrong(self) -> None:
        self.themes(
            "function boat() { echo 1; }\nhedgerow_graft('top', 'boat');\nhedgerow_graft(getenv('P'), 'boat');", ""
        )
        table = self.json("points", "kid")
        self.assertIn("base/grove.php line 5 attaches at a point whose name is made at run time", table["unknown"])

    def test_sheets_registered_by_a_call(self) -> None:
        self.themes("", "hedgerow_sheet('styles/kid.css');", kid__styles__x="", base__x="")
        for name in ("kid", "lost"):
            self.put(f"themes/kid/styles/{name}.css", "a {}")
        self.assertEqual([f["file"] for f in self.check("kid")["kid"]["findings"]], ["styles/lost.css"])
        self.assertEqual(self.runs()["sheets"], ["styles/kid.css"])

    def test_code_that_is_too_large_is_unknown_and_told_in_time(self) -> None:
        self.themes("$x = 'abc' . 'def'; f($x, [1,2]); " * 45_000, "hedgerow_prune('top', 'boat', 30);")
        table = self.json("points", "kid")
        self.assertIn("is not followed", table["unknown"])
        self.check("kid")


class PointsTest(CodeCase):
    def test_points_come_in_page_order_with_what_the_child_changes(self) -> None:
        base = (
            "/** Steers. */\nfunction a() {}\nfunction b() {}\nfunction c() {}\n"
            "hedgerow_graft('top', 'a', 10);\nhedgerow_graft('top', 'b', 20);\nhedgerow_graft('top', 'c', 30);\n"
        )
        kid = (
            "function kid_turn() { hedgerow_prune('top', 'c', 30); hedgerow_graft('top', 'c', 5); hedgerow_prune('top', 'b', 20); }\n"
            "function kid_own() {}\nhedgerow_graft('rooted', 'kid_turn');\nhedgerow_graft('top', 'kid_own', 7);"
        )
        self.themes(base, kid, "<?php // Above all else.\nhedgerow_shake('top'); ?>\n<?php hedgerow_shake('end'); ?>")
        table = self.json("points", "--page", "home", "--child", "kid")
        rows = {p["point"]: p for p in table["points"]}
        self.assertEqual(list(rows), ["rooted", "in_blossom", "top", "end"])
        self.assertEqual([p for p in rows if rows[p]["on_page"]], [p for p, _ in self.runs()["rung"]])
        top = rows["top"]
        self.assertEqual([c["callback"] for c in top["callbacks"]], ["c", "kid_own", "a"])
        self.assertEqual([c["callback"] for c in top["callbacks"]], self.labels("top"))
        self.assertEqual([c["callback"] for c in top["callbacks"] if c["added"]], ["c", "kid_own"])
        self.assertEqual([(c["callback"], c["by"]["line"]) for c in top["taken_away"]], [("b", 2), ("c", 2)])
        self.assertEqual((top["reordered"], top["about"]), (["c", "a"], "Above all else."))
        self.assertEqual(next(c["comment"] for c in top["callbacks"] if c["callback"] == "a"), "Steers.")
        text = self.ok("points", "kid")
        self.assertLessEqual(max(map(len, text.splitlines())), 100)
        self.assertIn("did you mean home?", self.refused("points", "kid", "--page", "hime", status=2))

    def test_explain_tells_items_values_pages_and_refuses_what_is_not_there(self) -> None:
        base = "hedgerow_plant('size', 'card', 3);\nhedgerow_season('wide', 1);\n"
        kid = "hedgerow_season('wide', 2);\nfunction kid_off() { hedgerow_uproot('size', 'card'); }\nhedgerow_graft('rooted', 'kid_off');"
        self.themes(base, kid)
        wide = self.json("explain", "wide")
        self.assertEqual((wide["in_force"]["value"], wide["without"]["value"]), (2, 1))
        self.assertEqual(self.runs()["values"]["wide"], 2)
        card = self.json("explain", "item:size#card")
        self.assertEqual((card["in_force"], card["without"]["value"]), (None, 3))
        self.assertNotIn("card", self.runs()["items"].get("size", {}))
        self.assertEqual(self.json("explain", "page:home")["in_force"]["file"], "leaves/page.php")
        own = self.json("explain", "value:row_length")
        self.assertEqual((own["in_force"]["value"], own["in_force"]["how"]), (3, "the platform's own"))
        self.assertIn("did you mean", self.refused("explain", "value:wdie", status=2))
        self.assertIn("did you mean hook:rooted?", self.refused("explain", "rootd", status=2))
        self.ok("explain", "leaves/page.php")

    def test_what_holds_from_a_release_of_the_platform_on(self) -> None:
        for path, text in {
            "mill/millrace.json": json.dumps({"slug": "mill", "title": "Mill", "release": "1"}),
            "mill/overrides.toml": LEDGER,
            "mill/works.php": "<?php mill_set('grain', 4);",
        }.items():
            self.put("themes/" + path, text)
        for asked, known in (("millrace", True), ("millrace@2.1", True), ("millrace@1.9", False)):
            self.put("protypon.toml", f'format = "protypon.bench/1"\nplatform = "{asked}"\nthemes = "themes"\n')
            done = self.run_command("explain", "value:grain")
            self.assertEqual(done.returncode, 0 if known else 2, asked)


class QuaysideTest(BenchCase):
    """The same on the platform whose code is Python and whose pages are Jinja templates."""

    types_steps = True

    def bench_with(
        self, base: str, kid: str, page: str = "{{ ring('board', 1) }}{{ pass_on('toll', 5) }}"
    ) -> dict[str, dict[str, Any]]:
        self.parent({"code/a.py": "import quay\n" + base, "pages/home.html": page})
        if not (self.bench / "protypon.toml").exists():
            self.ok("init", "--platform", "quayside")
            self.ok("new", "gull", "--parent", "pier")
        self.put("themes/gull/code/b.py", "import quay\n" + kid)
        return {f["code"]: f for f in self.check("gull")["gull"]["findings"] if f["code"] != "edited-parent"}

    def page(self) -> str:
        """The page as quayside renders it, in a process of its own; what it says of an error where it can't."""
        command = [sys.executable, "-m", "protypon.standin.quayside", "themes", "gull", "pages/home.html"]
        done = subprocess.run(command, cwd=self.bench, capture_output=True, text=True)
        return done.stdout if done.returncode == 0 else done.stderr

    def test_fixed_functions_offered_ones_and_callbacks(self) -> None:
        found = self.bench_with("@quay.fix\ndef tide():\n    return 1\n", "@quay.offer\ndef tide():\n    return 2\n")
        self.assertEqual(found["declared-twice"]["weight"], "fatal")
        self.assertIn("declared a second time", self.page())
        base = "@quay.on('board', order=20)\ndef boat(n):\n    return '<p>boat</p>'\n"
        found = self.bench_with(base, "quay.off('board', 'boat')\n")
        self.assertIn("it was attached with order 20 (pier/code/a.py line 2)", found["detaches-nothing"]["because"])
        self.assertIn("boat", self.page())
        self.assertEqual(self.bench_with(base, "quay.off('board', 'boat', 20)\n"), {})
        self.assertNotIn("boat", self.page())
        found = self.bench_with(
            base, "@quay.on('board')\ndef two(a, b):\n    return ''\n@quay.on('toll')\ndef none(v):\n    pass\n"
        )
        self.assertEqual(set(found), {"needs-more-arguments", "returns-nothing"})
        self.assertIn("missing 1 required positional argument", self.page())

    def test_a_point_under_a_condition_of_the_page_is_in_doubt(self) -> None:
        page = "{% if notices %}{{ ring('board', 1) }}{% endif %}{% for t in tides %}{{ ring('each', t) }}{% endfor %}{{ ring('end') }}"
        self.bench_with("@quay.on('board')\ndef boat(n):\n    quay.on('end', 'late')\n    return ''\n", "", page)
        rows = {p["point"]: p for p in json.loads(self.ok("points", "gull", "--format", "json"))["points"]}
        self.assertIn("pier/pages/home.html line 1: a condition that can't be known", rows["board"]["unknown"])
        self.assertEqual([c["callback"] for c in rows["board"]["callbacks"]], ["boat"])
        self.assertIn("a condition that can't be known", rows["end"]["unknown"])

    def test_survey_tells_what_code_offers_and_does_wrong(self) -> None:
        base = (
            "@quay.offer\ndef tide():\n    return 1\nquay.stock('size', 'card', 3)\n"
            "quay.default('wide', 1)\nquay.give('gulls', 2)\nquay.on('board', 'tide')\n"
        )
        self.bench_with(base, "quay.off('board', 'tide', 3)\n")
        table = json.loads(self.ok("survey", "--units", "--format", "json"))
        rows = {t["slug"]: t for t in table["themes"]}
        offers = {
            "functions": ["tide"],
            "points": ["board", "toll"],
            "items": ["size#card"],
            "variables": ["gulls"],
            "values": ["wide"],
        }
        self.assertEqual(rows["pier"]["offers"], offers)
        self.assertLessEqual(
            {"function:tide", "hook:board", "item:size#card", "value:wide"}, set(rows["pier"]["addresses"])
        )
        self.assertEqual([(f["code"], f["theme"]) for f in table["findings"]], [("detaches-nothing", "gull")])


if __name__ == "__main__":
    unittest.main()
