"""Random lineages whose code declares, attaches, detaches, reorders, waits, asks and loops: the same kinds of thing in Python and PHP."""

from __future__ import annotations

import json
import random
import zlib
from dataclasses import dataclass, field
from pathlib import Path

from tests.core.analysis import disguises
from tests.support import theme

POINTS = ["berth", "mooring", "slip"]
VALUE_POINT = "toll"
NAMES = [f"crane_{n}" for n in range(5)]
ORDERS = [0, 5, 30, 50, 100]


@dataclass
class Syntax:
    """How one platform's code is written."""

    attach: str
    detach: str
    moments: list[str]
    fire: str
    pass_on: str
    attached: str
    exists: str = ""
    clear: str = ""
    register: str = ""
    unregister: str = ""
    default: str = ""
    value: str = ""
    provide: str = ""
    draw: str = ""
    summon: str = ""
    page: str = ""
    python: bool = False
    guards: bool = False
    by_name: bool = False
    folder: str = ""
    part: str = ""
    region: str = ""
    here: str = ""


QUAYSIDE = Syntax(
    "quay.on({0}, {1}, {2})", "quay.off({0}, {1}, {2})", ["docked", "open"], "quay.ring({0})", "quay.pass_on({0}, {1})",
    "quay.attached({0}, {1})", "", "quay.clear({0})", "quay.stock({0}, {1}, {2})", "quay.unstock({0}, {1})", "quay.default({0}, {1})",
    "quay.value({0})", "quay.give({0}, 1)", "", "quay.call({0})", "quay.page_kind()", python=True,
)  # fmt: skip
MILLRACE = Syntax(
    "mill_engage({0}, {1}, {2})", "mill_release({0}, {1}, {2})", ["sluice_open"], "mill_turn({0})", "mill_grind({0}, {1})",
    "mill_engaged({0}, {1})", "function_exists({0})", "mill_stop({0})", "", "", "mill_set({0}, {1})", "mill_value({0})",
    "mill_lend({0}, 1)", "mill_draw({0})", "mill_call({0})", "mill_page()", by_name=True, folder="gears", part="mill_view({0})",
    region="mill_region({0})", here="mill_here()",
)  # fmt: skip
HEDGEROW = Syntax(
    "hedgerow_graft({0}, {1}, {2})", "hedgerow_prune({0}, {1}, {2})", ["rooted", "in_blossom"], "hedgerow_shake({0})",
    "hedgerow_ripen({0}, {1})", "hedgerow_grafted({0}, {1})", "function_exists({0})", "hedgerow_prune_all({0})",
    "hedgerow_plant({0}, {1}, {2})", "hedgerow_uproot({0}, {1})", "hedgerow_season({0}, {1})", "hedgerow_season_of({0})",
    "hedgerow_give({0}, 1)", "hedgerow_fetch({0})", "", "hedgerow_page()", guards=True, folder="crates", part="hedgerow_leaf({0})",
    region="hedgerow_show_bed({0})",
)  # fmt: skip
KILN = Syntax(
    "", "", ["warm"], "kiln_fire({0})", "kiln_temper({0}, {1})", "", "function_exists({0})", provide="kiln_hand({0}, 1)",
    draw="kiln_take({0})", summon="kiln_call({0})", page="kiln_page()", guards=True, by_name=True, folder="clay",
    part="kiln_tile({0})", region="kiln_shelf({0})",
)  # fmt: skip


@dataclass
class Writer:
    """Writes the code of one theme."""

    rng: random.Random
    syntax: Syntax
    slug: str
    depth: int
    safe: bool
    """Whether a second declaration that would stop the site is avoided."""
    taken: set[str]
    """Names declared without a guard in any theme so far."""
    unknowable: bool
    """Whether some conditions and loops hang on what nobody can know without a run."""
    lines: list[str] = field(default_factory=list)
    serial: int = 0
    variables: int = 0
    named: bool = False
    pulled: bool = False
    """Writing a file that another one asks for, perhaps before this theme's constants are there."""
    asked: set[str] = field(default_factory=set)
    """Functions of which it is asked whether they are there."""

    def q(self, text: str) -> str:
        return f"'{text}'" if self.rng.random() < 0.5 else f'"{text}"'

    def text(self, text: str) -> str:
        """A text, sometimes joined from parts, sometimes a constant."""
        if text in POINTS and not self.pulled and self.rng.random() < 0.15:
            return (
                text.upper()
                if self.syntax.python
                else self.rng.choice([f"{self.slug}_{text}".upper(), f"{self.slug}_Names::{text.upper()}"])
            )
        if self.rng.random() < 0.15:
            at = self.rng.randrange(1, len(text))
            return f"{self.q(text[:at])} {'+' if self.syntax.python else '.'} {self.q(text[at:])}"
        return self.dressed(self.q(text))

    def dressed(self, text: str) -> str:
        """A constant expression, sometimes in another form."""
        return disguises.value(self.rng, text, self.syntax.python) if self.rng.random() < 0.12 else text

    def once(self, line: str, level: int) -> None:
        """A statement by itself, sometimes in another form that does it just once."""
        lines = [self.end(line)]
        if self.rng.random() < 0.15:
            lines = disguises.done(self.rng, line if self.syntax.python else line + ";", self.syntax.python)
        for each in lines:
            self.put(each, level)

    def put(self, line: str, level: int) -> None:
        self.lines.append("    " * level + line)

    def end(self, line: str) -> str:
        return line if self.syntax.python else line + ";"

    # Functions

    def function(self, name: str, level: int, marks: list[str] = []) -> None:  # noqa: B006  never changed
        s, rng = self.syntax, self.rng
        for mark in marks:
            self.put(mark, level)
        if s.python:
            takes = ("v=0, w=1", "v=0", "v=0, *more", "v=0, *, w=1", "v=0, w=1, **named")[zlib.crc32(name.encode()) % 5]
            self.put(f"def {name}({takes}):", level)
            self.body(name, level + 1)
        else:
            self.put(f"function {name}($v = 0, $w = 1) {{" + (" // a note" if rng.random() < 0.2 else ""), level)
            self.body(name, level + 1)
            self.put("}", level)

    def body(self, name: str, level: int) -> None:
        """A body that prints or gives something, changes a value, and sometimes does something else."""
        s, rng = self.syntax, self.rng
        v = "v" if s.python else "$v"
        if rng.random() < 0.15 and self.depth < 9:
            self.effect(level, 0)
        if rng.random() < 0.1:
            self.put(f"if {v} == 3:" if s.python else f"if ({v} === 3) {{ return {v}; }}", level)
            if s.python:
                self.put(f"    return {v}", level)
        if not s.python:
            self.put(f"echo '<{name}>';", level)
        self.put(self.end(f"return {v} {rng.choice('+-*')} {rng.randint(1, 4)}"), level)

    def guarded(self, name: str, level: int) -> None:
        self.put(f"if (!function_exists({self.q(name)})) {{", level)
        self.function(name, level + 1, self.marks())
        self.put("}", level)

    def marks(self) -> list[str]:
        """Attributes of kiln."""
        s, rng = self.syntax, self.rng
        if s.attach or rng.random() < 0.2:
            return []
        found = []
        for _ in range(rng.choice([1, 1, 2])):
            point = rng.choice([*POINTS, *s.moments, VALUE_POINT])
            found.append(rng.choice([f"#[Glaze(at: '{point}', order: {rng.choice(ORDERS)})]", f"#[Glaze('{point}')]"]))
        return found

    def declaration(self, level: int) -> None:
        s, rng = self.syntax, self.rng
        name = rng.choice(NAMES)
        if s.by_name and rng.random() < 0.7:
            name = f"{self.slug}_{name}"
        if s.python:
            fixed = rng.random() < 0.2
            if self.safe and name in self.taken:
                return
            if fixed:
                self.taken.add(name)
            marks = ["@quay.fix" if fixed else "@quay.offer"]
            if rng.random() < 0.5:
                marks.insert(rng.randint(0, 1), f"@quay.on({self.q(rng.choice(POINTS))}, order={rng.choice(ORDERS)})")
            self.function(name, level, marks)
        elif s.guards and rng.random() < 0.6:
            self.guarded(name, level)
        elif not (self.safe and name in self.taken):
            self.taken.add(name)
            self.function(name, level, self.marks())

    # Effects

    def callback(self) -> str:
        rng, s = self.rng, self.syntax
        way = rng.random()
        name = rng.choice(NAMES)
        if s.by_name and rng.random() < 0.6:
            name = f"{rng.choice(['t0', 't1', 't2'])}_{name}"
        if way < 0.75:
            return self.text(name)
        if s.python:
            return f"lambda v=0: v + {rng.randint(1, 5)}"
        return rng.choice(
            [
                f"function ($v = 0) {{ echo 'x'; return $v + {rng.randint(1, 5)}; }}",
                f"fn($v = 0) => $v + {rng.randint(1, 5)}",
                f"['{self.slug}_Gang', 'haul']",
                f"'{self.slug}_Gang::haul'",
            ]
        )

    def effect(self, level: int, nested: int) -> None:
        s, rng = self.syntax, self.rng
        point = self.text(rng.choice([*POINTS, VALUE_POINT]))
        ways = [
            self.attach,
            self.attach,
            self.attach,
            self.detach,
            self.detach,
            self.loop,
            self.condition,
            self.items,
            self.items,
            self.variable,
        ]
        if not s.attach:
            ways = [self.items, self.condition, self.give]
        if nested > 2:
            ways = ways[:4] if s.attach else [self.give]
        rng.choice(ways)(point, level, nested)

    def give(self, point: str, level: int, nested: int) -> None:
        self.put(self.end(self.syntax.provide.format(self.q(rng_name(self.rng)))), level)

    def attach(self, point: str, level: int, nested: int) -> None:
        order = str(self.rng.choice(ORDERS))
        line = self.syntax.attach.format(point, self.callback(), order)
        tail = ")" if self.rng.random() < 0.2 else f", {self.dressed(order)})"
        line = line.replace(f", {order})", tail)
        self.once(line, level)

    def detach(self, point: str, level: int, nested: int) -> None:
        s, rng = self.syntax, self.rng
        if s.clear and rng.random() < 0.06:
            self.once(s.clear.format(point), level)
        else:
            self.once(
                s.detach.format(point, self.text(rng.choice(NAMES)), self.dressed(str(rng.choice(ORDERS)))), level
            )

    def variable(self, point: str, level: int, nested: int) -> None:
        """A callback kept in a variable, attached and perhaps detached again."""
        s, rng = self.syntax, self.rng
        self.variables += 1
        name = f"{'' if s.python else '$'}hand{self.variables}"
        self.put(self.end(f"{name} = {self.callback()}"), level)
        self.put(self.end(s.attach.format(point, name, 30)), level)
        if rng.random() < 0.4:
            self.put(self.end(s.detach.format(point, name, rng.choice([30, 30, 5]))), level)

    def loop(self, point: str, level: int, nested: int) -> None:
        s, rng = self.syntax, self.rng
        pairs = [(rng.choice(POINTS), rng.choice(ORDERS)) for _ in range(rng.randint(1, 3))]
        name = self.q(rng.choice(NAMES))
        if self.unknowable and rng.random() < 0.3:
            self.put("for number in range(1, 3):" if s.python else "foreach (range(1, 2) as $number) {", level)
            self.put(
                self.end(s.attach.format(point, name, rng.choice(["number" if s.python else "$number", "10"]))),
                level + 1,
            )
            if not s.python:
                self.put("}", level)
        elif s.python:
            self.put(f"for where, number in [{', '.join(f'({self.q(p)}, {o})' for p, o in pairs)}]:", level)
            self.put(s.attach.format("where", name, "number"), level + 1)
        else:
            listed = ", ".join(f"{self.q(p)} => {o}" for p, o in pairs)
            self.put(f"foreach ([{listed}] as $where => $number) {{", level)
            self.put(s.attach.format("$where", name, "$number") + ";", level + 1)
            self.put("}", level)

    def test(self) -> str:
        s, rng = self.syntax, self.rng
        ways = ["true", "false"] if not s.python else ["True", "False"]
        if s.exists:
            name = rng.choice(NAMES)
            self.asked.add(name)
            ways += [s.exists.format(self.q(name))] * 2
        if s.attached:
            ways += [s.attached.format(self.q(rng.choice(POINTS)), self.q(rng.choice(NAMES)))] * 2
        if s.value:
            ways.append(
                s.value.format(self.q(rng_name(rng))) + (" == " if s.python else " === ") + str(rng.randint(0, 3))
            )
        if s.page:
            ways.append(s.page + (" == " if s.python else " === ") + "'exhibit'")
        if self.unknowable:
            ways += [
                f"len({self.q('abc')}) > {rng.choice([2, 5])}"
                if s.python
                else f"getenv({self.q(rng.choice(['PATH', 'NO_SUCH_NAME']))}) !== false"
            ] * 4
        found = rng.choice(ways)
        if rng.random() < 0.3:
            found = f"not ({found})" if s.python else f"!({found})"
        if rng.random() < 0.2:
            found = f"{found} {rng.choice(['and', 'or'] if s.python else ['&&', '||'])} {rng.choice(ways)}"
        return found

    def condition(self, point: str, level: int, nested: int) -> None:
        s, rng = self.syntax, self.rng
        self.put(f"if {self.test()}:" if s.python else f"if ({self.test()}) {{", level)
        self.effect(level + 1, nested + 1)
        if rng.random() < 0.4:
            self.put("else:" if s.python else "} else {", level)
            self.effect(level + 1, nested + 1)
        if not s.python:
            self.put("}", level)

    def items(self, point: str, level: int, nested: int) -> None:
        s, rng = self.syntax, self.rng
        ways = []
        if s.register:
            ways += [s.register.format(self.q("size"), self.q(rng_name(rng)), rng.randint(1, 9))] * 2
            ways.append(s.unregister.format(self.q("size"), self.q(rng_name(rng))))
        if s.default:
            ways += [s.default.format(self.q(rng_name(rng)), rng.randint(0, 3))] * 2
        ways.append(s.provide.format(self.q(rng_name(rng))))
        self.put(self.end(rng.choice(ways)), level)

    def late(self) -> None:
        """Code that waits for one of the platform's moments."""
        s, rng = self.syntax, self.rng
        self.serial += 1
        name = f"{self.slug}_later_{self.serial}"
        moment = rng.choice(s.moments)
        if s.python:
            if rng.random() < 0.5:
                self.put(f"@quay.on({self.q(moment)})", 0)
                self.put(f"def {name}():", 0)
            else:
                self.put(f"def {name}():", 0)
        else:
            if not s.attach:
                self.put(f"#[Glaze(at: '{moment}')]", 0)
            self.put(f"function {name}() {{", 0)
        marked = s.python and self.lines[-2].startswith("@quay.on")
        for _ in range(rng.randint(1, 3)):
            self.effect(1, 0)
        if not s.python:
            self.put("}", 0)
        if s.attach and not marked:
            self.put(
                self.end(s.attach.format(self.q(moment), name if s.python else self.q(name), rng.choice(ORDERS))), 0
            )

    def file(self, more: list[str] | None) -> str:
        """A whole code file, which asks for ``more``; None: one that is asked for itself."""
        rng, s = self.rng, self.syntax
        self.pulled = more is None
        self.lines = ["import quay", ""] if s.python else ["<?php"]
        if s.python:
            self.lines += [f"{p.upper()} = {p!r}" for p in POINTS]
        elif more is not None and not self.named:
            self.named = True
            self.lines += [
                self.rng.choice(["const {0} = '{1}';", "define('{0}', '{1}');"]).format(f"{self.slug}_{p}".upper(), p)
                for p in POINTS
            ]
            self.lines.append(
                f"class {self.slug}_Names {{ " + " ".join(f"const {p.upper()} = '{p}';" for p in POINTS) + " }"
            )
        for name in more or []:
            ways = [f"{s.draw.format(self.q(name))};"] * 2 + [f"require_once __DIR__ . '/{name}';"]
            ways += [f"require_once {s.here} . '/{name}';"] if s.here else []
            self.put(rng.choice(ways), 0)
        if not s.python and s.attach:
            self.put(f"if (!class_exists('{self.slug}_Gang')) {{ }}", 0)
        for _ in range(rng.randint(3, 8)):
            way = rng.random()
            if way < 0.35:
                self.declaration(0)
            elif way < 0.6:
                self.late()
            else:
                self.effect(0, 0)
        if s.attach and rng.random() < 0.4:
            self.gang()
        return "\n".join(self.lines) + "\n"

    def gang(self) -> None:
        """A class whose objects attach their own methods, and perhaps take them off again."""
        s, rng = self.syntax, self.rng
        self.serial += 1
        name, point, order = (
            f"{self.slug}_Crew{self.serial}{rng.randrange(10**6)}",
            rng.choice(POINTS),
            rng.choice(ORDERS),
        )
        own = "self.heave" if s.python else "[$this, 'heave']"
        inside = self.end(s.attach.format(self.q(point), own, order))
        if s.python:
            self.lines += [
                f"class {name}:",
                "    def __init__(self):",
                f"        {inside}",
                "    def heave(self, v=0):",
                "        return v + 3",
            ]
            made, thing, method = f"{name}()", f"crew{self.serial}", f"crew{self.serial}.heave"
        else:
            body = "{ echo 'heave'; return $v + 3; }"
            self.lines += [
                f"class {name} {{",
                f"    public function __construct() {{ {inside} }}",
                f"    public function heave($v = 0) {body}",
                "}",
            ]
            made, thing, method = f"new {name}()", f"$crew{self.serial}", f"[$crew{self.serial}, 'heave']"
        self.put(self.end(f"{thing} = {made}"), 0)
        for way in (s.attach, s.detach):
            if rng.random() < 0.4:
                self.put(
                    self.end(way.format(self.q(rng.choice([point, point, *POINTS])), method, rng.choice([order, 5]))),
                    0,
                )


def rng_name(rng: random.Random) -> str:
    return rng.choice(["bow", "stern", "keel"])


def gang(slug: str) -> str:
    return f"class {slug}_Gang {{\n    public static function haul($v = 0) {{ echo 'haul'; return $v + 7; }}\n}}\n"


def make_quayside(root: Path, rng: random.Random) -> None:
    _make(root, rng, QUAYSIDE, _quayside_files)


def make_millrace(root: Path, rng: random.Random) -> None:
    _make(root, rng, MILLRACE, _millrace_files)


def make_hedgerow(root: Path, rng: random.Random) -> None:
    _make(root, rng, HEDGEROW, _hedgerow_files)


def make_kiln(root: Path, rng: random.Random) -> None:
    _make(root, rng, KILN, _kiln_files)


MAKERS = {"quayside": make_quayside, "millrace": make_millrace, "hedgerow": make_hedgerow, "kiln": make_kiln}


def _make(root: Path, rng: random.Random, syntax: Syntax, files: object) -> None:
    """Write 2 to 4 themes ``t0 < t1 < …`` below a folder."""
    count = rng.randint(2, 4)
    safe = rng.random() < 0.85
    taken: set[str] = set()
    unknowable = rng.random() < 0.2
    if unknowable:
        (root / "unknowable").touch()
    writers = [Writer(rng, syntax, f"t{n}", n, safe, taken, unknowable) for n in range(count)]
    for number, writer in enumerate(writers if syntax is HEDGEROW else list(reversed(writers))):
        depth = int(writer.slug[1:])
        above = [f"t{n}" for n in range(depth + 1, count)]
        for path, text in files(writer, above, number == 0).items():  # type: ignore[operator]
            target = root / writer.slug / path
            target.parent.mkdir(parents=True, exist_ok=True)
            target.write_text(text)
    _ask_for_what_is_declared(root, rng, syntax, {name for writer in writers for name in writer.asked})


def _ask_for_what_is_declared(root: Path, rng: random.Random, syntax: Syntax, asked: set[str]) -> None:
    """What no theme ever declares may come from outside: mostly, code asks for something else then."""
    texts = {path: path.read_text() for path in root.rglob("*.p*") if path.is_file()}
    declared = [n for n in NAMES if any(f"function {n}(" in t or f"def {n}(" in t for t in texts.values())]
    for name in sorted(asked - set(declared)):
        if not declared or rng.random() < 0.1:
            (root / "unknowable").touch()
            continue
        for path, text in texts.items():
            for quote in "'\"":
                other = syntax.exists.format(f"'{rng.choice(declared)}'")
                text = text.replace(syntax.exists.format(f"{quote}{name}{quote}"), other)
            texts[path] = text
            path.write_text(texts[path])


def _quayside_files(w: Writer, above: list[str], first: bool) -> dict[str, str]:
    rings = "".join(f"<div>{{{{ ring('{p}'{', 4, 5, 6' * (n % 2)}) }}}}</div>\n" for n, p in enumerate(POINTS))
    files = {"quay.toml": theme(w.slug, above[0] if above else ""), "code/a.py": w.file([])}
    if w.rng.random() < 0.4:
        files["code/b.py"] = w.file([])
    if not above or w.rng.random() < 0.2:
        files["pages/exhibit.html"] = f"{rings}{{{{ pass_on('{VALUE_POINT}', 2) }}}}\n"
    return files


def _php_page(s: Syntax, top: str) -> str:
    rings = "".join(f"<div><?php {s.fire.format(repr(p))}; ?></div>\n" for p in POINTS)
    parts = f"<?php {s.part.format(repr(top + '/a.php'))}; {s.region.format(repr('yard'))}; ?>"
    return f"{rings}{parts}<?= {s.pass_on.format(repr(VALUE_POINT), 2)} ?>\n"


def _php_parts(w: Writer, top: str) -> dict[str, str]:
    """Parts that a theme may have of its own: ``a`` asks for ``b``, perhaps under a condition."""
    s, rng = w.syntax, w.rng
    inner = f"{s.part.format(repr(top + '/b.php'))};"
    asks = rng.choice([inner, f"if ({w.test()}) {{ {inner} }}", "", f"foreach ([1, 2] as $i) {{ {inner} }}"])
    found = {}
    if rng.random() < 0.5:
        found[f"{top}/a.php"] = f"<p>{w.slug} a</p><?php {asks} ?>\n<i>a</i>"
    if rng.random() < 0.5:
        found[f"{top}/b.php"] = f"<?php {s.fire.format(repr(rng.choice(POINTS)))}; ?><b>{w.slug}</b>\n"
    return found


def _php_files(w: Writer, above: list[str], main: str, page: str) -> dict[str, str]:
    s, rng = w.syntax, w.rng
    files: dict[str, str] = {}
    more = []
    for name in ("one", "two"):
        if rng.random() < 0.35:
            files[f"{s.folder}/{name}.php"] = w.file(None)
            if rng.random() < 0.8:
                more.append(f"{s.folder}/{name}.php")
    text = w.file(more)
    files[main] = text if not s.attach else text + gang(w.slug)
    if not above or rng.random() < 0.25:
        files[page] = _php_page(s, page.partition("/")[0])
    return files | _php_parts(w, page.partition("/")[0])


def _millrace_files(w: Writer, above: list[str], first: bool) -> dict[str, str]:
    page = w.rng.choice(["views/page.php", "views/page.php", "views/exhibit/page.php"]) if above else "views/page.php"
    data = {"slug": w.slug, "title": w.slug, "release": "1", "turns_on": above[0] if above else ""}
    return {"millrace.json": json.dumps(data), **_php_files(w, above, "works.php", page)}


def _hedgerow_files(w: Writer, above: list[str], first: bool) -> dict[str, str]:
    page = w.rng.choice(["leaves/page.php", "leaves/page-exhibit.php"]) if above else "leaves/page.php"
    return {
        "hedgerow.yaml": f"title: {w.slug}\ngrown_on: {above[0] if above else 'rootstock'}\n",
        **_php_files(w, above, "grove.php", page),
    }


def _kiln_files(w: Writer, above: list[str], first: bool) -> dict[str, str]:
    """Sometimes the first theme has two parents that know nothing of each other."""
    two = w.slug == "t0" and len(above) == 2
    parents = ", ".join(above) if two else (above[0] if above else "")
    alone = w.slug == "t1" and w.rng.random() < 0.0
    off = ", ".join(f"{w.rng.choice(POINTS)}#{w.rng.choice(NAMES)}" for _ in range(w.rng.randint(0, 2)))
    manifest = f"[theme]\ntitle = {w.slug}\nparents = {'' if alone else parents}\n[hooks]\noff = {off}\n"
    return {f"{w.slug}.ini": manifest, **_php_files(w, above, f"{w.slug}_fire.php", "tiles/page.php")}
