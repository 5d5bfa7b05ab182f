"""A region declared in the child: in its manifest, or by a call."""

from __future__ import annotations

from protypon.core.model.actions import ShowPlatform, Survey
from protypon.core.model.errors import ProtyponError
from protypon.core.platform.schema import nearest
from protypon.core.units.coder import coder, put
from protypon.core.units.draft import Draft
from protypon.core.units.moments import Hooked
from protypon.core.units.places import place_words
from protypon.core.units.region.findings import hiding_copies, printed_regions


def declare_region(draft: Draft, name: str, file: str = "") -> Hooked:
    """Declare a region in the child: in its manifest, or by a call."""
    behaviour = draft.world.behaviour
    printed = printed_regions(behaviour)
    names = {m.name for m in behaviour.state.regions if isinstance(m.name, str)}
    if name not in printed and name not in names and None not in printed:
        near = nearest(name, tuple(sorted(names | {p for p in printed if p})))
        hint = f"did you mean region:{near}?" if near else Survey(units=True)
        raise ProtyponError(f"nothing in the lineage of {draft.child.slug} declares or prints a region {name}", hint)
    code, _ = coder(draft, file)
    if code.has("region"):
        words = code.writer.comment(f"The region {name}.")
        made, path, brought = put(draft, [f"{words}\n{code.statement('region', name=code.literal(name))}"], file)
    elif any("regions" in form.fields for form in draft.start.platform.manifests):
        rows = list(draft.child.values.get("regions", ()))
        made, path, brought = draft.with_manifest({"regions": [*rows, name]}), draft.child.manifest, ()
    else:
        raise ProtyponError(f"{draft.start.platform.title} has no way to declare a region", ShowPlatform())
    notes = []
    if name not in printed and None not in printed:
        hiding = hiding_copies(behaviour, name)
        if hiding:
            notes.append(
                f"{place_words(hiding[0][0])} prints it, and your {hiding[0][1].path} takes its place without it: it will not show"
            )
        else:
            notes.append("no template in use prints it: it will not show")
    where = place_words(printed[name][0].place) + " prints it" if printed.get(name) else "declared"
    return Hooked(made, path, None, brought, where, notes=tuple(notes))
