"""Names of PHP, as they are resolved in namespaces (https://www.php.net/manual/en/language.namespaces.rules.php)."""

from __future__ import annotations

from typing import Any

from protypon.core.languages.trees import Reader

RELATIVE = ("self", "static", "parent")


class PhpReader(Reader):
    """A reader that knows its namespace and what was brought into the file."""

    namespace = ""
    owner_kind = ""
    named: str | None = ""
    """The function in whose code it is; None in one without a name."""

    def __init__(self, source: bytes, grammar: Any) -> None:
        super().__init__(source, grammar)
        self.used: dict[str, dict[str, str]] = {"class": {}, "function": {}, "const": {}}
        """By what they name (classes and functions without letter case): names that stand for others in this file."""
        self.html_from: int | None = None
        """Where text outside of PHP begins, while it is outside."""
        self.echoing = False
        """Whether what comes is printed: a short tag opened."""

    def full_name(self, name: str) -> str:
        """The full name of what is declared as ``name``."""
        return f"{self.namespace}\\{name}" if self.namespace else name

    def class_name(self, node: Any) -> str:
        """The full name of a class, or of anything else that has a namespace before it."""
        text = self.text(node)
        if text.startswith("\\"):
            return text[1:]
        if text.lower() in RELATIVE:
            return text.lower()
        first, _, rest = text.partition("\\")
        if first.lower() == "namespace" and rest:
            return self.full_name(rest)
        found = self.used["class"].get(first.lower())
        if found is not None:
            return f"{found}\\{rest}" if rest else found
        return self.full_name(text)

    def function_name(self, node: Any) -> str:
        """The full name of a function that is called; a bare one is looked for in the namespace and then outside of any."""
        text = self.text(node)
        if "\\" in text:
            return self.class_name(node)
        return self.used["function"].get(text.lower()) or self.full_name(text)

    def constant_name(self, text: str) -> str:
        """The full name of a bare constant, likewise."""
        return self.used["const"].get(text) or self.full_name(text)

    def function(self, node: Any, name: str, captured: tuple[str, ...] = ()) -> int:
        """Read a function and return its number."""
        raise NotImplementedError

    def anonymous(self, node: Any) -> str:
        """Read a class without a name and return the one that it goes by."""
        raise NotImplementedError

    def read_class(self, node: Any) -> int:
        """Read a class that has a name, and return its number."""
        raise NotImplementedError
