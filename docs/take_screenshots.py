"""Take the pictures in docs/screenshots/ anew: commands of the demo's story, each with all of its output, in a terminal window.

    python docs/take_screenshots.py [NAME...]        needs Xvfb, xterm and ImageMagick

A picture is as wide and as tall as what stands in it, and can be read at a third of its size.
"""

from __future__ import annotations

import fcntl
import os
import pty
import re
import shlex
import shutil
import struct
import subprocess
import sys
import tempfile
import termios
import time
from contextlib import chdir, redirect_stderr, redirect_stdout, suppress
from io import StringIO
from pathlib import Path

from protypon.cli.main import run
from protypon.demo import platform_stories
from protypon.demo.story import STORY, Act, Type, lay_out

TARGET = Path(__file__).parent.resolve() / "screenshots"
SHOTS: dict[tuple[str, int], dict[str, list[str]]] = {
    ("survey", 1): {"survey": ["survey"]},
    ('find "Built on Breakwater"', 1): {"find": ["find 'Open all year'", "find '10:00'", "find .credit"]},
    ('override function:closing_line --why "our own last line"', 1): {
        "override": [
            "override function:closing_line --why 'our own last line'",
            "override setting:settings.json#home.cards --value 4",
            "override 'rule:styles/exhibit.css#.gallery .plate-note' --set font-size=1rem",
            "override hook:notice-board#tide_notice --detach",
        ]
    },
    ("points --page visit --child lantern-rock", 1): {"points": ["points --page visit --child lantern-rock"]},
    ("check", 1): {"check-mistakes": ["check"], "mend": ["mend", "check --brief"]},
    ('settle opening_hours --why "we open with the tide, whatever theirs says"', 1): {
        "settle": [
            "compare opening_hours",
            "settle opening_hours --why 'we open with the tide, whatever theirs says'",
            "drop card",
        ]
    },
    ("rescue breakwater", 1): {"rescue": ["rescue breakwater", "check lantern-rock"]},
    ("adopt old-pier", 1): {"adopt": ["adopt old-pier", "check old-pier", "lighten pages/base.html --child old-pier"]},
    ("check lantern-rock --against downloads/breakwater-2.0.0.zip", 1): {
        "check-against": ["check lantern-rock --against downloads/breakwater-2.0.0.zip"],
        "explain": [
            "explain opening_hours --child lantern-rock",
            "explain --styles --child lantern-rock",
            "explain 'rule:styles/lantern-rock.css#.menu a' --child lantern-rock",
        ],
    },
    ("compare parts/footer.html --child lantern-rock --against downloads/breakwater-2.0.0.zip", 1): {
        "compare": ["compare parts/footer.html --child lantern-rock --against downloads/breakwater-2.0.0.zip"]
    },
    ("update breakwater --to downloads/breakwater-2.0.0.zip", 1): {
        "update": ["update breakwater --to downloads/breakwater-2.0.0.zip"]
    },
    ("check", 4): {"check-several": ["check"]},
    ('twin lantern-rock gull-point --title "Gull Point" --set maker="Gull Point Museum"', 1): {
        "twin": ["twin lantern-rock gull-point --title 'Gull Point' --set maker='Gull Point Museum'"]
    },
    ("pack lantern-rock", 1): {"undo": ["pack lantern-rock --release 1.0.0", "undo", "undo --list | head -n 24"]},
}
"""(a line of the story, which time it is typed) -> the pictures that are taken before it: name -> what is typed."""
WIDE = {"compare": 132}
COLUMNS = 100
DISPLAY = ":97"
LETTERS = "20"
"""Points; at a third of it letters are nine pixels high."""
MOST_LINES = 220
PAPER = "#10181c"
MINE = """format = "protypon.platform/1"
name = "mine"
like = "hedgerow"
code = { moments = ["rooted", "in_blosom"] }

[means]
attach = ["hedgerow_graft(callback, order=0)"]
part = [{ call = "hedgerow_leaf(file)", tries = ["leaves/{file}.{shade}.php", "leaves/{file}.php"] }]
"""
"""A platform file with things in it that can't be meant."""
wanted = set(sys.argv[1:])


def shoot(name: str, lines: list[str]) -> None:
    """Type some lines in a terminal window of a copy of the bench, and take a picture of it when they have ended."""
    if wanted and name not in wanted:
        return
    columns = WIDE.get(name, COLUMNS)
    with tempfile.TemporaryDirectory() as folder:
        rows = min(_rows(_script(lines), Path(shutil.copytree(".", f"{folder}/a", symlinks=True)), columns), MOST_LINES)
        there = shutil.copytree(".", f"{folder}/b", symlinks=True)
        done = Path(folder) / "done"
        script = f"{_script(lines)}; tput civis; touch {done}; sleep 60"
        window = ["xterm", "-geometry", f"{columns}x{rows}+0+0", "-fa", "DejaVu Sans Mono", "-fs", LETTERS, "-b", "14", "+sb"]
        window += ["-bg", PAPER, "-fg", "#e8e4d8", "-bw", "0", "-e", "sh", "-c", script]
        environment = {**os.environ, **_environment(), "DISPLAY": DISPLAY}
        terminal = subprocess.Popen(window, env=environment, stderr=subprocess.DEVNULL, cwd=there)
        for _ in range(900):
            if done.exists() or terminal.poll() is not None:
                break
            time.sleep(0.1)
        if not done.exists():
            raise SystemExit(f"no picture {name!r}: the terminal window went away")
        time.sleep(0.8)
        picture = TARGET / f"{name}.png"
        cut = ["-fuzz", "8%", "-trim", "+repage", "-bordercolor", PAPER, "-border", "28", "-colors", "64", f"png8:{picture}"]
        subprocess.run(["import", "-window", "root", f"{folder}/screen.png"], env=environment, check=True)
        subprocess.run(["convert", f"{folder}/screen.png", *cut], check=True)
        terminal.kill()
        terminal.wait()


def _script(lines: list[str]) -> str:
    program = shlex.quote(str(Path(sys.executable).parent))
    typed = (f"printf '\\033[1m$ protypon %s\\033[0m\\n' {shlex.quote(line)}; protypon {line}" for line in lines)
    return f"PATH={program}:$PATH; " + "; echo; ".join(typed)


def _environment() -> dict[str, str]:
    return {"TERM": "xterm-256color", "PAGER": "cat"}


def _rows(script: str, folder: Path, columns: int) -> int:
    """How many lines of a terminal it takes."""
    pid, terminal = pty.fork()
    if pid == 0:
        os.chdir(folder)
        os.execvpe("sh", ["sh", "-c", f"sleep 0.3; {script}"], {**os.environ, **_environment()})
    fcntl.ioctl(terminal, termios.TIOCSWINSZ, struct.pack("HHHH", 999, columns, 0, 0))
    said = b""
    with suppress(OSError):
        while data := os.read(terminal, 65536):
            said += data
    os.waitpid(pid, 0)
    os.close(terminal)
    plain = re.sub(r"\x1b\[[0-9;?]*[A-Za-z]", "", said.decode("utf-8", "replace"))
    return sum(max(1, -(-len(line.rstrip("\r")) // columns)) for line in plain.split("\n"))


def damage(bench: Path) -> None:
    """What a program that was cut off, and a disk, may leave of a store."""
    (bench / ".protypon/store/refs/protypon/journal.lock").write_text("")
    (bench / ".protypon/releases.json").write_text('{"format": "protypon.releases/1", "rele')
    last = sorted((bench / ".protypon/journal").iterdir())[-3]
    last.write_bytes(bytes(40))


def story() -> None:
    """The pictures of the long story."""
    times: dict[str, int] = {}
    lay_out(Path())
    for step in STORY:
        if isinstance(step, Act):
            step.act(Path())
        elif isinstance(step, Type):
            times[step.line] = times.get(step.line, 0) + 1
            for name, lines in SHOTS.get((step.line, times[step.line]), {}).items():
                shoot(name, lines)
            with redirect_stdout(StringIO()), redirect_stderr(StringIO()):
                run(step.arguments)
    damage(Path())
    shoot("store", ["store check", "store repair", "store check"])


def hedgerow() -> None:
    """The pictures of a platform with code in PHP."""
    platform_stories.lay_out("hedgerow", Path())
    for step in platform_stories.STORIES["hedgerow"]:
        if isinstance(step, Act):
            step.act(Path())
        elif isinstance(step, Type) and not step.needs:
            with redirect_stdout(StringIO()), redirect_stderr(StringIO()):
                run(step.arguments)
    Path("mine.toml").write_text(MINE)
    page = ["explain page:exhibit --child cove", "explain template:leaves/page.php --child cove"]
    shoot("trial", ["trial cove", *page])
    shoot("platform", ["platform list", "platform check mine.toml --with themes/shore"])


def main() -> None:
    TARGET.mkdir(exist_ok=True)
    screen = subprocess.Popen(["Xvfb", DISPLAY, "-screen", "0", "2600x8000x24"], stderr=subprocess.DEVNULL)
    time.sleep(1)
    for part in (story, hedgerow):
        with tempfile.TemporaryDirectory() as folder, chdir(folder):
            part()
    screen.kill()


if __name__ == "__main__":
    main()
