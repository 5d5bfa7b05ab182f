"""The ratios of docs/built/performance.md: medians of interleaved runs, on a generated parent of 13,000 files with 500 overrides.

    python benchmarks/measure.py [--runs 7] [--files 13000] [--overrides 500]

Everything is made in a temporary folder from a fixed seed. A ratio compares two programs in one run on one machine.
"""

from __future__ import annotations

import argparse
import gc
import json
import os
import random
import shutil
import sqlite3
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Iterable
from contextlib import closing
from pathlib import Path

ENVIRONMENT = {name: value for name, value in os.environ.items() if name != "PYTHONDONTWRITEBYTECODE"}
WORDS = [f"word{n}" for n in range(3000)]


def protypon(*arguments: str) -> list[str]:
    return [str(Path(sys.executable).with_name("protypon")), *arguments]


LINES = {40: (15, 65), 400: (250, 550)}
"""The sizes of file: lines on average, and from how many to how many."""


def text(rng: random.Random, others: list[str], size: int = 40) -> str:
    lines = [
        "  " * rng.randint(0, 5) + " ".join(rng.choices(WORDS, k=rng.randint(2, 9)))
        for _ in range(rng.randint(*LINES[size]))
    ]
    if others:
        lines.insert(rng.randrange(len(lines)), f'{{% include "{rng.choice(others)}" %}}')
    return "\n".join(lines) + "\n"


def make_parent(folder: Path, files: int, rng: random.Random, size: int = 40) -> list[str]:
    """A parent whose pages include parts; returns the templates' paths."""
    paths: list[str] = []
    for number in range(files):
        kind = "parts" if number < files * 0.7 else "pages"
        path = f"{kind}/d{number % 60}/s{number % 7}/f{number}.html"
        (folder / path).parent.mkdir(parents=True, exist_ok=True)
        (folder / path).write_text(text(rng, paths[-50:], size))
        paths.append(path)
    manifest(folder, "parent", "1.0.0")
    return paths


def manifest(folder: Path, slug: str, release: str, parent: str = "") -> None:
    folder.mkdir(parents=True, exist_ok=True)
    line = f'parent = "{parent}"\n' if parent else ""
    (folder / "quay.toml").write_text(
        f'[theme]\nslug = "{slug}"\ntitle = "{slug.title()}"\nrelease = "{release}"\n{line}'
    )


def new_release(old: Path, new: Path, paths: list[str], rng: random.Random) -> None:
    shutil.copytree(old, new)
    manifest(new, "parent", "1.1.0")
    for path in rng.sample(paths, len(paths) // 20):
        lines = (new / path).read_text().splitlines(keepends=True)
        lines[rng.randrange(len(lines))] = "changed in the release\n"
        (new / path).write_text("".join(lines))
    for path in rng.sample(paths, len(paths) // 200):
        if (new / path).exists():
            (new / path).rename((new / path).with_name("moved-" + Path(path).name))


PEAKS: dict[str, float] = {}
"""The most memory of one process of each of our commands, in MB."""


def run(command: list[str], cwd: Path, allowed: tuple[int, ...] = (0,)) -> float:
    """Run a command and give its seconds; what it prints goes to a file, so that nobody waits for a reader."""
    with tempfile.TemporaryFile() as out:
        start = time.perf_counter()
        started = subprocess.Popen(command, cwd=cwd, stdout=out, stderr=out, env=ENVIRONMENT)
        _, status, usage = os.wait4(started.pid, 0)
        spent = time.perf_counter() - start
        started.returncode = os.waitstatus_to_exitcode(status)
        if started.returncode not in allowed:
            out.seek(0)
            raise SystemExit(f"{command}: {started.returncode}: {out.read().decode()[-500:]}")
    if command[0] == protypon()[0]:
        PEAKS[command[1]] = max(PEAKS.get(command[1], 0), usage.ru_maxrss / 1024)
    return spent


def forget(bench: Path, *kinds: str) -> None:
    """Take rows of some kinds out of a bench's cache."""
    with closing(sqlite3.connect(bench / ".protypon" / "cache" / "rows.sqlite")) as connection, connection:
        connection.executemany("DELETE FROM rows WHERE kind = ?", [(kind,) for kind in kinds])


def interleaved(runs: int, **programs: Callable[[], float]) -> dict[str, float]:
    """Run the programs in turn; medians in seconds."""
    found: dict[str, list[float]] = {name: [] for name in programs}
    for _ in range(runs):
        for name, program in programs.items():
            found[name].append(program())
    return {name: statistics.median(times) for name, times in found.items()}


def lay_out(root: Path, files: int, overrides: int, size: int) -> tuple[Path, float]:
    """A bench with the parent, its next release beside it, and one child; and how long taking all overrides takes."""
    rng = random.Random(20260101)
    bench = root / "bench"
    paths = make_parent(bench / "themes" / "parent", files, rng, size)
    new_release(bench / "themes" / "parent", root / "next" / "parent", paths, rng)
    run(protypon("init", "--platform", "quayside"), bench)
    chosen = rng.sample(paths, overrides)
    run(protypon("new", "child-0", "--parent", "parent"), bench)
    override = protypon("override", *[f"template:{p}" for p in chosen], "--child", "child-0")
    run(override, bench)
    times = []
    for _ in range(3):
        run(protypon("undo"), bench)
        times.append(run(override, bench))
    taken = statistics.median(times)
    for path in chosen:
        with open(bench / "themes" / "child-0" / path, "a") as stream:
            stream.write("ours\n")
    return bench, taken


def add_children(bench: Path) -> None:
    for number in range(1, 10):
        child = bench / "themes" / f"child-{number}"
        shutil.copytree(bench / "themes" / "child-0", child)
        manifest(child, child.name, "0.1.0", "parent")


def measure(root: Path, bench: Path, runs: int, taken: float) -> list[tuple[str, float, float, str]]:
    rows: list[tuple[str, float, float, str]] = []
    parent, new = bench / "themes" / "parent", root / "next" / "parent"

    def add(name: str, ours: float, other: float, limit: str) -> None:
        rows.append((name, ours, other, limit))

    one = protypon("check", "child-0", "--format", "json", "--fail-on", "fatal")
    run(one, bench)
    found = interleaved(
        runs, ours=lambda: run(one, bench), other=lambda: run(["diff", "-rq", str(parent), str(new)], root, (0, 1))
    )
    add("check, warm / diff -rq of two releases", found["ours"], found["other"], "1.5 (aim 1)")

    def fresh() -> float:
        """A check that has to examine the child, as after any change; what was read before is remembered."""
        forget(bench, "report")
        return run(one, bench)

    fresh_check = interleaved(3, ours=fresh)["ours"]
    add("override of 500 units / a check after a change", taken, fresh_check, "3")
    survey = protypon("survey", "--format", "json")
    found = interleaved(3, ours=lambda: run(survey, bench), other=fresh)
    add("survey of the bench / a check after a change", found["ours"], found["other"], "5")
    rows += measure_update(root, bench, new, runs)

    add_children(bench)
    ten = protypon("check", "--format", "json", "--fail-on", "fatal")
    run(ten, bench)
    found = interleaved(runs, ours=lambda: run(ten, bench), other=lambda: run(one, bench))
    add("each further child, warm / the first", (found["ours"] - found["other"]) / 9, found["other"], "0.1")

    def cold(command: list[str]) -> Callable[[], float]:
        def timed() -> float:
            shutil.rmtree(bench / ".protypon" / "cache", ignore_errors=True)
            return run(command, bench)

        return timed

    found = interleaved(max(3, runs // 2), ours=cold(ten), other=cold(one))
    add("each further child, cold / the first", (found["ours"] - found["other"]) / 9, found["other"], "0.1")
    run(ten, bench)

    def against() -> float:
        forget(bench, "report")
        return run([*one, "--against", str(new)], bench)

    git = ["git", "diff", "--no-index", "-M", "--name-status", str(parent), str(new)]

    def first() -> float:
        """Against a folder that was never looked at: its files are listed and read."""
        forget(bench, "listing of another", "comparison/2", "report")
        return against()

    found = interleaved(runs, ours=first, other=lambda: run(git, root, (0, 1)))
    add("check --against, the first time / git diff --no-index -M", found["ours"], found["other"], "0.6")
    again = [*one, "--against", str(new)]
    run(again, bench)
    found = interleaved(runs, ours=lambda: run(again, bench), other=lambda: run(git, root, (0, 1)))
    add("check --against, again / git diff --no-index -M", found["ours"], found["other"], "0.2")

    def keep() -> float:
        store = root / "keeping"
        shutil.rmtree(store, ignore_errors=True)
        (store / "themes").mkdir(parents=True)
        run(protypon("init", "--platform", "quayside"), store)
        return run(protypon("keep", str(parent)), store)

    def git_add() -> float:
        shutil.rmtree(parent / ".git", ignore_errors=True)
        run(["git", "init", "-q", "."], parent)
        spent = run(["git", "add", "-A"], parent) + run(["git", "write-tree"], parent)
        shutil.rmtree(parent / ".git")
        return spent

    found = interleaved(max(3, runs // 2), ours=keep, other=git_add)
    add("keep / git add -A && git write-tree", found["ours"], found["other"], "0.4")

    rows += measure_change(bench, runs)
    click = [sys.executable, "-c", "import click"]
    found = interleaved(max(runs, 15), ours=lambda: run(protypon("--help"), root), other=lambda: run(click, root))
    add("protypon --help / python -c 'import click'", found["ours"], found["other"], "2")
    return rows


def measure_update(root: Path, bench: Path, new: Path, runs: int) -> list[tuple[str, float, float, str]]:
    """``update --to`` and ``undo`` of it, for a release that changes one file in twenty, and for one that changes all."""
    rows = []
    every = root / "every" / "parent"
    shutil.copytree(new, every)
    for path in every.rglob("*.html"):
        path.write_text("changed\n" + path.read_text())

    def copy() -> float:
        target = root / "copy"
        start = time.perf_counter()
        run(["cp", "-r", str(new), str(target)], root)
        run(["sync"], root)
        spent = time.perf_counter() - start
        shutil.rmtree(target)
        return spent

    for name, release in (("one file in twenty", new), ("every file", every)):
        times: dict[str, list[float]] = {"update": [], "undo": [], "copy": []}
        for _ in range(max(2, runs // 3)):
            times["copy"].append(copy())
            run(["sync"], root)
            times["update"].append(run(protypon("update", "parent", "--to", str(release)), bench))
            times["undo"].append(run(protypon("undo"), bench))
        middle = {key: statistics.median(found) for key, found in times.items()}
        rows.append((f"update --to, {name} changed / cp -r && sync", middle["update"], middle["copy"], "8 (aim 5)"))
        rows.append((f"undo of it, {name} changed / cp -r && sync", middle["undo"], middle["copy"], "8 (aim 5)"))
    return rows


def php_file(rng: random.Random, functions: int) -> str:
    """A code file as themes have them: documented functions with conditions, loops, calls and markup."""

    def name() -> str:
        return "_".join(rng.choices(WORDS, k=2))

    out = ["<?php\n"]
    for _ in range(functions):
        body = []
        for _ in range(rng.randint(4, 18)):
            variable = "$" + rng.choice(WORDS)
            body.append(
                rng.choice(
                    [
                        f"    {variable} = mill_value('{name()}', '{name()}');",
                        f"    if (empty({variable})) {{\n        {variable} = array('a' => 1, 'b' => '{name()}');\n    }}",
                        f"    echo '<div class=\"{name()}\">' . escaped({variable}['title']) . '</div>';",
                        f"    foreach ({variable} as $k => $item) {{\n        $out .= sprintf('<li id=\"%s\">%s</li>', $k, {name()}($item));\n    }}",
                        f"    $out = str_replace('{name()}', {variable}->{rng.choice(WORDS)}(), $out);",
                        f"    // {name()} {name()} {name()}",
                    ]
                )
            )
        called = name()
        out.append(f"/**\n * Prints the {called}.\n *\n * @param array $tide The tide.\n * @return string\n */\n")
        out.append(
            f"function {called}($tide, $pier = null) {{\n"
            + "\n".join(body)
            + f"\n    return $out;\n}}\nmill_engage('{name()}', '{called}', 20);\n\n"
        )
    return "".join(out)


def measure_children(root: Path, runs: int) -> tuple[str, float, float, str]:
    """Eight children with 2 MB of PHP each on a parent with little, checked with nothing remembered, against one of them."""
    rng = random.Random(20260103)
    bench = root / "eight"
    parent = bench / "themes" / "weir"
    (parent / "views").mkdir(parents=True)
    about = {"slug": "weir", "title": "Weir", "release": "1.0.0"}
    (parent / "millrace.json").write_text(json.dumps(about))
    (parent / "works.php").write_text("<?php\nfunction weir_board() { echo 'board'; }\n")
    (parent / "views" / "page.php").write_text("<main><?php mill_turn('board'); ?></main>\n")
    run(protypon("init", "--platform", "millrace"), bench)
    for number in range(8):
        run(protypon("new", f"child-{number}", "--parent", "weir"), bench)
        child = bench / "themes" / f"child-{number}"
        (child / "gears").mkdir()
        size, lines = 0, ["<?php"]
        while size < 2_000_000:
            text = php_file(rng, rng.randint(2, 40))
            name = f"f{len(lines)}.php"
            (child / "gears" / name).write_text(text)
            lines.append(f"require_once __DIR__ . '/gears/{name}';")
            size += len(text)
        (child / "works.php").write_text("\n".join(lines) + "\n")

    def cold(*slugs: str) -> float:
        shutil.rmtree(bench / ".protypon" / "cache", ignore_errors=True)
        return run(protypon("check", *slugs, "--format", "json", "--fail-on", "fatal"), bench)

    found = interleaved(max(2, runs // 3), ours=cold, other=lambda: cold("child-0"))
    return "eight children with 2 MB of code each, cold / one of them", found["ours"], found["other"], "9"


def measure_change(bench: Path, runs: int) -> list[tuple[str, float, float, str]]:
    """Twenty children of one parent after one line of it changed: a file that they leave alone, and one that all override."""
    parent, child = bench / "themes" / "parent", bench / "themes" / "child-0"
    for number in range(10, 20):
        other = bench / "themes" / f"child-{number}"
        shutil.copytree(child, other)
        manifest(other, other.name, "0.1.0", "parent")
    all_of_them = protypon("check", "--format", "json", "--fail-on", "fatal")
    run(all_of_them, bench)
    own = sorted(p.relative_to(child).as_posix() for p in child.rglob("*.html"))
    left_alone = next(p for p in sorted(parent.rglob("*.html")) if p.relative_to(parent).as_posix() not in own)

    def changed(path: Path) -> float:
        with open(path, "a") as stream:
            stream.write("one more line\n")
        return run(all_of_them, bench)

    changed(left_alone)
    rows = []
    ledger = (child / "overrides.toml").read_text().partition("[[override]]")[0]
    for what, path, own_parent in (
        ("a file they leave alone", left_alone, False),
        ("a file they all override", parent / own[0], False),
        ("one they override, own parent", parent / own[0], True),
    ):
        if own_parent:
            (parent / "overrides.toml").write_text(ledger)
            run(all_of_them, bench)
        found = interleaved(
            max(3, runs // 2), ours=lambda path=path: changed(path), other=lambda: run(all_of_them, bench)
        )
        rows.append((f"20 children, a line changed in {what} / warm", found["ours"], found["other"], "2 s"))
    return rows


def measure_facts(root: Path, runs: int) -> tuple[str, float, float, str]:
    """Cold facts of 2 MB of PHP, written to the cache, against what the parser alone takes; both in this process."""
    from protypon.__main__ import COLLECTION
    from protypon.core.files.caches import Cache
    from protypon.core.files.folder import Folder
    from protypon.core.languages.facts import FactsCache
    from protypon.core.languages.trees import parser

    gc.set_threshold(*COLLECTION)
    rng = random.Random(20260102)
    files: list[bytes] = []
    while sum(map(len, files)) < 2_000_000:
        files.append(php_file(rng, rng.randint(2, 40)).encode())

    def ours() -> float:
        shutil.rmtree(root / "facts", ignore_errors=True)
        start = time.perf_counter()
        cache = FactsCache(Cache(Folder(str(root)), "facts"))
        for number, data in enumerate(files):
            cache.code("php", str(number), lambda data=data: data)  # type: ignore[misc]
            cache.problems("php", str(number), "works.php", lambda data=data: data)  # type: ignore[misc]
        cache.save()
        return time.perf_counter() - start

    def other() -> float:
        start = time.perf_counter()
        for data in files:
            parser("tree_sitter_php", "language_php").parse(data)
        return time.perf_counter() - start

    found = interleaved(runs, ours=ours, other=other)
    return f"cold facts of 2 MB PHP ({len(files)} files) / parse alone", found["ours"], found["other"], "5 (aim 3)"


def sheet(rng: random.Random, size: int, words: int = 400) -> str:
    """A minified sheet as big themes have them: classes, states, some conditions, values of all sorts."""
    names = [f"{rng.choice(['menu', 'card', 'tide', 'lamp', 'hall', 'row', 'is'])}-{n}" for n in range(words)]
    values = [
        "color:#1b4b66",
        "margin:0 auto",
        "padding:.5rem 1rem",
        "display:flex",
        "font-size:1.25rem",
        "border:1px solid var(--line)",
    ]
    values += [
        "background-color:var(--paper,#fff)",
        "z-index:10",
        "gap:1rem",
        "text-align:center",
        "transition:color .2s ease-in-out",
    ]
    rows: list[str] = [":root{" + ";".join(f"--c{n}:#{n:06x}" for n in range(200)) + "}"]
    length = 0
    while length < size:
        picked = [
            f".{rng.choice(names)}{rng.choice(['', '', ' a', ':hover', '>li', '::before', ' .' + rng.choice(names)])}"
            for _ in range(rng.choice([1, 1, 2, 4]))
        ]
        rule = ",".join(picked) + "{" + ";".join(rng.sample(values, k=rng.randint(1, 5))) + "}"
        rows.append(rule if rng.random() < 0.85 else f"@media (min-width:{rng.choice([600, 768, 992])}px){{{rule}}}")
        length += len(rows[-1])
    return "".join(rows)


def parse_alone(texts: Iterable[str]) -> float:
    """The seconds that tinycss2 takes for some sheets."""
    import tinycss2

    start = time.perf_counter()
    for text in texts:
        for rule in tinycss2.parse_stylesheet(text):
            if rule.type == "qualified-rule":
                tinycss2.parse_blocks_contents(rule.content)
    return time.perf_counter() - start


def measure_styles(runs: int) -> tuple[str, float, float, str]:
    """Reading a minified sheet of 140 kB and one of 10 kB after it, and telling which declarations lose, against what tinycss2 alone takes to parse them."""
    from protypon.core.languages.css import selectors
    from protypon.core.languages.css.competing import Competing
    from protypon.core.languages.css.media import Window
    from protypon.core.languages.css.rules import read
    from protypon.core.languages.css.together import together

    rng = random.Random(20260103)
    texts = {"parent.css": sheet(rng, 140_000), "child.css": sheet(rng, 10_000)}

    def ours() -> float:
        selectors.parse.cache_clear()
        start = time.perf_counter()
        found = together(texts, lambda name: read(texts[name]), lambda _, address: None)
        list(Competing(found, Window()).find_outranked(lambda number: number == 1))
        return time.perf_counter() - start

    found = interleaved(runs, ours=ours, other=lambda: parse_alone(texts.values()))
    return "rules of a sheet of 140 kB, and which of 10 kB lose / parse alone", found["ours"], found["other"], "8"


def measure_rules(root: Path, runs: int) -> list[tuple[str, float, float, str]]:
    """A child with a sheet of 10 kB under a parent with one of 140 kB and 100 templates, after a release: checked from nothing, and again."""
    rng = random.Random(20260103)
    bench = root / "sheets"
    parent, child = bench / "themes" / "parent", bench / "themes" / "child"
    texts = {parent: sheet(rng, 140_000), child: sheet(rng, 10_000)}
    names = [f"{word}-{n}" for word in ("menu", "card", "tide", "lamp", "hall", "row", "is") for n in range(400)]
    (parent / "styles").mkdir(parents=True)
    (parent / "parts").mkdir()
    for number in range(100):
        lines = (f'<p class="{rng.choice(names)} {rng.choice(names)}">{{{{ x }}}}</p>' for _ in range(40))
        (parent / f"parts/p{number}.html").write_text("\n".join(lines))

    def release(label: str, text: str) -> None:
        manifest(parent, "parent", label)
        with (parent / "quay.toml").open("a") as stream:
            stream.write('\n[sheets]\nsite = ["styles/site.css"]\n')
        (parent / "styles/site.css").write_text(text)

    release("1.0.0", texts[parent])
    run(protypon("init", "--platform", "quayside"), bench)
    run(protypon("new", "child", "--parent", "parent"), bench)
    (child / "styles/child.css").write_text(texts[child])
    run(protypon("adopt", "child"), bench)
    release("2.0.0", texts[parent].replace("0 auto", "1px auto").replace("card-7", "cord-7"))
    check = protypon("check", "--format", "json")

    def cold() -> float:
        for file in (bench / ".protypon" / "cache").glob("rows.sqlite*"):
            file.unlink()
        return run(check, bench, (0, 1))

    found = interleaved(
        runs,
        cold=cold,
        warm=lambda: run(check, bench, (0, 1)),
        start=lambda: run(protypon("--version"), bench),
        parse=lambda: parse_alone(texts.values()),
    )
    return [
        (
            "cold check of rules of 140 kB, without start-up / parse alone",
            found["cold"] - found["start"],
            found["parse"],
            "8",
        ),
        ("the same warm, without start-up / 50 ms", max(found["warm"] - found["start"], 0.0), 0.05, "1"),
    ]


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--runs", type=int, default=7)
    parser.add_argument("--files", type=int, default=13000)
    parser.add_argument("--overrides", type=int, default=500)
    parser.add_argument(
        "--lines", type=int, choices=sorted(LINES), action="append", help="sizes of file; default: both"
    )
    options = parser.parse_args()
    for size in options.lines or sorted(LINES):
        with tempfile.TemporaryDirectory(prefix="protypon-bench-") as folder:
            root = Path(folder)
            bench, taken = lay_out(root, options.files, options.overrides, size)
            rows = [
                measure_facts(root, options.runs),
                measure_children(root, options.runs),
                measure_styles(options.runs),
                *measure_rules(root, options.runs),
            ]
            rows += measure(root, bench, options.runs, taken)
        print(
            f"\n{options.files:,} files of {size} lines, {options.overrides} overrides; other than said, every row is of runs after a first one"
        )
        print(f"{'what / what':62} {'ours s':>8} {'other s':>8} {'ratio':>7}  limit")
        for name, ours, other, limit in rows:
            print(f"{name:62} {ours:8.3f} {other:8.3f} {ours / other:7.2f}  {limit}", flush=True)
    most = ", ".join(f"{name} {peak:.0f}" for name, peak in sorted(PEAKS.items(), key=lambda pair: -pair[1]))
    print(f"peak memory of a process, MB (limit 250): {most}")
    print(f"{os.cpu_count()} cores, Python {sys.version.split()[0]}")


if __name__ == "__main__":
    main()
