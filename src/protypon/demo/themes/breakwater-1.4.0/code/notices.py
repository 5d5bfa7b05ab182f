"""The notice board: one box, opened first and closed last."""

import quay


@quay.on("notice-board", order=10)
def board_opens():
    """Open the box of the notice board."""
    return '<section class="board">'


@quay.on("notice-board", order=20)
def tide_notice(height):
    """Say when the causeway floods."""
    if height > 4.2:
        return '<p class="tide">The causeway is under water</p>'
    return ""


@quay.on("notice-board", order=90)
def board_closes():
    """Close the box of the notice board."""
    return "</section>"


def picture_sizes():
    """The sizes that pictures are kept in."""
    for name, width in [("card", 320), ("gallery", 1200)]:
        quay.stock("picture-size", name, width)
    quay.default("page_width", 1080)


quay.on("docked", picture_sizes)
