"""Short stories on the three PHP platforms: look at the points, see what the child does to them, ask about the next release."""

from __future__ import annotations

from importlib.resources import as_file, files
from pathlib import Path

from protypon.demo.story import Act, Say, Step, Type, copy_theme, edit

FIRST, OTHERS = "1.0.0", ("1.1.0", "2.0.0")


def lay_out(platform: str, bench: Path) -> None:
    """Copy a platform's themes to a folder: the first release of each parent installed, later ones as downloads."""
    with as_file(files("protypon.demo").joinpath("platforms", platform)) as source:
        for theme in sorted(source.iterdir()):
            slug, _, release = theme.name.rpartition("-")
            if release in OTHERS:
                copy_theme(theme, bench / "downloads" / f"{slug}-{release}")
            elif release == FIRST:
                copy_theme(theme / slug, bench / "themes" / slug)
            else:
                copy_theme(theme, bench / "themes" / theme.name)


MILLRACE: tuple[Step, ...] = (
    Say(
        "A tide mill that is a museum: its theme stands on Weir. Functions are found by name; higher numbers run first."
    ),
    Type("init --platform millrace"),
    Type("survey"),
    Type("adopt tide-mill"),
    Type("points --page exhibit --child tide-mill"),
    Type("explain opening_hours"),
    Type("explain code:gears/board.php"),
    Say("The copied board is dead. Drop it; the callback can be detached."),
    Type("check", 1),
    Type("drop code:gears/board.php"),
    Type("check", 0),
    Say("Weir 2.0.0 greets with another order number: the detachment would match nothing."),
    Type("check --against downloads/weir-2.0.0", 1),
    Type("update weir --to downloads/weir-2.0.0"),
    Type('settle function:weir_opening_hours --why "the mill has its own hours"'),
    Type("check", 0),
)

HEDGEROW: tuple[Step, ...] = (
    Say(
        "Four themes deep: Cove on Pebble on Coast on Shore. The child's code runs first; guarded functions give way to it."
    ),
    Type("init --platform hedgerow"),
    Type("adopt cove"),
    Type("survey", 0),
    Type("points --child cove"),
    Type("explain page:exhibit"),
    Type("explain function:coast_hours"),
    Type("explain value:row_length"),
    Type("explain item:picture-size#tree"),
    Type("check", 1),
    Say("One after the other: detach when it is there, both halves of the box, and give the value back on every path."),
    Act("wait for in_blossom", edit("themes/cove/grove.php", "hedgerow_prune('page_top', 'coast_guide', 50);\n", "")),
    Act(
        "… and take all three off there",
        edit(
            "themes/cove/grove.php",
            "    hedgerow_prune('page_top', 'coast_open_box', 1);\n",
            "    hedgerow_prune('page_top', 'coast_guide', 50);\n    hedgerow_prune('page_top', 'coast_open_box', 1);\n"
            "    hedgerow_prune('page_top', 'coast_close_box', 99);\n",
        ),
    ),
    Act(
        "… a return for every path",
        edit(
            "themes/cove/grove.php",
            "    }\n}\nhedgerow_graft('page_title'",
            "    }\n    return $title;\n}\nhedgerow_graft('page_title'",
        ),
    ),
    Type("adopt cove"),
    Type("override value:row_length --value 6"),
    Type("check", 0),
    Say("Coast 2.0.0 took the guard off coast_hours: two declarations would stop the whole site."),
    Type("check --against downloads/coast-2.0.0", 1),
    Say("The update writes it in the way that works then."),
    Type("update coast --to downloads/coast-2.0.0"),
    Type('settle coast_hours --why "the flag, not the calendar"'),
    Type("check", 0),
    Say("All of this was worked out. Run it, apart, and see whether it comes so."),
    Type("trial cove", 0, ("php", "bwrap")),
)

KILN: tuple[Step, ...] = (
    Say("Two parents in order. Hooks are attributes on functions; the manifest takes callbacks off."),
    Type("init --platform kiln"),
    Type("adopt fishplate"),
    Type("points --page exhibit --child fishplate"),
    Type("explain function:hours"),
    Type("check", 1),
    Act(
        "one letter too many in the manifest",
        edit("themes/fishplate/fishplate.ini", "slipware_credits", "slipware_credit"),
    ),
    Type("adopt fishplate"),
    Type("override function:slipware_weight"),
    Type("check", 0),
    Type("check --against downloads/glazier-2.0.0", 0),
    Type("update glazier --to downloads/glazier-2.0.0"),
)

STORIES = {"millrace": MILLRACE, "hedgerow": HEDGEROW, "kiln": KILN}
