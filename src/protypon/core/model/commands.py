"""Commands as a person types them: the one place that quotes."""

from __future__ import annotations

import shlex


def command_line(*words: str) -> str:
    """A command of this program with each word quoted as a shell wants it; words that are empty are left out.

    >>> command_line("drop", "template:parts/a b.html", "--child", "gull")
    "protypon drop 'template:parts/a b.html' --child gull"
    """
    return shlex.join(["protypon", *(word for word in words if word)])
