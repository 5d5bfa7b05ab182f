"""Take the pictures in docs/screenshots/ anew: the demo's story, some of its commands in a terminal window.

python docs/take_screenshots.py        needs Xvfb, xterm and ImageMagick's import
"""

from __future__ import annotations

import os
import shlex
import shutil
import subprocess
import sys
import tempfile
import time
from contextlib import chdir, redirect_stderr, redirect_stdout
from io import StringIO
from pathlib import Path

from protypon.cli.main import run
from protypon.demo import platform_stories
from protypon.demo.story import STORY, Act, Type, lay_out

TARGET = Path(__file__).parent.resolve() / "screenshots"
SHOTS = {
    ("survey", 1): "survey",
    ('find "Built on Breakwater"', 1): "find",
    ("check", 1): "check-mistakes",
    ("rescue breakwater", 1): "rescue",
    ('twin lantern-rock gull-point --title "Gull Point" --set maker="Gull Point Museum"', 1): "twin",
    ("points --page visit --child lantern-rock", 1): "points",
    ("explain opening_hours", 1): "explain",
    ("explain --styles --child lantern-rock", 1): "explain-styles",
    (
        'override setting:settings.json#home.cards --value 4 --why "four cards fit our front page"',
        1,
    ): "override-setting",
    (
        "override 'rule:styles/exhibit.css#.gallery .plate-note' --set font-size=1rem --why 'our readers are old'",
        1,
    ): "override-rule",
    ("check lantern-rock --against downloads/breakwater-2.0.0.zip", 1): "check-against",
    ("compare parts/footer.html --child lantern-rock --against downloads/breakwater-2.0.0.zip", 1): "compare",
    ("update breakwater --to downloads/breakwater-2.0.0.zip", 1): "update",
    ("check", 4): "check-after",
    ('override function:closing_line --why "our own last line"', 1): "override",
    ("mend", 1): "mend",
}
"""(command, which time it is typed) -> picture."""
BESIDES = {
    "find": "; protypon find 'Open all year'; protypon find '10:00'; protypon find .credit",
    "rescue": "; protypon check lantern-rock; protypon lighten",
    "override-rule": "; protypon explain 'rule:styles/exhibit.css#.gallery .plate-note'; protypon explain style:styles/exhibit.css",
}
"""What is typed after it in the same picture."""
DISPLAY = ":97"
SIZES = (("8", 57), ("6.5", 66), ("6", 72), ("5.5", 80), ("5", 88), ("4.5", 100))
"""Sizes of letters, and how many lines of them a picture holds: it shows all of an output, from its first line."""
MINE = """format = "protypon.platform/1"
name = "mine"
like = "hedgerow"
code = { moments = ["rooted", "in_blosom"] }

[means]
attach = ["hedgerow_graft(callback, order=0)"]
part = [{ call = "hedgerow_leaf(file)", tries = ["leaves/{file}.{shade}.php", "leaves/{file}.php"] }]
"""
"""A platform file with things in it that can't be meant."""


def shoot(command: str, name: str) -> None:
    """Run one command in a terminal window and take a picture of the screen when it has ended."""
    done = Path(tempfile.gettempdir()) / f"shot-{os.getpid()}"
    done.unlink(missing_ok=True)
    program = shlex.quote(str(Path(sys.executable).with_name("protypon")))
    typed = (
        f"printf '$ protypon %s\\n\\n' {shlex.quote(command)}; {program} {command.replace('protypon ', program + ' ')}"
    )
    line = f"{typed}; touch {done}; sleep 9"
    with tempfile.TemporaryDirectory() as twin:
        shutil.copytree(".", f"{twin}/bench", symlinks=True)
        said = subprocess.run(["sh", "-c", typed], cwd=f"{twin}/bench", capture_output=True, text=True).stdout
    lines = said.count("\n")
    size, rows = next((each for each in SIZES if each[1] > lines + 1), SIZES[-1])
    window = [
        "xterm",
        "-geometry",
        f"160x{rows}+0+0",
        "-fa",
        "DejaVu Sans Mono",
        "-fs",
        size,
        "-bg",
        "#10181c",
        "-fg",
        "#e8e4d8",
        "-e",
        "sh",
        "-c",
        line,
    ]
    environment = {**os.environ, "DISPLAY": DISPLAY, "TERM": "xterm-256color"}
    terminal = subprocess.Popen(window, env=environment, stderr=subprocess.DEVNULL)
    waited = 0
    while not done.exists():
        time.sleep(0.1)
        waited += 1
        if waited > 300 or terminal.poll() is not None:
            raise SystemExit(f"no picture of {command!r}: the terminal window went away")
    time.sleep(0.6)
    subprocess.run(["import", "-window", "root", str(TARGET / f"{name}.png")], env=environment, check=True)
    terminal.kill()


def damage(bench: Path) -> None:
    """What a program that was cut off, and a disk, may leave of a store."""
    (bench / ".protypon/store/refs/protypon/journal.lock").write_text("")
    (bench / ".protypon/releases.json").write_text('{"format": "protypon.releases/1", "rele')
    last = sorted((bench / ".protypon/journal").iterdir())[-3]
    last.write_bytes(bytes(40))


def main() -> None:
    TARGET.mkdir(exist_ok=True)
    screen = subprocess.Popen(["Xvfb", DISPLAY, "-screen", "0", "1280x800x24"], stderr=subprocess.DEVNULL)
    time.sleep(1)
    times: dict[str, int] = {}
    with tempfile.TemporaryDirectory() as folder, chdir(folder):
        lay_out(Path())
        for step in STORY:
            if isinstance(step, Act):
                step.act(Path())
            elif isinstance(step, Type):
                times[step.line] = times.get(step.line, 0) + 1
                name = SHOTS.get((step.line, times[step.line]))
                if name:
                    shoot(step.line + BESIDES.get(name, ""), name)
                else:
                    with redirect_stdout(StringIO()), redirect_stderr(StringIO()):
                        run(step.arguments)
        damage(Path())
        shoot("store check; protypon store repair", "store")
    with tempfile.TemporaryDirectory() as folder, chdir(folder):
        platform_stories.lay_out("hedgerow", Path())
        for step in platform_stories.STORIES["hedgerow"]:
            if isinstance(step, Act):
                step.act(Path())
            elif isinstance(step, Type) and not step.needs:
                with redirect_stdout(StringIO()), redirect_stderr(StringIO()):
                    run(step.arguments)
        Path("mine.toml").write_text(MINE)
        shoot(
            "trial cove; protypon explain page:exhibit --child cove; protypon explain template:leaves/page.php --child cove",
            "trial",
        )
        shoot("platform check mine.toml --with themes/shore", "platform-check")
    screen.kill()


if __name__ == "__main__":
    main()
