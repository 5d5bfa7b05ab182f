"""Blocks explained: whose is printed, which it hides, and what would stand there without the child."""

from __future__ import annotations

from collections.abc import Iterator

from protypon.core.languages.comments import head
from protypon.core.model.nouns import Unit
from protypon.core.units.block.find import records_of, supplied_units
from protypon.core.units.block_files import Chain, Further, above_of, block_file
from protypon.core.units.explaining import Table
from protypon.core.units.world import World


def units(world: World) -> Iterator[Unit]:
    """Every block that a template of the lineage comes to, its own or one of those that it extends."""
    root = world.platform.root_templates if world.lineage.root else {}
    paths = dict.fromkeys([*(path for theme in world.ancestors for path in theme.files), *root])
    for path in paths:
        for chain in above_of(world, path)[0]:
            yield from (Unit("block", path, name) for name in chain.names())
    yield from supplied_units(world, world.child)
    yield from records_of(world)


def taking(world: World, unit: Unit) -> tuple[str, ...] | None:
    """The options with which a child takes a unit over; None where it can't."""
    file = block_file(world, unit.path)
    if file is None and unit.path in world.child.files:
        return None
    there = file is not None and file.block(unit.name or "") is not None
    return None if there else ()


def tell(world: World, unit: Unit) -> Table:
    """What is in force, what it hides, what would be without it: fields of ``protypon.explain/1``."""
    name = unit.name or ""
    file = block_file(world, unit.path)
    above, open_end = above_of(world, unit.path)
    chains: tuple[Chain, ...] = file.mine if file is not None else above
    rows = [row for chain in chains[:1] for row in _versions(chain, name)]
    runs = file.runs(name) if file is not None and file.block(name) is not None else True
    used = rows if runs is not False else rows[1:]
    mine = file is not None and file.block(name) is not None and runs is not False
    notes = []
    if runs is False:
        notes.append(f"the one of {world.child.slug} is never printed: no template that {unit.path} extends prints it")
    if file is not None and file.block(name) is not None and used:
        notes.append(
            "it prints the next one further up too" if _asks(file.block(name)) else "it hides what stands further up"
        )
    around = chains[0].further(name) if chains else None
    if isinstance(around, Further) and around.at:
        notes.append(f"in the page it stands inside {' > '.join(around.at)}")
    for record in world.records.values():
        if record.unit == unit:
            notes.append(f"listed: {record.how} of {record.source} {record.release or ''}".rstrip())
    source = world.supplier(rows[-1]["theme"]) if rows else None
    data = (
        world.snapshot.read(source, rows[-1]["file"])
        if source is not None and rows[-1]["file"] in source.files
        else b""
    )
    return {
        "in_force": used[0] if used else None,
        "hidden": used[1:] if used is rows else [{**rows[0], "how": "never printed"}, *used[1:]],
        "without": used[1] if mine and len(used) > 1 else None,
        "unknown": world.lineage.cut or open_end or None,
        "comment": head(data[:8192].decode("utf-8", "replace")),
        "notes": notes,
    }  # fmt: skip


def _asks(block: object) -> bool:
    return bool(getattr(block, "asks", 0))


def _versions(chain: Chain, name: str) -> Iterator[Table]:
    """Every version of a block, the nearest first."""
    level = 0
    while (version := chain.inherited.version(name, level)) is not None:
        link = chain.links[version.template]
        block = link.facts.blocks[version.block]
        line = block.line if link.supply.theme.files else None
        yield {
            "theme": link.supply.theme.slug,
            "file": link.supply.path,
            "line": line,
            **({"how": "further up"} if level else {}),
        }
        level += 1
