"""How large a picture is."""

from __future__ import annotations

from io import BytesIO


def picture_size(data: bytes) -> tuple[int, int] | None:
    """Width and height of a picture (PNG, JPEG, GIF, WebP, SVG …) in pixels; None where they can't be read."""
    import imagesize

    try:
        width, height = imagesize.get(BytesIO(data))
    except (ValueError, OSError, IndexError, ArithmeticError, SyntaxError):
        return None
    return (int(width), int(height)) if width > 0 and height > 0 else None
