"""Where platform files are: the shipped ones by name, a person's own by path."""

from __future__ import annotations

import os
import re
from pathlib import Path

from protypon.core.files.folder import Folder, reading_named
from protypon.core.model.actions import ListPlatforms, ShowPlatform
from protypon.core.model.errors import BadInput, UnknownName
from protypon.core.model.limits import PLATFORM_BYTES
from protypon.core.model.paths import quote_path

FOLDER = Path(__file__).parent / "platforms"


def shipped_platforms() -> list[str]:
    """Names of the platform files that come with Protypon, sorted."""
    return sorted(name[:-5] for name in Folder(str(FOLDER)).names() if name.endswith(".toml"))


def split_release(name: str) -> tuple[str, str | None]:
    """Split ``NAME@RELEASE``: a platform file, and the release of the platform that counts.

    >>> split_release("quayside@2.1")
    ('quayside', '2.1')
    """
    found = re.fullmatch(r"(.+)@(\d[\w.-]*)", name)
    return (found[1], found[2]) if found else (name, None)


def text_of(name: str, beside: Path | None = None) -> tuple[str, str]:
    """The text of a shipped platform file by name, or of one by path (relative to ``beside``), and what to call it.

    Raises UnknownName for a name that stands for nothing, BadInput for a file that can't be read.
    """
    name, _ = split_release(name)
    own = FOLDER / f"{name}.toml"
    if "/" not in name and name in shipped_platforms():
        return read_platform(str(own)), f"{name}.toml"
    path = (beside or Path()) / name
    if not os.path.lexists(path):
        from protypon.core.platform.schema import nearest

        near = nearest(name, tuple(shipped_platforms()))
        tail = f'did you mean "{near}"? ' if near else ""
        raise UnknownName(
            f"no platform {name!r}, and no file of that name", (tail + "see them with: ", ListPlatforms())
        )
    return read_platform(str(path)), str(path)


def _why(error: OSError | UnicodeDecodeError) -> str:
    return "it is not UTF-8" if isinstance(error, UnicodeDecodeError) else error.strerror or str(error)


def read_platform(path: str) -> str:
    """The text of a platform file. Raises BadInput where it can't be read as one."""
    try:
        with reading_named(path, PLATFORM_BYTES) as stream:
            return stream.read().decode("utf-8")
    except (OSError, UnicodeDecodeError) as error:
        raise BadInput(
            f"{quote_path(path)}: can't be read as a platform file: {_why(error)}",
            ("see one with: ", ShowPlatform("quayside")),
        ) from error
