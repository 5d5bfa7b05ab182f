"""Random lineages of the platforms that exist only in the tests: every habit of each, in themes that override each other's."""

from __future__ import annotations

import json
import random
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

NAMES = ("hours", "tide", "gate")
SHARED = (
    "if (!function_exists('all_%(name)s')) { function all_%(name)s($x = 1) { return '%(slug)s' . $x; } }",
    "if (!class_exists('All_%(name)s')) { class All_%(name)s { public $of = '%(slug)s'; } }",
    "if (!defined('ALL_%(NAME)s')) { define('ALL_%(NAME)s', '%(slug)s'); }",
    "defined('ALL_%(NAME)s') || define('ALL_%(NAME)s', %(number)s);",
    "$GLOBALS['all_%(name)s'] ??= '%(slug)s';",
    "if (!isset($GLOBALS['all_%(name)s'])) { $GLOBALS['all_%(name)s'] = %(number)s; }",
)
"""What every PHP has."""


@dataclass(frozen=True)
class Words:
    """How one platform says things; ``%(slug)s``, ``%(own)s`` (a name of the file\'s own), ``%(name)s``, ``%(number)s`` and ``%(callback)s`` are filled in."""

    manifest: Callable[[str, str], tuple[str, str]]
    code: str
    further: str
    """The folder of code files that others pull in."""
    parts: tuple[str, ...]
    pages: tuple[str, ...]
    sheets: tuple[str, ...]
    in_templates: tuple[str, ...]
    in_pages: tuple[str, ...]
    in_code: tuple[str, ...]
    pulls: tuple[str, ...]
    mark: str = ""
    """Above a function, where hooks are marks."""


def _comment(slug: str, parent: str) -> tuple[str, str]:
    berth = f"Berth: {parent}\n" if parent else ""
    return "mantle.css", f"/*\nWharf Title: {slug}\nRelease: 1.0\n{berth}*/\n"


def _json(slug: str, parent: str) -> tuple[str, str]:
    return "dune.json", json.dumps({"slug": slug, "title": slug, **({"rests_on": parent} if parent else {})})


def _ini(slug: str, parent: str) -> tuple[str, str]:
    below = f"stands_on = {parent}\n" if parent else ""
    off = "off = head#all_tide\n" if slug == "t0" else ""
    return f"{slug}.ini", f"[beacon]\ntitle = {slug}\nregions = {slug}_ini, aside\n{below}{off}"


WHARF = Words(
    manifest=_comment, code="rigging.php", further="tackle",
    parts=tuple(f"boards/{n}.php" for n in ("tides", "tides.wide", "tides.narrow", "foot", "lamp", "notice")),
    pages=("plain.php", "sheet.php", "sheet.tide.php", "sheet.boat.php", "front.php"),
    sheets=("css/main.css", "css/print.css"),
    in_templates=(
        '<?php hoist("head"); ?>', '<?php $got = weigh("amount", 3, "x"); ?>', '<?php show_region("aside"); ?>',
        '<?php if (on_page("front")) { hoist("only_front"); } ?>', "<?php echo $title; ?>",
    ),
    in_pages=(
        '<?php show_board("tides", null); ?>', '<?php show_board("tides", false); ?>', '<?php show_board("tides", "wide"); ?>',
        '<?php show_board(["none", "lamp", "foot"]); ?>', '<?php include board_path("foot"); ?>',
        '<?php foreach (["notice", "lamp"] as $board) { show_board($board, "wide", ["glow" => 2]); } ?>',
        '<?php if (is_file(hull_folder() . "/boards/lamp.php")) { include hull_folder() . "/boards/lamp.php"; } ?>',
        '<?php $f = __DIR__ . "/boards/notice.php"; if (file_exists($f)) { include $f; } ?>',
    ),
    in_code=(
        "moor('head', %(callback)s);", "moor('head', %(callback)s, %(number)s);", "moor('amount', %(callback)s, %(number)s, 1);",
        "moor('moored', %(callback)s);", "moor('only_front', %(callback)s, 20);", "unmoor('head', %(callback)s);",
        "unmoor('head', 'all_%(name)s', %(number)s);",
        "moor('moored', function () { unmoor('head', 'all_%(name)s'); lend('late_%(name)s', '%(slug)s'); });",
        "moor_region(['key' => 'aside', 'caption' => '%(slug)s']);", "moor_regions([['key' => '%(slug)s_a'], ['key' => 'shared']]);",
        "stow(['kind' => 'picture-size', 'name' => '%(name)s', 'value' => [%(number)s, '%(slug)s']]);", "lend('%(name)s', '%(slug)s');",
        "moor_sheet('%(name)s', hull_address() . '/css/main.css', ['base']);", "moor_sheet('%(name)s', keel_address() . '/css/print.css');",
        "stock_sheet('base', own_address('css/main.css'));", "cast_sheet('%(name)s');", "moor_script('%(name)s', own_address('js/a.js'), [], true);",
    ),
    pulls=("require_once __DIR__ . '/tackle/%(other)s.php';", "include hull_folder() . '/tackle/%(other)s.php';"),
)  # fmt: skip
SHOAL = Words(
    manifest=_comment, code="rigging.php", further="tackle", parts=WHARF.parts, pages=("plain.php", "sheet.tide.php", "sheet.boat.php"),
    sheets=WHARF.sheets, in_templates=WHARF.in_templates,
    in_pages=('<?php show_board(null, "tides"); ?>', '<?php show_board("wide", "tides"); ?>', '<?php show_board("", ["none", "lamp", "foot"]); ?>',
    *WHARF.in_pages[4:5]),
    in_code=(
        "moor(%(callback)s, 'head');", "moor(%(callback)s, 'head', %(number)s);", "moor(%(callback)s, 'moored');", "unmoor(%(callback)s, 'head');",
        "unmoor('all_%(name)s', 'head');", "moor_region('%(slug)s_a');", "moor_regions([['key' => ['id' => 'shared']], ['key' => ['id' => '%(slug)s']]]);",
        "stow('picture-size', ['name' => '%(name)s', 'value' => %(number)s]);", *WHARF.in_code[11:],
    ),
    pulls=WHARF.pulls,
)  # fmt: skip
DUNE = Words(
    manifest=_json, code="shift.php", further="grains",
    parts=tuple(f"forms/pieces/{n}.php" for n in ("tides", "tides-wide", "foot", "foot-wide")),
    pages=("forms/whole.php", "forms/shore/whole.php", "forms/reef/whole.php", "forms/find.php"), sheets=("dress/main.css", "dress/print.css"),
    in_templates=('<?php dune_blow("head"); ?>', '<?php echo dune_sift("amount", 3); ?>', '<?php dune_plot("aside"); ?>',
    '<?php echo dune_level_of("depth", 1); ?>'),
    in_pages=(
        '<?php dune_piece(["name" => "tides", "form" => "wide"]); ?>', '<?php dune_piece(["name" => ["none", "foot"]]); ?>',
        '<?php dune_piece(["name" => "foot", "form" => "", "with" => ["glow" => 1]]); ?>',
        '<?php if (dune_section() == "reef") { dune_blow("only_reef"); } ?>',
    ),
    in_code=(
        "dune_bind(['at' => 'head', 'do' => %(callback)s]);", "dune_bind(['at' => 'head', 'do' => %(callback)s, 'rank' => %(number)s]);",
        "dune_bind(['rank' => 7, 'do' => %(callback)s, 'at' => 'amount']);", "dune_bind(['at' => 'settled', 'do' => %(callback)s]);",
        "dune_loose('head', %(callback)s);", "dune_loose('head', 'all_%(name)s');",
        "if (!dune_bound('head', 'all_%(name)s')) { dune_lend('free', '%(slug)s'); }",
        "dune_plots([['id' => 'aside'], ['id' => '%(slug)s']]);", "dune_note(['kind' => 'size', 'about' => ['name' => '%(name)s', 'size' => [%(number)s]]]);",
        "dune_forget('size', '%(name)s');", "dune_level('%(name)s', %(number)s);", "dune_lend('%(name)s', dune_level_of('%(name)s', 'none'));",
        "dune_wear('%(name)s', 'dress/main.css');", "dune_wear('%(name)s', dune_dress_of('print'), ['%(name)s']);", "dune_shed('%(name)s');",
        "if (!isset($top_%(name)s)) { $top_%(name)s = '%(slug)s'; }", "$top_%(name)s ??= %(number)s;",
        "dune_lend('top', $GLOBALS['top_%(name)s'] ?? 'unset');",
    ),
    pulls=("dune_grain('%(other)s');", "include dune_here() . '/grains/%(other)s.php';",
    "if (is_file(dune_here() . '/grains/one.php')) { require_once dune_here() . '/grains/one.php'; }"),
)  # fmt: skip
BEACON = Words(
    manifest=_ini, code="%(slug)s_lamp.php", further="lenses",
    parts=tuple(f"beams/{n}.php" for n in ("common/tides", "common/foot", "wide/tides", "wide/foot")),
    pages=("beams/any.php", "beams/harbour.php", "beams/harbour.boat.php", "beams/sea.wave.php"), sheets=(),
    in_templates=('<?php beacon_flash("head"); ?>', '<?php echo beacon_bend("amount", 3), beacon_call("%(name)s"); ?>',
    '<?php beacon_place("aside"); echo beacon_say("Open", "t0"); ?>'),
    in_pages=(
        '<?php beacon_beam("wide", "tides"); ?>', '<?php beacon_beam("", "foot"); ?>', '<?php beacon_beam(null, ["none", "foot"]); ?>',
        '<?php include beacon_file("foot"); ?>', '<?php if (beacon_is("harbour/boat")) { beacon_flash("only_boat"); } ?>',
    ),
    in_code=(
        "beacon_turn(%(number)s, 'head', %(callback)s);", "beacon_turn(5, 'lit', %(callback)s);", "beacon_turn(10, 'amount', %(callback)s);",
        "beacon_dim('head', %(callback)s);", "beacon_dim('head', 'all_%(name)s', %(number)s);",
        "beacon_turn(1, 'seen', function () { beacon_dark('only_boat'); });",
        "if (!function_exists('%(slug)s_on_%(name)s')) { function %(slug)s_on_%(name)s() { return '%(slug)s'; } }", "beacon_hand('%(name)s', '%(slug)s');",
        "beacon_keep('size', '%(name)s', %(number)s);",
        "beacon_keep_all([['kind' => 'size', 'name' => 'a', 'value' => 1], ['kind' => 'hue', 'name' => '%(name)s', 'value' => '%(slug)s']]);",
    ),
    pulls=("beacon_lens('%(other)s');", "require_once __DIR__ . '/lenses/%(other)s.php';"),
    mark="#[Lit('head', rank: %(number)s)]\n#[Lit(at: 'lit')]\n",
)  # fmt: skip
WORDS = {"wharf": WHARF, "shoal": SHOAL, "dune": DUNE, "beacon": BEACON}


def lineage(words: Words, root: Path, rng: random.Random) -> None:
    """Two to four themes in a folder, ``t0`` the child."""
    slugs = [f"t{n}" for n in range(rng.randint(2, 4))]
    for depth, slug in enumerate(slugs):
        parent = slugs[depth + 1] if depth + 1 < len(slugs) else ""
        path, text = words.manifest(slug, parent)
        files = {path: text}
        for name in words.parts:
            if rng.random() < (0.5 if parent else 0.8):
                files[name] = _template(words, rng, slug, False)
        for name in words.pages:
            if rng.random() < (0.35 if parent else 0.7):
                files[name] = _template(words, rng, slug, True)
        for name in words.sheets:
            if rng.random() < 0.6:
                files[name] = "a {}\n"
        for name in ("one", "two"):
            files[f"{words.further}/{name}.php"] = _code(words, rng, slug, name)
        files[words.code % {"slug": slug}] = _code(words, rng, slug, "")
        for name, made in files.items():
            (root / slug / name).parent.mkdir(parents=True, exist_ok=True)
            (root / slug / name).write_text(made)


def _template(words: Words, rng: random.Random, slug: str, page: bool) -> str:
    pieces = words.in_templates + (words.in_pages if page else ())
    chosen = rng.choices(pieces, k=rng.randint(1, 5))
    return f"<p>{slug}</p>\n" + "\n".join(_filled(piece, rng, slug, slug) for piece in chosen) + "\n"


def _code(words: Words, rng: random.Random, slug: str, file: str) -> str:
    own = f"{slug}_{file or 'top'}"
    mark = _filled(words.mark, rng, slug, own) if words.mark and rng.random() < 0.6 else ""
    lines = [
        f"if (!function_exists('{own}_a')) {{ {mark}function {own}_a($x = null) {{ echo '{own}'; return $x; }} }}",
        f"if (!class_exists('{own}_Desk')) {{ class {own}_Desk {{ static function open($x = null) {{ echo 'desk'; return $x; }} }} }}",
    ]
    pieces = [*SHARED, *words.in_code, *(words.pulls * 2 if not file else ())]
    lines += [_filled(piece, rng, slug, own) for piece in rng.sample(pieces, k=rng.randint(3, 10))]
    return "<?php\n" + "\n".join(lines) + "\n"


def _filled(text: str, rng: random.Random, slug: str, own: str) -> str:
    name = rng.choice(NAMES)
    callback = rng.choice(
        (f"'{own}_a'", f"'all_{name}'", f"function () {{ echo '{own}'; }}", f"['{own}_Desk', 'open']")
    )
    return text % {
        "slug": slug, "own": own, "name": name, "NAME": name.upper(), "number": rng.choice((1, 5, 10, 20)), "callback": callback,
        "other": rng.choice(("one", "two")),
    }  # fmt: skip
