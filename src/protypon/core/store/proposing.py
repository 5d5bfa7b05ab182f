"""Proposals while a command plans: written, taken up, discarded; and never where a person has touched one."""

from __future__ import annotations

import json
from collections.abc import Mapping

from protypon.core.model.errors import BadInput
from protypon.core.model.paths import FILE, RUNNABLE, RelPath, quote_path, rel_path
from protypon.core.store.plan_builder import PlanBuilder, content
from protypon.core.store.proposals import FORMAT, INDEX, Proposal, place, read, state


class Proposals:
    """The proposals of a bench while a command plans: one for all children, so that none forgets another's."""

    def __init__(self, builder: PlanBuilder) -> None:
        self._builder = builder
        self._index = read(builder.folder)
        self.answers: dict[tuple[bytes, bytes, bytes], tuple[bytes, str]] = {}
        """Places where two sides met: what a person made of each, and in which proposal."""
        self.asked: dict[tuple[bytes, bytes, bytes], str] = {}
        """Such places that a proposal of this plan asks about, and which one."""

    def find(self, child: str, file: str) -> Proposal | None:
        """The proposal for a file of a child, or None."""
        return self._index.get(child, {}).get(file)

    def waiting(self, child: str) -> frozenset[str]:
        """The files of a child for which a proposal waits."""
        return frozenset(self._index.get(child, {}))

    def state(self, child: str, file: str) -> str:
        """How far a proposal is; empty where there is none."""
        found = self.find(child, file)
        return "" if found is None else state(self._builder.folder, place(child, file), found)

    def text(self, child: str, file: str) -> bytes:
        """What a person has made of a proposal."""
        return self._builder.folder.read(place(child, file))

    def put(self, child: str, file: str, proposal: Proposal, texts: Mapping[str, bytes]) -> str:
        """Plan a proposal. Returns the path that is in its way, because a person has touched it; nothing is planned then."""
        old = self.find(child, file)
        where = place(child, file)
        known = old.digests_by_path(where) if old is not None else {}
        for path, data in texts.items():
            if self._is_touched(rel_path(path), {known.get(rel_path(path)), content(data).digest}):
                return path
        for path in known.keys() - texts.keys():
            if not self._is_touched(path, {known[path]}):
                self._builder.remove(path)
        for path, data in texts.items():
            self._builder.write(path, content(data))
        self._index.setdefault(child, {})[file] = proposal
        self._note()
        return ""

    def discard(self, child: str, file: str, taken_up: bool = False) -> str:
        """Plan that a proposal is of no more use. What a person has touched stays, unless it was taken up; returns its path."""
        old = self._index.get(child, {}).pop(file, None)
        if old is None:
            return ""
        left = ""
        for path, digest in old.digests_by_path(place(child, file)).items():
            if self._builder.entry(path) is None:
                continue
            if not taken_up and self._is_touched(path, {digest}):
                left = path
            else:
                self._builder.remove(path)
        self._note()
        return left

    def _is_touched(self, path: RelPath, ours: set[str | None]) -> bool:
        """Whether something stands at a path that no command has written there."""
        try:
            found = self._builder.entry(path)
        except BadInput:
            return True
        return found is not None and (found.mode not in (FILE, RUNNABLE) or found.digest not in ours)

    def _note(self) -> None:
        children = {child: {f: p._asdict() for f, p in files.items()} for child, files in self._index.items() if files}
        data = json.dumps({"format": FORMAT, "children": children}, indent=1) + "\n"
        self._builder.write(INDEX, content(data.encode("utf-8", "backslashreplace")))


def touched_note(path: str) -> str:
    """What is said of a text that stays because a person has touched it."""
    return f"{quote_path(path)} has your edits in it, so it stays where it is"
