"""update and undo: what comes in, what is carried over, what is left, byte for byte."""

from __future__ import annotations

import json
import os
import subprocess

from tests.support import BenchCase, state

TEXT = "".join(f"<p>line {n}</p>\n" for n in range(12))
PAGE = '{% include "parts/foot.html" %}\n'


class UpdateTest(BenchCase):
    types_steps = True

    def release(self, files: dict[str, str | bytes], release: str = "2.0.0") -> str:
        """A release beside the bench; returns its path."""
        return str(self.parent(files, release, root=self.root / release))

    def test_odd_bytes_survive_a_merge(self) -> None:
        cases = {
            "crlf": (TEXT.replace("\n", "\r\n").encode(), b"\r\n"),
            "latin": (TEXT.replace("line 3", "café").encode("latin-1"), b"\n"),
            "bom": (b"\xef\xbb\xbf" + TEXT.encode(), b"\n"),
            "no-end": (TEXT.rstrip("\n").encode(), b"\n"),
            "cr": (TEXT.replace("\n", "\r").encode(), b"\r"),
        }
        files: dict[str, str | bytes] = {f"pages/{name}.html": data for name, (data, _) in cases.items()}
        self.started(files, *files)
        for path in files:
            self.edit(f"themes/gull/{path}", b"line 9", b"our line")
        (self.bench / "themes/gull/pages/bom.html").chmod(0o755)
        new = {path: bytes(data).replace(b"line 1<", b"their line<") for path, data in files.items()}  # type: ignore[arg-type]
        self.ok("update", "pier", "--to", self.release({**new}))
        for name, (data, _end) in cases.items():
            got = self.read(f"themes/gull/pages/{name}.html")
            self.assertEqual(got, data.replace(b"line 9", b"our line").replace(b"line 1<", b"their line<"), name)
        self.assertTrue((self.bench / "themes/gull/pages/bom.html").stat().st_mode & 0o100)

    def test_a_childs_crlf_copy_of_an_lf_parent_merges_and_stays_crlf(self) -> None:
        self.started({"pages/a.html": TEXT}, "pages/a.html")
        path = self.bench / "themes/gull/pages/a.html"
        path.write_bytes(TEXT.replace("line 9", "our line").replace("\n", "\r\n").encode())
        self.ok("update", "pier", "--to", self.release({"pages/a.html": TEXT.replace("line 2", "their line")}))
        want = TEXT.replace("line 9", "our line").replace("line 2", "their line").replace("\n", "\r\n")
        self.assertEqual(path.read_bytes(), want.encode())

    def test_binary_conflicts_offer_both_versions(self) -> None:
        self.started({"img/a.png": b"\0old"}, "img/a.png")
        self.put("themes/gull/img/a.png", b"\0mine")
        said = self.ok("update", "pier", "--to", self.release({"img/a.png": b"\0theirs"}))
        self.assertIn("both versions lie in proposals/gull/", said)
        self.assertEqual(self.read("themes/gull/img/a.png"), b"\0mine")
        self.assertEqual(self.read("proposals/gull/img/a.png.yours"), b"\0mine")
        self.assertEqual(self.read("proposals/gull/img/a.png.parents"), b"\0theirs")
        self.ok("settle", "img/a.png", "--why", "mine")
        self.assertFalse((self.bench / "proposals/gull/img/a.png.yours").exists())
        self.assertEqual(self.row("gull", "asset:img/a.png")["verdict"], "holds")

    def test_an_update_goes_down_the_lineage_over_planned_contents(self) -> None:
        self.parent({"pages/a.html": TEXT}, slug="base")
        self.parent({"pages/b.html": TEXT}, parent="base")
        self.ok("init", "--platform", "quayside")
        self.ok("new", "gull", "--parent", "pier")
        self.ok("override", "pages/a.html", "pages/b.html")
        self.edit("themes/gull/pages/a.html", b"line 9", b"gull")
        self.ok("new", "chick", "--parent", "gull")
        self.ok("override", "pages/a.html", "--child", "chick")
        self.edit("themes/chick/pages/a.html", b"line 5", b"chick")
        self.parent({"pages/a.html": TEXT.replace("line 1<", "base<")}, "2.0.0", "base", self.root)
        foretold = self.check("--against", str(self.root / "base"))
        self.assertEqual(foretold["gull"]["overrides"][0]["verdict"], "drifted")
        table = json.loads(self.ok("update", "base", "--to", str(self.root / "base"), "--format", "json"))
        self.assertEqual(
            [(c["child"], c["overrides"][0]["done"]) for c in table["children"]],
            [("gull", "merged"), ("chick", "merged")],
        )
        want = TEXT.replace("line 1<", "base<").replace("line 9", "gull").encode()
        self.assertEqual(self.read("themes/gull/pages/a.html"), want)
        self.assertEqual(self.read("themes/chick/pages/a.html"), want.replace(b"line 5", b"chick"))
        self.ok("check")

    def test_a_finished_proposal_is_taken_up_and_an_unfinished_one_is_not(self) -> None:
        self.started({"pages/a.html": TEXT}, "pages/a.html")
        self.edit("themes/gull/pages/a.html", b"line 5", b"ours")
        new = TEXT.replace("line 5", "theirs").replace("line 0", "zero")
        self.ok("update", "pier", "--to", self.release({"pages/a.html": new}))
        mine = TEXT.replace("line 5", "ours").encode()
        self.assertEqual(self.read("themes/gull/pages/a.html"), mine)
        row = self.row("gull", "template:pages/a.html")
        self.assertIn("waits for you", row["because"])
        proposal = self.bench / "proposals/gull/pages/a.html"
        text = proposal.read_text()
        for label in ("<<<<<<< gull (yours)", "||||||| pier 1.0.0 (taken from)", ">>>>>>> pier 2.0.0 (now)"):
            self.assertIn(label, text)
        proposal.write_text(text.replace("zero", "nought"))
        self.assertIn("still has markers", self.ok("update", "pier"))
        self.assertEqual(self.read("themes/gull/pages/a.html"), mine)
        final = new.replace("theirs", "both").encode()
        proposal.write_bytes(final)
        self.ok("update", "pier")
        self.assertEqual(self.read("themes/gull/pages/a.html"), final)
        self.assertFalse(proposal.exists())
        self.ok("check")
        self.ok("undo")
        self.assertEqual(proposal.read_bytes(), final)
        self.assertEqual(self.read("themes/gull/pages/a.html"), mine)

    def test_a_proposal_made_for_other_texts_is_not_taken_up(self) -> None:
        self.started({"pages/a.html": TEXT}, "pages/a.html")
        self.edit("themes/gull/pages/a.html", b"line 5", b"ours")
        self.ok("update", "pier", "--to", self.release({"pages/a.html": TEXT.replace("line 5", "theirs")}))
        proposal = self.bench / "proposals/gull/pages/a.html"
        proposal.write_text("finished, but for a text that is not there any more\n")
        self.edit("themes/gull/pages/a.html", b"line 7", b"later")
        self.assertIn("move it aside", self.ok("update", "pier"))
        self.assertIn(b"later", self.read("themes/gull/pages/a.html"))
        self.assertIn("finished", proposal.read_text())

    def test_a_move_is_followed_unless_the_old_name_is_still_used(self) -> None:
        files = {"pages/home.html": PAGE, "parts/foot.html": TEXT}
        self.started(files, "pages/home.html", "parts/foot.html")
        self.edit("themes/gull/parts/foot.html", b"line 9", b"ours")
        self.edit(
            "themes/gull/pages/home.html",
            PAGE.encode(),
            b"<h1>Ours</h1>\n" + PAGE.replace("{% inc", "{%- inc").encode(),
        )
        new = self.release(
            {
                "pages/home.html": '{% include "parts/site/foot.html" %}\n',
                "parts/site/foot.html": TEXT.replace("line 1<", "theirs<"),
            }
        )
        row = self.row("gull", "template:parts/foot.html", "--against", new)
        self.assertEqual((row["verdict"], row["to"]), ("moved", "parts/site/foot.html"))
        self.assertIn("still names", self.ok("update", "pier", "--to", new))
        self.assertTrue((self.bench / "themes/gull/parts/foot.html").exists())
        from protypon.standin.quayside import QuaysideSite

        self.assertIn("ours", QuaysideSite(self.bench / "themes", "gull").render("pages/home.html").html)
        self.put("proposals/gull/pages/home.html", '<h1>Ours</h1>\n{% include "parts/site/foot.html" %}\n')
        self.ok("update", "pier")
        self.ok("update", "pier")
        moved = self.read("themes/gull/parts/site/foot.html").decode()
        self.assertEqual(moved, TEXT.replace("line 9", "ours").replace("line 1<", "theirs<"))
        self.assertFalse((self.bench / "themes/gull/parts/foot.html").exists())
        self.assertIn("ours", QuaysideSite(self.bench / "themes", "gull").render("pages/home.html").html)
        self.ok("check")

    def test_a_name_that_only_the_child_supplies_but_is_named_holds_with_a_finding(self) -> None:
        self.started({"pages/home.html": PAGE, "parts/foot.html": TEXT}, "parts/foot.html")
        self.parent({"pages/home.html": PAGE}, "2.0.0")
        row = self.row("gull", "template:parts/foot.html")
        self.assertEqual((row["verdict"], row["source"], row["reach"]), ("holds", "gone", "yes"))
        self.assertEqual(self.codes("gull")[0], "only-yours")
        self.ok("settle", "parts/foot.html", "--why", "mine alone now")
        self.assertNotIn("only-yours", self.codes("gull"))
        self.assertIn(b'alone_since = "pier 2.0.0"', self.read("themes/gull/overrides.toml"))
        self.parent({"pages/home.html": PAGE, "parts/foot.html": TEXT.replace("line 1<", "theirs<")}, "3.0.0")
        self.assertEqual(self.verdicts("gull"), {"template:parts/foot.html": "drifted"})
        self.ok("settle", "parts/foot.html", "--why", "mine is better")
        self.assertNotIn(b"alone_since", self.read("themes/gull/overrides.toml"))

    def test_a_dropped_override_takes_its_proposal_with_it(self) -> None:
        self.started({"pages/a.html": TEXT}, "pages/a.html")
        self.edit("themes/gull/pages/a.html", b"line 5", b"ours")
        self.ok("update", "pier", "--to", self.release({"pages/a.html": TEXT.replace("line 5", "theirs")}))
        self.assertTrue((self.bench / "proposals/gull/pages/a.html").exists())
        self.ok("drop", "pages/a.html")
        self.assertFalse((self.bench / "proposals").exists())
        self.ok("undo")
        self.assertTrue((self.bench / "proposals/gull/pages/a.html").exists())

    def test_ties_are_told_and_left(self) -> None:
        self.started({"pages/a.html": TEXT}, "pages/a.html")
        self.edit("themes/gull/pages/a.html", b"line 9", b"ours")
        new = self.release({"pages/b.html": TEXT, "pages/c.html": TEXT})
        row = self.row("gull", "template:pages/a.html", "--against", new)
        self.assertEqual([t["to"] for t in row["ties"]], ["pages/b.html", "pages/c.html"])
        self.ok("update", "pier", "--to", new)
        self.assertTrue((self.bench / "themes/gull/pages/a.html").exists())

    def test_blocks_of_a_template_that_extends_are_not_merged_as_copies(self) -> None:
        page = "{% block a %}one{% endblock %}\n{% block b %}two{% endblock %}\n"
        self.started({"pages/home.html": page})
        self.put(
            "themes/gull/pages/home.html", '{% extends "parent:pages/home.html" %}\n{% block a %}ours{% endblock %}\n'
        )
        self.ok("adopt", "gull")
        new = self.release({"pages/home.html": page.replace("two", "deux")}, "1.1.0")
        row = self.row("gull", "block:pages/home.html#a", "--against", new)
        self.assertEqual((row["how"], row["verdict"], row["source"]), ("extends", "holds", "same"))
        newer = self.release({"pages/home.html": page.replace("one", "un")}, "1.2.0")
        row = self.row("gull", "block:pages/home.html#a", "--against", newer)
        self.assertEqual((row["verdict"], row["source"], row["parts"]), ("drifted", "changed", ["a"]))
        before = self.read("themes/gull/pages/home.html")
        self.ok("update", "pier", "--to", newer)
        self.assertEqual(self.read("themes/gull/pages/home.html"), before)
        self.ok("settle", "block:pages/home.html#a", "--why", "seen")
        self.assertEqual(self.verdicts("gull"), {"block:pages/home.html#a": "holds"})

    def test_a_merge_that_would_not_parse_becomes_a_proposal(self) -> None:
        old = "".join(f"<p>line {n}</p>\n" for n in range(9))
        self.started({"pages/a.html": old}, "pages/a.html")
        block = "{% block foot %}x{% endblock %}\n"
        self.put("themes/gull/pages/a.html", block + old)
        said = self.ok("update", "pier", "--to", self.release({"pages/a.html": old + block.replace("x", "y")}))
        self.assertIn("finish proposals/gull/pages/a.html", said)
        self.assertEqual(self.read("themes/gull/pages/a.html"), (block + old).encode())

    def test_edits_in_the_parents_folder_are_named_and_kept(self) -> None:
        self.started({"pages/a.html": TEXT, "pages/b.html": TEXT}, "pages/a.html")
        self.edit("themes/pier/pages/b.html", b"line 1<", b"edited in place<")
        finding = self.check()["gull"]["findings"][0]
        self.assertEqual((finding["code"], finding["weight"]), ("edited-parent", "error"))
        self.assertIn("pages/b.html", finding["because"])
        new = self.parent({"pages/a.html": TEXT, "pages/b.html": TEXT}, "2.0.0", root=self.bench / "downloads/unpacked")
        self.assertEqual(self.codes("gull", "--against", str(new.parent)), ["edited-parent"])
        said = self.ok("update", "pier", "--to", self.release({"pages/a.html": TEXT, "pages/b.html": TEXT}))
        self.assertIn("the edited state is in the store", said)
        shown = subprocess.run(
            ["git", "--git-dir", ".protypon/store", "show", "pier/1.0.0-edited:pages/b.html"],
            cwd=self.bench,
            capture_output=True,
        )
        self.assertIn(b"edited in place", shown.stdout)
        (patch,) = (self.bench / "proposals/pier").iterdir()
        subprocess.run(["git", "apply", "--check", str(patch)], cwd=self.bench / "themes/pier", check=True)

    def test_an_edit_in_the_parents_folder_is_told_until_it_is_gone_or_settled(self) -> None:
        self.started({"pages/a.html": TEXT, "pages/b.html": TEXT}, "pages/a.html")
        self.edit("themes/pier/pages/b.html", b"line 1<", b"edited in place<")
        for command in (
            ["keep", "themes/pier"],
            ["update", "pier"],
            ["keep", "themes/pier"],
            ["override", "pages/b.html"],
        ):
            self.ok(*command)
            self.assertEqual(self.codes("gull"), ["edited-parent"], command)
        self.assertEqual(self.verdicts("gull")["template:pages/b.html"], "holds")
        self.assertIn(b"edited in place", self.read("themes/gull/pages/b.html"))
        self.edit("themes/pier/pages/a.html", b"line 9<", b"and here<")
        row = self.row("gull", "template:pages/a.html")
        self.assertEqual((row["verdict"], row["next"]), ("holds", ""))
        self.assertIn("was edited, and would be used instead", row["because"])
        self.assertIn("theme:pier", self.ok("settle", "theme:pier", "--why", "sent to its maker"))
        self.assertEqual(self.codes("gull"), [])
        self.edit("themes/pier/pages/a.html", b"line 8<", b"more<")
        self.assertEqual(self.codes("gull"), ["edited-parent"])
        new = {"pages/a.html": TEXT, "pages/b.html": TEXT.replace("line 11", "new")}
        self.ok("update", "pier", "--to", self.release(new))
        merged = self.read("themes/gull/pages/b.html")
        self.assertTrue(b"edited in place" in merged and b"new" in merged)
        self.assertEqual(self.codes("gull"), ["edits-wiped-out"])
        self.ok("settle", "pier", "--why", "not wanted any more")
        self.assertEqual(self.codes("gull"), [])
        self.refused("settle", "theme:pier", "--why", "x")

    def test_an_edited_manifest_of_the_parent_counts_as_it_was_released(self) -> None:
        """The parent is given a parent of its own in its folder: what comes from there is not what the release supplies."""
        self.started({"pages/a.html": TEXT, "pages/b.html": TEXT}, "pages/a.html")
        self.parent({"pages/a.html": TEXT, "pages/c.html": TEXT}, "1.0.0", slug="quaywall")
        self.put("themes/gull/pages/c.html", TEXT.replace("line 1<", "ours<"))
        before = self.verdicts("gull")
        self.edit("themes/pier/quay.toml", b"[theme]\n", b'[theme]\nparent = "quaywall"\n')
        self.assertEqual(self.codes("gull"), ["edited-parent"])
        self.assertEqual(self.verdicts("gull"), before)

    def test_every_finished_proposal_arrives_and_none_is_written_over(self) -> None:
        """The same conflict in three children, finished in all of them by hand; one half done, and one not at all."""
        self.started({"pages/a.html": TEXT}, "pages/a.html", child="gull")
        names = ["gull", "tern", "auk", "kite", "crow"]
        for name in names[1:]:
            self.ok("new", name, "--parent", "pier")
            self.ok("override", "pages/a.html", "--child", name)
        for name in names:
            self.edit(f"themes/{name}/pages/a.html", b"line 5", f"ours of {name}".encode())
        self.ok("update", "pier", "--to", self.release({"pages/a.html": TEXT.replace("line 5", "theirs")}))
        for name in names[:3]:
            self.put(f"proposals/{name}/pages/a.html", f"finished by {name}\n")
        self.put("proposals/kite/pages/a.html", self.read("proposals/kite/pages/a.html") + b"half\n")
        found = self.check()
        self.assertIn("waits for you", found["crow"]["overrides"][0]["because"])
        for name, words in zip(names, ["finished"] * 3 + ["markers are left"], strict=False):
            (waits,) = [f for f in found[name]["findings"] if f["code"] == "proposal-waits"]
            self.assertIn(words, waits["because"])
            steps = {
                "finished": "protypon update pier",
                "markers are left": "${EDITOR:-vi} proposals/kite/pages/a.html",
            }
            self.assertEqual(waits["next"], steps[words])
        self.assertEqual(found["crow"]["overrides"][0]["next"], "${EDITOR:-vi} proposals/crow/pages/a.html")
        kite = self.read("proposals/kite/pages/a.html")
        self.ok("update", "pier", "--child", "tern")
        self.assertEqual(self.read("proposals/gull/pages/a.html"), b"finished by gull\n")
        self.ok("update", "pier")
        for name in names[:3]:
            self.assertEqual(self.read(f"themes/{name}/pages/a.html"), f"finished by {name}\n".encode())
            self.assertFalse((self.bench / f"proposals/{name}").exists())
        self.assertEqual(self.read("proposals/kite/pages/a.html"), kite)
        self.assertIn(b"ours of kite", self.read("themes/kite/pages/a.html"))
        said = self.ok("settle", "pages/a.html", "--child", "kite", "--why", "mine")
        self.assertIn("has your edits in it", said)
        self.assertEqual(self.read("proposals/kite/pages/a.html"), kite)
        self.ok("update", "pier", "--to", self.release({"pages/a.html": TEXT.replace("line 5", "again")}, "3.0.0"))
        self.assertEqual(self.read("proposals/kite/pages/a.html"), kite)

    def test_a_proposal_that_is_a_link_is_no_finished_one(self) -> None:
        self.started({"pages/a.html": TEXT}, "pages/a.html")
        self.edit("themes/gull/pages/a.html", b"line 5", b"ours")
        self.ok("update", "pier", "--to", self.release({"pages/a.html": TEXT.replace("line 5", "theirs")}))
        secret = self.put("secret", "not for a template", self.root)
        proposal = self.bench / "proposals/gull/pages/a.html"
        proposal.unlink()
        proposal.symlink_to(secret)
        self.assertIn("is no plain file", self.ok("update", "pier"))
        self.assertIn(b"ours", self.read("themes/gull/pages/a.html"))
        self.assertEqual(secret.read_text(), "not for a template")
        (self.bench / "proposals").rename(self.root / "elsewhere")
        (self.bench / "proposals").symlink_to(self.root / "elsewhere")
        self.assertIn("next: mv proposals proposals.old", self.ok("update", "pier"))

    def test_an_option_that_means_one_thing_is_not_given_twice(self) -> None:
        self.started({"pages/a.html": TEXT}, "pages/a.html")
        said = self.refused("compare", "pages/a.html", "--child", "gull", "--child", "tern", status=2)
        self.assertIn("--child is given twice", said)
        self.ok("update", "pier", "--child", "gull", "--child", "gull")

    def test_where_no_manifest_says_a_number_a_change_is_told_until_it_is_kept(self) -> None:
        self.put("themes/reef/theme.conf", "[theme]\ninherit = basic\n")
        self.put("themes/reef/footer.html", TEXT)
        self.ok("init", "--platform", "sphinx")
        self.ok("keep", "themes/reef", "--release", "1.0")
        self.ok("new", "pool", "--parent", "reef")
        self.ok("override", "footer.html")
        self.assertEqual(self.row("pool", "template:footer.html")["taken"], "1.0")
        self.edit("themes/reef/footer.html", b"line 2", b"changed")
        self.assertEqual(self.codes("pool"), ["changed-since-kept"])
        self.assertEqual(self.verdicts("pool"), {"template:footer.html": "drifted"})
        self.ok("keep", "themes/reef", "--release", "1.1")
        self.assertEqual(self.codes("pool"), [])
        self.assertEqual(self.row("pool", "template:footer.html")["now"], "1.1")
        self.ok("update", "reef")
        self.assertEqual(self.row("pool", "template:footer.html")["taken"], "1.1")

    def test_dry_run_changes_nothing(self) -> None:
        self.started({"pages/a.html": TEXT}, "pages/a.html")
        new = self.release({"pages/a.html": TEXT + "more\n"})
        before = state(self.bench / "themes")
        journal = sorted((self.bench / ".protypon/journal").iterdir())
        self.ok("update", "pier", "--to", new, "--dry-run")
        self.ok("check", "--against", new, status=1)
        self.assertEqual(state(self.bench / "themes"), before)
        self.assertEqual(sorted((self.bench / ".protypon/journal").iterdir()), journal)
        self.assertFalse((self.bench / "proposals").exists())


class UndoTest(BenchCase):
    def test_undo_steps_back_through_every_command_byte_for_byte(self) -> None:
        self.parent(
            {"pages/a.html": TEXT, "parts/foot.html": "x\n", "img/a.png": b"\0\1", "odd name #1%.txt": "kept\n"}
        )
        folder = self.bench / "themes/pier"
        (folder / "empty/deep").mkdir(parents=True)
        (folder / "pages/a.html").chmod(0o755)
        os.symlink("a.html", folder / "pages/link.html")
        self.put("themes/pier/.DS_Store", b"junk\0")
        self.put("themes/pier/.git/config", "not ours\n")
        self.put(b"themes/pier/pages/caf\xe9.html".decode("utf-8", "surrogateescape"), "latin name\n")
        new = self.parent(
            {"pages/a.html": TEXT.replace("line 3", "new"), "empty/deep/full.txt": "now\n"}, "2.0.0", root=self.root
        )
        other = self.parent({"pages/a.html": "other\n"}, root=self.root / "other")
        steps = [
            ("init", "--platform", "quayside"),
            ("new", "gull", "--parent", "pier"),
            ("override", "pages/a.html", "parts/foot.html"),
            ("settle", "pages/a.html", "--why", "so"),
            ("drop", "parts/foot.html"),
            ("pack",),
            ("update", "pier", "--to", str(new)),
            ("mend", "release-stands-still"),
            ("keep", str(other), "--release", "2.1.0"),
        ]
        before = []
        for step in steps:
            before.append((step, state(self.bench, ".protypon"), self._releases()))
            self.ok(*step)
        self.assertEqual(state(self.bench / "themes/pier", ".git"), state(new))
        for step, files, releases in reversed(before[1:]):
            self.ok("undo")
            self.assertEqual(state(self.bench, ".protypon"), files, step)
            self.assertEqual(self._releases(), releases, step)
        self.ok("undo")
        self.assertEqual(state(self.bench, ".protypon"), before[0][1])

    def _releases(self) -> list[str]:
        git = [
            "git",
            "--git-dir",
            ".protypon/store",
            "for-each-ref",
            "--format=%(refname) %(objectname)",
            "refs/heads",
            "refs/tags",
        ]
        return subprocess.run(git, cwd=self.bench, capture_output=True, text=True).stdout.splitlines()

    def test_undo_refuses_where_it_would_lose_later_work(self) -> None:
        self.started({"pages/a.html": TEXT}, "pages/a.html")
        self.edit("themes/gull/pages/a.html", b"line 1<", b"work<")
        self.assertIn("changed since", self.refused("undo"))
        self.ok("settle", "pages/a.html", "--why", "x")
        self.ok("undo")
        self.assertIn(b"work", self.read("themes/gull/pages/a.html"))


class StoreTest(BenchCase):
    def test_plain_git_reads_the_store(self) -> None:
        self.started({"pages/a.html": TEXT, "pages/b.html": "b\n"}, "pages/a.html")
        self.parent({"pages/a.html": TEXT.replace("line 3", "new"), "pages/b.html": "b\n"}, "1.1.0")
        self.ok("keep", "themes/pier")
        self.assertIn("kept before as 1.1.0", self.ok("keep", "themes/pier"))
        self.edit("themes/pier/pages/b.html", b"b", b"c")
        self.assertIn("kept as edited from 1.1.0", self.ok("keep", "themes/pier"))

        def git(*arguments: str) -> str:
            done = subprocess.run(
                ["git", "--git-dir", ".protypon/store", *arguments], cwd=self.bench, capture_output=True, text=True
            )
            self.assertEqual(done.returncode, 0, done.stderr)
            return done.stdout

        git("fsck", "--strict")
        self.assertEqual(
            git("log", "--format=%s", "pier").splitlines(), ["pier 1.1.0 edited", "pier 1.1.0", "pier 1.0.0"]
        )
        self.assertIn("+<p>new</p>", git("diff", "pier/1.0.0", "pier/1.1.0"))
        git("gc", "--prune=now", "-q")
        self.ok("undo")
        self.ok("check", status=1)


if __name__ == "__main__":
    import unittest

    unittest.main()
