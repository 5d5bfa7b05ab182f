"""The notice board."""


def tide_notice(height):
    """Return a notice when the causeway floods, else nothing."""
    return "The causeway is under water" if height > 4.2 else None
