"""What became of theme states that were to be kept, for people."""

from __future__ import annotations

from protypon.core.actions.keep import Kept
from protypon.render.text import STYLES, Page


def render(page: Page, told: list[Kept]) -> None:
    """Print one line a theme."""
    for kept in told:
        name = f"{kept.theme} {kept.label}" if kept.label else kept.theme
        if kept.state == "same":
            page.line(f"  {name}: kept before as {kept.known_as}, with the same contents")
        elif kept.state == "other":
            page.line(
                f"  {name}: kept; ", ("its contents differ from those kept before under that number", STYLES["warning"])
            )
        elif kept.state == "edited":
            page.line(f"  {name}: kept as edited from {kept.known_as}; the edits are also in {kept.patch}")
        else:
            page.line(f"  {name}: kept")
        if kept.called:
            page.line(f"    its folder is called {kept.called}; most of its files are those of {kept.theme}")
