"""Jinja templates, read once into a syntax tree."""

from __future__ import annotations

from functools import lru_cache

from protypon.core.languages.jinja.bodies import Bodies
from protypon.core.languages.jinja.lexer import normalize
from protypon.core.languages.jinja.statements import read_statement
from protypon.core.languages.jinja.tree import Template, Text


@lru_cache(maxsize=8)
def parse(text: str) -> Template:
    """Read a template; never raises. The last few are remembered, because several ask for one in turn."""
    text = normalize(text)
    if "{%" not in text and "{{" not in text and "{#" not in text:
        return Template(text, (Text(1, text),) if text else ())
    return Bodies(text, read_statement).template()
