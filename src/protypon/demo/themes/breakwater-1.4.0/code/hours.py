"""Opening hours."""

import quay


@quay.offer
def opening_hours(season):
    """The hours of a season, day by day.

    Offered, so a child theme may offer its own.
    """
    close = "17:00" if season == "summer" else "15:00"
    return [{"name": day, "open": "10:00", "close": close} for day in ("Thursday", "Friday", "Saturday", "Sunday")]


@quay.on("toll", order=20)
def family_rate(pence):
    """Families pay what two adults pay."""
    return pence - 100


@quay.offer
def closing_line():
    """The last line of every page: when the causeway closes."""
    return '<p class="closing">The causeway closes an hour before high water</p>'


quay.on("page-end", "closing_line", order=10)
