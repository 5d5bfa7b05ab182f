"""What each stretch of a source is, held against the tokenizers of the languages themselves."""

from __future__ import annotations

import io
import json
import random
import shutil
import subprocess
import tokenize
import unittest
from html.parser import HTMLParser
from pathlib import Path

import protypon
from protypon.core.languages.stretches import ATTRIBUTE, CODE, COMMENT, STRING, STYLE, TEXT, portions

ROOT = Path(protypon.__file__).parent
PHP_TOKENS = """<?php
$out = [];
foreach (array_slice($argv, 1) as $file) {
    $at = 0;
    foreach (token_get_all(file_get_contents($file)) as $token) {
        $text = is_array($token) ? $token[1] : $token;
        if (is_array($token) && in_array($token[0], [T_COMMENT, T_DOC_COMMENT, T_CONSTANT_ENCAPSED_STRING, T_INLINE_HTML])) {
            $out[$file][] = [token_name($token[0]), $at, $at + strlen($text)];
        }
        $at += strlen($text);
    }
}
echo json_encode($out);
"""


def kinds(language: str, text: str) -> list[str]:
    """The kind of every byte."""
    return [p.kind for p in portions(language, text) for _ in range(p.begin, p.end)]


class StretchesTest(unittest.TestCase):
    def test_every_byte_is_in_one_stretch(self) -> None:
        endings = {
            ".py": "python",
            ".php": "php",
            ".html": "jinja",
            ".css": "css",
            ".json": "json",
            ".toml": "toml",
            ".js": "javascript",
            ".md": "",
        }
        counted = 0
        for path in sorted(ROOT.rglob("*")):
            if path.suffix in endings and path.is_file():
                text = path.read_bytes().decode("latin-1")
                found = portions(endings[path.suffix], text)
                self.assertEqual([p.begin for p in found], [0, *(p.end for p in found[:-1])] if found else [], path)
                self.assertEqual(found[-1].end if found else 0, len(text), path)
                counted += 1
        self.assertGreater(counted, 400)

    def test_strings_and_comments_of_python(self) -> None:
        for path in sorted(ROOT.rglob("*.py"))[::3]:
            data = path.read_bytes()
            if not data.isascii():
                continue
            text = data.decode("latin-1")
            starts = [0]
            for line in text.splitlines(keepends=True):
                starts.append(starts[-1] + len(line))
            found = kinds("python", text)
            for token in tokenize.tokenize(io.BytesIO(data).readline):
                begin, end = (starts[row - 1] + column for row, column in (token.start, token.end))
                if token.type == tokenize.COMMENT:
                    self.assertEqual(set(found[begin:end]), {COMMENT}, (path, token))
                elif token.type == tokenize.STRING and "<" not in token.string and token.string[:1] not in "fF":
                    self.assertLessEqual(set(found[begin + 1 : end - 1]) - {CODE}, {STRING}, (path, token))
                elif token.type == tokenize.NAME:
                    self.assertEqual(set(found[begin:end]), {CODE}, (path, token))

    @unittest.skipUnless(shutil.which("php"), "there is no PHP here")
    def test_strings_comments_and_markup_of_php(self) -> None:
        files = [str(path) for path in sorted(ROOT.rglob("*.php"))]
        done = subprocess.run(
            ["php", "-r", PHP_TOKENS.removeprefix("<?php"), "--", *files],
            capture_output=True,
            text=True,
            cwd=ROOT,
        )
        self.assertEqual(done.returncode, 0, done.stdout[:300])
        tokens = json.loads(done.stdout)
        self.assertGreater(len(tokens), 20)
        wanted = {
            "T_COMMENT": {COMMENT},
            "T_DOC_COMMENT": {COMMENT},
            "T_CONSTANT_ENCAPSED_STRING": {STRING, TEXT, ATTRIBUTE, CODE, COMMENT},
            "T_INLINE_HTML": {TEXT, ATTRIBUTE, CODE, STYLE, COMMENT, STRING},
        }
        for file, rows in tokens.items():
            data = Path(file).read_bytes().decode("latin-1")
            found = kinds("php", data)
            for name, begin, end in rows:
                text = data[begin:end].rstrip("\n")
                allowed = {STRING} if name == "T_CONSTANT_ENCAPSED_STRING" and "<" not in text else wanted[name]
                self.assertLessEqual(set(found[begin : begin + len(text)]), allowed, (file, name, text))

    def test_attributes_and_words_of_markup(self) -> None:
        words = ["lamp", "pier", "gull", "tide"]
        for seed in range(300):
            rng = random.Random(seed)
            text = "".join(
                rng.choice(
                    [
                        f"<p class=\"{rng.choice(words)}\">", "</p>", f" {rng.choice(words)} ", f"<!-- {rng.choice(words)} -->",
                        f"<img alt='{rng.choice(words)}'>",
                        f"<style>.{rng.choice(words)} {{ color: red }}</style>", f"<i id={rng.choice(words)}>",
                    ]
                )
                for _ in range(rng.randint(1, 12))
            )  # fmt: skip
            found = kinds("jinja", text)
            told = {
                kind: "".join(c if k == kind else " " for c, k in zip(text, found, strict=True))
                for kind in (TEXT, ATTRIBUTE, COMMENT, STYLE)
            }
            real = _Real(text)
            for kind, wanted in (
                (TEXT, real.words),
                (ATTRIBUTE, real.values),
                (COMMENT, real.comments),
                (STYLE, real.styles),
            ):
                self.assertEqual(
                    [w for w in words for _ in range(told[kind].count(w))],
                    sorted(wanted, key=words.index),
                    (text, kind),
                )

    def test_data(self) -> None:
        self.assertEqual({p.kind for p in portions("json", '{"a": "b"}')}, {CODE, STRING})
        self.assertEqual(portions("yaml", "# c\na: b\n")[0].kind, COMMENT)
        self.assertIn(TEXT, {p.kind for p in portions("po", 'msgid "Open"\n')})
        self.assertEqual(portions("css", ""), [])


class _Real(HTMLParser):
    """The same of the library's parser."""

    def __init__(self, text: str) -> None:
        super().__init__()
        self.words: list[str] = []
        self.values: list[str] = []
        self.comments: list[str] = []
        self.styles: list[str] = []
        self.inside = ""
        self.feed(text)
        self.close()

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        self.inside = tag if tag == "style" else self.inside
        for name, value in attrs:
            (self.words if name == "alt" else self.values).append(value or "")

    def handle_endtag(self, tag: str) -> None:
        self.inside = "" if tag == "style" else self.inside

    def handle_data(self, data: str) -> None:
        found = [word for word in data.replace(".", " ").split() if word in ("lamp", "pier", "gull", "tide")]
        (self.styles if self.inside else self.words).extend(found)

    def handle_comment(self, data: str) -> None:
        self.comments.append(data.strip())
