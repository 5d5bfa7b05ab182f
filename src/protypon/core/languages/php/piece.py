"""A piece of PHP by itself, without the tag that a file begins with."""

from __future__ import annotations

from protypon.core.languages.php import source as php
from protypon.core.languages.source import SourceFacts
from protypon.core.model.nouns import Problem

VERSION = php.VERSION
ANY_ENCODING = True


def facts(text: str) -> SourceFacts:
    return SourceFacts()


def problems(text: str, file: str) -> list[Problem]:
    return php.problems(f"<?php {text}", file)


def significant(text: str) -> str:
    return php.significant(f"<?php {text}")
