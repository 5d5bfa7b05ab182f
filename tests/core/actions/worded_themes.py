"""Random lineages in which each word that a page shows has one place that it comes from, written down while they are made."""

from __future__ import annotations

import json
import random
import re
from collections.abc import Callable
from dataclasses import dataclass, field
from html import escape
from pathlib import Path

SYLLABLES = re.findall("..", "babebodadédofafifogagohahékakikolalolumamimonanopapiporarorusasisotatitutavavowazézo")
KIND = "exhibit"


@dataclass
class Worded:
    """A lineage below a folder, the child ``t0``; where each word comes from."""

    folder: Path
    rng: random.Random
    truth: dict[str, tuple[str, str, str]] = field(default_factory=dict)
    """Word -> (theme, path, construct)."""
    files: dict[tuple[str, str], str] = field(default_factory=dict)
    count: int = 0

    def phrase(self, theme: str, path: str, construct: str, most: int = 4) -> str:
        """Some words that stand nowhere else."""
        made: list[str] = []
        while len(made) < self.rng.randint(1, most):
            word = "".join(self.rng.choice(SYLLABLES) for _ in range(self.rng.randint(2, 4)))
            if not any(word in known or known in word for known in self.truth):
                made.append(word)
                self.truth[word] = (theme, path, construct)
        return " ".join(made)

    def number(self) -> int:
        self.count += 1
        return self.count

    def add(self, theme: str, path: str, text: str) -> None:
        self.files[theme, path] = self.files.get((theme, path), "") + text

    def write(self) -> None:
        for (theme, path), text in self.files.items():
            file = self.folder / theme / path
            file.parent.mkdir(parents=True, exist_ok=True)
            file.write_text(text, "utf-8")


def marked(made: Worded, phrase: str) -> str:
    """Words as a person writes them into markup: with entities, tags and line ends between."""
    rng = made.rng
    words = []
    for word in phrase.split():
        plain = word.replace("é", "&eacute;") if rng.random() < 0.4 else word
        if rng.random() < 0.3:
            cut = rng.randint(1, len(word) - 1)
            plain = f"{escape(word[:cut])}<b>{escape(word[cut:])}</b>"
        words.append(rng.choice([f"<em>{plain}</em>", plain, plain]))
    return rng.choice([" ", "\n", " \n  "]).join(words)


Construct = Callable[[Worded, str, str], str]
"""Given a lineage, a theme and the path of its template: what is written into the template; what it needs besides is added."""


# Quayside


def quay_literal(made: Worded, theme: str, path: str) -> str:
    return f'<p class="c{made.number()}">{marked(made, made.phrase(theme, path, "template"))}</p>\n'


def quay_attribute(made: Worded, theme: str, path: str) -> str:
    return f'<img src="/x.png" alt="{made.phrase(theme, path, "template")}">\n'


def quay_condition(made: Worded, theme: str, path: str) -> str:
    one = made.phrase(theme, path, "template")
    return f"{{% if page.kind %}}<i>{one}</i>{{% else %}}never{{% endif %}}\n"


def quay_text(made: Worded, theme: str, path: str) -> str:
    owner = made.rng.choice(["t0", "t1", "t2"])
    key = f"words.k{made.number()}"
    made.add(owner, "lang/en.json", json.dumps({key: made.phrase(owner, "lang/en.json", "text")})[1:-1] + ",\n")
    around = made.phrase(theme, path, "template", 2) if made.rng.random() < 0.5 else ""
    return f'<p>{around} {{{{ text("{key}") }}}}</p>\n'


def quay_setting(made: Worded, theme: str, path: str) -> str:
    owner, key = made.rng.choice(["t0", "t1", "t2"]), f"k{made.number()}"
    made.add(
        owner,
        "settings.json",
        json.dumps({key: {"words": made.phrase(owner, "settings.json", "setting")}})[1:-1] + ",\n",
    )
    return f"<p>{{{{ settings.{key}.words }}}}</p>\n"


def quay_function(made: Worded, theme: str, path: str) -> str:
    owner, name = made.rng.choice(["t0", "t1", "t2"]), f"crane_{made.number()}"
    body = _python_body(made, owner)
    made.add(owner, f"code/{owner}.py", f"\n\n@quay.offer\ndef {name}():\n{body}\n")
    around = made.phrase(theme, path, "template", 2) if made.rng.random() < 0.5 else ""
    return f'<p>{around} {{{{ call("{name}") }}}}</p>\n'


def _python_body(made: Worded, owner: str) -> str:
    phrase = made.phrase(owner, f"code/{owner}.py", "code")
    first, _, rest = phrase.partition(" ")
    shape = made.rng.randrange(5)
    if shape == 0:
        return f"    return {phrase!r}"
    if shape == 1:
        return f"    start = {first!r}\n    return start + ' ' + {rest!r}"
    if shape == 2:
        return f'    last = {rest!r}\n    return f"{first} {{last}}"'
    if shape == 3:
        return f"    found = []\n    for each in ({first!r}, {rest!r}):\n        found.append(each)\n    return ' '.join(found)"
    return f"    return '%s {rest}' % ({first!r},)"


def quay_hook(made: Worded, theme: str, path: str) -> str:
    owner, number = made.rng.choice(["t0", "t1", "t2"]), made.number()
    text = f"<p>{marked(made, made.phrase(owner, f'code/{owner}.py', 'code'))}</p>".replace("\n", " ")
    made.add(
        owner,
        f"code/{owner}.py",
        f"\n\n@quay.on(\"quay-{number}\", order=20)\ndef bell_{number}():\n    return '{text}'\n",
    )
    return f'{{{{ ring("quay-{number}") }}}}\n'


def quay_passed(made: Worded, theme: str, path: str) -> str:
    owner, number = made.rng.choice(["t0", "t1", "t2"]), made.number()
    words = made.phrase(owner, f"code/{owner}.py", "code")
    made.add(
        owner,
        f"code/{owner}.py",
        f"\n\n@quay.on(\"toll-{number}\", order=20)\ndef toll_{number}(given):\n    return given + ' {words}'\n",
    )
    mine = made.phrase(theme, path, "template", 2)
    return f'<p>{{{{ pass_on("toll-{number}", "{mine}") }}}}</p>\n'


def quay_value(made: Worded, theme: str, path: str) -> str:
    owner, name = made.rng.choice(["t0", "t1", "t2"]), f"mark_{made.number()}"
    call = made.rng.choice(["default", "give"])
    made.add(
        owner, f"code/{owner}.py", f'\n\nquay.{call}("{name}", {made.phrase(owner, f"code/{owner}.py", "code")!r})\n'
    )
    return f"<p>{{{{ {f'value({name!r})' if call == 'default' else name} }}}}</p>\n"


QUAYSIDE = (
    quay_literal, quay_literal, quay_attribute, quay_condition, quay_text, quay_text, quay_setting, quay_function, quay_function, quay_hook, quay_passed,
    quay_value,
)  # fmt: skip


def quayside(folder: Path, rng: random.Random) -> Worded:
    """A lineage of three: a base with blocks, parts, and templates that a nearer theme hides."""
    made = Worded(folder, rng)
    for number in range(3):
        parent = f'\nparent = "t{number + 1}"' if number < 2 else ""
        made.add(
            f"t{number}", "quay.toml", f'[theme]\nslug = "t{number}"\ntitle = "T{number}"\nrelease = "1.0.0"{parent}\n'
        )
        made.add(f"t{number}", f"code/t{number}.py", "import quay\n")

    def pieces(theme: str, path: str, most: int) -> str:
        return "".join(rng.choice(QUAYSIDE)(made, theme, path) for _ in range(rng.randint(1, most)))

    base = "<html><body>\n<main>{{ page.title }}</main>\n"
    for block in ("top", "middle", "foot"):
        base += f"{{% block {block} %}}\n{pieces('t2', 'pages/base.html', 3)}{{% endblock %}}\n"
    for part in ("one", "two"):
        base += f'{{% include "parts/{part}.html" %}}\n'
        owner = rng.choice(["t0", "t1", "t2"])
        made.add(owner, f"parts/{part}.html", pieces(owner, f"parts/{part}.html", 4))
        if owner != "t2":  # what nobody sees
            made.add(
                "t2",
                f"parts/{part}.html",
                f"<p>{' '.join(rng.sample(list(made.truth), min(3, len(made.truth))))}</p>\n",
            )
    made.add("t2", "pages/base.html", base + "</body></html>\n")
    page = rng.choice(["t0", "t1"])
    block = rng.choice(["top", "middle"])
    made.add(
        page,
        f"pages/{KIND}.html",
        f'{{% extends "pages/base.html" %}}\n{{% block {block} %}}\n{pieces(page, f"pages/{KIND}.html", 3)}{{% endblock %}}\n',
    )
    for (theme, path), text in list(made.files.items()):
        if path.endswith(".json"):
            made.files[theme, path] = "{" + text.rstrip(",\n") + "}\n"
    made.write()
    return made


# The platforms in PHP


@dataclass(frozen=True)
class Php:
    """How one of them says what the constructs need."""

    page: str
    part: str
    """Where parts lie, with ``{}`` for the name."""
    main: str
    """The code file that is always run, with ``{}`` for the slug."""
    show: str
    fire: str
    passes: str
    give: str
    attach: str
    """With POINT, NAME."""
    before: str = ""
    """What stands above the function, instead."""
    summon: str = ""
    manifest: Callable[[str, str], tuple[str, str]] = lambda slug, parent: ("", "")


def _millrace(slug: str, parent: str) -> tuple[str, str]:
    data = {"slug": slug, "title": slug, "release": "1.0.0", **({"turns_on": parent} if parent else {})}
    return "millrace.json", json.dumps(data)


def _hedgerow(slug: str, parent: str) -> tuple[str, str]:
    return "hedgerow.yaml", f"title: {slug}\nrelease: '1.0.0'\n" + (
        f"grown_on: {parent}\n" if parent else "grown_on: rootstock\n"
    )


def _kiln(slug: str, parent: str) -> tuple[str, str]:
    return f"{slug}.ini", f"[theme]\ntitle = {slug}\nrelease = 1.0.0\n" + (f"parents = {parent}\n" if parent else "")


PHP = {
    "millrace": Php("views/page.php", "views/parts/{}.php", "works.php", "mill_view('{}')", "mill_turn('{}')", "mill_grind('{}', {})", "mill_lend('{}', {})",
                    "mill_engage('{}', '{}', 20);", summon="mill_call('{}')", manifest=_millrace),
    "hedgerow": Php("leaves/page.php", "leaves/parts/{}.php", "grove.php", "hedgerow_leaf('{}')", "hedgerow_shake('{}')", "hedgerow_ripen('{}', {})",
                    "hedgerow_give('{}', {})", "hedgerow_graft('{}', '{}', 5);", manifest=_hedgerow),
    "kiln": Php("tiles/page.php", "tiles/parts/{}.php", "{}_fire.php", "kiln_tile('{}')", "kiln_fire('{}')", "kiln_temper('{}', {})", "kiln_hand('{}', {})",
                "", before="#[Glaze(at: '{}', order: 30)]", summon="kiln_call('{}')", manifest=_kiln),
}  # fmt: skip


class PhpMaker:
    """The constructs of one platform in PHP."""

    def __init__(self, made: Worded, how: Php) -> None:
        self.made, self.how = made, how

    def owner(self) -> tuple[str, str]:
        slug = self.made.rng.choice(["t0", "t1", "t2"])
        return slug, self.how.main.format(slug)

    def literal(self, theme: str, path: str) -> str:
        return f"<p>{marked(self.made, self.made.phrase(theme, path, 'template'))}</p>\n"

    def echoed(self, theme: str, path: str) -> str:
        phrase = self.made.phrase(theme, path, "template")
        first, _, rest = phrase.partition(" ")
        shape = self.made.rng.randrange(4)
        if shape == 0:
            return f"<p><?php echo '{first}' . ' ' . '{rest}'; ?></p>\n"
        if shape == 1:
            return f"<p><?= sprintf('%s {rest}', '{first}') ?></p>\n"
        if shape == 2:
            return f'<p><?= strtolower("{phrase}") ?></p>\n'
        return f"<?php if ($title): ?><p>{phrase}</p><?php endif; ?>\n"

    def attribute(self, theme: str, path: str) -> str:
        return f'<input type="search" placeholder="{self.made.phrase(theme, path, "template")}">\n'

    def hooked(self, theme: str, path: str) -> str:
        owner, file = self.owner()
        number = self.made.number()
        point, name = f"quay_{number}", f"{owner}_bell_{number}"
        echoes = f"    {self._echo(owner, file)}\n"
        self._function(owner, file, point, name, "", echoes)
        return f"<?php {self.how.fire.format(point)}; ?>\n"

    def _echo(self, owner: str, file: str) -> str:
        phrase = self.made.phrase(owner, file, "code")
        first, _, rest = phrase.partition(" ")
        shape = self.made.rng.randrange(4)
        if shape == 0:
            return f"echo '<p>{marked(self.made, phrase)}</p>';".replace("\n", " ")
        if shape == 1:
            return f"?><p>{marked(self.made, phrase)}</p>\n<?php"
        if shape == 2:
            return f"$first = '{first}'; echo \"<p>$first {rest}</p>\";"
        return f"foreach (['{first}', '{rest}'] as $each) {{ echo $each, ' '; }}"

    def _function(self, owner: str, file: str, point: str, name: str, parameters: str, body: str) -> None:
        above = self.how.before.format(point) + "\n" if self.how.before and point else ""
        below = self.how.attach.format(point, name) + "\n" if self.how.attach and point else ""
        self.made.add(owner, file, f"\n{above}function {name}({parameters}) {{\n{body}}}\n{below}")

    def passed(self, theme: str, path: str) -> str:
        owner, file = self.owner()
        number = self.made.number()
        words, mine = self.made.phrase(owner, file, "code"), self.made.phrase(theme, path, "template", 2)
        self._function(
            owner, file, f"toll_{number}", f"{owner}_toll_{number}", "$given", f"    return $given . ' {words}';\n"
        )
        return f"<p><?= {self.how.passes.format(f'toll_{number}', repr(mine))} ?></p>\n"

    def summoned(self, theme: str, path: str) -> str:
        if not self.how.summon:
            return self.literal(theme, path)
        owner, file = self.owner()
        name = f"crane_{self.made.number()}"
        self._function(
            owner, file, "", f"{owner}_{name}", "", f"    return '{self.made.phrase(owner, file, 'code')}';\n"
        )
        around = self.made.phrase(theme, path, "template", 2)
        return f"<p>{around} <?= {self.how.summon.format(name)} ?></p>\n"

    def given(self, theme: str, path: str) -> str:
        owner, file = self.owner()
        name = f"mark_{self.made.number()}"
        self.made.add(owner, file, f"\n{self.how.give.format(name, repr(self.made.phrase(owner, file, 'code')))};\n")
        return f"<p><?= ${name} ?></p>\n"


def php(name: str) -> Callable[[Path, random.Random], Worded]:
    """A maker for one platform in PHP: a page, two parts, code in each theme."""
    how = PHP[name]

    def make(folder: Path, rng: random.Random) -> Worded:
        made = Worded(folder, rng)
        maker = PhpMaker(made, how)
        constructs = (
            maker.literal, maker.literal, maker.echoed, maker.attribute, maker.hooked, maker.hooked, maker.passed, maker.summoned, maker.given,
        )  # fmt: skip
        for number in range(3):
            path, text = how.manifest(f"t{number}", f"t{number + 1}" if number < 2 else "")
            made.add(f"t{number}", path, text)
            made.add(f"t{number}", how.main.format(f"t{number}"), "<?php\n")

        def pieces(theme: str, path: str, most: int) -> str:
            return "".join(rng.choice(constructs)(theme, path) for _ in range(rng.randint(1, most)))

        page = f"<html><body>\n<main><?= $title ?></main>\n{pieces('t2', how.page, 5)}"
        for part in ("one", "two"):
            path = how.part.format(part)
            page += f"<?php {how.show.format(path)}; ?>\n"
            owner = rng.choice(["t0", "t1", "t2"])
            made.add(owner, path, pieces(owner, path, 4))
            if owner != "t2":  # what nobody sees
                made.add("t2", path, f"<p>{' '.join(rng.sample(list(made.truth), min(3, len(made.truth))))}</p>\n")
        made.add("t2", how.page, page + "</body></html>\n")
        made.write()
        return made

    return make


MAKERS: dict[str, Callable[[Path, random.Random], Worded]] = {"quayside": quayside, **{name: php(name) for name in PHP}}
