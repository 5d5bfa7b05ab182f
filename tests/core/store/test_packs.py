"""Packs and trees, read back by plain Git."""

from __future__ import annotations

import random
import subprocess
import tempfile
import unittest
from pathlib import Path

from protypon.core.files.folder import Folder
from protypon.core.store.git import Repository
from protypon.core.store.packs import RawObject, commit_object, tree_objects


class PackTest(unittest.TestCase):
    def setUp(self) -> None:
        holder = tempfile.TemporaryDirectory(prefix="protypon-packs-")
        self.addCleanup(holder.cleanup)
        self.folder = Path(holder.name) / "store"
        self.repository = Repository(Folder(holder.name), "store")

    def git(self, *arguments: str, data: bytes | None = None) -> bytes:
        done = subprocess.run(["git", "--git-dir", str(self.folder), *arguments], input=data, capture_output=True)
        self.assertEqual(done.returncode, 0, done.stderr)
        return done.stdout

    def test_random_trees_are_read_back_by_git_and_by_us(self) -> None:
        rng = random.Random(8)
        names = ["a", "a.b", "a-b", "ab", "é", "x y", "a0"]
        for number in range(25):
            texts = {
                "/".join(rng.choices(names, k=rng.randint(1, 3))): rng.randbytes(rng.choice([0, 3, 200, 70_000]))
                for _ in range(12)
            }
            files = {p: t for p, t in texts.items() if not any(o.startswith(p + "/") for o in texts)}
            blobs = {path: RawObject("blob", text) for path, text in files.items()}
            modes = {path: (rng.choice([0o100644, 0o100755]), blob.oid) for path, blob in blobs.items()}
            trees = list(tree_objects(modes))
            commit = commit_object(trees[-1].oid, [], 1_700_000_000 + number, f"number {number}")
            self.repository.write([*blobs.values(), *blobs.values(), *trees, commit])
            self.repository.set_refs({f"refs/heads/n{number}": commit.oid})
            self.assertEqual(self.repository.files(trees[-1].oid), modes)
            listed = self.git("ls-tree", "-r", "-z", commit.oid).decode().split("\0")[:-1]
            found = {line.split("\t")[1]: (int(line.split()[0], 8), line.split()[2]) for line in listed}
            self.assertEqual(found, modes)
            for path, text in files.items():
                self.assertEqual(self.repository.read(blobs[path].oid), text)
        self.git("fsck", "--strict", "--full")
        self.git("gc", "--aggressive", "-q")
        self.assertEqual(Repository(Folder(str(self.folder.parent)), "store").files(trees[-1].oid), modes)

    def test_refs_come_and_go(self) -> None:
        commit = commit_object("4b825dc642cb6eb9a060e54bf8d69288fbee4904", [], 0, "empty")
        self.repository.write([RawObject("tree", b""), commit])
        self.repository.set_refs({"refs/tags/a/b": commit.oid, "refs/heads/c": commit.oid})
        self.assertEqual(self.repository.refs("refs/tags/"), {"refs/tags/a/b": commit.oid})
        self.repository.set_refs({"refs/tags/a/b": None, "refs/tags/never": None})
        self.assertEqual(self.repository.refs("refs/"), {"refs/heads/c": commit.oid})

    def test_what_is_not_here_is_none(self) -> None:
        self.assertIsNone(self.repository.read("0" * 40))
        self.assertEqual(self.repository.files("0" * 40), {})


if __name__ == "__main__":
    unittest.main()
