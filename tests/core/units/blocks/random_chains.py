"""Random lineages of templates that extend one another over files and themes: nested blocks, ``super()``, ``self``, macros and imports."""

from __future__ import annotations

import random
from pathlib import Path

NAMES = ("head", "main", "side", "foot", "tide")
PAGES = ("pages/home.html", "pages/visit.html")
LAYOUTS = ("parts/layout.html", "parts/frame.html")


def make(root: Path, rng: random.Random) -> None:
    """Three themes, ``t0`` the child without templates of its own."""
    for depth, slug in enumerate(("t0", "t1", "t2")):
        parent = f'parent = "t{depth + 1}"\n' if depth < 2 else ""
        put(root, slug, "quay.toml", f'[theme]\nslug = "{slug}"\ntitle = "{slug}"\nrelease = "1.0.0"\n{parent}')
    put(root, "t0", "overrides.toml", 'format = "protypon.ledger/1"\n')
    put(root, "t2", "parts/words.html", "{% macro word(x) %}<i>{{ x }} of t2</i>{% endmacro %}\n")
    for path in LAYOUTS:
        put(root, "t2", path, _whole(rng, "t2", path))
    for path in PAGES:
        put(
            root,
            "t2",
            path,
            _extending(rng, "t2", path, rng.choice(LAYOUTS)) if rng.random() < 0.8 else _whole(rng, "t2", path),
        )
    for path in (*LAYOUTS, *PAGES):
        if rng.random() < 0.5:
            target = f"parent:{path}" if rng.random() < 0.7 or path in LAYOUTS else rng.choice(LAYOUTS)
            put(root, "t1", path, _extending(rng, "t1", path, target))


def put(root: Path, slug: str, path: str, text: str) -> None:
    (root / slug / path).parent.mkdir(parents=True, exist_ok=True)
    (root / slug / path).write_text(text)


def _piece(rng: random.Random, slug: str, path: str, name: str) -> str:
    word = f"[{slug} {path.rpartition('/')[2]} {name} {rng.randint(0, 99)}]"
    return rng.choice((word, f"<p>{word}</p>\n", f"\n  {word}\n  <b>{word}</b>\n", f"{{{{ word('{name}') }}}}{word}"))


def _body(rng: random.Random, slug: str, path: str, name: str, left: list[str], again: bool) -> str:
    parts = [_piece(rng, slug, path, name)]
    if again and rng.random() < 0.4:
        parts.insert(
            rng.randint(0, 1),
            rng.choice(("{{ super() }}", "\n{{- super() -}}\n", "{% if site %}{{ super() }}{% endif %}")),
        )
    if left and rng.random() < 0.4:
        inner = left.pop()
        parts.append(_block(rng, slug, path, inner, left, again))
    if rng.random() < 0.1:
        parts.append("{# nothing to see #}")
    return "".join(parts)


def _block(rng: random.Random, slug: str, path: str, name: str, left: list[str], again: bool) -> str:
    tags = rng.choice((("{% block %s %}", "{% endblock %}"), ("{%- block %s -%}", "{%- endblock %s -%}")))
    first, last = (tag.replace("%s", name) for tag in tags)
    return f"{first}{_body(rng, slug, path, name, left, again)}{last}\n"


IMPORT = '{% from "parts/words.html" import word %}\n'


def _whole(rng: random.Random, slug: str, path: str) -> str:
    left = rng.sample(NAMES, k=rng.randint(2, 5))
    found = [f"<html>{slug} {path}\n"]
    while left:
        found.append(_block(rng, slug, path, left.pop(), left, False))
    if rng.random() < 0.3:
        found.append("{{ self.%s() if self.%s else '' }}\n" % (("main",) * 2))
    return IMPORT + "".join(found) + "</html>\n"


def _extending(rng: random.Random, slug: str, path: str, target: str) -> str:
    left = rng.sample(NAMES, k=rng.randint(1, 3))
    found = []
    while left:
        found.append(_block(rng, slug, path, left.pop(), left, True))
    return f'{{% extends "{target}" %}}\n{IMPORT}' + "\n".join(found)


def changed(text: str, rng: random.Random) -> str:
    """A template as the next release has it: words changed, a block called otherwise, a block taken out."""
    kind = rng.random()
    if kind < 0.6:
        number = rng.choice(["0]", "1]", "2]", "3]", "5]", "7]"])
        return text.replace(number, number[0] + " new]")
    if kind < 0.8:
        name = rng.choice(NAMES)
        return text.replace(f"block {name} ", f"block {name}_anew ")
    return text
