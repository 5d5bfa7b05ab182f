"""What import-linter's contracts in ``pyproject.toml`` can't see: imports by name, code in packages' own files, names that two things share."""

from __future__ import annotations

import ast
import unittest
from collections.abc import Iterator
from graphlib import CycleError, TopologicalSorter
from importlib.util import find_spec, resolve_name
from pathlib import Path
from types import ModuleType

import grimp

import protypon


def registered() -> dict[str, set[str]]:
    """Registry -> the modules that it imports by name."""
    from protypon.core.languages import registry as languages
    from protypon.core.platform.manifests import registry as syntaxes
    from protypon.core.units import registry as units

    rows = languages.LANGUAGES.values()
    return {
        languages.__name__: {_whole(row.source, languages) for row in rows},
        "protypon.core.languages.writers": {_whole(row.writer, languages) for row in rows if row.writer},
        syntaxes.__name__: {_whole("." + name, syntaxes) for name in syntaxes.MODULES.values()},
        units.__name__: {
            place
            for row in units.KINDS.values()
            for part in ("find", "remove", "mend", "explain")
            if find_spec(place := _whole(f"{row.folder}.{part}", units)) is not None
        },
    }


def _whole(place: str, registry: ModuleType) -> str:
    return resolve_name(place, registry.__package__)


def whole_graph() -> dict[str, set[str]]:
    """Module -> what it imports, lazily, for types, or by name in a registry."""
    graph = grimp.build_graph("protypon", exclude_type_checking_imports=False, cache_dir=None)
    found = {module: set(graph.find_modules_directly_imported_by(module)) for module in graph.modules}
    for registry, modules in registered().items():
        found[registry] |= modules
    return found


class OrderTest(unittest.TestCase):
    def test_no_circle_even_through_registries(self) -> None:
        try:
            TopologicalSorter(whole_graph()).prepare()
        except CycleError as error:
            self.fail(" -> ".join(error.args[1]))

    def test_a_circle_would_be_found(self) -> None:
        graph = whole_graph()
        graph["protypon.core.languages.code"].add("protypon.core.languages.registry")
        with self.assertRaises(CycleError):
            TopologicalSorter(graph).prepare()

    def test_what_registries_list_is_there(self) -> None:
        graph = whole_graph()
        listed = {module for modules in registered().values() for module in modules}
        self.assertGreater(len(listed), 20)
        self.assertLessEqual(listed, set(graph))

    def test_only_registries_import_by_name(self) -> None:
        source = Path(protypon.__file__).parent
        found = set()
        for path in sorted((source / "core").rglob("*.py")):
            text = path.read_text("utf-8")
            if "import_module(" in text and "__package__" in text:
                found.add("protypon." + ".".join(path.relative_to(source).with_suffix("").parts))
        self.assertEqual(found, set(registered()) - {"protypon.core.languages.writers"})

    def test_packages_say_what_they_are_and_do_nothing(self) -> None:
        source = Path(protypon.__file__).parent
        for path in sorted((source / "core").rglob("__init__.py")):
            with self.subTest(path.relative_to(source)):
                tree = ast.parse(path.read_bytes())
                self.assertTrue(ast.get_docstring(tree))
                self.assertEqual(len(tree.body), 1)

    def test_the_core_has_rooms_only(self) -> None:
        core = Path(protypon.__file__).parent / "core"
        self.assertEqual([p.name for p in core.iterdir() if p.is_file()], ["__init__.py"])
        self.assertEqual([p for p in core.rglob("*") if p.is_dir() and not any(p.iterdir())], [])

    def test_one_class_a_name(self) -> None:
        source = Path(protypon.__file__).parent
        found: dict[str, list[str]] = {}
        for path in sorted(source.rglob("*.py")):
            rel = path.relative_to(source).as_posix()
            if not rel.startswith("demo/themes/"):
                for node in ast.walk(ast.parse(path.read_bytes())):
                    if isinstance(node, ast.ClassDef):
                        found.setdefault(node.name, []).append(rel)
        self.assertEqual({name: places for name, places in found.items() if len(places) > 1}, {})

    def test_every_public_name_of_the_core_says_what_it_is(self) -> None:
        core = Path(protypon.__file__).parent / "core"
        silent = [
            f"{path.relative_to(core)}:{name}"
            for path in sorted(core.rglob("*.py"))
            for name in _without_docstring(ast.parse(path.read_bytes()), "")
        ]
        self.assertEqual(silent, [])


def _without_docstring(node: ast.Module | ast.ClassDef, within: str) -> Iterator[str]:
    for part in node.body:
        if isinstance(part, ast.FunctionDef | ast.AsyncFunctionDef | ast.ClassDef) and not part.name.startswith("_"):
            if not ast.get_docstring(part):
                yield within + part.name
            if isinstance(part, ast.ClassDef):
                yield from _without_docstring(part, f"{part.name}.")


if __name__ == "__main__":
    unittest.main()
