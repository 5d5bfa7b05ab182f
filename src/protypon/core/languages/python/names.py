"""Names of Python: what was imported as what, and which names a scope has (https://docs.python.org/3/reference/executionmodel.html)."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

from protypon.core.languages.code import Invoke
from protypon.core.languages.trees import DEEPEST, Reader, field


class NamesOf:
    """The names of one scope, while it is read."""

    def __init__(self) -> None:
        self.assigned: set[str] = set()
        self.outer: set[str] = set()
        """Those that are another scope's."""
        self.walrus: set[str] = set()


class PythonReader(Reader):
    """A reader that knows which names were imported from where, and which are assigned."""

    def __init__(self, source: bytes, grammar: Any, shadowed: frozenset[str] = frozenset()) -> None:
        super().__init__(source, grammar)
        self.imported: dict[str, str] = {}
        self.names = NamesOf()
        self.shadowed = shadowed
        """Names that are imported and assigned besides: which of both counts is left to the run."""
        self.clashing: set[str] = set()
        self.within = ""
        """The class in whose text it is, in functions too."""

    @property
    def assigned(self) -> set[str]:
        """The names that the function in hand assigns."""
        return self.names.assigned

    @assigned.setter
    def assigned(self, names: set[str]) -> None:
        """The names that the function in hand assigns."""
        self.names.assigned = names

    @property
    def walrus(self) -> set[str]:
        """The names that assignment expressions of a comprehension set around it."""
        return self.names.walrus

    @walrus.setter
    def walrus(self, names: set[str]) -> None:
        """The names that assignment expressions of a comprehension set around it."""
        self.names.walrus = names

    def assigning(self, name: str) -> str:
        """Note that a name is assigned here."""
        self.names.assigned.add(name)
        if name in self.imported and name not in self.shadowed:
            self.clashing.add(name)
        return name

    @contextmanager
    def scope(self) -> Iterator[NamesOf]:
        """A scope of its own."""
        outer, self.names = self.names, NamesOf()
        try:
            yield self.names
        finally:
            self.names = outer

    def bare(self, node: Any) -> str:
        """A name as the run knows it (Expressions, Private name mangling)."""
        text = self.text(node)
        if self.within and text.startswith("__") and not text.endswith("__"):
            return f"_{self.within.lstrip('_')}{text}"
        return text

    def name(self, node: Any) -> str:
        """The full name that a name or a dotted name stands for; empty for anything else."""
        names: list[str] = []
        while node.type == "attribute":
            names.append(self.bare(field(node, "attribute")))
            node = field(node, "object")
            if len(names) > DEEPEST:
                return ""
        if node.type != "identifier":
            return ""
        text = self.bare(node)
        head = None if text in self.shadowed or text in self.names.assigned else self.imported.get(text)
        if not names:
            return head or text
        return ".".join([head, *reversed(names)]) if head else ""

    def function(self, node: Any, name: str, decorators: tuple[Any, ...]) -> int:
        """Read a function, with the nodes of its decorators, and return its number."""
        raise NotImplementedError

    def read_class(self, node: Any, decorators: tuple[Any, ...]) -> int:
        """Read a class and return its number."""
        raise NotImplementedError

    def mark(self, node: Any) -> Invoke:
        """A decorator as a call."""
        raise NotImplementedError
