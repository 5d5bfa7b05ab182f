"""Completion, as shells ask for it: a real Bash, by its function and at the keyboard; the others by what they hand over."""

from __future__ import annotations

import os
import pty
import select
import shutil
import subprocess
import time
import unittest
from pathlib import Path
from unittest.mock import patch

from tests.program import PROGRAM
from tests.support import BenchCase

ASKING = """\
source "$HOME/.local/share/bash-completion/completions/protypon"
COMP_LINE=$1
COMP_POINT=${#1}
_protypon_completion protypon
printf '%s\\n' "${COMPREPLY[@]}"
"""
FILES: dict[str, str | bytes] = {
    "pages/home.html": "<p>home</p>\n",
    "parts/foot.html": "<p>foot</p>\n",
    "parts/fore.html": "<p>fore</p>\n",
    "styles/site.css": ".pier .lamp { color: red }\n",
    "settings.json": '{"cards": 6}\n',
    "quay.toml": '[theme]\nslug = "pier"\ntitle = "Pier"\nrelease = "1.0.0"\n[sheets]\nsite = ["styles/site.css"]\n',
}


class CompletionCase(BenchCase):
    def setUp(self) -> None:
        super().setUp()
        self.started(FILES, "foot", "fore", "setting:settings.json#cards")
        paths = f"{Path(PROGRAM[0]).parent}{os.pathsep}{os.environ['PATH']}"
        self.env = {
            **os.environ,
            "PATH": paths,
            "PS1": "first> ",
        }
        self.said = self.ok("completion", "--install", env=self.env)


@unittest.skipUnless(shutil.which("bash"), "there is no Bash here")
class BashTest(CompletionCase):
    def replies(self, line: str) -> list[str]:
        """What takes the place of the part of the last word that Bash sees."""
        done = subprocess.run(
            ["bash", "-c", ASKING, "bash", line], cwd=self.bench, env=self.env, capture_output=True, text=True
        )
        self.assertEqual(done.stderr, "", line)
        return done.stdout.split("\n")[:-1]

    def test_names_of_the_bench_and_of_the_program(self) -> None:
        for line, wanted in (
            ("protypon che", ["check"]),
            ("protypon check ", ["gull"]),
            ("protypon update p", ["pier"]),
            ("protypon explain template:parts/f", ["parts/foot.html", "parts/fore.html"]),
            ("protypon drop template:parts/fore", ["parts/fore.html"]),
            ("protypon drop --child gull setting:", ["settings.json#cards"]),
            ("protypon explain rule:styles/site.css#", ["styles/site.css#.pier\\ .lamp"]),
            ("protypon explain 'rule:styles/site.css#", ["rule:styles/site.css#.pier .lamp"]),
            ("protypon settle th", ["theme:gull", "theme:pier"]),
            ("protypon check --fail-on dr", ["drifted"]),
            ("protypon pack --despite edited", ["edited-parent"]),
            ("protypon mend parent-b", ["parent-by-title"]),
            ("protypon points --page ho", ["home"]),
            ("protypon override --for ho", ["home"]),
            ("protypon points notice", ["notice-board"]),
            ("protypon init --platform mill", ["millrace"]),
            ("protypon platform show q", ["quayside"]),
            ("protypon undo --to ", ["3", "2", "1"]),
            (f"protypon -C {self.bench} new g --parent pi", ["pier"]),
        ):
            with self.subTest(line=line):
                if "notice" in line:  # a point of the platform's, where its file lists some
                    self.assertIn(self.replies(line), ([""], wanted))
                else:
                    self.assertEqual(self.replies(line), wanted)

    def test_where_there_is_no_bench_or_a_broken_one_nothing_is_said(self) -> None:
        self.put("protypon.toml", "platform = [")
        self.assertEqual(self.replies("protypon check "), [""])
        (self.bench / "protypon.toml").unlink()
        self.assertEqual(self.replies("protypon explain template:"), [""])

    def test_at_the_keyboard(self) -> None:
        """Typed with the tabulator, an address comes out whole, and the command takes it."""
        self.assertIn(
            "template:parts/foot.html  as gull sees it", self.typed("protypon explain template:parts/foo\t\n")
        )
        rule = self.typed("protypon explain rule:styles/site.css#.p\t\n")
        self.assertIn("rule:styles/site.css#.pier .lamp  as gull sees it", rule)

    def typed(self, keys: str) -> str:
        """What stands in a terminal in which Bash runs, after some keys."""
        pid, terminal = pty.fork()
        if pid == 0:
            os.chdir(self.bench)
            os.execvpe("bash", ["bash", "--norc", "--noprofile", "-i"], self.env)
        try:
            self.until(terminal, b"first> ")
            os.write(terminal, b". ~/.local/share/bash-completion/completions/protypon; PS1='ready> '\n")
            self.until(terminal, b"\nready> ")
            os.write(terminal, keys.encode())
            return self.until(terminal, b"\nready> ").decode()
        finally:
            os.kill(pid, 9)
            os.waitpid(pid, 0)
            os.close(terminal)

    def until(self, terminal: int, end: bytes) -> bytes:
        seen, last = b"", time.monotonic() + 60
        while not seen.endswith(end):
            self.assertLess(time.monotonic(), last, seen)
            if select.select([terminal], [], [], 1)[0]:
                seen += os.read(terminal, 4096)
        return seen


class InstallTest(CompletionCase):
    def test_it_is_written_where_the_shell_looks_and_nothing_else_is_overwritten(self) -> None:
        place = self.home_folder / ".local/share/bash-completion/completions/protypon"
        self.assertIn("begin a new shell", self.said)
        self.assertTrue(place.is_file())
        self.ok("completion", "--install", env=self.env)
        place.write_text("another")
        self.assertIn("is not ours", self.refused("completion", "--install", env=self.env))
        self.assertEqual(place.read_text(), "another")
        self.ok("completion", "fish", "--install", env=self.env)
        self.assertTrue((self.home_folder / ".config/fish/completions/protypon.fish").is_file())
        self.assertIn("fpath=", self.ok("completion", "zsh", "--install", env=self.env))
        self.refused("completion", env={**self.env, "SHELL": "/bin/tcsh"}, status=2)

    def test_without_a_home(self) -> None:
        def nobody() -> None:
            os.environ.pop("HOME")
            patch("pwd.getpwuid", side_effect=KeyError).start()

        said = self.refused("completion", "bash", "--install", env=self.env, prepare=nobody)
        self.assertIn("HOME is not set", said)

    def test_other_shells_get_addresses_as_they_are(self) -> None:
        for shell, line in (("zsh", "plain\ntemplate:parts/fore.html\n_"), ("fish", "plain,template:parts/fore.html")):
            env = {
                "_PROTYPON_COMPLETE": f"{shell}_complete",
                "COMP_WORDS": "protypon drop template:parts/for",
                "COMP_CWORD": "2" if shell == "zsh" else "template:parts/for",
            }
            self.assertIn(line, self.run_command(env=env).stdout)


if __name__ == "__main__":
    unittest.main()
