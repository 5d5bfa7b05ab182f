"""A piece of PHP by itself, without the tag that a file begins with: a statement, a declaration, or a member of a class."""

from __future__ import annotations

from protypon.core.languages.php import source as php
from protypon.core.languages.php import writer
from protypon.core.languages.source import SourceFacts
from protypon.core.model.nouns import Problem

VERSION = php.VERSION
ANY_ENCODING = True


def facts(text: str) -> SourceFacts:
    """Read what a file names and declares; never raises."""
    return SourceFacts()


def problems(text: str, file: str) -> list[Problem]:
    """Say where a file does not parse."""
    return php.problems(_file(text), file)


def significant(text: str) -> str:
    """Return a form that two texts share when they differ in white space, line ends and comments only."""
    return php.significant(_file(text))


def _file(text: str) -> str:
    return writer.whole(text.encode("utf-8", "surrogateescape")).decode("utf-8", "surrogateescape")
