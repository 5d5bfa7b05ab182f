"""Children that others published, on four releases of their parents each: laid out in a bench, and what their texts say by themselves.

The wheels named in ``wheels.txt`` lie in the folder that PROTYPON_WHEELS names; ``.ci/run`` sees to it.
"""

from __future__ import annotations

import os
import re
import subprocess
import tempfile
import zipfile
from collections.abc import Iterable, Iterator
from functools import cache
from pathlib import Path
from typing import Any, NamedTuple

import tinycss2

WHEELS = Path(os.environ.get("PROTYPON_WHEELS", "wheels"))
TABLE = Path(__file__).with_name("verdicts.txt")


class Parent(NamedTuple):
    """One theme in every kept release: what its wheels are called, and where it lies in them."""

    wheel: str
    inside: str
    releases: tuple[str, ...]


PARENTS = {
    "sphinx_rtd_theme": Parent("sphinx_rtd_theme", "sphinx_rtd_theme", ("1.2.2", "1.3.0", "2.0.0", "3.0.2")),
    "pydata_sphinx_theme": Parent(
        "pydata_sphinx_theme", "pydata_sphinx_theme/theme/pydata_sphinx_theme", ("0.13.3", "0.14.4", "0.15.4", "0.16.1")
    ),
    "furo": Parent("furo", "furo/theme/furo", ("2022.12.7", "2023.9.10", "2024.8.6", "2025.7.19")),
    "basic-ng": Parent(
        "sphinx_basic_ng", "sphinx_basic_ng/theme/basic-ng", ("0.0.1a11", "0.0.1a12", "1.0.0b1", "1.0.0b2")
    ),
}


class Child(NamedTuple):
    """One published child: its wheel, where it lies in it, its parents, and the release of the first one that it is used with."""

    wheel: str
    inside: str
    slug: str
    parents: tuple[str, ...]
    installed: str


CHILDREN = (
    Child("sphinx_book_theme-1.1.3", "sphinx_book_theme/theme/sphinx_book_theme", "sphinx_book_theme", ("pydata_sphinx_theme",), "0.15.4"),
    Child("ansys_sphinx_theme-1.2.3", "ansys_sphinx_theme/theme/ansys_sphinx_theme", "ansys_sphinx_theme", ("pydata_sphinx_theme",), "0.15.4"),
    Child("nextstrain_sphinx_theme-2026.1", "nextstrain/sphinx/theme", "nextstrain", ("sphinx_rtd_theme",), "1.3.0"),
    Child("sphinx_ansible_theme-0.10.3", "sphinx_ansible_theme", "sphinx_ansible_theme", ("sphinx_rtd_theme",), "1.3.0"),
    Child("canonical_sphinx-0.7.1", "canonical_sphinx/theme", "canonical_sphinx", ("furo", "basic-ng"), "2024.8.6"),
    Child("crate_docs_theme-0.50.3", "crate/theme/rtd/crate", "crate", ("basic-ng",), "1.0.0b2"),
)  # fmt: skip


FAILS = {("sphinx_book_theme", "0.13.3"): "search-button-field.html"}
"""Builds that fail with a release, and the template that it has not: the child's manifest names it."""
OUTSIDE = {("canonical_sphinx", "2022.12.7"): "furo_pygments"}
"""Builds that fail for what no theme says: the parent's code hands its templates a variable for a theme of its own name only."""


def wheel(name: str) -> Path | None:
    """The wheel of a release; None where it is not here."""
    return next(iter(sorted(WHEELS.glob(f"{name}-*.whl"))), None)


def missing() -> list[str]:
    """The wheels that are not here."""
    wanted = [f"{p.wheel}-{release}" for p in PARENTS.values() for release in p.releases] + [c.wheel for c in CHILDREN]
    return [name for name in wanted if wheel(name) is None]


@cache
def files_of(name: str, inside: str) -> dict[str, bytes]:
    """The files of a theme in a wheel, by path."""
    place = wheel(name)
    assert place is not None, name
    with zipfile.ZipFile(place) as archive:
        names = [n for n in archive.namelist() if n.startswith(f"{inside}/") and not n.endswith("/")]
        return {n[len(inside) + 1 :]: archive.read(n) for n in names}


def unpack(name: str, folder: Path) -> None:
    """Lay a wheel out as it is installed."""
    place = wheel(name)
    assert place is not None, name
    with zipfile.ZipFile(place) as archive:
        archive.extractall(folder)


def is_found(child: Child, code: Path) -> bool:
    """Whether a child's package tells the generator where the theme of that slug lies."""
    name = child.wheel.partition("-")[0]
    entries = [place.read_text("utf-8") for place in code.glob(f"{name}-*.dist-info/entry_points.txt")]
    return any(re.search(rf"^{re.escape(child.slug)}\s*=", text, re.MULTILINE) for text in entries)


def lay(files: dict[str, bytes], folder: Path) -> None:
    for path, data in files.items():
        (folder / path).parent.mkdir(parents=True, exist_ok=True)
        (folder / path).write_bytes(data)


def read_before() -> Iterator[tuple[str, str, str, str]]:
    """Child, release of its parent, unit and verdict, as they were read by a person against both texts."""
    for line in TABLE.read_text("utf-8").splitlines():
        if line.strip() and not line.startswith("#"):
            child, release, unit, verdict = line.split()
            yield child, release, unit, verdict


# What the texts say by themselves: blocks found by counting tags, merges by Git


def block(text: str, name: str) -> str | None:
    """What stands in a block of a template."""
    begun = re.search(rf"\{{%[-+]?\s*block\s+{re.escape(name)}\b[^%]*%\}}", text)
    depth = 1
    for tag in re.finditer(r"\{%[-+]?\s*(block|endblock)\b[^%]*%\}", text[begun.end() :]) if begun else ():
        depth += 1 if tag[1] == "block" else -1
        if depth == 0 and begun:
            return text[begun.end() : begun.end() + tag.start()]
    return None


def parents_block(files: dict[str, bytes], name: str, first: str) -> str | None:
    """A block wherever the parent has it, in the file of the same name if it is there."""
    for path in (first, *sorted(files)):
        if path.endswith(".html") and path in files:
            found = block(files[path].decode(), name)
            if found is not None:
                return found
    return None


def merges(base: str, ours: str, theirs: str) -> bool:
    """Whether Git merges three texts by their lines."""
    with tempfile.TemporaryDirectory() as folder:
        for name, text in (("base", base), ("ours", ours), ("theirs", theirs)):
            Path(folder, name).write_text(text, "utf-8")
        command = ["git", "merge-file", "-p", "ours", "base", "theirs"]
        return subprocess.run(command, cwd=folder, capture_output=True).returncode == 0


def said_for(text: str, selector: str) -> dict[tuple[str, str], str]:
    """What a sheet says for a selector: by the groups around it and the property."""
    return _said(text).get(plain(selector), {})


@cache
def _said(text: str) -> dict[str, dict[tuple[str, str], str]]:
    """The same for each selector, read with tinycss2 alone."""
    found: dict[str, dict[tuple[str, str], str]] = {}

    def walk(nodes: Iterable[Any], around: str) -> None:
        for node in nodes:
            if node.type == "at-rule" and node.content is not None and node.lower_at_keyword in ("media", "supports"):
                inner = tinycss2.parse_rule_list(node.content, skip_comments=True, skip_whitespace=True)
                walk(inner, f"{around} @{node.lower_at_keyword} {tinycss2.serialize(node.prelude).strip()}")
            elif node.type == "qualified-rule":
                said = {}
                for each in tinycss2.parse_declaration_list(node.content, skip_comments=True, skip_whitespace=True):
                    if each.type == "declaration":
                        value = " ".join(tinycss2.serialize(each.value).split())
                        said[around, each.lower_name] = f"{value}{'!' if each.important else ''}"
                for name in tinycss2.serialize(node.prelude).split(","):
                    found.setdefault(plain(name), {}).update(said)

    walk(tinycss2.parse_stylesheet(text, skip_comments=True, skip_whitespace=True), "")
    return found


def plain(selector: str) -> str:
    """A selector in one spelling."""
    return re.sub(r"\s*([>+~])\s*", r"\1", " ".join(selector.split())).replace('"', "").replace("'", "")
