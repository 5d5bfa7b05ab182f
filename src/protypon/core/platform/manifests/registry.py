"""The syntaxes of manifests: one module each, behind one Protocol. A new syntax is one new file and a line here."""

from __future__ import annotations

from collections.abc import Mapping
from importlib import import_module
from typing import Any, Protocol, cast


class Syntax(Protocol):
    """What a manifest module offers."""

    @staticmethod
    def read(text: str) -> dict[str, Any]:
        """Read a manifest into nested tables; raises NotRead."""

    @staticmethod
    def write(text: str, changes: Mapping[tuple[str, ...], Any]) -> str:
        """Set fields in a manifest's text (empty: start one), keeping comments and order."""


MODULES = {
    "toml": "toml_syntax",
    "json": "json_syntax",
    "ini": "ini_syntax",
    "yaml": "yaml_syntax",
    "comment": "comment_syntax",
    "pattern": "pattern_syntax",
}


def syntax(name: str) -> Syntax:
    """Return the module for a syntax, imported when first asked for."""
    return cast(Syntax, import_module(f"{__package__}.{MODULES[name]}"))


def value_at(data: Mapping[str, Any], field: str) -> Any:
    """Return what stands at a dotted field, or None.

    >>> value_at({"theme": {"slug": "seabed"}}, "theme.slug")
    'seabed'
    """
    find = getattr(data, "find", None)
    if find is not None:
        return find(field)
    found: Any = data
    for key in field.split("."):
        if not isinstance(found, Mapping) or key not in found:
            return None
        found = found[key]
    return found
