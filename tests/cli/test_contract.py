"""What scripts depend on: keys, exit statuses, where output goes, how wide it is."""

from __future__ import annotations

import json
import os
import re
import shutil
import sqlite3
import subprocess
from contextlib import closing

from tests.program import PROGRAM
from tests.support import BenchCase

TEXT = "".join(f"<p>line {n}</p>\n" for n in range(12))
OVERRIDE_KEYS = [
    "unit", "verdict", "weight", "listed", "how", "reach", "source", "merge", "layout_only",
    "from", "taken", "now", "to", "alike", "file", "line", "because", "next",
]  # fmt: skip


class ContractTest(BenchCase):
    def setUp(self) -> None:
        super().setUp()
        files: dict[str, str | bytes] = {f"pages/{n}.html": TEXT + n for n in ("drift", "clash", "same", "gone")}
        self.started(files, "pages/drift.html", "pages/clash.html", "pages/gone.html")
        self.edit("themes/gull/pages/drift.html", b"line 9", b"ours")
        self.edit("themes/gull/pages/clash.html", b"line 5", b"ours")
        self.edit("themes/gull/pages/gone.html", b"line 5", b"ours")
        new = {
            "pages/drift.html": TEXT.replace("line 1<", "new<") + "drift",
            "pages/clash.html": TEXT.replace("line 5", "new") + "clash",
        }
        self.new = str(self.parent(new, "2.0.0", root=self.root))  # type: ignore[arg-type]

    def test_check_json_has_the_keys_of_the_contract_and_nothing_else_is_printed(self) -> None:
        done = self.run_command("check", "--format", "json", "--against", self.new)
        self.assertEqual(done.stderr, "")
        table = json.loads(done.stdout)
        self.assertEqual(list(table), ["format", "platform", "children", "without_ledger"])
        self.assertEqual((table["format"], table["platform"]), ("protypon.check/1", "quayside"))
        child = table["children"][0]
        self.assertEqual(list(child), ["child", "lineage", "parents", "summary", "overrides", "findings"])
        self.assertEqual(child["parents"], [{"theme": "pier", "taken": "1.0.0", "now": "2.0.0"}])
        self.assertEqual(child["summary"], {"conflicted": 1, "drifted": 1, "stranded": 1})
        for row in child["overrides"]:
            self.assertEqual(list(row)[: len(OVERRIDE_KEYS)], OVERRIDE_KEYS)
        clash = next(r for r in child["overrides"] if r["verdict"] == "conflicted")
        self.assertEqual((clash["line"], clash["now"], clash["from"], clash["taken"]), (6, "2.0.0", "pier", "1.0.0"))
        self.assertEqual(clash["places"], [{"ours": [6, 1], "theirs": [6, 1]}])

    def test_update_json(self) -> None:
        table = json.loads(self.ok("update", "pier", "--to", self.new, "--format", "json"))
        self.assertEqual(
            (table["format"], table["parent"], table["old"], table["new"]),
            ("protypon.update/1", "pier", "1.0.0", "2.0.0"),
        )
        rows = {r["unit"]: r for r in table["children"][0]["overrides"]}
        done = {unit: (r["verdict"], r["done"]) for unit, r in rows.items()}
        wanted = {"drift": ("drifted", "merged"), "clash": ("conflicted", "left"), "gone": ("stranded", "left")}
        self.assertEqual(done, {f"template:pages/{name}.html": what for name, what in wanted.items()})
        self.assertEqual(rows["template:pages/clash.html"]["proposal"], "proposals/gull/pages/clash.html")
        self.assertTrue((self.bench / "themes/gull/pages/gone.html").exists(), "no override is deleted")

    def test_exit_statuses(self) -> None:
        self.ok("check", status=0)
        for limit, status in (("warning", 1), ("error", 1), ("fatal", 0), ("drifted", 1), ("moved", 0), ("note", 1)):
            self.ok("check", "--against", self.new, "--fail-on", limit, status=status)
        self.assertEqual(self.run_command("check", "nobody").returncode, 2)
        self.assertEqual(self.run_command("check", "--against", "nowhere").returncode, 3)
        self.ok("--version")

    def test_a_bench_is_found_from_below_and_by_name(self) -> None:
        below = self.bench / "themes/gull/pages"
        self.ok("check", cwd=below)
        self.ok("-C", str(self.bench), "check", cwd=self.root)

    def test_text_is_plain_off_a_terminal_and_coloured_on_one(self) -> None:
        plain = self.ok("check", "--against", self.new, status=1)
        self.assertNotIn("\x1b", plain)
        self.assertLessEqual(max(len(line) for line in plain.splitlines() if not re.search("(next|look):", line)), 100)
        command = " ".join([*PROGRAM, "check", "--against", self.new])

        def on_a_terminal(**env: str) -> str:
            done = subprocess.run(
                ["script", "-qec", command, "/dev/null"],
                cwd=self.bench,
                capture_output=True,
                text=True,
                env={**os.environ, "TERM": "xterm", **env},
            )
            return done.stdout.replace("\r\n", "\n")

        coloured = on_a_terminal()
        self.assertIn("\x1b[31m", coloured)
        self.assertNotIn("\x1b[31m", on_a_terminal(NO_COLOR="1"))
        words = re.sub(r"\x1b\[[0-9;]*[mK]|\r", "", coloured)
        self.assertEqual(words.split(), plain.split())

    def test_a_reader_that_goes_away_is_no_error(self) -> None:
        done = subprocess.run(
            f"{' '.join(PROGRAM)} survey --units | head -n 1",
            shell=True,
            cwd=self.bench,
            capture_output=True,
            text=True,
        )
        self.assertEqual(done.stderr, "")

    def test_completion_offers_slugs(self) -> None:
        env = {"_PROTYPON_COMPLETE": "bash_complete", "COMP_WORDS": "protypon check g", "COMP_CWORD": "2"}
        self.assertIn("gull", self.run_command(env=env).stdout)

    def test_a_second_check_reads_no_source_again(self) -> None:
        first = self.ok("check")
        cache = self.bench / ".protypon/cache"

        def rows() -> list[tuple[object, ...]]:
            with closing(sqlite3.connect(cache / "rows.sqlite")) as connection:
                return connection.execute(
                    "SELECT id, kind, key, sum FROM rows WHERE kind <> 'listing' ORDER BY id"
                ).fetchall()

        before = rows()
        self.assertGreater(len(before), 5)
        self.assertEqual(self.ok("check"), first)
        self.assertEqual(rows(), before)
        shutil.rmtree(cache)
        self.assertEqual(self.ok("check"), first)

    def test_several_checks_at_once_with_no_cache(self) -> None:
        first = self.ok("check", "--format", "json")
        for _ in range(3):
            shutil.rmtree(self.bench / ".protypon/cache")
            command = [*PROGRAM, "check", "--format", "json", "--fail-on", "fatal"]
            running = [subprocess.Popen(command, cwd=self.bench, stdout=subprocess.PIPE, text=True) for _ in range(4)]
            self.assertEqual({process.communicate()[0] for process in running}, {first})
            self.assertEqual({process.returncode for process in running}, {0})

    def test_the_next_steps_of_a_check_work_when_typed(self) -> None:
        """Follow what check says until it says nothing more; only conflicts need a person."""
        self.put("themes/gull/Pages/same.html", TEXT + "same, and mine")
        self.put("themes/gull/styles/more.css", "a {}\n")
        self.ok("update", "pier", "--to", self.new)
        self.put("proposals/gull/pages/clash.html", TEXT + "solved")
        for _ in range(12):
            report = self.check()["gull"]
            steps = [row["next"] for row in (*report["overrides"], *report["findings"]) if row["next"]]
            if not steps:
                break
            done = subprocess.run(
                steps[0].replace("protypon", " ".join(PROGRAM), 1),
                shell=True,
                cwd=self.bench,
                capture_output=True,
                text=True,
            )
            self.assertEqual(done.returncode, 0, f"{steps[0]}\n{done.stderr}")
        else:
            self.fail(f"still: {steps}")
        self.assertEqual(self.read("themes/gull/pages/clash.html").decode(), TEXT + "solved")


if __name__ == "__main__":
    import unittest

    unittest.main()
