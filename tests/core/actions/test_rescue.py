"""Random edits in a parent's folder, and in copies: carried into a child or made lighter, and a run shows the same site."""

from __future__ import annotations

import random
import re
import shutil
import tempfile
import unittest
from collections import Counter
from contextlib import closing
from pathlib import Path
from typing import Any

from protypon.core.actions.init import plan_init
from protypon.core.actions.lighten import plan_lighten
from protypon.core.actions.override import plan_override
from protypon.core.actions.rescue import plan_rescue
from protypon.core.check.check import check
from protypon.core.model.errors import ProtyponError
from protypon.core.store import apply, ledger
from protypon.core.themes.bench import Bench
from protypon.standin import hosted
from tests.cases import few, seeds
from tests.core.actions.worded_themes import KIND, MAKERS, Worded
from tests.core.analysis.test_oracle import ran_quayside

CASES = {"quayside": 60, "millrace": 30, "hedgerow": 30, "kiln": 30}


class SameSiteCase(unittest.TestCase):
    """A bench with a worded lineage, of which ``t0`` is the child."""

    def begun(self, name: str, seed: int) -> tuple[Path, Worded, random.Random]:
        folder = Path(tempfile.mkdtemp(prefix="protypon-rescue-"))
        self.addCleanup(shutil.rmtree, folder, ignore_errors=True)
        rng = random.Random(f"rescue {name} {seed}")
        themes = folder / "themes"
        made = MAKERS[name](themes, rng)
        (themes / "t0" / "overrides.toml").write_text(ledger.HEAD)
        plan, bench, _ = plan_init(folder, name)
        with apply.hold_lock(bench.store, "init"):
            apply.carry_out(plan, bench.store)
        bench.close()
        return folder, made, rng

    def ran(self, name: str, folder: Path) -> dict[str, Any]:
        themes = folder / "themes"
        report = ran_quayside(themes) if name == "quayside" else hosted.run(name, themes, "t0", KIND)
        html = re.sub(r"\s*(<[^<>]*>)\s*", r"\1", re.sub(r"\s+", " ", report["html"] or ""))
        values = {key: report.get(key) for key in ("fatal", "items", "values", "given", "regions")}
        return {"html": html, **values}


class RescueCase(SameSiteCase):
    def compare(self, name: str) -> None:
        counts, kinds = Counter[str](), Counter[str]()
        for seed in seeds(CASES[name]):
            self.one(name, seed, counts, kinds)
        if not few():
            self.assertGreater(counts["carried"], CASES[name] * 0.7, counts)
            self.assertGreater(counts["carried"], 4 * counts["stays"], counts)
            self.assertGreater(len(kinds), 1, kinds)

    def one(self, name: str, seed: int, counts: Counter[str], kinds: Counter[str]) -> None:
        folder, made, rng = self.begun(name, seed)
        parent = rng.choice(["t1", "t2"])
        themes = folder / "themes"
        released = _contents(themes / parent)
        edited = {path for _ in range(rng.randint(1, 4)) if (path := self.edit(themes / parent, made, rng, parent))}
        if not edited:
            return
        before = self.ran(name, folder)
        if before["fatal"] is not None:
            return
        now = _contents(themes / parent)
        with closing(Bench(folder)) as bench:
            plan, told = plan_rescue(bench, parent)
            with apply.hold_lock(bench.store, "rescue"):
                apply.carry_out(plan, bench.store)
        said = f"{name} {seed}: {[(r.edit.path, r.words, r.why) for c in told.children for r in c.rows]}"
        self.assertEqual(self.ran(name, folder), before, said)
        stays = {row.edit.path for row in told.stays}
        self.assertEqual(_contents(themes / parent), {p: (now if p in stays else released)[p] for p in released}, said)
        counts["stays"] += len(stays)
        counts["carried"] += len(edited - stays)
        kinds.update(unit.kind for child in told.children for row in child.rows for unit, _ in row.words if unit)
        with closing(Bench(folder)) as bench:
            rows = check(bench, []).reports[0]
            self.assertLessEqual(
                {row["verdict"] for row in rows["overrides"] if row["listed"]}, {"holds"}, (said, rows)
            )
            codes = {finding["code"] for finding in rows["findings"]}
            self.assertEqual("edited-parent" in codes, bool(stays), said)
            self.assertNotIn("edits-wiped-out", codes, said)

    def edit(self, folder: Path, made: Worded, rng: random.Random, theme: str) -> str:
        """Change one word, or put an element around or beside one, in some file of a theme: its path."""
        files = sorted(
            p for p in folder.rglob("*") if p.is_file() and p.suffix in (".html", ".php", ".py", ".json", ".css")
        )
        file = rng.choice(files)
        text = file.read_text("utf-8")
        own = [
            w for w, (t, p, _) in made.truth.items() if t == theme and p == str(file.relative_to(folder)) and w in text
        ]
        if not own:
            return ""
        word = rng.choice(own)
        new = made.phrase(theme, "edited", "edited", 1)
        if "<p>" in text and rng.random() < 0.3:
            text = text.replace("<p>", '<p class="edited">', 1)
        text = text.replace(word, rng.choice([new, f"{word} {new}"]))
        file.write_text(text, "utf-8")
        return str(file.relative_to(folder))


def _contents(folder: Path) -> dict[str, bytes]:
    return {str(p.relative_to(folder)): p.read_bytes() for p in folder.rglob("*") if p.is_file()}


class QuaysideRescueTest(RescueCase):
    def test_the_site_stays_the_same(self) -> None:
        self.compare("quayside")


@unittest.skipUnless(shutil.which("php"), "there is no PHP here")
class HostedRescueTest(RescueCase):
    def test_millrace(self) -> None:
        self.compare("millrace")

    def test_hedgerow(self) -> None:
        self.compare("hedgerow")

    def test_kiln(self) -> None:
        self.compare("kiln")


class LightenTest(SameSiteCase):
    def test_the_site_stays_the_same(self) -> None:
        lighter = 0
        for seed in seeds(60):
            folder, made, rng = self.begun("quayside", 10_000 + seed)
            with closing(Bench(folder)) as bench:
                for unit in ("template:pages/base.html", "template:parts/one.html"):
                    try:
                        plan, _ = plan_override(bench, bench.theme("t0"), [unit])
                    except ProtyponError:
                        continue
                    with apply.hold_lock(bench.store, "override"):
                        apply.carry_out(plan, bench.store)
                    break
                else:
                    continue
            copy = folder / "themes" / "t0" / unit.partition(":")[2]
            text = copy.read_text("utf-8")
            place = rng.choice([m.end() for m in re.finditer(r"(?m)^", text)])
            copy.write_text(
                text[:place] + f"<p>{made.phrase('t0', 'edited', 'edited', 2)}</p>\n" + text[place:], "utf-8"
            )
            before = self.ran("quayside", folder)
            with closing(Bench(folder)) as bench:
                plan, told = plan_lighten(bench, bench.theme("t0"), [unit])
                with apply.hold_lock(bench.store, "lighten"):
                    apply.carry_out(plan, bench.store)
            self.assertEqual(self.ran("quayside", folder), before, seed)
            lighter += sum(row.result.state is not None for row in told)
        if not few():
            self.assertGreater(lighter, 5)
