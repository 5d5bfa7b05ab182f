"""Is the store of a bench whole? Everything that can be wrong with it, each with what still works and what to type."""

from __future__ import annotations

import json
from collections.abc import Iterator
from typing import NamedTuple

from protypon.core.files.folder import Folder
from protypon.core.model.actions import Action, Check, Keep, RepairStore, Undo, Words, pack_words
from protypon.core.model.errors import BadInput, ProtyponError
from protypon.core.model.paths import quote_path
from protypon.core.store import apply, moving, proposals
from protypon.core.store.store import HIDDEN, LINES, Store
from protypon.core.themes.bench import Bench

STORE = f"{HIDDEN}/store"
REPAIR = RepairStore()


class Trouble(NamedTuple):
    """One thing that is wrong."""

    code: str
    where: str
    because: Words
    next: Action | None = REPAIR
    what: str = ""
    """The trouble alone, where the reason says more."""


def troubles(bench: Bench) -> list[Trouble]:
    """Everything that is wrong with the store; nothing is changed. Never raises for what it finds."""
    store = bench.store
    if store.bench.stat(HIDDEN) is None:
        return []
    found = [*_unfinished_command(store), *_lists(store), *_repository(store)]
    if not found:
        found += [*_releases(store), *_journal(store), *_refs(store)]
        found += _ledgers(bench)
    return found


def _unfinished_command(store: Store) -> Iterator[Trouble]:
    if not apply.is_unfinished(store):
        return
    try:
        entry = apply.pending_entry(store)
        what = f"{entry.command} was cut off"
        yield Trouble("unfinished", moving.PENDING, f"{what}; the next command finishes it", what=what)
    except BadInput as error:
        yield Trouble("damaged-note", moving.PENDING, error.message)


def _lists(store: Store) -> Iterator[Trouble]:
    for code, where, read in (
        ("damaged-releases", f"{HIDDEN}/releases.json", lambda: store.releases()),
        ("damaged-proposals", proposals.INDEX, lambda: proposals.read(store.bench)),
    ):
        try:
            read()
        except BadInput as error:
            yield Trouble(code, where, error.message)
    for number in store.journal_numbers():
        try:
            store.journal_entry(number)
        except BadInput as error:
            yield Trouble("damaged-journal", store.journal_path(number), error.message)


def _repository(store: Store) -> Iterator[Trouble]:
    """Whether the Git side is there and can be opened."""
    if not store.begun:
        if store.bench.is_file(f"{HIDDEN}/releases.json") or store.journal_numbers():
            because = "the texts of kept releases and former contents are gone; themes and ledgers are as they were"
            yield Trouble("store-gone", STORE, because)
        return
    try:
        store.repository.refs("refs/")
    except (BadInput, OSError) as error:
        yield Trouble("damaged-store", STORE, str(error))
    yield from (Trouble("stale-lock", path, "was left by a program that was cut off") for path in locks(store.bench))


def locks(bench: Folder) -> list[str]:
    """Lock files that Git or libgit2 left behind."""
    found, waiting = [], [STORE]
    while waiting:
        here = waiting.pop()
        if not bench.is_folder(here):
            continue
        for name in bench.names(here):
            path = f"{here}/{name}"
            if name.endswith(".lock"):
                found.append(path)
            elif not (here == f"{STORE}/objects" and len(name) == 2) and bench.is_folder(path):
                waiting.append(path)
    return found


def _releases(store: Store) -> Iterator[Trouble]:
    for line in LINES:
        for release in store.releases(line):
            gone = missing(store, release.tree)
            if gone:
                what = f"{release.theme} {release.name}"
                yield Trouble("release-incomplete", STORE, f"{what}: {gone} is not in the store any more")


def missing(store: Store, tree: str) -> str:
    """What of a tree is not there; empty where all is."""
    if not store.begun or not store.repository.has(tree):
        return "all of it"
    try:
        files = store.repository.files(tree)
    except BadInput:
        return "a part of it"
    gone = [path for path, (_, digest) in files.items() if store.repository.read(digest) is None]
    return f"{quote_path(gone[0])}{f' and {len(gone) - 1} more' if len(gone) > 1 else ''}" if gone else ""


def _journal(store: Store) -> Iterator[Trouble]:
    """Steps that can't be taken back, because a former content is gone."""
    entries = store.journal()
    undone = {number for entry in entries for number in entry.undoes}
    lost = [
        entry
        for entry in entries
        if not entry.undoes
        and entry.number not in undone
        and any(m.before is not None and not store.has(m.before.digest) for m in entry.changes)
    ]
    if lost:
        last = lost[-1]
        which = f"{len(lost)} steps, the last of them {last.command}," if len(lost) > 1 else last.command
        because = f"{which} can't be taken back: former contents are not in the store; later steps can"
        yield Trouble("step-incomplete", store.journal_path(last.number), because, None)


def _refs(store: Store) -> Iterator[Trouble]:
    wanted = store.wanted_refs()
    standing = store.repository.refs("refs/") if wanted else {}
    wrong = sorted(name for name, target in wanted.items() if standing.get(name) != target)
    if wrong:
        more = f" and {len(wrong) - 1} more" if len(wrong) > 1 else ""
        yield Trouble(
            "stale-ref", f"{STORE}/{wrong[0]}", f"does not say what releases.json says{more}; only Git would miss it"
        )


def _ledgers(bench: Bench) -> Iterator[Trouble]:
    """Texts that ledgers name and the store has not: those overrides can't be merged."""
    try:
        children = bench.children
    except ProtyponError:
        return
    for child in children:
        try:
            records = bench.records(child)
        except ProtyponError as error:
            yield Trouble("damaged-ledger", f"{child.slug}/overrides.toml", error.message, Undo())
            continue
        gone = [unit for unit, record in records.items() if not bench.store.has(record.digest)]
        if gone:
            record = records[gone[0]]
            more = f" and {len(gone) - 1} more" if len(gone) > 1 else ""
            lost = (
                f"the text that {gone[0].address}{more} of {child.slug} was taken from is not here; keep it again with "
            )
            because = (lost, Keep("PATH", record.release or ""))
            yield Trouble("base-missing", STORE, because, Check(child.slug))


def table(found: list[Trouble]) -> bytes:
    """The troubles as plain data, for the folder of what was set aside."""
    rows = [
        {"code": t.code, "where": t.where, "because": pack_words(t.because), "next": pack_words(t.next)} for t in found
    ]
    return (json.dumps(rows, indent=1) + "\n").encode("utf-8", "backslashreplace")
