"""What only one room may do, told from the syntax trees of the whole program."""

from __future__ import annotations

import ast
import json
import re
import shlex
import unittest
from collections.abc import Iterator
from pathlib import Path
from typing import get_args

import protypon
from protypon.core.model.actions import Action, pack_words, unpack_words
from protypon.core.units.registry import KINDS
from protypon.render.commands import command

SOURCE = Path(protypon.__file__).parent
ON_THE_DISK = {
    "os": {
        "access", "chmod", "chown", "fchmod", "link", "listdir", "lstat", "makedirs", "mkdir", "mkfifo", "mknod", "open", "readlink", "remove", "removedirs",
        "rename", "renames", "replace", "rmdir", "scandir", "stat", "statvfs", "symlink", "sync", "truncate", "unlink", "utime", "walk", "fwalk", "chdir",
    },
    "os.path": {"exists", "lexists", "isfile", "isdir", "islink", "getsize", "getmtime", "realpath", "samefile"},
    "shutil": {"copy", "copy2", "copyfile", "copytree", "move", "rmtree", "make_archive", "unpack_archive"},
    "io": {"open"},
    "tempfile": {"TemporaryDirectory", "TemporaryFile", "NamedTemporaryFile", "mkdtemp", "mkstemp"},
}  # fmt: skip
OF_A_PATH = {
    "read_text", "read_bytes", "write_text", "write_bytes", "iterdir", "glob", "rglob", "symlink_to", "touch", "is_dir", "is_symlink", "exists", "resolve",
    "mkdir", "unlink", "rmdir",
}  # fmt: skip
"""Methods that only a ``pathlib.Path`` has."""
ROOMS = ("core/files/", "demo/", "standin/", "core/trial/host.py")
"""The room for it; the demo, which lays out its own folder; and the stand-in platforms and the host of trials, which are programs of their own."""
ALLOWED = {
    ("core/languages/php/natives.py", "read_text"),  # a list that comes with the program
    ("core/themes/bench.py", "resolve"),  # where we are, and what -C names
    ("core/actions/init.py", "os.path.realpath"),  # a platform file that a person names
    ("core/actions/keep.py", "os.path.realpath"),  # compares two paths
    ("core/actions/pack.py", "os.path.isdir"),  # where --out points
    ("core/platform/shipped.py", "os.path.lexists"),  # a platform file that a person names
    ("cli/main.py", "os.open"),  # /dev/null
    ("cli/init.py", "resolve"),  # the folder that a person names
    ("cli/context.py", "is_dir"),  # the folder that -C names
    ("cli/demo.py", "exists"),
    ("cli/demo.py", "iterdir"),
}
PRINTS = {"render/plain.py", "render/text.py"}


def modules() -> Iterator[tuple[str, ast.Module]]:
    for path in sorted(SOURCE.rglob("*.py")):
        rel = path.relative_to(SOURCE).as_posix()
        if not rel.startswith("demo/themes/"):
            yield rel, ast.parse(path.read_bytes(), rel)


def calls(tree: ast.Module) -> Iterator[tuple[str, int]]:
    """Every call by its dotted name, as far as names alone tell."""
    for node in ast.walk(tree):
        if isinstance(node, ast.Call):
            yield ast.unparse(node.func), node.lineno
        elif isinstance(node, ast.Attribute) and isinstance(node.value, ast.Name) and node.value.id in ON_THE_DISK:
            yield ast.unparse(node), node.lineno  # a function that is handed on


def touches_disk(name: str) -> str:
    """The name under which a call touches the disk; empty where it does not."""
    head, _, last = name.rpartition(".")
    if name == "open" or last in ON_THE_DISK.get(head, ()):
        return name
    if name == "shutil.which":
        return name
    return last if head and last in OF_A_PATH and not head.startswith(("self.bench", "re.")) else ""


def names_a_kind(node: ast.AST, kinds: set[str]) -> bool:
    """Whether code imports the folder of a kind, makes a unit of it, or compares the kind of a unit with it."""
    if isinstance(node, ast.Import | ast.ImportFrom):
        places = [node.module or ""] if isinstance(node, ast.ImportFrom) else [alias.name for alias in node.names]
        return any(place.startswith(f"protypon.core.units.{kind}") for place in places for kind in kinds)
    if isinstance(node, ast.Call):
        first = node.args[0] if node.args else None
        return isinstance(node.func, ast.Name) and node.func.id == "Unit" and getattr(first, "value", None) in kinds
    if not isinstance(node, ast.Compare) or not ast.unparse(node.left).endswith("unit.kind"):
        return False
    return any(getattr(part, "value", None) in kinds for other in node.comparators for part in ast.walk(other))


class RoomTest(unittest.TestCase):
    def test_nothing_but_one_room_touches_the_disk(self) -> None:
        found = {
            (module, what, line)
            for module, tree in modules()
            if not module.startswith(ROOMS)
            for name, line in calls(tree)
            if (what := touches_disk(name)) and (module, what) not in ALLOWED
        }
        self.assertEqual(found, set())

    def test_the_exceptions_are_all_in_use(self) -> None:
        used = {(module, touches_disk(name)) for module, tree in modules() for name, _ in calls(tree)}
        self.assertLessEqual(ALLOWED, used)

    def test_the_test_sees_what_it_looks_for(self) -> None:
        for text in (
            "open('a')",
            "os.open(p, 0)",
            "Path(x).read_text()",
            "f = os.rename",
            "shutil.rmtree(a)",
            "os.path.exists(a)",
        ):
            self.assertTrue(any(touches_disk(name) for name, _ in calls(ast.parse(text))), text)

    def test_one_place_prints(self) -> None:
        found = {
            (module, name, line)
            for module, tree in modules()
            if module not in PRINTS and not module.startswith("standin/")
            for name, line in calls(tree)
            if name in ("print", "click.echo", "click.secho", "pprint")
            or name.startswith(("sys.stdout.write", "sys.stderr.write"))
        }
        self.assertEqual(found, set())

    def test_one_place_writes_commands(self) -> None:
        """The core says what is to be done as an action; no text of it has a command of this program in it."""
        found = set()
        for module, tree in modules():
            documents = {
                node.body[0].value
                for node in ast.walk(tree)
                if isinstance(node, ast.Module | ast.ClassDef | ast.FunctionDef)
                and node.body
                and isinstance(node.body[0], ast.Expr)
            }
            for node in ast.walk(tree) if module.startswith("core/") else ():
                if isinstance(node, ast.Constant) and node not in documents and "protypon " in str(node.value):
                    found.add((module, node.lineno))
        self.assertEqual(found, set())

    def test_every_action_is_written_as_a_command_and_comes_whole_from_a_cache(self) -> None:
        for cls in get_args(Action):
            action = cls(
                *(
                    ("--x",) if name in ("options", "despite") else True if name == "units" else "a b"
                    for name in cls._fields
                )
            )
            with self.subTest(action):
                self.assertEqual(unpack_words(json.loads(json.dumps(pack_words(("so: ", action))))), ("so: ", action))
                self.assertEqual(len({action, cls(*action._values())}), 1)
                words = shlex.split(command(action))
                self.assertIn(words[0], ("protypon", "mv", "${EDITOR:-vi}"))
                self.assertEqual(
                    [w for w in words if w == "a b"],
                    ["a b"] * sum(n not in ("options", "units", "despite") for n in cls._fields),
                )

    def test_a_kind_of_unit_is_known_in_its_folder_and_the_registry_only(self) -> None:
        kinds = {name for name, row in KINDS.items() if row.in_code}
        folders = {row.folder.lstrip(".") for row in KINDS.values()}
        known = [
            f"{path.relative_to(SOURCE)} line {node.lineno}"
            for path in sorted((SOURCE / "core").rglob("*.py"))
            if path.parent.name not in folders and path.name != "registry.py"
            for node in ast.walk(ast.parse(path.read_text()))
            if names_a_kind(node, kinds)
        ]
        self.assertEqual(known, [])

    def test_that_test_sees_what_it_looks_for(self) -> None:
        for text in (
            'unit.kind == "hook"',
            'Unit("hook", "p")',
            "import protypon.core.units.hook.write",
            'e.unit.kind in ("item",)',
        ):
            self.assertTrue(any(names_a_kind(node, {"hook", "item"}) for node in ast.walk(ast.parse(text))), text)

    def test_the_bounds_are_those_that_the_docs_list(self) -> None:
        from protypon.core.model import limits

        docs = (Path(__file__).parents[2] / "docs/reference/safety.md").read_text("utf-8")
        listed = dict(re.findall(r"^\| `([A-Z_]+)` \| ([\d,]+) \|", docs, re.MULTILINE))
        bounds = {name: value for name, value in vars(limits).items() if name.isupper() and name != "MIB"}
        self.assertEqual({name: int(text.replace(",", "")) for name, text in listed.items()}, bounds)


if __name__ == "__main__":
    unittest.main()
