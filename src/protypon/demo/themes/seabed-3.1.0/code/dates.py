"""Dates as the federation writes them."""

import quay


@quay.offer
def long_date(day, month, year):
    """Return a date for people: 4 May 2026."""
    months = [
        "January",
        "February",
        "March",
        "April",
        "May",
        "June",
        "July",
        "August",
        "September",
        "October",
        "November",
        "December",
    ]
    return f"{day} {months[month - 1]} {year}"
