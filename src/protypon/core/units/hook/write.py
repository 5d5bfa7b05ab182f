"""Callbacks taken off points, given another order number, or added."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any, NamedTuple

from protypon.core.analysis.callbacks import closure_of
from protypon.core.analysis.state import Callback
from protypon.core.model.actions import Explain, Override, Points
from protypon.core.model.errors import ProtyponError
from protypon.core.platform.schema import nearest
from protypon.core.units import run_differences
from protypon.core.units.coder import Coder, coder, put
from protypon.core.units.draft import Draft
from protypon.core.units.hook.naming import names
from protypon.core.units.moments import Hooked, beside
from protypon.core.units.parent_functions import own_function
from protypon.core.units.places import place_words
from protypon.core.units.world import World


def standing(world: World, point: str, label: str) -> list[Callback]:
    """The parents' callbacks of a name at a point, each place once."""
    behaviour = world.behaviour.parents
    found: dict[Any, Callback] = {}
    for state in behaviour.states if behaviour is not None else ():
        for callback in state.callbacks:
            if callback.point == point and callback.label.lower() == label.lower() and callback.gone is None:
                found.setdefault(callback.site, callback)
    return list(found.values())


class Off(NamedTuple):
    """What takes a callback off its point, and when: empty for at once."""

    text: str
    moment: str
    callback: str
    """The expression that names it."""


def taken_off(draft: Draft, callback: Callback, code: Coder) -> Off:
    """The statement that takes a callback off its point, at a moment when that works.

    Raises LookupError where no moment that could be followed is late enough, or nothing names the callback.
    """
    for name in names(draft.world, callback, code):
        expression = _off_call(code, callback, name)
        for text, moment in _moments(draft, callback, code, expression):
            made, _, _ = put(draft, [text])
            if is_off(made.world, callback) and _others(draft.world, callback) == _others(made.world, callback):
                return Off(text, moment, name)
    raise LookupError(f"no moment is late enough to take {callback.label} off {callback.point}")


def _others(world: World, callback: Callback) -> list[list[tuple[object, ...]]]:
    """What else stands at all points in which order, but for what the child attaches: to ask for an object may make it too early."""
    child = world.child.slug
    return [
        [
            (c.point, c.site, c.moment)
            for c in state.callbacks
            if c.gone is None and c.site not in (callback.site,) and c.site.theme != child
        ]
        for state in world.behaviour.states
    ]


def _off_call(code: Coder, callback: Callback, name: str) -> str:
    if not isinstance(callback.order, int) and code.takes("detach", "order"):
        raise LookupError(f"the order number of {callback.label} at {callback.point} is made at run time")
    order = code.order(callback.order, "detach") if isinstance(callback.order, int) else None
    return code.call("detach", point=code.literal(callback.point), callback=name, order=order)


def _moments(draft: Draft, callback: Callback, code: Coder, expression: str) -> Iterator[tuple[str, str]]:
    """Ways to write it, and when each takes effect, the plainest first: at once, at a moment of the platform, after what attaches it there."""
    yield code.writer.statement(expression), ""
    if not code.has("attach"):
        return
    moments = list(dict.fromkeys([*code.rules.moments, *([callback.moment] if callback.moment != "loading" else [])]))
    for moment in moments:
        yield code.at_moment(moment, expression), moment
    for moment in moments:
        last = _last(draft.world, moment, code.rules.numbers == "descending")
        yield code.at_moment(moment, expression, last), moment


def _last(world: World, moment: str, descending: bool) -> int:
    numbers = [
        c.order for s in world.behaviour.states for c in s.callbacks if c.point == moment and isinstance(c.order, int)
    ]
    return (min(numbers, default=0) - 10) if descending else (max(numbers, default=0) + 10)


def is_off(world: World, callback: Callback) -> bool:
    """Whether a callback is certainly gone wherever it was, and the site still loads."""
    behaviour = world.behaviour
    if behaviour.uncertain:
        return False
    return not any(
        c.point == callback.point and c.site == callback.site and c.label == callback.label and c.gone is None
        for state in behaviour.states
        for c in state.callbacks
    )


def detach_callback(draft: Draft, point: str, label: str, file: str = "") -> Hooked:
    """Take a callback off a point. Raises ProtyponError where none is there, or no moment is late enough."""
    callbacks = _there(draft.world, point, label)
    code, _ = coder(draft, file)
    words = code.writer.comment(f"{label} is taken off {point}.")
    try:
        if not code.has("detach"):
            return _off_in_manifest(draft, point, callbacks[0])
        blocks = [taken_off(draft, c, code) for c in callbacks]
    except LookupError as error:
        raise ProtyponError(f"hook:{point}#{label}: {error}", Explain(f"hook:{point}")) from error
    made, path, brought = put(draft, ["\n".join([words, *dict.fromkeys(b.text for b in blocks)])], file)
    number = f" with order {callbacks[0].order}" if code.takes("detach", "order") else ""
    why = f"{place_words(callbacks[0].site)} attaches it{number}; taken off {'at ' + blocks[0].moment if blocks[0].moment else 'at once'}"
    return Hooked(
        made,
        path,
        callbacks[0],
        brought,
        why,
        notes=(*in_doubt(callbacks), *_with(draft, made, callbacks[0]), *_boxes(draft, made, point)),
    )


def _there(world: World, point: str, label: str) -> list[Callback]:
    found = standing(world, point, label)
    here = [c for c in found if not is_off(world, c)]
    if here:
        return here
    if found:
        gone = next(
            (c.gone for s in world.behaviour.states for c in s.callbacks if c.site == found[0].site and c.gone), None
        )
        why = f"{place_words(gone.site)} takes it off" if gone is not None else "your code keeps it from being attached"
        raise ProtyponError(
            f"{label} does not stand at {point} as it is: {why}",
            Points(point, world.child.slug),
        )
    behaviour = world.behaviour.parents
    taken = [
        c.gone
        for s in (behaviour.states if behaviour else ())
        for c in s.callbacks
        if c.point == point and c.label.lower() == label.lower() and c.gone is not None
    ]
    if taken:
        raise ProtyponError(
            f"{label} does not stand at {point} any more: {place_words(taken[0].site)} takes it off",
            Points(point, world.child.slug),
        )
    labels = tuple(
        dict.fromkeys(c.label for s in (behaviour.states if behaviour else ()) for c in s.callbacks if c.point == point)
    )
    near = nearest(label, labels)
    hint = f"did you mean hook:{point}#{near}?" if near else Points(point, world.child.slug)
    raise ProtyponError(f"no ancestor of {world.child.slug} attaches {label} at {point}", hint)


def _off_in_manifest(draft: Draft, point: str, callback: Callback) -> Hooked:
    if not any("detached" in form.fields for form in draft.start.platform.manifests):
        raise LookupError(f"{draft.start.platform.title} has no way to take a callback off a point")
    rows = list(draft.child.values.get("detached", ()))
    made = draft.with_manifest({"detached": [*rows, f"{point}#{callback.label}"]})
    if not is_off(made.world, callback):
        raise LookupError(f"the list in {draft.child.manifest} does not take {callback.label} off {point}")
    return Hooked(made, draft.child.manifest, callback, (), f"listed in {draft.child.manifest}")


def in_doubt(callbacks: list[Callback]) -> tuple[str, ...]:
    """Attachments of which it can't be told whether they happen, or how often."""
    return tuple(
        f"whether {c.label} is attached at {c.point}, or how often, can't be told ({c.doubt}); it was written as if once"
        for c in callbacks
        if c.doubt
    )


def _with(before: Draft, after: Draft, callback: Callback) -> Iterator[str]:
    return beside(before, after, callback.label, f"{callback.label} at {callback.point} ")


def _boxes(before: Draft, after: Draft, point: str) -> Iterator[str]:
    """What was opened and is not closed any more, or the other way round."""
    from protypon.core.units.hook import markup

    old = {f.because for f in markup.find(before.world)}
    for finding in markup.find(after.world):
        if finding.because not in old:
            yield finding.because


def reorder_callback(draft: Draft, point: str, label: str, number: int, file: str = "") -> Hooked:
    """Give a callback another order number: it is taken off and put back."""
    callbacks = _there(draft.world, point, label)
    callback = callbacks[0]
    if len(callbacks) > 1:
        places = " and ".join(place_words(c.site) for c in callbacks)
        raise ProtyponError(f"hook:{point}#{label} is attached twice, in {places}", Explain(f"hook:{point}"))
    if callback.order == number:
        raise ProtyponError(
            f"hook:{point}#{label} runs with the order {number} already ({place_words(callback.site)})",
            Points(point, draft.child.slug),
        )
    code, _ = coder(draft, file)
    words = code.writer.comment(f"{label} runs at {point} with the order {number}, not {callback.order}.")
    takes = code.literal(callback.takes) if callback.takes is not None else None
    try:
        if not (code.has("detach") and code.has("attach")):
            return _hook_by_wrapper(draft, callback, number, code, words, file)
        off = taken_off(draft, callback, code)
        on = code.call(
            "attach", point=code.literal(point), callback=off.callback, order=code.literal(number), takes=takes
        )
        tries = [[off.text, code.writer.statement(on)]]
        tries += [[off.text, code.at_moment(m, on)] for m in code.rules.moments]
        if off.moment:
            last = _last(draft.world, off.moment, code.rules.numbers == "descending")
            tries.append([off.text, code.at_moment(off.moment, on, last)])
        for blocks in tries:
            made, path, brought = put(draft, ["\n".join([words, *blocks])], file)
            if is_off(made.world, callback) and _runs_at(made.world, callback, number):
                notes = tuple(_with(draft, made, callback))
                return Hooked(
                    made, path, callback, brought, f"taken off, and attached again with {number}", notes=notes
                )
        raise LookupError(f"{label} has no name that could be attached again")
    except LookupError as error:
        raise ProtyponError(
            f"hook:{point}#{label} can't be given another number: {error}",
            ("replace the function: ", Override(f"function:{label}", draft.child.slug)),
        ) from error


def _runs_at(world: World, callback: Callback, number: int) -> bool:
    """Whether the same function stands at the point with a number."""
    behaviour = world.behaviour
    state = behaviour.state
    wanted = closure_of(state, callback)
    return wanted is not None and any(
        c.point == callback.point and c.order == number and c.gone is None and (found := closure_of(state, c)) is not None
        and (found.file.theme, found.function) == (wanted.file.theme, wanted.function)
        for c in state.callbacks
    )  # fmt: skip


def _hook_by_wrapper(draft: Draft, callback: Callback, number: int, code: Coder, words: str, file: str) -> Hooked:
    """Where callbacks are attached by marks only: a function of the child's own that calls the parent's."""
    closure = closure_of(draft.world.behaviour.state, callback)
    if closure is None or not code.has("attach", "mark"):
        raise LookupError("the platform has no call that attaches a callback")
    off = _off_in_manifest(draft, callback.point, callback)
    name = f"{draft.child.slug.replace('-', '_')}_{callback.label}"
    mark = code.mark("attach", point=code.literal(callback.point), order=code.literal(number))
    body = code.writer.function(
        name,
        [code.writer.rest("given")],
        [code.writer.statement(f"return {callback.label}({code.writer.rest('given')})")],
        code.style.indent,
    )
    made, path, brought = put(off.draft, [f"{words}\n{mark}\n{body}"], file)
    own = own_function(made.world, name)
    if (
        own is None
        or not run_differences.attached_anywhere(made.world.behaviour, own)
        or not is_off(made.world, callback)
    ):
        raise LookupError("a function that calls it would not be attached")
    return Hooked(
        made, path, callback, brought, f"taken off in {draft.child.manifest}; {name} calls it with {number}", name
    )
