"""What a host that is made from a platform file has to know: the calls of the platform, the themes, the page, and what nobody has."""

from __future__ import annotations

from typing import Any

from protypon.core.analysis.behaviour import Behaviour
from protypon.core.platform.arguments import Argument
from protypon.core.platform.meanings import Meaning
from protypon.core.platform.platform import Platform
from protypon.core.themes.page_kinds import OTHER, PageKind

Table = dict[str, Any]
HOSTS = {"php": "host.php", "python": "host.py"}
"""For a language of code the program that stands in for any platform of it."""
OFF = [
    "exec", "passthru", "shell_exec", "system", "proc_open", "popen", "pcntl_exec", "pcntl_fork", "pcntl_rfork", "mail", "fsockopen", "pfsockopen",
    "stream_socket_client", "stream_socket_server", "socket_create", "putenv", "dl", "link", "symlink",
]  # fmt: skip
"""Functions of PHP that no theme needs to declare what it does, and that reach out of the process: for code that is tried they fail."""


def language_of(platform: Platform) -> str:
    """The language of a platform's code, as far as a host can be made for it; empty where there is none."""
    found = {rule.language for rule in platform.rules if rule.kind == "code"} | {
        rule.language for rule in platform.rules
    }
    return next((language for language in HOSTS if language in found), "")


def spec_of(behaviour: Behaviour, page: PageKind | None, root: str, supplied: frozenset[tuple[str, str]]) -> Table:
    """The host's orders for one page, or none; ``root`` is where the themes will lie, ``supplied`` what any kept release declared."""
    platform, rules = behaviour.platform, behaviour.platform.code
    strange = _strange(behaviour, supplied)
    calls = {
        name: [_meaning(m) for m in meanings]
        for name, meanings in rules.calls.items()
        if "." not in name or language_of(platform) == "python"
    }
    functions = [*calls, *rules.functions, *strange["function"]]
    return {
        "themes": [
            {
                "slug": theme.slug,
                "folder": f"{root}/{theme.slug}",
                "load": [p for p in sorted(theme.files) if (r := platform.rule_of(p)) and r.kind == "code" and r.combine == "load"],
                "detached": list(theme.values.get("detached", ())),
                "regions": list(theme.values.get("regions", ())),
            }
            for theme in behaviour.lineage.themes
        ],
        "order": rules.order,
        "descending": rules.numbers == "descending",
        "moments": [[name, bool((point := rules.point(name)) and point.passes)] for name in rules.moments],
        "pattern": rules.pattern,
        "nearest": rules.nearest,
        "scope": rules.scope,
        "calls": calls,
        "marks": {name: [_meaning(m, "callback") for m in meanings] for name, meanings in rules.marked.items()},
        "own": {"variables": list(rules.variables), "values": dict(rules.values), "items": {k: list(v) for k, v in rules.items.items()}},
        "names": {"parent": platform.templates.parent, "exact": platform.templates.exact},
        "functions": functions,
        "declares": list(dict.fromkeys(name for name in functions if "::" not in name)),
        "classes": [*rules.classes, *strange["class"]],
        "constants": [*rules.constants, *strange["constant"]],
        "off": OFF,
        "asked": sorted({row.name.removeprefix("$") for _, _, row in behaviour.site.defaults()}),
        "page": {"kind": _page_name(page), "templates": list(page.templates) if page is not None else []},
    }  # fmt: skip


def _page_name(page: PageKind | None) -> str:
    return page.kind.replace(OTHER, "something-else") if page is not None else ""


def _meaning(meaning: Meaning, without: str = "") -> Table:
    return {
        "does": meaning.does,
        "arguments": [_argument(a) for a in meaning.arguments if not without or a.role != without],
        "ordered": meaning.takes("order"),
        "passes": meaning.passes,
        "of": meaning.of,
        "tries": list(meaning.tries),
        "nearest": meaning.nearest,
        "gives": meaning.gives,
        "once": meaning.once,
        "replaceable": meaning.replaceable,
        "loads": meaning.loads,
        "again": meaning.again,
    }


def _argument(argument: Argument) -> Table:
    return {
        "role": argument.role,
        "keyword": argument.keyword,
        "default": argument.default,
        "entries": [_argument(entry) for entry in argument.entries],
        "each": argument.each,
    }


def _strange(behaviour: Behaviour, supplied: frozenset[tuple[str, str]]) -> dict[str, list[str]]:
    """What code asks for, no theme or kept release has, the language has not, and nobody asks about first."""
    found: dict[str, dict[str, None]] = {"function": {}, "class": {}, "constant": {}}
    asked = {name for state in behaviour.states for name in state.checked}
    for state in behaviour.states:
        for row in state.unsupplied:
            known = (row.kind, row.name.lstrip("\\").lower())
            if row.kind in found and known not in supplied and known[1] not in asked:
                found[row.kind][row.name.lstrip("\\")] = None
    return {kind: list(names) for kind, names in found.items()}
