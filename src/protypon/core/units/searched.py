"""Templates below a folder that the platform may search too: code that is not here can append it to those that are searched."""

from __future__ import annotations

from protypon.core.units.world import World


def searched_as(world: World, path: str) -> str:
    """The name under which a file of the child is found if the folder that it lies in is searched: one that the lineage has.

    Empty for one that lies in no such folder: a folder that an ancestor has too is part of the name.
    """
    folders = world.platform.templates.folders
    if not folders or "/" not in path:
        return ""
    if "folders of the parents" not in world.memo:
        found = {name[: name.index("/")] for theme in world.ancestors for name in theme.files if "/" in name}
        world.memo["folders of the parents"] = found
    folder, _, name = path.partition("/")
    theirs = world.memo["folders of the parents"]
    assert isinstance(theirs, set)
    if folder in theirs or not ("*" in folders or folder in folders) or name in world.child.files:
        return ""
    there = any(name in theme.files for theme in world.ancestors) or world.resolver.root_supplies(name)
    rule, other = world.platform.rule_of(path), world.platform.rule_of(name)
    return name if there and rule is not None and rule == other and rule.kind == "template" else ""


def stands_at(world: World, name: str) -> str:
    """Where the child has a file of that name: there, or below a folder that may be searched."""
    if name in world.child.files or not world.platform.templates.folders:
        return name
    return next((p for p in world.child.files if p.endswith(f"/{name}") and searched_as(world, p) == name), name)


def why_unknown(path: str) -> str:
    """Why it can't be told whether such a file is used."""
    return f"code that is not here may have {path.partition('/')[0]}/ searched"
