"""Recordings of a site that PHP's own web server serves: what PHP knew, held against what was worked out from a platform file, right or wrong."""

from __future__ import annotations

import json
import os
import shutil
import signal
import socket
import subprocess
import time
import unittest
import urllib.request
from pathlib import Path
from typing import Any

from protypon.standin import hosted
from tests.support import BenchCase

PHP = Path(hosted.__file__).parent / "php"
LEDGER = 'format = "protypon.ledger/1"\n'
FILES = {
    "hedgerow": {
        "pier/hedgerow.yaml": 'title: Pier\nrelease: "1.0"\n',
        "pier/grove.php": """<?php
if (!function_exists('pier_hours')) { function pier_hours() { return 'ten'; } }
function pier_a() {} function pier_b() {}
if (!defined('PIER_ROWS')) { define('PIER_ROWS', 3); }
class Pier_Desk {}
hedgerow_fetch('crates/board.php');
hedgerow_graft('foot', 'pier_a'); hedgerow_graft('foot', 'pier_b', 5); hedgerow_graft('foot', function () {}, 5);
""",
        "pier/crates/board.php": "<?php function pier_board() {}\n",
        "pier/leaves/page.php": '<?php hedgerow_shake("foot"); ?>',
        "gull/hedgerow.yaml": 'title: Gull\nrelease: "1.0"\ngrown_on: pier\n',
        "gull/grove.php": "<?php\nfunction pier_hours() { return 'noon'; }\n"
        "define('PIER_ROWS', 7);\nhedgerow_graft('foot', 'gull_c', 5);\nfunction gull_c() {}\n",
        "gull/crates/board.php": "<?php function gull_board() {}\n",
        "gull/overrides.toml": LEDGER,
    },
    "millrace": {
        "pier/millrace.json": '{"slug": "pier", "title": "Pier", "release": "1"}',
        "pier/works.php": """<?php
function pier_a() {} function pier_b() {}
mill_draw('gears/board.php');
mill_engage('foot', 'pier_a'); mill_engage('foot', 'pier_b', 50); mill_engage('foot', function () {}, 200);
""",
        "pier/gears/board.php": "<?php function pier_board() {}\n",
        "pier/views/page.php": '<?php mill_turn("foot"); ?>',
        "gull/millrace.json": '{"slug": "gull", "title": "Gull", "release": "1", "turns_on": "pier"}',
        "gull/works.php": "<?php\nfunction gull_c() {}\nmill_engage('foot', 'gull_c', 60);\n",
        "gull/gears/board.php": "<?php function gull_board() {}\n",
        "gull/overrides.toml": LEDGER,
    },
    "kiln": {
        "pier/pier.ini": "[theme]\ntitle = Pier\n",
        "pier/pier_fire.php": """<?php
#[Glaze('foot')]
function pier_a() {}
#[Glaze('foot', order: 5)]
function pier_b() {}
kiln_take('clay/board.php');
""",
        "pier/clay/board.php": "<?php function pier_board() {}\n",
        "pier/tiles/page.php": '<?php kiln_fire("foot"); ?>',
        "gull/gull.ini": "[theme]\ntitle = Gull\nparents = pier\n",
        "gull/gull_fire.php": "<?php\n#[Glaze('foot', order: 20)]\nfunction gull_c() {}\n",
        "gull/clay/board.php": "<?php function gull_board() {}\n",
        "gull/overrides.toml": LEDGER,
    },
}
RECORD = """record.page = "Host::$kind"
record.points = "Host::standing()"
"""
WRONG = {
    "hedgerow": {
        'means = { attach = ["hedgerow_graft(point, callback, order=9, takes)"] }': "point foot",
        'code = { numbers = "descending" }': "point foot",
        'code = { order = "parent-first" }': "the end",
        'means = { pull = [{ call = "hedgerow_fetch", tries = ["crates/other/{file}"] }] }': "code files, in order",
        'page = [{ kind = "home", templates = ["leaves/none.php"] }]': "templates of the page",
    },
    "millrace": {
        'means = { attach = ["mill_engage(point, callback, order=55, takes)"] }': "point foot",
        'code = { numbers = "ascending" }': "point foot",
        'code = { order = "child-first" }': "code files, in order",
        'means = { pull = [{ call = "mill_draw", tries = ["gears/other/{file}"] }] }': "code files, in order",
        'page = [{ kind = "home", templates = ["views/none.php"] }]': "templates of the page",
    },
    "kiln": {
        'means = { attach = [{ mark = "Glaze(point:at, callback, order=10, takes)" }] }': "point foot",
        'code = { numbers = "descending" }': "point foot",
        'code = { order = "child-first" }': "code files, in order",
        'means = { pull = [{ call = "kiln_take", tries = ["clay/other/{file}"] }] }': "code files, in order",
        'page = [{ kind = "home", templates = ["tiles/none.php"] }]': "templates of the page",
    },
}
"""For each platform: a line that is not so -> what a recording says of it."""


@unittest.skipUnless(shutil.which("php"), "there is no PHP interpreter here")
class RecordedTest(BenchCase):
    platform = "hedgerow"

    def setUp(self) -> None:
        super().setUp()
        for path, text in FILES[self.platform].items():
            self.put(f"themes/{path}", text)
        self.begin("")

    def begin(self, line: str) -> None:
        head = f'format = "protypon.platform/1"\nname = "mine"\nlike = "{self.platform}"\n'
        self.put("mine.toml", f"{head}{RECORD}{line}\n")
        if not (self.bench / "protypon.toml").exists():
            self.ok("init", "--platform", "mine.toml")

    def record(self) -> Path:
        """Have a site record a page of it."""
        self.ok("recorder", "--out", "recorder.php")
        lineage = self.root / "lineage.json"
        lineage.write_text(json.dumps({"themes": hosted.lineage(self.platform, self.bench / "themes", "gull")}))
        with socket.create_server(("127.0.0.1", 0)) as free:
            port = free.getsockname()[1]
        out = self.root / "recorded"
        server = subprocess.Popen(
            ["php", "-n", "-d", f"auto_prepend_file={self.bench}/recorder.php", "-S", f"127.0.0.1:{port}", "-t", str(PHP)],
env={**os.environ, "PROTYPON_RECORDED": str(out)}, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL,
        )  # fmt: skip
        try:
            address = f"http://127.0.0.1:{port}/site.php?platform={self.platform}&lineage={lineage}&kind=home"
            for _ in range(100):
                try:
                    urllib.request.urlopen(address, timeout=5).read()
                    break
                except OSError:
                    time.sleep(0.05)
        finally:
            server.send_signal(signal.SIGTERM)
            server.wait()
        self.assertEqual(len(list(out.glob("*.json"))), 1)
        return out

    def held(self, out: Path, status: int = 0) -> list[dict[str, Any]]:
        table = json.loads(self.ok("trial", "gull", "--recorded", str(out), "--format", "json", status=status))
        return [each for page in table["pages"] for each in page["differences"]]

    def test_a_right_file_comes_as_recorded_and_a_wrong_line_does_not(self) -> None:
        out = self.record()
        recording = json.loads(next(out.glob("*.json")).read_text())
        self.assertEqual((recording["page"], recording["fatal"]), ("home", None))
        self.assertIn("pier_a", recording["functions"])
        self.assertEqual(self.held(out), [])
        for line, about in WRONG[self.platform].items():
            with self.subTest(line):
                self.begin(line)
                found = self.held(out, 1)
                self.assertIn(about, {each["about"] for each in found}, found)
                self.assertTrue(all(each["worked_out"] != each["ran"] for each in found), found)

    def test_a_fatal_error_that_was_not_worked_out_is_told(self) -> None:
        out = self.record()
        file = next(out.glob("*.json"))
        recording = json.loads(file.read_text())
        root = next(f for f in recording["files"] if "/pier/" in f)
        file.write_text(json.dumps({**recording, "fatal": ["Uncaught Error: x", root, 3]}))
        told = self.held(out, 1)
        self.assertEqual(
            (told[0]["about"], told[0]["ran"]),
            ("the end", f"it ended at pier/{root.partition('/pier/')[2]} line 3: Uncaught Error: x"),
        )

    def test_what_is_no_recording_is_refused(self) -> None:
        for text in ("", "[]", '{"format": "protypon.recorded/1"}', '{"format": 3}', "[" * 9999):
            self.put("bad.json", text)
            self.assertIn("bad.json: is no recording", self.refused("trial", "gull", "--recorded", "bad.json"))
        self.assertIn("is no recording", self.refused("trial", "gull", "--recorded", "nothing.json"))
        self.put("recorder.php", "mine")
        self.assertIn("is there already", self.refused("recorder", "--out", "recorder.php", status=2))


class MillraceTest(RecordedTest):
    platform = "millrace"


class KilnTest(RecordedTest):
    platform = "kiln"


if __name__ == "__main__":
    unittest.main()
