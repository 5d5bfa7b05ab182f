"""The PHP stand-ins, run: a lineage's code and one page, on the real interpreter, apart and with limits.

python -m protypon.standin.hosted PLATFORM THEMES SLUG [KIND]
"""

from __future__ import annotations

import configparser
import json
import shutil
import subprocess
import sys
import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import Any

HOSTS = Path(__file__).parent / "php"
SECONDS = 20
OFF = "exec,passthru,shell_exec,system,proc_open,popen,pcntl_exec,pcntl_fork,mail,fsockopen,pfsockopen,stream_socket_client,putenv,dl"


class NotPutTogether(Exception):
    """The lineage can't be put together."""


def php() -> str | None:
    """Where the PHP interpreter is; None where there is none."""
    return shutil.which("php")


def _millrace(folder: Path) -> dict[str, Any]:
    data = json.loads((folder / "millrace.json").read_text("utf-8"))
    return {"parents": [data["turns_on"]] if data.get("turns_on") else [], "regions": data.get("regions", [])}


def _hedgerow(folder: Path) -> dict[str, Any]:
    from ruamel.yaml import YAML

    data = YAML(typ="safe", pure=True).load((folder / "hedgerow.yaml").read_text("utf-8"))
    parent = data.get("grown_on")
    return {"parents": [parent] if parent and parent != "rootstock" else []}


def _kiln(folder: Path) -> dict[str, Any]:
    data = configparser.RawConfigParser()
    data.read_string((folder / f"{folder.name}.ini").read_text("utf-8"))

    def words(section: str, key: str) -> list[str]:
        return [w.strip() for w in data.get(section, key, fallback="").split(",") if w.strip()]

    return {
        "parents": words("theme", "parents"),
        "regions": words("theme", "regions"),
        "detached": words("hooks", "off"),
    }


MANIFESTS: dict[str, Callable[[Path], dict[str, Any]]] = {"millrace": _millrace, "hedgerow": _hedgerow, "kiln": _kiln}


def lineage(platform: str, themes: Path, slug: str) -> list[dict[str, Any]]:
    """A theme and its parents as the platform sees them: each once, nearest first."""
    found: list[dict[str, Any]] = []

    def follow(name: str, above: tuple[str, ...]) -> None:
        if name in above:
            raise NotPutTogether(f"{name} is its own ancestor")
        if name in {t["slug"] for t in found}:
            return
        try:
            read = MANIFESTS[platform](themes / name)
        except (OSError, ValueError, KeyError, configparser.Error) as error:
            raise NotPutTogether(f"{name}: {error}") from error
        found.append({"slug": name, "folder": str((themes / name).resolve()), **read})
        for parent in read["parents"]:
            follow(parent, (*above, name))

    follow(slug, ())
    return found


def run(platform: str, themes: Path, slug: str, kind: str = "") -> dict[str, Any]:
    """Load a theme on its platform, and render a page of a kind; what the site has then, as the host reports it.

    Raises NotLoaded where there is no such lineage, or no report comes back.
    """
    interpreter = php()
    if interpreter is None:
        raise NotPutTogether("there is no PHP interpreter here")
    with tempfile.TemporaryDirectory(prefix="protypon-host-") as folder:
        order = Path(folder, "lineage.json")
        order.write_text(json.dumps({"themes": lineage(platform, themes, slug)}), "utf-8")
        command = [
            interpreter, "-n", "-d", "memory_limit=256M", "-d", f"max_execution_time={SECONDS}", "-d", f"disable_functions={OFF}",
            "-d", "allow_url_fopen=0", "-d", f"open_basedir={themes.resolve()}:{HOSTS}:{folder}", str(HOSTS / f"{platform}.php"), str(order), kind,
        ]  # fmt: skip
        done = subprocess.run(command, capture_output=True, timeout=SECONDS + 5, cwd=folder)
    try:
        return dict(json.loads(done.stdout.decode("utf-8", "replace").splitlines()[-1]))
    except (ValueError, IndexError) as error:
        raise NotPutTogether(f"no report: {done.stdout[-200:]!r} {done.stderr[-200:]!r}") from error


def problem(file: Path) -> str | None:
    """What the interpreter says of a file that does not parse; None where it does, or where there is no interpreter."""
    interpreter = php()
    if interpreter is None:
        return None
    done = subprocess.run([interpreter, "-n", "-l", str(file)], capture_output=True, text=True, timeout=SECONDS)
    return None if done.returncode == 0 else (done.stdout + done.stderr).strip().split("\n")[0]


def main(arguments: list[str]) -> int:
    if not 3 <= len(arguments) <= 4 or arguments[0] not in MANIFESTS:
        print(__doc__, file=sys.stderr)
        return 2
    try:
        print(json.dumps(run(arguments[0], Path(arguments[1]), *arguments[2:]), indent=1))
    except NotPutTogether as error:
        print(f"{arguments[0]}: {error}", file=sys.stderr)
        return 1
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
