"""Calls to what a parent's release took away: what is said is what the run dies of, page by page."""

from __future__ import annotations

import random
import re
import shutil
import unittest
from typing import Any

from protypon.standin import hosted
from tests.cases import seeds
from tests.support import BenchCase

WAYS = ("stays", "is renamed", "becomes a method", "goes")
KINDS = ("exhibit", "home")


class Release:
    """What a parent has in two releases: each thing stays, is renamed, becomes a method or goes."""

    def __init__(self, rng: random.Random) -> None:
        self.rng = rng
        self.fate = {
            name: rng.choice(WAYS)
            for name in ("pier_hours", "pier_tide", "pier_gate", "Pier_Map", "Pier_Log", "PIER_SIZE", "PIER_NAME")
        }

    def text(self, second: bool) -> str:
        lines, methods = ["<?php"], []
        for name, fate in self.fate.items():
            way = fate if second else "stays"
            made = self.declared(name if way == "stays" else f"{name}_anew")
            if way == "becomes a method" and name.islower():
                methods.append(f"static function {name}($x = 1) {{ return '{name}'; }}")
            elif way != "goes":
                lines.append(made)
        return "\n".join([*lines, f"class Pier_Desk {{ {' '.join(methods)} }}"]) + "\n"

    def declared(self, name: str) -> str:
        if name.startswith("PIER"):
            return f"const {name} = 4;"
        if name.startswith("Pier"):
            return f"class {name} {{ const ZOOM = 3; static function pins() {{ return 'pins'; }} public $v = 1; }}"
        stem = name.removesuffix("_anew")
        return f"function {name}($x = 1) {{ $rows = ['{stem}' => 'open', 'other' => 'closed']; return $rows['{stem}'] . $x . '{stem}'; }}"

    def call(self, name: str) -> str:
        """A statement that asks for something; perhaps with a check around it."""
        if name.startswith("PIER"):
            made, check = f"$v = {name} + 1;" if name == "PIER_SIZE" else f"echo {name};", f"defined('{name}')"
        elif name.startswith("Pier"):
            made = self.rng.choice(
                (
                    f"echo {name}::ZOOM;",
                    f"{name}::pins();",
                    f"$o = new {name}; echo $o->v;",
                    f"echo [new {name}, 'pins']();",
                    f"$o = new class extends {name} {{}}; echo $o->v;",
                    f"class {name}_Own_{self.rng.randrange(10**6)} extends {name} {{}}",
                )
            )
            check = f"class_exists('{name}')"
        else:
            made, check = (
                self.rng.choice((f"echo {name}(2);", f"$f = '{name}'; echo $f(3);", f"echo call_user_func('{name}');")),
                f"function_exists('{name}')",
            )
        return f"if ({check}) {{ {made} }}" if self.rng.random() < 0.3 else made

    def child(self) -> str:
        """Code that asks at a moment (its own code comes before its parent's), on each page, on one, or never."""

        def some():
            return " ".join(self.call(self.rng.choice(list(self.fate))) for _ in range(self.rng.randint(0, 2)))

        return (
            f"<?php\nhedgerow_graft('rooted', 'late');\nhedgerow_graft('top', 'on_page');\n"
            f"function late() {{ {some() if self.rng.random() < 0.4 else ''} }}\n"
            f"function on_page() {{\n if (hedgerow_page() === 'home') {{ {some()} }}\n {some()}\n}}\n"
            f"function never() {{ {some()} }}\n"
        )


@unittest.skipUnless(shutil.which("php"), "no PHP here")
class GoneCallTest(BenchCase):
    def lay(self, seed: int) -> None:
        self.bench = self.root / f"bench{seed}"
        self.bench.mkdir()
        self.ok("init", "--platform", "hedgerow")
        rng = random.Random(f"gone {seed}")
        release = Release(rng)
        self.put("themes/rootstock/hedgerow.yaml", "title: Root\nrelease: 1.0.0\n")
        self.put("themes/rootstock/grove.php", "<?php\n")
        self.put("themes/pier/hedgerow.yaml", "title: Pier\nrelease: 1.0.0\ngrown_on: rootstock\n")
        self.put("themes/pier/grove.php", release.text(False))
        self.put("themes/pier/leaves/page.php", "<main><?php hedgerow_shake('top'); ?></main>\n")
        self.put("themes/gull/hedgerow.yaml", "title: Gull\nrelease: 0.1.0\ngrown_on: pier\n")
        self.put("themes/gull/grove.php", release.child())
        self.ok("keep", "themes/pier")
        self.ok("adopt", "gull")
        self.assertNotIn("call-gone", self.codes("gull"))
        self.put("themes/pier/hedgerow.yaml", "title: Pier\nrelease: 2.0.0\ngrown_on: rootstock\n")
        self.put("themes/pier/grove.php", release.text(True))

    def test_what_is_said_is_what_the_run_dies_of(self) -> None:
        dead = 0
        for seed in seeds(30):
            with self.subTest(seed=seed):
                self.lay(seed)
                found = [f for f in self.check("gull")["gull"]["findings"] if f["code"] == "call-gone"]
                for kind in KINDS:
                    dead += self.hold(kind, found)
        self.assertGreater(dead, len(seeds(30)) / 3)

    def hold(self, kind: str, found: list[dict[str, Any]]) -> bool:
        """Hold what is said against a run: it dies of the first of what is foreseen, or of nothing."""
        fatal = hosted.run("hedgerow", self.bench / "themes", "gull", kind)["fatal"]
        places = {(f["theme"], f["file"], f["line"]): f["weight"] for f in found}
        if fatal is None:
            self.assertNotIn("fatal", places.values(), found)
            self.assertFalse([f for f in found if f"kind {kind} fails" in f["because"]], found)
            return False
        message, file, line = fatal
        self.assertRegex(message, r"Call to undefined|not found|Undefined constant|valid callback")
        theme, _, path = file.partition("/")
        self.assertIn((theme, path, line), places, (fatal, found))
        return True

    def test_with_where_it_went(self) -> None:
        self.lay(0)
        self.put(
            "themes/pier/grove.php",
            "<?php\nclass Desk { static function pier_tide() {} }\n"
            + Release(random.Random(1)).declared("pier_hours_anew"),
        )
        self.put("themes/gull/grove.php", "<?php\npier_hours(1);\npier_tide();\nplugin_call();\n$x = PIER_SIZE;\n")
        found = {f["line"]: f for f in self.check("gull")["gull"]["findings"] if f["code"] == "call-gone"}
        self.assertEqual({line: f["weight"] for line, f in found.items()}, {2: "fatal", 3: "fatal", 5: "fatal"})
        self.assertRegex(found[2]["because"], r"it is pier_hours_anew now \(pier/grove.php line 3, \d+% alike\)")
        self.assertIn("there is Desk::pier_tide now (pier/grove.php line 2)", found[3]["because"])
        self.ok(*re.sub(r"^protypon ", "", found[2]["next"]).split())


HEDGES = """format = "protypon.platform/1"
name = "hedges"
like = "hedgerow"
"""
SUPPLIES = """
[[supplies]]
name = ["hedgerow_caption"]
until = "2.0"
instead = "hedgerow_title"

[[supplies]]
name = ["Hedgerow_Ladder"]
kind = "class"
since = "3.0"

[[means]]
does = "sheet"
name = ["hedgerow_old_sheet"]
until = "2.0"

[[supplies]]
name = ["HEDGEROW_ROWS"]
kind = "constant"
until = "2.5"
"""
ASKS = """<?php
hedgerow_caption();
hedgerow_old_sheet('a.css');
new Hedgerow_Ladder();
echo HEDGEROW_ROWS;
if (function_exists('hedgerow_caption')) { hedgerow_caption(); }
if (class_exists('Hedgerow_Ladder')) { new Hedgerow_Ladder(); }
if (function_exists('hedgerow_title')) { hedgerow_graft('rooted', 'gull_late'); }
function gull_late() { plugin_call(); }
"""


class PlatformReleaseTest(BenchCase):
    """What only other releases of the platform supply."""

    def at(self, release: str) -> dict[int, str]:
        self.bench = self.root / f"bench-{release}"
        self.bench.mkdir()
        (self.bench / "hedges.toml").write_text(HEDGES + SUPPLIES)
        self.ok("init", "--platform", f"hedges.toml{release and '@'}{release}")
        self.put("themes/rootstock/hedgerow.yaml", "title: Root\nrelease: 1.0.0\n")
        self.put("themes/pier/hedgerow.yaml", "title: Pier\nrelease: 1.0.0\ngrown_on: rootstock\n")
        self.put("themes/gull/hedgerow.yaml", "title: Gull\nrelease: 0.1.0\ngrown_on: pier\n")
        self.put("themes/gull/grove.php", ASKS)
        self.ok("keep", "themes/pier")
        self.ok("adopt", "gull")
        found = self.check("gull")["gull"]["findings"]
        return {f["line"]: f["because"] for f in found if f["code"] == "call-gone"}

    def test_a_call_is_told_where_the_release_has_it_not(self) -> None:
        self.assertEqual({4}, set(self.at("1.0")))
        self.assertEqual({2, 3, 4}, set(self.at("2.0")))
        self.assertEqual({2, 3, 5}, set(self.at("3.0")))
        newest = self.at("")
        self.assertEqual({2, 3, 5}, set(newest))
        self.assertIn(
            "the function hedgerow_caption(), which Hedgerow had up to 2.0; hedgerow_title does it now", newest[2]
        )

    def test_of_one_that_comes_later_it_is_said_from_when(self) -> None:
        self.assertIn(
            "the class Hedgerow_Ladder, which Hedgerow has from 3.0 on: the site stops there", self.at("2.4")[4]
        )
