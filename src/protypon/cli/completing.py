"""What a shell completes: slugs, addresses, kinds of page, verdicts, codes, platforms, steps. Never complains, and changes no theme."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from contextlib import suppress
from pathlib import Path
from typing import TYPE_CHECKING

import click

if TYPE_CHECKING:
    from protypon.core.themes.bench import Bench
    from protypon.core.units.world import World

Completion = Callable[[click.Context, click.Parameter, str], list[str]]


def _from(words: Callable[[click.Context], Iterable[str]]) -> Completion:
    """A completion from the words that can stand there."""

    def complete(ctx: click.Context, param: click.Parameter, incomplete: str) -> list[str]:
        with suppress(Exception):  # a shell has no use for a message
            fitting = (word for word in words(ctx) if word.startswith(incomplete))
            return list(dict.fromkeys(fitting))
        return []

    return complete


def _bench(ctx: click.Context) -> Bench:
    """The bench of the command that is being typed: it is not run, so that nothing is finished first."""
    from protypon.core.themes.bench import Bench, find

    folder = Path(ctx.find_root().params.get("bench") or ".")
    bench = Bench(find(folder))
    ctx.call_on_close(bench.close)
    return bench


def _world(ctx: click.Context) -> World:
    from protypon.core.check.examine import present_world
    from protypon.core.themes.snapshot import Snapshot

    bench = _bench(ctx)
    theme = next((bench.themes[word] for word in _typed_children(ctx) if word in bench.themes), None)
    return present_world(bench, theme or bench.children[0], Snapshot.of_bench(bench), {})


def _typed_children(ctx: click.Context) -> Iterable[str]:
    """What was typed for the child, in either way that it can be said."""
    for name in ("child", "children", "wanted"):
        found = ctx.params.get(name) or ()
        yield from (found,) if isinstance(found, str) else found


def _themes(ctx: click.Context) -> Iterable[str]:
    return sorted(_bench(ctx).themes)


def _children(ctx: click.Context) -> Iterable[str]:
    return [theme.slug for theme in _bench(ctx).children]


def _overrides(ctx: click.Context) -> Iterable[str]:
    """The overrides of the child that was named, or of all."""
    bench, named = _bench(ctx), set(_typed_children(ctx))
    chosen = [theme for theme in bench.children if not named or theme.slug in named]
    return sorted({unit.address for theme in chosen for unit in bench.records(theme)})


def _addresses(ctx: click.Context) -> Iterable[str]:
    from protypon.core.actions.explain import all_units

    return sorted({unit.address for unit in all_units(_world(ctx))})


def _rules(ctx: click.Context) -> Iterable[str]:
    from protypon.core.units.rule.reading import every_address

    return sorted({unit.address for unit in every_address(_world(ctx))})


def _points(ctx: click.Context) -> Iterable[str]:
    behaviour = _world(ctx).behaviour
    return sorted({*behaviour.fired, *(point.name for point in behaviour.platform.code.points)})


def _pages(ctx: click.Context) -> Iterable[str]:
    from protypon.core.themes.page_kinds import pages_of

    bench = _bench(ctx)
    return [page.kind for page in pages_of(bench.platform, bench.themes.values())]


def _limits(ctx: click.Context) -> Iterable[str]:
    from protypon.core.check.weights import VERDICTS, WEIGHTS

    return (*WEIGHTS[1:], *VERDICTS)


def _errors(ctx: click.Context) -> Iterable[str]:
    from protypon.core.check.codes import CODES
    from protypon.core.check.weights import VERDICTS

    return (*VERDICTS, *CODES)


def _mendable(ctx: click.Context) -> Iterable[str]:
    from protypon.core.check.codes import CODES

    return (*_overrides(ctx), *CODES)


def _platforms(ctx: click.Context) -> Iterable[str]:
    from protypon.core.platform.shipped import shipped_platforms

    return sorted(shipped_platforms())


def _steps(ctx: click.Context) -> Iterable[str]:
    from protypon.core.actions.undo import steps

    return [str(step.entry.number) for step in steps(_bench(ctx).store) if not step.taken_back]


def _settleable(ctx: click.Context) -> Iterable[str]:
    return (*_overrides(ctx), *(f"theme:{slug}" for slug in _themes(ctx)))


def addresses(ctx: click.Context, param: click.Parameter, incomplete: str) -> list[str]:
    """Whatever has an address; rules of sheets, of which there are many, where one is begun."""
    found = _from(_addresses)(ctx, param, incomplete)
    return found + (_from(_rules)(ctx, param, incomplete) if incomplete.startswith("rule:") else [])


slugs = _from(_themes)
children = _from(_children)
overrides = _from(_overrides)
themes_and_points = _from(lambda ctx: (*_themes(ctx), *_points(ctx)))
pages = _from(_pages)
limits = _from(_limits)
errors = _from(_errors)
mendable = _from(_mendable)
platforms = _from(_platforms)
steps = _from(_steps)
settleable = _from(_settleable)
