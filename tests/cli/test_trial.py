"""The trial: code run by the interpreter on a host made from the platform file, held against what was worked out; and code that is meant to get out."""

from __future__ import annotations

import json
import os
import shutil
import socket
import time
import unittest
from pathlib import Path
from typing import Any

from tests.cli.test_platform_habits import MANTLE, WHARF, PlatformCase
from tests.support import state

READY = bool(shutil.which("php") and shutil.which("bwrap"))


@unittest.skipUnless(READY, "there is no PHP interpreter, or no bubblewrap here")
class TrialTest(PlatformCase):
    def tried(self, *arguments: str, status: int = 0) -> list[dict[str, Any]]:
        table = json.loads(self.ok("trial", *arguments, "--format", "json", status=status))
        pages: list[dict[str, Any]] = table["pages"]
        return pages

    def test_all_comes_as_worked_out_on_every_kind_of_page(self) -> None:
        self.begun("wharf", WHARF)
        self.ok("override", "template:sheet.php", "--for", "sheet-tide")
        self.ok("override", "hook:moored", "--attach", "gull_late")
        pages = self.tried()
        self.assertEqual([page["page"] for page in pages], ["sheet-tide", "sheet-*", "front"])
        self.assertEqual([page["differences"] for page in pages], [[], [], []])
        self.assertTrue(all(page["held"] > 3 and not page["untried"] for page in pages))
        told = self.ok("trial", "--page", "sheet-boat")
        self.assertIn("as worked out   page sheet-boat", told)
        self.assertIn("no kind of page is called", self.refused("trial", "--page", "shet", status=2))

    def test_whether_files_and_folders_are_there_is_known_as_php_has_it(self) -> None:
        asked = {
            "a": "file_exists(__DIR__ . '/boards')", "b": "is_file(__DIR__ . '/boards')", "c": "is_dir(__DIR__ . '/boards')",
            "d": "is_dir(__DIR__ . '/plain.php')", "e": "is_file(dirname(__FILE__) . '/plain.php')", "f": "is_readable(__DIR__)",
            "g": "file_exists(__DIR__ . '/boards/../none.php')", "h": "is_file(hull_folder() . '/mantle.css')", "i": "is_dir(dirname(__DIR__ . '/boards/x'))",
        }  # fmt: skip
        lines = [f"stow(['kind' => 'k', 'name' => '{name}', 'value' => {code}]);" for name, code in asked.items()]
        self.begun("wharf", {**WHARF, "rigging.php": "<?php\n" + "\n".join(lines) + "\n"})
        self.assertEqual(self.tried("--page", "front")[0]["differences"], [])
        for name, value in zip(asked, (True, False, True, False, True, True, False, True, True), strict=True):
            self.assertEqual(self.explained(f"item:k#{name}")["in_force"]["value"], value, asked[name])

    def test_a_release_that_lies_elsewhere_is_tried_before_it_is_brought_in(self) -> None:
        self.begun("wharf", WHARF)
        for path, text in {**WHARF, "mantle.css": MANTLE.format("2.0.0")}.items():
            self.put(f"new/pier/{path}", text)
        self.put("new/pier/rigging.php", "<?php\nfunction pier_new() {}\nmoor('moored', 'pier_new');\n")
        before = state(self.bench, ".protypon")
        pages = self.tried("--against", "new", "--page", "front")
        self.assertEqual((pages[0]["differences"], pages[0]["held"]), ([], 2))
        self.assertEqual(state(self.bench, ".protypon"), before)

    def test_what_nobody_has_is_made_up_and_ends_a_page_without_a_difference(self) -> None:
        code = "<?php\n$x = harbour_title('x');\n$y = $x + 1;\n"
        self.begun("wharf", {**WHARF, "rigging.php": code})
        page = self.tried("--page", "front", status=3)[0]
        self.assertIn("not tried further: pier/rigging.php line 3", page["untried"])
        self.assertEqual(page["differences"], [])
        self.put("themes/pier/rigging.php", "<?php\necho harbour_title('x');\nfoo(new Harbour_Map, HARBOUR_ROWS);\n")
        self.assertIsNone(self.tried("--page", "front")[0]["untried"])

    def test_what_a_kept_release_had_is_never_made_up(self) -> None:
        self.begun("wharf", {**WHARF, "rigging.php": "<?php\nfunction pier_old() {}\n"})
        self.put("themes/pier/mantle.css", MANTLE.format("2.0.0"))
        self.put("themes/pier/rigging.php", "<?php\n")
        self.ok("keep", "themes/pier")
        self.put("themes/gull/rigging.php", "<?php\npier_old();\n")
        page = self.tried("--page", "front", status=1)[0]
        self.assertIn("undefined function pier_old()", page["differences"][0]["ran"])

    def test_a_platform_without_code_has_nothing_to_run(self) -> None:
        text = 'format = "protypon.platform/1"\nname = "bare"\ntitle = "Bare"\n'
        text += 'slug = { from = "folder", pattern = "[a-z]+", says = "letters" }\n'
        text += 'manifest = [{ path = "bare.json", fields = ["title", "parent"] }]\nfiles = [{ kind = "template", match = ["**.html"] }]\n'
        self.put("bare.toml", text)
        self.put("themes/pier/bare.json", "{}")
        self.ok("init", "--platform", "bare.toml")
        self.ok("new", "gull", "--parent", "pier")
        self.assertIn("names no code of PHP or Python", self.refused("trial"))

    def test_without_a_wall_it_refuses_or_is_told_to(self) -> None:
        self.begun("wharf", WHARF)
        bare = self.root / "bin"
        bare.mkdir()
        php = shutil.which("php")
        assert php is not None
        (bare / "php").symlink_to(php)
        env = {"PATH": str(bare)}
        self.assertIn("there is no bwrap here to hold it in", self.refused("trial", env=env))
        self.assertIn("(run without a wall)", self.ok("trial", "--unconfined", env=env))


@unittest.skipUnless(READY, "there is no PHP interpreter, or no bubblewrap here")
class HostileTest(PlatformCase):
    """Nothing gets out, and one line says what came of it."""

    def test_nothing_gets_out(self) -> None:
        secret = self.root / "secret"
        secret.write_text("the lamp is under the stairs")
        listening = socket.create_server(("127.0.0.1", 0))
        self.addCleanup(listening.close)
        port = listening.getsockname()[1]
        escape = [
            f"echo @file_get_contents('{secret}'); stow(['kind' => 'k', 'name' => (string) @file_get_contents('{secret}'), 'value' => 1]);",
            f"@file_put_contents('{self.bench}/themes/gull/x.php', 'x'); @file_put_contents(__DIR__ . '/x.php', 'x'); @unlink(__FILE__);",
            f"$s = @stream_socket_client('tcp://127.0.0.1:{port}'); if ($s) {{ fwrite($s, 'x'); }}",
            f"$h = @fopen('http://127.0.0.1:{port}/', 'r');",
            "for ($i = 0; $i < 100; $i++) { pcntl_fork(); }",
            "echo implode(',', (array) @scandir('/root')), implode(',', (array) @scandir('/home')), @file_get_contents('/etc/passwd');",
            "@symlink('/etc', '/tmp/x'); @mkdir('/tmp/y'); chdir('/'); @rename('/trial/pier', '/trial/other');",
            "register_shutdown_function(function () { echo json_encode(['fatal' => null]); });",
        ]
        self.begun("wharf", {**WHARF, "rigging.php": "<?php\n" + "\n".join(escape) + "\n"})
        before = state(self.bench, ".protypon")
        told = self.run_command("trial", "--page", "front")
        self.assertNotIn("lamp is under the stairs", told.stdout + told.stderr)
        self.assertEqual((told.returncode, told.stderr), (0, ""), told.stdout)
        self.assertEqual(state(self.bench, ".protypon"), before)
        self.assertFalse((self.bench / "themes/gull/x.php").exists())
        listening.settimeout(0.2)
        with self.assertRaises(TimeoutError):
            listening.accept()

    def test_what_has_no_end_is_ended(self) -> None:
        for code, words in (
            ("while (true) { echo str_repeat('x', 1 << 20); ob_flush(); flush(); }", "printed more than"),
            ("$x = []; while (true) { $x[] = str_repeat('x', 1 << 20); }", ""),
            ("ob_end_clean(); while (true) { fwrite(STDOUT, str_repeat('x', 1 << 16)); }", "printed more than"),
            ("posix_kill(getmypid(), 9);", ""),
            ("ob_end_clean(); echo '{\"fatal\": null}', PHP_EOL; fclose(STDOUT); exit;", "gave no report"),
        ):
            with self.subTest(code):
                shutil.rmtree(self.bench)
                self.bench.mkdir()
                self.begun("wharf", {**WHARF, "rigging.php": f"<?php\n{code}\n"})
                begun = time.monotonic()
                done = self.run_command("trial", "--page", "front")
                self.assertLess(time.monotonic() - begun, 40)
                self.assertIn(done.returncode, (0, 1, 3), done.stderr)
                self.assertEqual(done.stderr, "")
                self.assertIn(words, done.stdout)

    def test_nothing_stays_behind(self) -> None:
        self.begun("wharf", {**WHARF, "rigging.php": "<?php\nwhile (true) {}\n"})
        rest = self.root / "rest"
        rest.mkdir()
        env = {"TMPDIR": str(rest), "PATH": os.environ["PATH"]}
        self.assertIn("ended", self.run_command("trial", "--page", "front", env=env).stdout)
        self.assertEqual([name for name in os.listdir(rest) if name.startswith("protypon-trial")], [])
        running = [p.name for p in Path("/proc").glob("[0-9]*") if str(rest).encode() in _command(p)]
        self.assertEqual(running, [])


@unittest.skipUnless(shutil.which("bwrap"), "there is no bubblewrap here")
class PythonTest(PlatformCase):
    """A platform whose code is Python."""

    def code(self, text: str) -> None:
        if not (self.bench / "themes").exists():
            page = "{% for row in menu %}{{ row.href }}{% endfor %}{{ ring('aside') }}\n"
            self.started({"pages/home.html": page, "code/pier.py": "import quay\n"})
            self.put(
                "themes/gull/code/gull.py",
                "import quay\n@quay.on('aside', order=3)\ndef gull_note():\n    return 'x'\n",
            )
        self.put("themes/pier/code/pier.py", "import quay\n" + text)

    def page(self, status: int = 0) -> dict[str, Any]:
        table = json.loads(self.ok("trial", "--page", "home", "--format", "json", status=status))
        found: dict[str, Any] = table["pages"][0]
        return found

    def test_all_comes_as_worked_out(self) -> None:
        self.code("@quay.offer\ndef pier_hours(day=1):\n    return day\nquay.on('aside', pier_hours, 2)\n")
        page = self.page()
        self.assertEqual((page["differences"], page["untried"]), ([], None))
        self.assertGreater(page["held"], 2)

    def test_modules_and_functions_that_nobody_has_are_made_up(self) -> None:
        self.code(
            "import harbour\nfrom almanac.tides import tide\nfor row in harbour.rows(tide):\n    quay.default('a', row)\nship(3)\n"
        )
        self.assertEqual((self.page()["differences"], self.page()["untried"]), ([], None))
        self.code("import harbour\nx = harbour.depth + 1\n")
        self.assertIn("not tried further: pier/code/pier.py line 3", self.page(3)["untried"])

    def test_an_end_that_was_not_foreseen_is_a_difference(self) -> None:
        self.code("import zlib\nzlib.decompress(b'x')\n")
        ran = self.page(1)["differences"][0]["ran"]
        self.assertTrue(ran.startswith("it ended at pier/code/pier.py line 3: error:"), ran)

    def test_nothing_gets_out(self) -> None:
        secret = self.root / "secret"
        secret.write_text("the lamp is under the stairs")
        listening = socket.create_server(("127.0.0.1", 0))
        self.addCleanup(listening.close)
        tries = [
            f"quay.default('s', open({str(secret)!r}).read())", "open(__file__, 'w').write('x')", "os.remove(__file__)",
            f"socket.create_connection(('127.0.0.1', {listening.getsockname()[1]}), 1)", "subprocess.run(['touch', '/trial/x'], check=True)",
            "quay.default('r', os.listdir('/root'))", "os.symlink('/etc', '/trial/y')",
        ]  # fmt: skip
        text = "import os, socket, subprocess\n"
        for number, line in enumerate(tries):
            text += f"try:\n    {line}\n    quay.default('out{number}', 1)\nexcept Exception:\n    quay.default('in{number}', 1)\n"
        self.code(text + "print('the lamp', file=__import__('sys').stderr)\n")
        before = state(self.bench, ".protypon")
        told = self.run_command("trial", "--page", "home")
        self.assertEqual((told.returncode, told.stderr), (0, ""), told.stdout)
        self.assertNotIn("lamp", told.stdout)
        self.assertEqual(state(self.bench, ".protypon"), before)
        listening.settimeout(0.2)
        with self.assertRaises(TimeoutError):
            listening.accept()

    def test_what_has_no_end_is_ended(self) -> None:
        for code, words in (
            ("import os\nwhile True:\n    os.write(1, b'x' * 65536)\n", "printed more than"),
            ("import os\nos._exit(0)\n", "gave no report"),
            ("import os\nos.write(1, b'{\"fatal\": null}\\n')\nos._exit(0)\n", "gave no report"),
            ("x = []\nwhile True:\n    x.append(bytearray(1 << 24))\n", ""),
        ):
            with self.subTest(code):
                self.code(code)
                done = self.run_command("trial", "--page", "home")
                self.assertIn(done.returncode, (0, 1, 3), done.stderr)
                self.assertEqual(done.stderr, "")
                self.assertIn(words, done.stdout)


def _command(process: Path) -> bytes:
    try:
        return (process / "cmdline").read_bytes()
    except OSError:
        return b""


if __name__ == "__main__":
    unittest.main()
