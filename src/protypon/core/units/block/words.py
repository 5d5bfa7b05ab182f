"""Verdicts on blocks in sentences."""

from __future__ import annotations

from protypon.core.languages.jinja.blocks import BlockText
from protypon.core.model.actions import Adopt, Drop, Settle, Update
from protypon.core.model.evidence import LinesOf, Own, Subject, Told
from protypon.core.units.block_files import BlockFile, Further
from protypon.core.units.world import World


def verdict_sentences(
    world: World, file: BlockFile, block: BlockText, subject: Subject, further: Further, changed: bool, own: Own
) -> dict[str, Told]:
    """What is said of a block that is printed, and that the lineage has too."""
    theme = world.ancestor(further.theme)
    label = theme.label if theme is not None else f"the platform's {further.theme}"
    place = f"{further.theme}/{further.path}" + (f" line {further.line}" if further.line else "")
    name, adopt = block.name, Adopt(world.child.slug)
    adds = own.adds == () and own.part is None
    moved = _move_words(subject, further) if subject.listed else ""
    if adds:
        holds = (
            f"{label} changed it ({place}), and yours only adds to it"
            if changed
            else f"yours adds to the one of {label} ({place})"
        )
    elif changed and not further.line:
        holds = f"no theme sets it any more, and {label} has one of its own"
    else:
        holds = f"{label} has what yours stands in the place of ({place})" + (
            ", but for layout and comments" if changed else ""
        )
    same = f"yours says just what {label} says ({place})"
    unlisted = f"{file.path} line {block.line} sets the block {name} over the one of {place}, and no record says which release it was made for"
    both = (
        f"the block {name}: ",
        LinesOf.THEIRS,
        f" of {further.theme}/{further.path} and ",
        LinesOf.OURS,
        f" of {file.path} change the same place",
    )
    found = {
        "holds": Told(holds + moved),
        "needless": Told(same, Drop if subject.listed else adopt),
        "unlisted": Told(unlisted, adopt),
        "conflicted": Told(both, Update),
    }
    if own.adds:
        hidden = "which yours asks for and changes" if block.asks else "which yours hides"
        lines: tuple[str | LinesOf, ...] = (
            (LinesOf.PARENT, " of ", f"{further.theme}/{further.path}")
            if further.line
            else (f"{label} supplies it now",)
        )
        found["drifted"] = Told((f"{label} changed the block {name}, {hidden}: ", *lines), Settle)
    else:
        found["drifted"] = Told(
            (
                f"{label} changed the block {name}: ",
                LinesOf.PARENT,
                f" of {further.theme}/{further.path}; ",
                LinesOf.OWN,
            ),
            Update,
        )
    return found


def why_unprinted(file: BlockFile, block: BlockText, further: Further | str | None, before: bool) -> str:
    """Why nothing prints a block: the one around it that the child's file has without it, or there is none above."""
    around = reversed(further.at) if isinstance(further, Further) else ()
    hidden = next((name for name in around if file.block(name) is not None), "")
    if isinstance(further, Further) and hidden:
        place = f"{further.theme}/{further.path}"
        return f"the block {block.name} of {place} stands inside {hidden}, and {file.path} sets {hidden} without it"
    return f"no template that {file.path} extends prints a block {block.name}{' any more' if before else ''}"


def of_platform(further: Further) -> str:
    """Why a block that hides one of the platform's own can't be held against anything."""
    return f"{further.theme} comes with the platform and its text is not in this bench, so nothing can be compared"


def _move_words(subject: Subject, further: Further) -> str:
    """Where the block has moved in the page since it was taken."""
    before = subject.written.at
    if not before or before == (further.at or ("",)):
        return ""
    was, now = (" > ".join(part for part in parts if part) or "no other block" for parts in (before, further.at))
    return f"; it stood inside {was}, and stands inside {now} now"
