"""Mend: carry out the mechanical next steps that a check names."""

from __future__ import annotations

import os
import re
import shlex
from collections.abc import Callable, Iterable
from contextlib import suppress
from typing import Any

from protypon.core.actions.mend_code import Mended, mend_code
from protypon.core.actions.records import choose
from protypon.core.check.bench_findings import wrong_parent_name
from protypon.core.check.check import check
from protypon.core.check.examine import present_world
from protypon.core.check.file_findings import not_brought
from protypon.core.check.name_findings import renamings
from protypon.core.files.folder import Folder
from protypon.core.model.actions import Check, Mend, Words, unpack_words
from protypon.core.model.errors import BadInput, ProtyponError, UnknownName
from protypon.core.model.nouns import Plan, Theme, Unit
from protypon.core.model.paths import quote_path, unquote_path
from protypon.core.platform import manifest
from protypon.core.platform.platform import Platform
from protypon.core.platform.schema import nearest
from protypon.core.store.plan_builder import PlanBuilder, content, from_disk
from protypon.core.themes.bench import Bench
from protypon.core.themes.snapshot import Snapshot
from protypon.core.units.draft import Draft
from protypon.core.units.file.addresses import mend_addresses
from protypon.core.units.file.registering import by_call
from protypon.core.units.file.use import registers_of
from protypon.core.units.registry import is_in_code

Row = dict[str, Any]
ASKED_FOR = ("outranked", "sheet-instead")
"""Findings of what may well be meant as it is: mended where they are named, and not with all others, for the page then looks otherwise."""
MOVING = ("rename", "sheet-instead")
"""What gives a file another name."""
PARENT_NAMES = ("parent-wrong-case", "parent-by-title")
BY_CODE = (*PARENT_NAMES, "release-stands-still")
"""Findings of which there is one a theme: they are mended by their code."""


def plan_mend(bench: Bench, child: Theme, wanted: Iterable[str]) -> tuple[Plan, list[Mended]]:
    """Plan the steps for the named units and codes, or for all. Raises UnknownName for a name that no step belongs to."""
    if child.problems:
        raise BadInput(f"{child.slug}/{child.problems[0]}", ("mend that by hand first; then: ", Check()))
    report = check(bench, [child.slug]).reports[0]
    steps = _steps(report, bench.platform)
    names = [_step_named(name, steps, child) for name in wanted]
    builder = PlanBuilder(bench.folder)
    chosen = [(name, by, row) for name in names or steps for by, row in _to_do(steps[name], bool(names)).items()]
    told = [Mended(name, _MENDERS[by](bench, builder, child, row)) for name, by, row in chosen if by in _MENDERS]
    told += mend_code(bench, builder, child, [(name, row) for name, by, row in chosen if by not in _MENDERS])
    return builder.plan(f"mend {' '.join(map(shlex.quote, names or steps))} --child {child.slug}"), told


def _to_do(menders: dict[str, Row], is_named: bool) -> dict[str, Row]:
    """What is done about one name at once: all that is asked for; what moves the file alone, for then it is looked at again."""
    wanted = {mender: row for mender, row in menders.items() if is_named or mender not in ASKED_FOR}
    moving = next((mender for mender in MOVING if mender in wanted), None)
    return wanted if moving is None else {moving: wanted[moving]}


def _step_named(typed: str, steps: Iterable[str], child: Theme) -> str:
    """The step that was meant: a code, an address, or the bare name of a unit that has a step."""
    if typed in steps:
        return typed
    units = [Unit.parse(name) for name in steps if ":" in name]
    with suppress(UnknownName):
        if units:
            return choose(typed, units).address
    near = nearest(typed, tuple(steps))
    there = (
        ("there is: " + ", ".join(map(shlex.quote, steps)),)
        if steps
        else ("see what is wrong with: ", Check(child.slug))
    )
    hint: Words = f"did you mean {shlex.quote(near)}?" if near else there
    raise UnknownName(f"no mechanical step for {typed!r} in {child.slug}", hint)


def plan_parent_name(bench: Bench, theme: Theme) -> tuple[Plan, list[Mended]]:
    """Plan the one step that a theme without a ledger can be mended by: its parent, named by its slug."""
    builder = PlanBuilder(bench.folder)
    wrong = bench.misnamed_parent(theme)
    done = _parent_name(bench, builder, theme, {})
    code = wrong_parent_name(bench, theme, wrong)[0]
    return builder.plan(f"mend {code} --child {theme.slug}"), [Mended(code, done)]


def _steps(report: Row, platform: Platform) -> dict[str, dict[str, Row]]:
    """What can be mended: the name that is typed -> its menders, each with the row of the report that it is for."""
    steps: dict[str, dict[str, Row]] = {}
    for row in report["overrides"]:
        if is_in_code(Unit.parse(row["unit"])):
            if isinstance(unpack_words(row["next"]), Mend):
                steps[row["unit"]] = {"in code": row}
            continue
        if row["verdict"] == "idle" and isinstance(unpack_words(row["next"]), Mend):
            stray = unquote_path(row["file"]) != Unit.parse(row["unit"]).path
            steps[row["unit"]] = {"rename" if stray else _registering(platform, row["unit"]): row}
    for row in report["findings"]:
        step = unpack_words(row["next"])
        if isinstance(step, Mend):
            mender = _registering(platform, step.what) if row["code"] == "never-loaded" else row["code"]
            steps.setdefault(step.what, {}).setdefault(mender, row)
        elif row["code"] in BY_CODE:
            steps[row["code"]] = {row["code"]: row}
    return steps


def _registering(platform: Platform, address: str) -> str:
    """Who registers a sheet or script: a field of the manifest, or a call."""
    kind = address.partition(":")[0]
    calls = any(register.kind == kind and register.lists == "call" for register in platform.registers)
    return "in code" if calls else "register"


def _rename(bench: Bench, builder: PlanBuilder, child: Theme, row: Row) -> str:
    """Put a copy under the name where the platform looks."""
    old, new = unquote_path(row["file"]), Unit.parse(row["unit"]).path
    entry = child.files[old]
    if new in child.files:
        raise ProtyponError(
            f"{child.slug} has {quote_path(new)} already; nothing was overwritten",
            f"look at both, and take one out: {quote_path(old)}",
        )
    source = os.path.join(child.folder, old)
    data = builder.read(source)
    builder.remove(source)
    builder.write(os.path.join(child.folder, new), content(data, entry.mode))
    return f"{quote_path(old)} is now {quote_path(new)}"


def _register(bench: Bench, builder: PlanBuilder, child: Theme, row: Row) -> str:
    """Name a sheet or script in the child's manifest."""
    return _register_sheet(bench, builder, child, row, "site")


def _register_in_editor(bench: Bench, builder: PlanBuilder, child: Theme, row: Row) -> str:
    return _register_sheet(bench, builder, child, row, "editor")


def _register_sheet(bench: Bench, builder: PlanBuilder, child: Theme, row: Row, surface: str) -> str:
    path = unquote_path(row["file"])
    rule = bench.platform.rule_of(path)
    registers = registers_of(bench.platform, rule.kind) if rule is not None else []
    register = next(r for r in registers if r.surface == surface)
    prefix = register.folder + "/" if register.folder else ""
    names = list(child.values.get(register.field, ()))
    if register.lists == "replace" and not names:
        world = present_world(bench, child, Snapshot.of_bench(bench), {})
        names = [name.removeprefix(prefix) for name, _ in world.resolver.files_registered(register)]
    _set_fields(bench, builder, child, {register.field: [*names, path.removeprefix(prefix)]})
    if surface != "site":
        return f"the {surface} loads it too, by {child.manifest}"
    return f"{quote_path(path)} is registered in {child.manifest}"


def _readdress(bench: Bench, builder: PlanBuilder, child: Theme, row: Row) -> str:
    """Make relative addresses in a sheet or script find what they were plainly meant for."""
    path = unquote_path(row["file"])
    world, rule = present_world(bench, child, Snapshot.of_bench(bench), {}), bench.platform.rule_of(path)
    text, changes = mend_addresses(world, path, rule) if rule is not None else ("", [])
    if not changes:
        raise ProtyponError(
            f"{quote_path(path)}: its addresses are written in a way that can't be changed alone", "edit it by hand"
        )
    builder.write(
        os.path.join(child.folder, path), content(text.encode("utf-8", "surrogateescape"), child.files[path].mode)
    )
    return f"{quote_path(path)} asks for {', '.join(f'{new} in the place of {old}' for old, new in changes)}"


def _beside(bench: Bench, builder: PlanBuilder, child: Theme, row: Row) -> str:
    """Give a sheet a name of its own, and register it, so that the parent's loads again."""
    old = unquote_path(row["file"])
    folder, name = os.path.split(old)
    new = os.path.join(folder, f"{child.slug}-{name}")
    if new in child.files:
        raise ProtyponError(f"{child.slug} has {quote_path(new)} already; nothing was changed", "rename yours by hand")
    draft = Draft(present_world(bench, child, Snapshot.of_bench(bench), {}))
    draft = draft.with_file(new, draft.read(old)).with_file(old, None)
    rule = bench.platform.rule_of(new)
    register = next(iter(registers_of(bench.platform, rule.kind)), None) if rule is not None else None
    if register is None:
        raise ProtyponError(f"{quote_path(new)} would not load: the platform does not look for it", "rename it by hand")
    if register.lists == "call":
        draft, done = by_call(draft, register.kind, new)
    else:
        prefix = register.folder + "/" if register.folder else ""
        draft = draft.with_manifest({register.field: [*child.values.get(register.field, ()), new.removeprefix(prefix)]})
        done = f"it is registered in {child.manifest}"
    draft.put_into(builder)
    return f"{quote_path(old)} is now {quote_path(new)}, and {done}"


def _parent_name(bench: Bench, builder: PlanBuilder, child: Theme, row: Row) -> str:
    wrong = bench.misnamed_parent(child)
    right = bench.meant_by(wrong)
    parents = [right if name == wrong else name for name in child.parents]
    _set_fields(bench, builder, child, {"parent": parents if len(parents) > 1 else right})
    return f"the parent is now {right}, was {wrong}"


def _bring(bench: Bench, builder: PlanBuilder, child: Theme, row: Row) -> str:
    """Copy what is not inherited from the nearest parent that has it."""
    found = list(not_brought(bench.platform, bench.lineage(child)))
    for theme, path in found:
        builder.write(os.path.join(child.folder, path), from_disk(Folder(theme.folder), theme.files[path]))
    return ", ".join(f"{quote_path(path)} is copied from {theme.slug}" for theme, path in found)


def _old_name(bench: Bench, builder: PlanBuilder, child: Theme, row: Row) -> str:
    """Take the name of the theme that the child was made of out of what still has it."""
    world = present_world(bench, child, Snapshot.of_bench(bench), {})
    told: list[str] = []
    for old, renamed in renamings(world, bench.all_themes):
        for path in dict.fromkeys([*renamed.texts, *renamed.moved]):
            data = renamed.texts.get(path)
            data = world.snapshot.read(child, path) if data is None else data
            to = renamed.moved.get(path, path)
            if to != path and to in child.files:
                raise ProtyponError(
                    f"{child.slug} has {quote_path(to)} already; nothing was changed", "rename one by hand"
                )
            if to != path:
                builder.remove(os.path.join(child.folder, path))
            builder.write(os.path.join(child.folder, to), content(data, child.files[path].mode))
        told.append(f"{old} is {child.slug} in {', '.join(map(quote_path, {**renamed.texts, **renamed.moved}))}")
    return "; ".join(told)


def _next_release(bench: Bench, builder: PlanBuilder, child: Theme, row: Row) -> str:
    found = re.search(r"(\d+)(?!.*\d)", child.release or "")
    if found is None or child.release is None:
        raise ProtyponError(
            f"{child.release!r} has no number to raise", f"write a new release number into {child.manifest}"
        )
    new = child.release[: found.start()] + str(int(found[1]) + 1) + child.release[found.end() :]
    _set_fields(bench, builder, child, {"release": new})
    return f"the release is now {new}, was {child.release}"


def _set_fields(bench: Bench, builder: PlanBuilder, child: Theme, values: dict[str, Any]) -> None:
    form = manifest.form_of(bench.platform, os.path.basename(child.folder), child.manifest)
    path = os.path.join(child.folder, child.manifest)
    text = builder.read(path).decode("utf-8")
    builder.write(
        path,
        content(manifest.write(bench.platform, form, text, values).encode("utf-8"), child.files[child.manifest].mode),
    )


_MENDERS: dict[str, Callable[[Bench, PlanBuilder, Theme, Row], str]] = {
    "rename": _rename,
    "register": _register,
    "not-in-editor": _register_in_editor,
    "broken-reference": _readdress,
    "sheet-instead": _beside,
    "parent-wrong-case": _parent_name,
    "parent-by-title": _parent_name,
    "release-stands-still": _next_release,
    "old-name": _old_name,
    "not-inherited": _bring,
}
