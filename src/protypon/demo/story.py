"""The demo's story: what the maintainer of Lantern Rock types, and what she does by hand in between."""

from __future__ import annotations

import shlex
import shutil
from collections.abc import Callable
from dataclasses import dataclass
from importlib.resources import as_file, files
from pathlib import Path

from protypon.core.files.listing import blob_digest


@dataclass(frozen=True, slots=True)
class Say:
    """A line of the story."""

    words: str


@dataclass(frozen=True, slots=True)
class Type:
    """A command, and the exit status it ends with."""

    line: str
    status: int = 0
    needs: tuple[str, ...] = ()
    """Programs of the machine without which it is left out."""

    @property
    def arguments(self) -> list[str]:
        return shlex.split(self.line)


@dataclass(frozen=True, slots=True)
class Act:
    """Something done by hand in the bench."""

    words: str
    act: Callable[[Path], None]


Step = Say | Type | Act


def copy_theme(source: Path, target: Path) -> None:
    """Copy a theme as its maker made it: without what an installer or an interpreter left in it."""
    shutil.copytree(source, target, ignore=shutil.ignore_patterns("__pycache__", "*.pyc"))


def lay_out(bench: Path) -> None:
    """Copy the demo's themes and releases to a folder: themes as installed, later releases as downloads."""
    with as_file(files("protypon.demo").joinpath("themes")) as source:
        copy_theme(source / "seabed-3.1.0", bench / "themes" / "seabed")
        copy_theme(source / "breakwater-1.4.0", bench / "themes" / "breakwater")
        copy_theme(source / "breakwater-1.5.0", bench / "downloads" / "breakwater-1.5.0" / "breakwater")
        new = bench / "downloads" / "new" / "breakwater"
        copy_theme(source / "breakwater-2.0.0", new)
        shutil.make_archive(str(bench / "downloads" / "breakwater-2.0.0"), "zip", new.parent, "breakwater")
        shutil.rmtree(new.parent)


def edit(path: str, old: str, new: str) -> Callable[[Path], None]:
    """Replace a piece of a file of the bench."""

    def act(bench: Path) -> None:
        file = bench / path
        text = file.read_text("utf-8")
        if old not in text:
            raise AssertionError(f"{path} has no {old!r}")
        file.write_text(text.replace(old, new, 1), "utf-8")

    return act


def append(path: str, text: str) -> Callable[[Path], None]:
    """Put more at the end of a file of the bench."""

    def act(bench: Path) -> None:
        with (bench / path).open("a", encoding="utf-8") as file:
            file.write(text)

    return act


def write(path: str, text: str) -> Callable[[Path], None]:
    def act(bench: Path) -> None:
        (bench / path).parent.mkdir(parents=True, exist_ok=True)
        (bench / path).write_text(text, "utf-8")

    return act


def copy(source: str, target: str) -> Callable[[Path], None]:
    def act(bench: Path) -> None:
        (bench / target).parent.mkdir(parents=True, exist_ok=True)
        shutil.copy(bench / source, bench / target)

    return act


def remove(path: str) -> Callable[[Path], None]:
    return lambda bench: (bench / path).unlink()


def _skerry(bench: Path) -> None:
    """A child from another bench: its ledger names a text that was never kept here."""
    folder = bench / "themes" / "skerry"
    shutil.copytree(
        bench / "themes" / "breakwater" / "parts",
        folder / "parts",
        ignore=lambda d, names: [n for n in names if n != "card.html"],
    )
    edit("themes/skerry/parts/card.html", "<h3>", '<h3 class="wreck">')(bench)
    (folder / "quay.toml").write_text(
        '[theme]\nslug = "skerry"\ntitle = "Skerry"\nrelease = "0.4.0"\nparent = "breakwater"\n', "utf-8"
    )
    digest = blob_digest(b"the card as it was in 1.3.0\n")
    (folder / "overrides.toml").write_text(
        f'format = "protypon.ledger/1"\n\n[[override]]\nunit = "template:parts/card.html"\nhow = "copy"\n'
        f'from = "breakwater"\nrelease = "1.3.0"\ndigest = "{digest}"\n',
        "utf-8",
    )


def _old_pier(bench: Path) -> None:
    """A child that somebody made by hand: copies of 1.4.0, edited, and no ledger."""
    folder = bench / "themes" / "old-pier"
    with as_file(files("protypon.demo").joinpath("themes")) as source:
        for path in ("parts/footer.html", "parts/menu.html", "pages/base.html"):
            (folder / path).parent.mkdir(parents=True, exist_ok=True)
            shutil.copyfile(source / "breakwater-1.4.0" / path, folder / path)
    edit("themes/old-pier/parts/footer.html", "Built on Breakwater by Breakwater Studio", "The Old Pier Trust")(bench)
    edit("themes/old-pier/pages/base.html", "<aside>", '<aside class="pier">')(bench)
    write("themes/old-pier/quay.toml", OLD_PIER)(bench)
    copy("themes/breakwater/thumbnail.png", "themes/old-pier/thumbnail.png")(bench)


def _finish(bench: Path) -> None:
    """Choose between the two sides, as a person would: the new markup, with our words."""
    exhibit = bench / "proposals/lantern-rock/pages/exhibit.html"
    text = exhibit.read_text("utf-8")
    before, _, rest = text.partition("<<<<<<< ")
    after = rest.partition(">>>>>>> ")[2].partition("\n")[2]
    exhibit.write_text(before + '<p class="way">In the lamp room, 96 steps up.</p>\n' + after, "utf-8")
    footer = bench / "proposals/lantern-rock/parts/footer.html"
    text = footer.read_text("utf-8")
    before, _, rest = text.partition("<<<<<<< ")
    after = rest.partition(">>>>>>> ")[2].partition("\n")[2]
    credit = '<p class="credit"><a href="https://breakwater.example">Breakwater</a>, kept by the keepers of Lantern Rock</p>\n'
    footer.write_text(before + credit + after, "utf-8")


OLD_PIER = '[theme]\nslug = "old-pier"\ntitle = "Old Pier"\nrelease = "2.3"\nparent = "breakwater"\n'
ROCK = "themes/lantern-rock/"
STORY: tuple[Step, ...] = (
    Say("The Federation of Small Coastal Museums builds its sites on Breakwater, which builds on Seabed."),
    Type("init --platform quayside"),
    Type("survey"),
    Say("Lantern Rock gets a child of its own."),
    Type('new lantern-rock --parent breakwater --title "Lantern Rock" --set maker="Lantern Rock Museum"'),
    Say("She begins with words that she sees at the foot of the page."),
    Type('find "Built on Breakwater"'),
    Type('find "Open all year"'),
    Type('override parts/footer.html parts/masthead.html --why "our own credit line and name"'),
    Type("override pages/exhibit.html tide-table guestbook notice-board card"),
    Type("override styles/site.css", 0),
    Type("override style:styles/base.css asset:img/wave.svg"),
    Act(
        "edit the copies",
        edit(
            ROCK + "parts/footer.html",
            "Built on Breakwater by Breakwater Studio",
            "Kept by the keepers of Lantern Rock",
        ),
    ),
    Act(
        "… the masthead: a line under the name",
        edit(ROCK + "parts/masthead.html", "</a>\n{% include", '</a>\n<p class="since">Since 1891</p>\n{% include'),
    ),
    Act(
        "… the exhibit page: how to get there",
        edit(
            ROCK + "pages/exhibit.html",
            "</article>\n",
            '</article>\n<p class="way">In the lamp room, 96 steps up.</p>\n',
        ),
    ),
    Act(
        "… the tide table: a caption",
        edit(ROCK + "parts/tide-table.html", "<table>\n", "<table>\n<caption>At the north steps</caption>\n"),
    ),
    Act("… the guestbook: a greeting", edit(ROCK + "parts/guestbook.html", "<h2>", '<h2 class="hand">')),
    Act(
        "… the notice board: louder",
        edit(
            ROCK + "parts/notice-board.html",
            "<p>{{ notice }}</p>",
            '<p><b>{{ text("notice.title") }}</b> {{ notice }}</p>',
        ),
    ),
    Act("… the cards: pictures load late", edit(ROCK + "parts/card.html", 'alt="">', 'alt="" loading="lazy">')),
    Act("… the sheet: a darker sea", edit(ROCK + "styles/site.css", "--sea: #1b4b66", "--sea: #0f2f42")),
    Say("And, as happens, some things by hand and in a hurry."),
    Act(
        "copy the breadcrumbs to Parts/ (capital P)",
        copy("themes/breakwater/parts/breadcrumbs.html", ROCK + "Parts/breadcrumbs.html"),
    ),
    Act(
        "a page that extends the parent's, without a record",
        write(
            ROCK + "pages/visit.html",
            '{% extends "parent:pages/visit.html" %}\n{% block aside %}{% include "parts/ferry.html" %}{% endblock %}\n',
        ),
    ),
    Act(
        "… and a part of our own, which it includes",
        write(ROCK + "parts/ferry.html", '<p class="ferry">The ferry lands at the north steps.</p>\n'),
    ),
    Act(
        "a copied search page, without a record",
        copy("themes/breakwater/pages/search.html", ROCK + "pages/search.html"),
    ),
    Act("… with another button", edit(ROCK + "pages/search.html", '{{ text("search.button") }}', "Cast the net")),
    Act(
        "a code file: no tide notice, one of our own, the hours of the light",
        write(
            ROCK + "code/light.py",
            '"""What Lantern Rock changes in the code."""\n\nimport quay\n\nquay.off("notice-board", "tide_notice")\n\n\n'
            '@quay.on("notice-board", order=30)\ndef light_notice():\n    """Say when the lamp is lit."""\n'
            '    return "<p class=\\"light\\">The lamp is lit at dusk</p>"\n\n\n'
            '@quay.offer\ndef opening_hours(season):\n    """We open with the tide."""\n'
            '    return [{"name": "Every day", "open": "low water", "close": "high water"}]\n',
        ),
    ),
    Say("What stands inside code is taken over in the way that works; she only says what."),
    Type('override function:closing_line --why "our own last line"'),
    Act(
        "… in our words",
        edit(ROCK + "code/light.py", "The causeway closes an hour before high water", "Last boat when the lamp is lit"),
    ),
    Type("override hook:ticket-desk --attach lamp_room --order 30"),
    Act(
        "… and what it says",
        edit(ROCK + "code/light.py", 'return ""', "return '<p class=\"lamp\">The lamp room is up 96 steps</p>'"),
    ),
    Type("override item:picture-size#gallery --remove"),
    Type("override value:page_width --value 1200"),
    Type("points --page visit --child lantern-rock"),
    Type("explain opening_hours"),
    Type('override setting:settings.json#home.cards --value 4 --why "four cards fit our front page"'),
    Type("override setting:settings.json#tides.unit --value fathoms"),
    Type("override 'rule:styles/exhibit.css#.gallery .plate-note' --set font-size=1rem --why 'our readers are old'"),
    Act(
        "… and the menu in the colour of the lamp, in our own sheet",
        append(ROCK + "styles/lantern-rock.css", "\n.menu a { color: #e8c46a; }\n"),
    ),
    Type("explain --styles --child lantern-rock"),
    Type("explain 'rule:styles/lantern-rock.css#.menu a' --child lantern-rock"),
    Type("override parts/menu.html"),
    Act("a comma too many in settings.json", edit(ROCK + "settings.json", '"fathoms"\n', '"fathoms",\n')),
    Act("the menu's copy is deleted by hand", remove(ROCK + "parts/menu.html")),
    Type("check", 1),
    Say("One after the other: each next step is a command, or one line to mend."),
    Type("mend"),
    Act("take the comma out again", edit(ROCK + "settings.json", '"fathoms",\n', '"fathoms"\n')),
    Type("drop parts/menu.html"),
    Type("adopt lantern-rock"),
    Type("check", 0),
    Say("Breakwater 1.5.0 is out. Ask before pressing update."),
    Type("check --against downloads/breakwater-1.5.0", 1),
    Type("update breakwater --to downloads/breakwater-1.5.0"),
    Type('settle opening_hours --why "we open with the tide, whatever theirs says"'),
    Type("check", 0),
    Say("Somebody in a hurry edits Breakwater itself; at its next release that would be gone."),
    Act(
        "… the words at the foot of the page",
        edit("themes/breakwater/lang/en.json", "Open all year", "Open every day"),
    ),
    Act(
        "… and when the last ferry leaves",
        edit("themes/breakwater/code/notices.py", "Last ferry 17:40", "Last ferry 18:10"),
    ),
    Type("check lantern-rock", 1),
    Type("rescue breakwater"),
    Type("check lantern-rock", 0),
    Say("Another museum's child was made by hand, years ago, from Breakwater 1.4.0."),
    Act("copy old-pier into themes/", _old_pier),
    Type("adopt old-pier"),
    Type("check old-pier", 1),
    Type("lighten pages/base.html --child old-pier"),
    Say("For the winter there is a child of the child."),
    Type('new lantern-rock-winter --parent lantern-rock --title "Lantern Rock in winter"'),
    Type('override parts/footer.html --child lantern-rock-winter --why "winter hours"'),
    Act(
        "edit it",
        edit(
            "themes/lantern-rock-winter/parts/footer.html", '{{ text("footer.hours") }}', "Closed until the ice is gone"
        ),
    ),
    Say("A child from another museum's bench arrives, with its ledger."),
    Act("copy skerry into themes/", _skerry),
    Say("Then Breakwater 2.0.0 comes, and it is a big one."),
    Type("check lantern-rock --against downloads/breakwater-2.0.0.zip", 1),
    Type("compare parts/footer.html --child lantern-rock --against downloads/breakwater-2.0.0.zip"),
    Type("update breakwater --to downloads/breakwater-2.0.0.zip --dry-run"),
    Type("update breakwater --to downloads/breakwater-2.0.0.zip"),
    Act("finish the proposals in an editor", _finish),
    Type("update breakwater"),
    Say("The region for the harbour's news was lost in that choice: the check has seen it."),
    Type("check lantern-rock", 1),
    Act(
        "print it above our own line",
        edit(ROCK + "pages/exhibit.html", '<p class="way">', '{{ region("harbour-news") }}\n<p class="way">'),
    ),
    Say("The menu shall have its colour again, and the editor shall show what the site shows."),
    Type("mend 'rule:styles/lantern-rock.css#.menu a' style:styles/lantern-rock.css --child lantern-rock"),
    Type("drop guestbook --child lantern-rock"),
    Type("drop card --child lantern-rock"),
    Type('settle setting:settings.json#home.cards --child lantern-rock --why "four cards still fit our front page"'),
    Type("check", 1),
    Say("Gull Point wants the same site under its own name."),
    Type('twin lantern-rock gull-point --title "Gull Point" --set maker="Gull Point Museum"'),
    Say("Ship it; and one step back, to see that it can be had."),
    Type("pack lantern-rock"),
    Type("undo"),
)
