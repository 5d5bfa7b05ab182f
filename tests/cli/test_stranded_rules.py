"""Rules that are written for what a release took away."""

from __future__ import annotations

import unittest
from typing import Any

from tests.support import BenchCase

MENU = '<nav class="menu wide">\n<a class="menu-item" href="/">x</a>\n<b id="crumbs">y</b>\n</nav>\n'
SITE = ":root { --sea: navy; --sand: ivory; }\n.menu { color: var(--sea) }\n"


class StrandedRulesTest(BenchCase):
    types_steps = True

    def begun(self, own: str) -> None:
        self.parent({"parts/menu.html": MENU, "pages/home.html": '{% include "parts/menu.html" %}\n'}, "1.0.0")
        self.put("themes/pier/styles/site.css", SITE)
        self.ok("init", "--platform", "quayside")
        self.ok("new", "gull", "--parent", "pier")
        self.put("themes/gull/styles/gull.css", own)
        self.assertEqual(self.told(), [])

    def told(self, *options: str) -> list[str]:
        found: list[dict[str, Any]] = self.check(*options)["gull"]["findings"]
        return [f["because"] for f in found if f["code"] == "rule-stranded"]

    def after(self, menu: str = MENU, site: str = SITE, name: str = "new", **more: str) -> list[str]:
        files = {"parts/menu.html": menu, "pages/home.html": '{% include "parts/menu.html" %}\n', **more}
        folder = self.parent(files, "2.0.0", root=self.root / name)
        self.put("styles/site.css", site, folder)
        return self.told("--against", str(folder))

    def test_a_class_that_a_release_renamed_is_told_with_its_new_name(self) -> None:
        self.begun(".menu .menu-item { color: red }\n.menu { color: red }\n")
        found = self.after(MENU.replace("menu-item", "menu-link"))
        self.assertEqual(len(found), 1)
        self.assertIn("styles/gull.css line 1: nothing in the lineage has the class or id menu-item any more", found[0])
        self.assertIn("pier 1.0.0 had it in parts/menu.html line 2", found[0])
        self.assertIn("it is likely menu-link now", found[0])

    def test_ids_and_custom_properties_are_told_too(self) -> None:
        self.begun("#crumbs { color: var(--sand) }\n.menu { color: var(--own, red) }\n")
        found = self.after(MENU.replace(' id="crumbs"', ""), SITE.replace("--sand: ivory;", ""))
        self.assertEqual([word in "".join(found) for word in ("id crumbs", "property --sand")], [True, True])
        self.assertEqual(len(found), 2)

    def test_what_may_still_be_there_is_not_told(self) -> None:
        self.begun(
            ".menu-item { color: red }\n.wide { color: red }\n.menu:not(.menu-item) { color: red }\n.menu a:is(.menu-item, b) { color: red }\n"
        )
        for number, menu in enumerate(
            (
                MENU.replace("menu-item", "menu-{{ kind }}"),
                MENU.replace("menu-item", "x") + "<!-- menu-item -->",
                MENU.replace("menu-item", "{{ 'menu-' ~ kind }}"),
                MENU.replace("menu-item", "{{ kind }}-item"),
                MENU.replace("menu-item", "{{ kind ~ '-item' }}"),
                MENU.replace("menu-item", "{{ 'menu-%s' % kind }}"),
            )
        ):
            self.assertEqual(self.after(menu, name=f"n{number}"), [], menu)
        moved = self.after("<p>moved</p>\n", name="moved", **{"parts/other.html": MENU})
        self.assertEqual(moved, [])
        script = self.after(MENU.replace("menu-item", "x"), name="script", **{"code/a.py": "NAME = 'menu-item'\n"})
        self.assertEqual(script, [])

    def test_a_word_of_a_sentence_is_no_class_and_a_later_release_no_former_one(self) -> None:
        self.begun(".important { color: red }\n.later { color: red }\n")
        self.put("themes/pier/parts/menu.html", MENU + "<!-- what is important here -->\n<p>important</p>\n")
        self.ok("keep", "themes/pier", "--release", "1.0.1")
        later = self.parent({"parts/menu.html": MENU + '<b class="later">x</b>\n'}, "3.0.0", root=self.root / "later")
        self.ok("keep", str(later))
        self.assertEqual(self.after(), [])

    def test_what_the_childs_own_templates_print_is_there(self) -> None:
        self.begun(".menu-item { color: red }\n")
        self.put("themes/gull/pages/own.html", '<a class="menu-item">x</a>\n')
        self.assertEqual(self.after(MENU.replace("menu-item", "menu-link")), [])


if __name__ == "__main__":
    unittest.main()
