"""What became of overrides that were adopted, for people."""

from __future__ import annotations

from collections.abc import Sequence

from protypon.core.actions.adopt import Adopted
from protypon.core.model.evidence import Unreached
from protypon.core.model.nouns import Record
from protypon.render.commands import command_line
from protypon.render.text import Page, count

INDENT = 10


def render(page: Page, child: str, adopted: Sequence[Adopted], strays: Sequence[Unreached], for_real: str) -> None:
    """Print one paragraph an override, as they were found; ``for_real``: the command to type, where this is a dry run."""
    made = [item for item in adopted if item.record is not None]
    page.line((child, "bold"), f": {count(len(made), 'override')} {'would be adopted' if for_real else 'adopted'}")
    for item in adopted:
        page.line(
            "  ",
            (item.record.sure or "said" if item.record else "unknown").ljust(INDENT - 2),
            (item.unit.address, "bold"),
        )
        page.paragraph(_from(item, item.record) if item.record is not None else _unknown(item), INDENT)
    for stray in strays:
        page.line("  ", "stray   ", (stray.subject.file, "bold"))
        page.paragraph(f"never used: {stray.own.why}; not adopted", INDENT)
    left = [item for item in adopted if item.record is None]
    for release in sorted({item.here for item in left}):
        units = [item.unit.address for item in left if item.here == release]
        page.next(command_line("adopt", child, *units, "--release", release), 2, "if so: ")
    page.next(for_real or command_line("check", child), 2)


def _from(item: Adopted, record: Record) -> str:
    origin = f"{record.source} {record.release}" if record.release else record.source
    later = ", which is later than the release in this bench" if item.later else ""
    near = f"; next best {item.runner_up}" if item.runner_up and record.sure != "exact" else ""
    return f"from {origin}{later}, {item.alike:.0%} alike{near}"


def _unknown(item: Adopted) -> str:
    return f"it is like none of the kept releases: at best {item.runner_up}; say which one it was made from"
