"""Keys of settings and texts: written, judged, carried, renamed, dropped byte for byte, and what a platform then serves."""

from __future__ import annotations

import json
import random
import unittest
from typing import Any

from protypon.standin.quayside import QuaysideSite
from tests.cases import few, seeds
from tests.support import BenchCase

OLD = {"palette": {"primary": "#123456", "accent": "#fedcba"}, "cards": 6, "gap": "12px", "hours": ["ten", "six"]}
CASES = 40


def text(value: Any) -> str:
    return json.dumps(value, indent=2) + "\n"


class SettingsCase(BenchCase):
    types_steps = True

    def begun(self, old: Any = OLD) -> None:
        self.parent({"settings.json": text(old), "lang/en.json": '{"site.title": "Pier"}\n'})
        self.ok("init", "--platform", "quayside")
        self.ok("new", "gull", "--parent", "pier")

    def later(self, new: Any, release: str = "2.0.0", name: str = "new") -> str:
        files = {"settings.json": text(new), "lang/en.json": '{"site.title": "Pier"}\n'}
        return str(self.parent(files, release, root=self.root / name))

    def served(self) -> Any:
        return QuaysideSite(self.bench / "themes", "gull").settings

    def judged(self, key: str, new: Any, name: str = "new") -> tuple[str, str]:
        row = self.row("gull", f"setting:settings.json#{key}", "--against", self.later(new, name=name))
        return row["verdict"], row["because"]


class OverrideTest(SettingsCase):
    def test_one_key_is_written_alone_and_served(self) -> None:
        self.begun()
        said = self.ok("override", "setting:settings.json#palette.primary", "--value", "#777777", "--why", "darker")
        self.assertIn('pier 1.0.0 has "#123456" there (pier/settings.json line 3)', " ".join(said.split()))
        self.ok("override", 'text:lang/en.json#"site.title"', "--value", "Gull")
        self.assertEqual(json.loads(self.read("themes/gull/settings.json")), {"palette": {"primary": "#777777"}})
        self.assertEqual(self.served(), {**OLD, "palette": {"primary": "#777777", "accent": "#fedcba"}})
        self.assertEqual(set(self.verdicts("gull").values()), {"holds"})
        told = json.loads(self.ok("explain", "setting:settings.json#palette.primary", "--format", "json"))
        self.assertEqual((told["in_force"]["value"], told["without"]["value"]), ("#777777", "#123456"))

    def test_what_is_no_key_is_refused_with_the_right_word(self) -> None:
        self.begun()
        for unit, hint in (
            ("settings.json", "setting:settings.json#palette.primary"),
            ("setting:settings.json#palette", "palette.primary"),
            ("setting:settings.json#palette.primry", "did you mean setting:settings.json#palette.primary?"),
            ("setting:nothing.json#a", "protypon survey --units"),
        ):
            with self.subTest(unit=unit):
                self.assertIn(hint, self.refused("override", unit, status=2 if "primry" in unit else 3))
        self.assertIn(
            "the parent's is a number",
            " ".join(self.ok("override", "setting:settings.json#cards", "--value", "many").split()),
        )

    def test_drop_and_undo_leave_every_other_byte(self) -> None:
        self.begun()
        own = '{ "own" : [1,2],\n\n  "palette": {"deep": 1} }'
        self.put("themes/gull/settings.json", own)
        self.ok("override", "setting:settings.json#cards", "setting:settings.json#palette.accent")
        self.assertNotEqual(self.read("themes/gull/settings.json"), own.encode())
        self.ok("drop", "setting:settings.json#cards", "setting:settings.json#palette.accent")
        self.assertEqual(self.read("themes/gull/settings.json"), own.encode())

    def test_a_file_that_came_with_a_key_goes_with_it(self) -> None:
        self.begun()
        self.ok("override", "setting:settings.json#cards", "--value", "4")
        self.assertIn("now the one of pier is used", self.ok("drop", "setting:settings.json#cards"))
        self.assertFalse((self.bench / "themes/gull/settings.json").exists())


class CatalogueTest(BenchCase):
    """Words in message catalogues, on a platform that lays them over each other."""

    types_steps = True

    OLD = '#: pages/home.html:3\nmsgid "Lamp"\nmsgstr "Lampe"\n\nmsgid "Tide"\nmsgstr "Flut"\n'

    def test_a_message_is_written_judged_carried_and_dropped(self) -> None:
        platform = self.put(
            "wordy.toml",
            'format = "protypon.platform/1"\nname = "wordy"\ntitle = "Wordy"\nlike = "quayside"\n'
            'files = [{ kind = "text", match = ["words/*.po"], combine = "overlay" }]\n',
            self.root,
        )
        self.parent({"words/de.po": self.OLD, "words/en.json": "{}"})
        self.ok("init", "--platform", str(platform))
        self.ok("new", "gull", "--parent", "pier")
        self.assertIn("text:words/de.po#Lamp", self.ok("survey", "--units"))
        self.ok("override", "text:words/de.po#Lamp", "--value", "Laterne")
        self.assertTrue(self.read("themes/gull/words/de.po").endswith(b'\n\nmsgid "Lamp"\nmsgstr "Laterne"\n'))
        self.assertEqual(self.verdicts("gull"), {"text:words/de.po#Lamp": "holds"})
        new = self.OLD.replace("Lampe", "Leuchte").replace("Tide", "The tide")
        there = str(self.parent({"words/de.po": new, "words/en.json": "{}"}, "2.0.0", root=self.root / "new"))
        row = self.row("gull", "text:words/de.po#Lamp", "--against", there)
        self.assertEqual(row["verdict"], "drifted")
        self.assertIn('changed Lamp from "Lampe" to "Leuchte" (pier/words/de.po line 2)', row["because"])
        self.ok("update", "pier", "--to", there)
        self.ok("settle", "text:words/de.po#Lamp", "--why", "ours is one of stone")
        self.assertEqual(self.verdicts("gull"), {"text:words/de.po#Lamp": "holds"})
        self.ok("drop", "text:words/de.po#Lamp")
        self.assertFalse((self.bench / "themes/gull/words/de.po").exists())


class VerdictTest(SettingsCase):
    def test_a_release_that_touches_other_keys_changes_nothing(self) -> None:
        self.begun()
        self.ok("override", "setting:settings.json#cards", "--value", "4")
        self.assertEqual(self.judged("cards", {**OLD, "gap": "1rem", "more": 1})[0], "holds")

    def test_each_thing_that_can_happen_to_a_key(self) -> None:
        self.begun()
        self.ok("override", "setting:settings.json#cards", "--value", "4")
        self.ok("override", "setting:settings.json#gap", "--value", "20px")
        self.ok("override", "setting:settings.json#palette.primary", "--value", "#000")
        verdict, because = self.judged("cards", {**OLD, "cards": 9}, "a")
        self.assertEqual(verdict, "drifted")
        self.assertIn("changed cards from 6 to 9 (pier/settings.json line 6); yours is 4", because)
        self.assertEqual(self.judged("cards", {**OLD, "cards": 4}, "b")[0], "needless")
        verdict, because = self.judged("gap", {**OLD, "gap": "1.5rem"}, "c")
        self.assertEqual(verdict, "conflicted")
        self.assertIn("yours is still a number in px", because)
        self.assertEqual(self.judged("cards", {**OLD, "cards": {"home": 6}}, "d")[0], "conflicted")
        renamed = {**OLD, "palette": {"main": "#123456", "accent": "#fedcba"}}
        verdict, because = self.judged("palette.primary", renamed, "e")
        self.assertEqual(verdict, "moved")
        self.assertIn("calls it palette.main now", because)
        gone = {**OLD, "palette": {"accent": "#fedcba"}}
        self.assertEqual(self.judged("palette.primary", gone, "f")[0], "stranded")
        two = {**OLD, "palette": {"main": "#123456", "first": "#123456", "accent": "#fedcba"}}
        verdict, because = self.judged("palette.primary", two, "g")
        self.assertEqual(verdict, "stranded")
        self.assertIn("it may be palette.main or palette.first", because)

    def test_update_renames_the_key_and_leaves_the_rest_to_a_person(self) -> None:
        self.begun()
        self.ok("override", "setting:settings.json#palette.primary", "--value", "#000")
        self.ok("override", "setting:settings.json#cards", "--value", "4")
        new = {**OLD, "palette": {"main": "#123456", "accent": "#fedcba"}, "cards": 9}
        self.ok("update", "pier", "--to", self.later(new))
        self.assertEqual(self.served(), {**new, "palette": {"main": "#000", "accent": "#fedcba"}, "cards": 4})
        self.assertEqual(
            self.verdicts("gull"),
            {"setting:settings.json#cards": "drifted", "setting:settings.json#palette.main": "holds"},
        )
        self.assertFalse((self.bench / "proposals").exists())
        self.ok("settle", "setting:settings.json#cards", "--why", "four fit")
        self.assertEqual(set(self.verdicts("gull").values()), {"holds"})

    def test_a_whole_copy_is_told_and_reduced(self) -> None:
        self.begun()
        self.put("themes/gull/settings.json", text({**OLD, "cards": 4, "own": True}))
        self.ok("adopt", "gull")
        self.assertEqual(self.verdicts("gull"), {"setting:settings.json#cards": "holds"})
        row = next(f for f in self.check()["gull"]["findings"] if f["code"] == "says-again")
        self.assertIn("says 4 keys again", row["because"])
        before = self.served()
        self.ok("mend", "setting:settings.json")
        self.assertEqual(json.loads(self.read("themes/gull/settings.json")), {"cards": 4, "own": True})
        self.assertEqual(self.served(), before)
        self.assertEqual(self.codes("gull"), [])

    def test_a_ledger_of_whole_files_stands_for_each_key(self) -> None:
        self.begun()
        self.put("themes/gull/settings.json", text({"cards": 4, "palette": {"accent": "#000"}}))
        self.ok("adopt", "gull")
        ledger = self.read("themes/gull/overrides.toml").decode()
        base = json.loads(self.check_digest())
        head = ledger.partition("[[override]]")[0]
        whole = f'[[override]]\nunit = "setting:settings.json"\nhow = "set"\nfrom = "pier"\nrelease = "1.0.0"\ndigest = "{base}"\n'
        self.put("themes/gull/overrides.toml", head + whole)
        keys = {"setting:settings.json#cards", "setting:settings.json#palette.accent"}
        self.assertEqual(self.verdicts("gull"), dict.fromkeys(keys, "holds"))
        new = self.later({**OLD, "cards": 9})
        self.assertEqual(self.row("gull", "setting:settings.json#cards", "--against", new)["verdict"], "drifted")
        self.ok("update", "pier", "--to", new)
        self.ok("settle", "setting:settings.json#cards", "--why", "seen")
        self.assertEqual(self.verdicts("gull"), dict.fromkeys(keys, "holds"))

    def check_digest(self) -> str:
        """The digest of the parent's settings as they were released, as JSON."""
        from protypon.core.files.listing import blob_digest

        return json.dumps(blob_digest(self.read("themes/pier/settings.json")))


class WholeFileTest(BenchCase):
    """Where the platform does not overlay: a copy of the whole file, merged key by key where lines would not do."""

    PLATFORM = 'format = "protypon.platform/1"\nname = "mine"\nlike = "quayside"\nfiles = [{ kind = "setting", match = ["look.json"] }]\n'
    OLD = '{"cards": 6, "gap": "12px", "wide": true}\n'

    def test_a_copy_on_one_line_is_merged_key_by_key(self) -> None:
        self.put("mine.toml", self.PLATFORM)
        self.parent({"look.json": self.OLD})
        self.ok("init", "--platform", "mine.toml")
        self.ok("new", "gull", "--parent", "pier")
        self.ok("override", "look.json")
        self.put("themes/gull/look.json", self.OLD.replace("6", "4"))
        new = str(self.parent({"look.json": self.OLD.replace("12px", "1rem")}, "2.0.0", root=self.root / "new"))
        row = self.row("gull", "setting:look.json", "--against", new)
        self.assertEqual((row["verdict"], row["merge"]), ("drifted", "clean"))
        self.assertIn("key by key", row["because"])
        self.ok("update", "pier", "--to", new)
        self.assertEqual(self.read("themes/gull/look.json"), b'{"cards": 4, "gap": "1rem", "wide": true}\n')
        newer = str(
            self.parent(
                {"look.json": self.OLD.replace("12px", "1rem").replace("6", "9")}, "3.0.0", root=self.root / "newer"
            )
        )
        self.assertEqual(self.row("gull", "setting:look.json", "--against", newer)["verdict"], "conflicted")


# Random settings against a table that says what should be said


def leaves(table: Any, above: tuple[str, ...] = ()) -> dict[tuple[str, ...], Any]:
    found = {}
    for name, value in table.items():
        found |= leaves(value, (*above, name)) if isinstance(value, dict) else {(*above, name): value}
    return found


def random_table(rng: random.Random) -> dict[str, Any]:
    names = rng.sample(["lamp", "tide", "net", "hall"], k=3)
    found: dict[str, Any] = {name: rng.randint(1, 9) for name in names}
    found["deep"] = {name: rng.choice(["a", "b", "c"]) for name in rng.sample(["x", "y", "z"], k=2)}
    return found


class RandomTest(SettingsCase):
    def test_every_key_is_told_as_the_three_tables_say_and_serves_what_it_should(self) -> None:
        seen = dict.fromkeys(("holds", "drifted", "needless", "stranded", "conflicted"), 0)
        for seed in seeds(CASES):
            self.tearDown()
            self.setUp()
            rng = random.Random(f"settings {seed}")
            old, new = random_table(rng), random_table(rng)
            if rng.random() < 0.3:
                new["lamp"] = "bright"
            self.begun(old)
            before, after = leaves(old), leaves(new)
            mine = {}
            for key in rng.sample(sorted(before), k=3):
                mine[key] = rng.choice(["a", "d"]) if key[0] == "deep" else rng.randint(1, 9)
                self.ok("override", f"setting:settings.json#{'.'.join(key)}", "--value", json.dumps(mine[key]))
            told = {row["unit"]: row for row in self.check("--against", self.later(new))["gull"]["overrides"]}
            for key, value in mine.items():
                with self.subTest(seed=seed, key=key):
                    verdict = told[f"setting:settings.json#{'.'.join(key)}"]["verdict"]
                    self.assertIn(verdict, self.wanted(before[key], value, after.get(key), key in after))
                    seen[verdict] = seen.get(verdict, 0) + 1
            self.ok("update", "pier", "--to", self.later(new, name="again"))
            served = leaves(self.served())
            for key, value in mine.items():
                if told[f"setting:settings.json#{'.'.join(key)}"]["verdict"] != "moved":
                    self.assertEqual(served[key], value, (seed, key))
        if not few():
            self.assertGreater(min(seen.values()), 0, seen)

    @staticmethod
    def wanted(was: Any, ours: Any, now: Any, there: bool) -> set[str]:
        if not there:
            return {"stranded", "moved"}
        if now == was and type(now) is type(was):
            return {"holds"}
        if now == ours and type(now) is type(ours):
            return {"needless"}
        return {"conflicted"} if type(now) is not type(was) else {"drifted"}


if __name__ == "__main__":
    unittest.main()
