"""Which field of a manifest means what, and from or up to which release of the platform."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, NamedTuple


class ManifestField(NamedTuple):
    """One field."""

    means: str
    at: str
    """Its dotted place in the manifest."""
    required: bool = False
    bounds: Mapping[str, str] = {}


def fields_of(form: Mapping[str, Any]) -> list[ManifestField]:
    """The fields of a manifest: a table of meaning and place, or a list of ``meaning``, ``meaning=place`` and tables.

    >>> fields_of({"fields": ["title", "parent=grown_on"]})[1].at
    'grown_on'
    """
    said = form["fields"]
    if isinstance(said, dict):
        return [_field({"means": means, "at": place}, form) for means, place in said.items()]
    return [_field(row if isinstance(row, dict) else _read_field(row), form) for row in said]


def _read_field(text: str) -> dict[str, str]:
    means, _, place = text.partition("=")
    return {"means": means.strip(), "at": place.strip() or means.strip()}


def _field(row: Mapping[str, Any], form: Mapping[str, Any]) -> ManifestField:
    """A field; its place is below the one that all share, unless it begins with a slash."""
    means = row["means"]
    place = row.get("at", means)
    below = form.get("below", "")
    place = place[1:] if place.startswith("/") else f"{below}.{place}" if below else place
    bounds = {key: row[key] for key in ("since", "until") if key in row}
    return ManifestField(means, place, row.get("required", means in form.get("required", ())), bounds)
