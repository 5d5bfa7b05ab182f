"""A site platform whose code is Python, made from a platform file: one lineage's code, and one page, run; a report as JSON when all is over.

    python -I -S host.py SPEC.json [LIBRARIES]

It imports nothing of this package and knows nothing but what the file says. What is asked for and nobody has is a stub, which is told as such.
"""

from __future__ import annotations

import inspect
import json
import os
import re
import sys
import traceback
from collections.abc import Callable, Iterator, Sequence
from pathlib import Path
from types import ModuleType
from typing import Any

Roles = dict[str, Any]


class Protypon_Stub:
    """Stands for what nobody knows: prints as nothing, takes any call, and holds one thing of its kind, down to some depth."""

    deepest = 2
    unsafe_callable = alters_data = False
    jinja_pass_arg = None
    """What Jinja asks of whatever it calls."""

    def __init__(self, *given: Any, **named: Any) -> None:
        self._depth = 0

    def _alike(self, further: int = 0) -> Protypon_Stub:
        made = Protypon_Stub()
        made._depth = self._depth + further
        return made

    def __call__(self, *given: Any, **named: Any) -> Protypon_Stub:
        return self._alike()

    def __getattr__(self, name: str) -> Protypon_Stub:
        if name.startswith("__"):
            raise AttributeError(name)
        return self._alike()

    def __getitem__(self, at: Any) -> Protypon_Stub:
        return self._alike()

    def __iter__(self) -> Iterator[Any]:
        return iter([self._alike(1)] * len(self))

    def __str__(self) -> str:
        return ""

    def __len__(self) -> int:
        return int(self._depth < self.deepest)


class StrangeModules:
    """Modules that are not here: whatever is imported of one is a stub."""

    def __init__(self, folders: tuple[str, ...]) -> None:
        self.folders = folders

    def find_spec(self, name: str, path: Any = None, target: Any = None) -> Any:
        """Find a module that a theme asks for and that is not here."""
        from importlib.machinery import ModuleSpec

        frame: Any = sys._getframe(1)
        while frame is not None and "importlib" in frame.f_code.co_filename:
            frame = frame.f_back
        asked = frame is not None and frame.f_code.co_filename.startswith(self.folders)
        return ModuleSpec(name, self, is_package=True) if asked else None  # type: ignore[arg-type]

    def create_module(self, spec: Any) -> ModuleType:
        """A module of which every name is a stub."""
        made = ModuleType(spec.name)
        made.__getattr__ = lambda name: Protypon_Stub()  # type: ignore[method-assign]
        return made

    def exec_module(self, module: ModuleType) -> None:
        """Nothing is run for it."""
        pass


class PlatformError(Exception):
    """The platform stops the site."""


class Host:
    """The state of one site, and what the calls of its platform do to it."""

    def __init__(self, spec: dict[str, Any]) -> None:
        self.spec = spec
        self.themes: list[dict[str, Any]] = spec["themes"]
        self.points: dict[Any, list[tuple[Any, int, Any, Any]]] = {}
        self.rung: list[tuple[Any, list[str]]] = []
        self.items: dict[str, dict[str, Any]] = {k: dict.fromkeys(names) for k, names in spec["own"]["items"].items()}
        self.values: dict[str, Any] = {}
        self.functions: dict[str, tuple[Any, bool]] = {}
        self.given: dict[str, Any] = {}
        self.regions: list[Any] = []
        self.printed: list[Any] = []
        self.sheets: dict[str, dict[str, dict[str, Any]]] = {}
        self.templates: list[str] = []
        self.files: list[str] = []
        self.shared: dict[str, Any] = {}
        self.serial = 0
        self.environment: Any = None

    # Where things lie

    def shown(self, file: str) -> str:
        """A file as theme and path."""
        for theme in self.themes:
            if file.startswith(theme["folder"] + "/"):
                return f"{theme['slug']}/{file[len(theme['folder']) + 1 :]}"
        return os.path.basename(file)

    def theme_of(self, file: str) -> dict[str, Any] | None:
        """The theme that a file belongs to, or None."""
        return next((t for t in self.themes if file.startswith(t["folder"] + "/")), None)

    def _asking(self) -> dict[str, Any]:
        frame: Any = sys._getframe(1)
        while frame is not None:
            found = self.theme_of(frame.f_code.co_filename)
            if found is not None:
                return found
            frame = frame.f_back
        return self.themes[0]

    def find(self, paths: Sequence[str], nearest: str, themes: Sequence[dict[str, Any]] | None = None) -> str | None:
        """The first path that a theme has; by the nearest theme, where that goes first."""
        rows = self.themes if themes is None else themes
        pairs = [(t, p) for t in rows for p in paths] if nearest == "theme" else [(t, p) for p in paths for t in rows]
        return next((f"{t['folder']}/{p}" for t, p in pairs if os.path.isfile(f"{t['folder']}/{p}")), None)

    def _candidate_paths(self, meaning: Roles, roles: Roles) -> list[str]:
        asked, paths = roles.get("file", ""), []
        for file in asked if isinstance(asked, list | tuple) else [asked]:
            if isinstance(file, str) and self.theme_of(file) is not None and os.path.isfile(file):
                return [file]
            for pattern in meaning["tries"]:
                holes = {h: file if h == "file" else roles.get(h) for h in re.findall(r"\{(\w+)\}", pattern)}
                if not any(v is None or v == "" or v is False for v in holes.values()):
                    paths.append(pattern.format_map(holes))
        return paths

    def _find_path(self, meaning: Roles, roles: Roles) -> str | None:
        paths = self._candidate_paths(meaning, roles)
        return paths[0] if paths and os.path.isabs(paths[0]) else self.find(paths, meaning["nearest"])

    # Calls

    def calling(self, name: str) -> Callable[..., Any]:
        """What code calls under a name of the platform file: a call, a mark, or either."""

        def called(*given: Any, **named: Any) -> Any:
            marks = self.spec["marks"].get(name, ())
            calls = self.spec["calls"].get(name, ())
            bare = len(given) == 1 and not named and callable(given[0]) and not calls
            if marks and bare:
                return self._apply_marks(marks, given[0], (), {})
            if marks and not any("callback" in roles for m in calls for roles in self._bind_roles(m, given, named)[0]):
                return lambda function: self._apply_marks(marks, function, given, named)
            result = None
            for meaning in calls:
                tables, rest = self._bind_roles(meaning, given, named)
                for roles in tables:
                    result = self._effect(meaning, roles, rest)
            return result

        return called

    def _apply_marks(self, marks: Sequence[Roles], function: Any, given: Sequence[Any], named: Roles) -> Any:
        for meaning in marks:
            tables, rest = self._bind_roles(meaning, given, named)
            for roles in tables:
                own = {"name": getattr(function, "__name__", ""), **roles, "callback": function}
                self._effect(meaning, own, rest)
        return function

    def _bind_roles(self, meaning: Roles, given: Sequence[Any], named: Roles) -> tuple[list[Roles], list[Any]]:
        """The roles of a call's arguments, one table a thing that it is about; and what is handed beyond them."""
        left, kept = list(given), dict(named)
        tables: list[Roles] = [{}]
        for argument in meaning["arguments"]:
            found = [kept.pop(argument["keyword"])] if argument["keyword"] in kept else [left.pop(0)] if left else []
            if argument["entries"]:
                inside = found[0] if found else {}
                rows = list(inside) if argument["each"] and isinstance(inside, list | tuple) else [inside]
                tables = [{**table, **_entries(argument["entries"], row)} for table in tables for row in rows]
            elif found or argument["default"] is not None:
                row = {argument["role"]: found[0] if found else argument["default"]}
                tables = [{**table, **row} for table in tables]
        return tables, left

    def _effect(self, meaning: Roles, roles: Roles, rest: list[Any]) -> Any:
        """Do what a meaning does: the method of that name."""
        does: Callable[..., Any] = getattr(self, "_" + meaning["does"].replace("-", "_"))
        return does(meaning, roles, rest)

    def _declare(self, meaning: Roles, roles: Roles, rest: list[Any]) -> Any:
        name = roles["name"]
        if name in self.functions and not self.functions[name][1]:
            raise PlatformError(f"{name} is declared a second time")
        self.functions[name] = (roles["callback"], meaning["replaceable"])
        return roles["callback"]

    def _exists(self, meaning: Roles, roles: Roles, rest: list[Any]) -> Any:
        return roles.get("name") in self.functions

    def _summon(self, meaning: Roles, roles: Roles, rest: list[Any]) -> Any:
        for theme in self.themes:
            slug = theme["slug"]
            name = self.spec["pattern"].replace("{prefix}", slug.replace("-", "_")).replace("{slug}", slug)
            name = name.replace("{name}", str(roles.get("name")))
            if name in self.functions:
                return self.functions[name][0](*rest)
        return None

    def _register(self, meaning: Roles, roles: Roles, rest: list[Any]) -> None:
        self.items.setdefault(roles["kind"], {})[roles["name"]] = roles.get("value")

    def _unregister(self, meaning: Roles, roles: Roles, rest: list[Any]) -> None:
        self.items.get(roles["kind"], {}).pop(roles["name"], None)

    def _default(self, meaning: Roles, roles: Roles, rest: list[Any]) -> None:
        self.values.setdefault(roles["name"], roles.get("value"))

    def _value(self, meaning: Roles, roles: Roles, rest: list[Any]) -> Any:
        own = self.spec["own"]["values"]
        name = roles["name"]
        return self.values[name] if name in self.values else own.get(name, roles.get("fallback"))

    def _region(self, meaning: Roles, roles: Roles, rest: list[Any]) -> None:
        self.regions.append(roles["name"])

    def _print_region(self, meaning: Roles, roles: Roles, rest: list[Any]) -> Any:
        self.printed.append(roles["name"])
        return markup(f"<!-- region {roles['name']} -->")

    def _provide(self, meaning: Roles, roles: Roles, rest: list[Any]) -> None:
        self.given[roles["name"]] = roles.get("value")

    def _translate(self, meaning: Roles, roles: Roles, rest: list[Any]) -> Any:
        return roles.get("words", "")

    def _page(self, meaning: Roles, roles: Roles, rest: list[Any]) -> Any:
        kind = self.spec["page"]["kind"]
        return roles["kind"] == kind if "kind" in roles else kind

    def _folder(self, meaning: Roles, roles: Roles, rest: list[Any]) -> Any:
        number = 1 if meaning["of"] == "parent" else 0
        theme = (
            self._asking() if meaning["of"] == "asking" else self.themes[number] if number < len(self.themes) else None
        )
        if theme is None:
            return Protypon_Stub()
        base = theme["folder"] if meaning["does"] == "folder" else f"https://site.example/themes/{theme['slug']}"
        file = str(roles.get("file") or "")
        return f"{base}/{file.lstrip('/')}" if file else base

    _address = _folder

    def _find(self, meaning: Roles, roles: Roles, rest: list[Any]) -> Any:
        file = self._find_path(meaning, roles)
        if file is None:
            return Protypon_Stub()
        return f"https://site.example/themes/{self.shown(file)}" if meaning["gives"] == "address" else file

    def _pull(self, meaning: Roles, roles: Roles, rest: list[Any]) -> None:
        file = self._find_path(meaning, roles)
        if file is not None and not (meaning["once"] and self.shown(file) in self.files):
            self.load(file)

    def _part(self, meaning: Roles, roles: Roles, rest: list[Any]) -> Any:
        file = self._find_path(meaning, roles)
        handed = roles.get("variables")
        return markup(self.show(file, handed if isinstance(handed, dict) else {})) if file is not None else ""

    def _sheet(self, meaning: Roles, roles: Roles, rest: list[Any]) -> None:
        file = roles.get("file")
        own = re.sub(r"^https://site\.example/themes/[^/]+/", "", file) if isinstance(file, str) else ""
        handle = roles["handle"] if isinstance(roles.get("handle"), str) else own
        rows = self.sheets.setdefault(meaning["does"], {})
        old = rows.get(handle)
        if file in (None, "", False):
            rows[handle] = {"file": old["file"] if old else "", "loads": True}
        elif old is not None and old["file"] and meaning["again"] == "ignored":
            old["loads"] = old["loads"] or meaning["loads"]
        else:
            address = file.replace("https://site.example/themes/", "@") if isinstance(file, str) else ""
            rows[handle] = {"file": address, "loads": meaning["loads"] or bool(old and old["loads"])}

    _script = _sheet

    def _drop_sheet(self, meaning: Roles, roles: Roles, rest: list[Any]) -> None:
        self.sheets.get(meaning["does"][5:], {}).pop(roles.get("handle", ""), None)

    _drop_script = _drop_sheet

    # Points

    def _attach(self, meaning: Roles, roles: Roles, rest: list[Any]) -> Any:
        self.serial += 1
        row = (roles.get("order", 0), self.serial, roles.get("callback"), roles.get("takes"))
        self.points.setdefault(roles["point"], []).append(row)
        return roles.get("callback")

    def _detach(self, meaning: Roles, roles: Roles, rest: list[Any]) -> bool:
        order = roles.get("order") if meaning["ordered"] else None
        before = self.points.get(roles["point"], [])
        kept = [r for r in before if not ((order is None or r[0] == order) and _same(r[2], roles.get("callback")))]
        self.points[roles["point"]] = kept
        return len(kept) < len(before)

    def _clear(self, meaning: Roles, roles: Roles, rest: list[Any]) -> None:
        self.points[roles["point"]] = []

    def _attached(self, meaning: Roles, roles: Roles, rest: list[Any]) -> bool:
        return any(_same(row[2], roles.get("callback")) for row in self.points.get(roles["point"], []))

    def in_order(self, point: Any) -> list[tuple[Any, int, Any, Any]]:
        """The callbacks of a point in the order in which they run."""
        sign = -1 if self.spec["descending"] else 1
        return sorted(self.points.get(point, []), key=lambda row: (sign * row[0], row[1]))

    def label(self, callback: Any) -> str:
        """What a callback is called in the report."""
        if isinstance(callback, str):
            return callback
        if inspect.ismethod(callback):
            return f"{type(callback.__self__).__name__}::{callback.__name__}"
        code = getattr(callback, "__code__", None)
        if code is not None:
            where = self.shown(code.co_filename)
            return f"{callback.__name__} {where}" + (
                f" {code.co_firstlineno}" if callback.__name__ == "<lambda>" else ""
            )
        return f"{type(callback).__name__}::__invoke"

    def _fire(self, meaning: Roles, roles: Roles, rest: list[Any]) -> Any:
        return self.fire(roles["point"], [roles["value"], *rest] if "value" in roles else rest, meaning["passes"])

    def fire(self, point: Any, given: list[Any], passes: bool) -> Any:
        """Run what is attached at a point; what it prints, or the value that it passes on."""
        rows, texts = self.in_order(point), []
        self.rung.append((point, [self.label(row[2]) for row in rows]))
        for _, _, callback, takes in rows:
            function = callback
            if isinstance(callback, str):
                function = self.functions[callback][0] if callback in self.functions else None
            if function is None:
                continue
            result = function(*_arguments_taken(function, given if takes is None else given[:takes]))
            if passes:
                given = [result, *given[1:]]
            elif result is not None:
                texts.append(str(result))
        if passes:
            return given[0] if given else None
        return markup("".join(texts))

    # Files

    def load(self, file: str) -> None:
        """Run a code file."""
        self.files.append(self.shown(file))
        space = self.shared if self.spec["scope"] == "shared" else {}
        space.update({"__name__": "theme", "__file__": file})
        exec(compile(Path(file).read_bytes(), file, "exec", dont_inherit=True), space)

    def show(self, file: str, handed: Roles) -> str:
        """Render a template."""
        self.templates.append(self.shown(file))
        if len(self.templates) > 2000:
            return ""
        theme = self.theme_of(file)
        assert theme is not None
        own = dict.fromkeys(self.spec["own"]["variables"], Protypon_Stub())
        calls = {name: self.calling(name) for name in self.spec["calls"] if "." not in name}
        name = f"{theme['slug']}\0{file[len(theme['folder']) + 1 :]}"
        values = {**own, **calls, **self.given, **handed}
        self.environment.globals.update({**own, **calls, **self.given})
        return str(self.environment.get_template(name).render(values))

    def resolved(self, name: str, asking: str) -> str:
        """The full name of a template that another one asks for."""
        if "\0" in name:
            return name
        themes, slug = self.themes, asking.partition("\0")[0]
        for way, pattern in (("parent", self.spec["names"]["parent"]), ("exact", self.spec["names"]["exact"])):
            found = pattern and re.fullmatch(
                re.escape(pattern).replace(r"\{path\}", "(?P<path>.+)").replace(r"\{slug\}", "(?P<slug>[^/:]+)"), name
            )
            if found:
                rows = found.groupdict()
                at = next((n for n, t in enumerate(themes) if t["slug"] == (rows.get("slug") or slug)), len(themes))
                themes, name = themes[at + 1 :] if way == "parent" else themes[at : at + 1], rows["path"]
                break
        file = self.find([name], "template", themes)
        theme = self.theme_of(file) if file is not None else None
        return f"{theme['slug']}\0{name}" if theme is not None else f"\0{name}"

    def source(self, name: str) -> tuple[str, str]:
        """The text of a template and its file. Raises LookupError where there is none."""
        slug, _, path = name.partition("\0")
        theme = next((t for t in self.themes if t["slug"] == slug), None)
        if theme is None:
            raise LookupError(path)
        file = f"{theme['folder']}/{path}"
        if self.shown(file) not in self.templates:
            self.templates.append(self.shown(file))
        return Path(file).read_text("utf-8"), file

    def run(self) -> None:
        """Load the lineage, fire its moments, render the page."""
        spec = self.spec
        for theme in reversed(self.themes) if spec["order"] == "parent-first" else self.themes:
            for path in theme["load"]:
                self.load(f"{theme['folder']}/{path}")
        for theme in reversed(self.themes):
            for row in theme["detached"]:
                point, _, name = row.partition("#")
                self._detach({"ordered": False}, {"point": point, "callback": name}, [])
            self.regions += theme["regions"]
        for point, passes in spec["moments"]:
            self.fire(point, [], passes)
        file = self.find(spec["page"]["templates"], spec["nearest"])
        if file is not None:
            self.show(file, {})

    def report(self, fatal: tuple[str, str, int] | None, ended: bool) -> dict[str, Any]:
        """What ran, as plain data."""
        asked = {name: self.shared[name] for name in self.spec["asked"] if name in self.shared}
        return {
            "fatal": fatal, "ended": ended, "functions": {n: self._place(f) for n, (f, _) in self.functions.items()}, "classes": None,
            "points": {str(p): [(self.label(c), o) for o, _, c, _ in self.in_order(p)] for p in self.points}, "rung": self.rung,
            "items": self.items, "values": self.values, "given": self.given, "regions": self.regions, "printed": self.printed,
            "sheets": self.sheets, "templates": self.templates, "files": list(dict.fromkeys(self.files)), "warnings": [], "constants": {}, "globals": asked,
        }  # fmt: skip

    def _place(self, function: Any) -> tuple[str, int]:
        code = getattr(function, "__code__", None)
        return (self.shown(code.co_filename), code.co_firstlineno) if code is not None else ("", 0)


def _entries(entries: Sequence[Roles], inside: Any) -> Roles:
    found: Roles = {}
    for entry in entries:
        here, there = inside, True
        for key in entry["keyword"].split("."):
            there = there and isinstance(here, dict) and key in here
            here = here[key] if there else None
        if there:
            found[entry["role"]] = here
        elif entry["default"] is not None:
            found[entry["role"]] = entry["default"]
    return found


def _same(one: Any, other: Any) -> bool:
    """Functions are the same if they are one; a name stands for whatever is called so."""
    if isinstance(one, str) or isinstance(other, str):
        bare = [c if isinstance(c, str) else getattr(c, "__name__", "") for c in (one, other)]
        return not (inspect.ismethod(one) or inspect.ismethod(other)) and bare[0] == bare[1]
    return bool(one == other)


def _arguments_taken(function: Any, given: Sequence[Any]) -> Sequence[Any]:
    """A callback may take fewer arguments than its point gives; one that needs more fails."""
    kinds = [p.kind for p in inspect.signature(function).parameters.values()]
    if inspect.Parameter.VAR_POSITIONAL in kinds:
        return given
    return given[
        : sum(k in (inspect.Parameter.POSITIONAL_ONLY, inspect.Parameter.POSITIONAL_OR_KEYWORD) for k in kinds)
    ]


def markup(text: str) -> str:
    """Markup that is not escaped again, where there are templates."""
    from markupsafe import Markup

    return Markup(text)


def environment_of(host: Host) -> Any:
    """Jinja, asking the host for every template."""
    from jinja2 import BaseLoader, TemplateNotFound, Undefined
    from jinja2.sandbox import SandboxedEnvironment

    class Loader(BaseLoader):
        def get_source(self, environment: Any, template: str) -> tuple[str, str, Callable[[], bool]]:
            try:
                text, file = host.source(template)
            except LookupError as error:
                raise TemplateNotFound(str(error)) from error
            return text, file, lambda: True

    class Strange(Undefined):
        @property
        def _undefined_message(self) -> str:
            return f"Protypon_Stub: {super()._undefined_message}"

    class Environment(SandboxedEnvironment):
        def join_path(self, template: str, parent: str) -> str:
            return host.resolved(template, parent)

    return Environment(loader=Loader(), autoescape=True, undefined=Strange)


def modules(host: Host) -> None:
    """What code can import: a module for each name before a dot in the platform file."""
    for name in dict.fromkeys([*host.spec["calls"], *host.spec["marks"]]):
        inside, _, bare = name.rpartition(".")
        parts = inside.split(".") if inside else []
        for depth in range(1, len(parts) + 1):
            full = ".".join(parts[:depth])
            if full not in sys.modules:
                sys.modules[full] = ModuleType(full)
                if depth > 1:
                    setattr(sys.modules[".".join(parts[: depth - 1])], parts[depth - 1], sys.modules[full])
        setattr(sys.modules[inside or "builtins"], bare, host.calling(name))
    for name in host.spec["functions"]:
        inside, _, bare = name.rpartition(".")
        where = sys.modules.get(inside or "builtins")
        if where is not None and not hasattr(where, bare):
            setattr(where, bare, Protypon_Stub())


def fatal_of(host: Host, error: BaseException) -> tuple[str, str, int]:
    """What stopped a run, and the last place of a theme on the way there."""
    file, line = "", 0
    if isinstance(error, SyntaxError) and error.filename:
        file, line = error.filename, error.lineno or 0
    for frame, number in traceback.walk_tb(error.__traceback__):
        if host.theme_of(frame.f_code.co_filename) is not None:
            file, line = frame.f_code.co_filename, number
    return f"{type(error).__name__}: {error}", host.shown(file), line


class Discarded:
    """Where what code prints goes."""

    encoding = "utf-8"

    def write(self, text: str) -> int:
        """Take what code prints, and forget it."""
        return len(text)

    def flush(self) -> None:
        """There is nothing to flush."""
        pass

    def isatty(self) -> bool:
        """It is no terminal."""
        return False


def plain(value: Any) -> str:
    """What a value is called that JSON can't hold."""
    return type(value).__name__


def main(arguments: Sequence[str]) -> int:
    """Run what a specification says, and write the report."""
    spec = json.loads(Path(arguments[0]).read_text("utf-8"))
    sys.path[:0] = arguments[1:]
    host = Host(spec)
    modules(host)
    sys.meta_path.append(StrangeModules(tuple(theme["folder"] + "/" for theme in spec["themes"])))
    host.environment = environment_of(host)
    out, sys.stdout = sys.stdout, Discarded()
    fatal, ended = None, True
    try:
        host.run()
        ended = False
    except SystemExit:
        pass
    except BaseException as error:  # whatever a theme's code ends with is told
        fatal = fatal_of(host, error)
    out.write("\n" + json.dumps(host.report(fatal, ended), default=plain, skipkeys=True) + "\n")
    out.flush()
    return 0


if __name__ == "__main__":
    main(sys.argv[1:])
