"""Style sheets merged rule by rule, against the same edits made to a model, and read again by another reader than the merge has."""

from __future__ import annotations

import random
import unittest

from protypon.core.languages.css.rules import read
from protypon.core.merge import three_way
from protypon.core.merge.by_rule import is_merge, merge_rules
from protypon.core.store.git import merge_files
from tests.cases import few, seeds

CASES = 400
Place = tuple[str, str, str]
"""Group, selector, property."""
Model = dict[Place, str]
GROUPS = ["", "", "", "@media (min-width: 40em)", "@layer base"]
SELECTORS = [".menu a", ".lamp", "ul > li", "#foot p", ".card, .sheet", "a:hover"]
PROPERTIES = ["color", "margin-left", "gap", "z-index", "--sea", "order"]


def model(rng: random.Random) -> Model:
    found: Model = {}
    for _ in range(rng.randint(2, 5)):
        group, selector = rng.choice(GROUPS), rng.choice(SELECTORS)
        for name in rng.sample(PROPERTIES, k=rng.randint(1, 4)):
            found[group, selector, name] = f"{rng.randint(1, 99)}px"
    return found


def edited(rng: random.Random, data: Model) -> Model:
    found = dict(data)
    for _ in range(rng.randint(1, 3)):
        place, kind = rng.choice(list(found)), rng.random()
        if kind < 0.5:
            found[place] = f"{rng.randint(100, 999)}px"
        elif kind < 0.65 and len(found) > 2:
            del found[place]
        elif kind < 0.8:
            found[place[0], place[1], rng.choice(PROPERTIES)] = f"{rng.randint(100, 999)}px"
        else:
            found |= {(place[0], rng.choice(SELECTORS), n): "7px" for n in rng.sample(PROPERTIES, k=2)}
    return found


def written(data: Model, style: int) -> str:
    """The model as a sheet; rules in the order in which they were begun."""
    rules: dict[tuple[str, str], list[str]] = {}
    for (group, selector, name), value in data.items():
        rules.setdefault((group, selector), []).append(f"{name}: {value}")
    groups: dict[str, list[str]] = {}
    for (group, selector), said in rules.items():
        if style == 0:
            text = f"{selector} {{\n" + "".join(f"  {each};\n" for each in said) + "}"
        elif style == 1:
            text = f"{selector} {{ {'; '.join(said)} }}"
        else:
            text = f"/* {selector} */\n{selector}{{" + ";".join(each.replace(": ", ":") for each in said) + "}"
        groups.setdefault(group, []).append(text)
    return "\n".join(
        "\n".join(rules) if not group else f"{group} {{\n" + "\n".join(rules) + "\n}" for group, rules in groups.items()
    ) + ("\n" if style != 2 else "")


def expected(base: Model, ours: Model, theirs: Model) -> Model | None:
    found: Model = {}
    for place in {**base, **ours, **theirs}:
        b, o, t = base.get(place), ours.get(place), theirs.get(place)
        if o != b != t and o != t:
            return None
        chosen = t if o == b else o
        if chosen is not None:
            found[place] = chosen
    return found


def rows(text: str) -> list[str]:
    """What a sheet says, in no order."""
    return sorted(
        repr((r.selector, r.layer, r.conditions, d.name, d.value)) for r in read(text).rules for d in r.declarations
    )


class ByRuleTest(unittest.TestCase):
    def test_what_is_merged_is_what_models_merge_to(self) -> None:
        clean = saved = kept = 0
        for seed in seeds(CASES):
            rng = random.Random(f"rules {seed}")
            base = model(rng)
            ours, theirs = edited(rng, base), edited(rng, base)
            wanted = expected(base, ours, theirs)
            b, o, t = (written(each, seed % 3).encode() for each in (base, ours, theirs))
            made, by_lines = merge_rules((b, o, t)), three_way.merge_all([(b, o, t)], merge_files)[0].text
            clean += wanted is not None
            saved += made is not None and by_lines is None
            kept += made is not None
            with self.subTest(seed=seed):
                if made is not None:
                    self.assertIsNotNone(wanted, made.decode())
                    self.assertEqual(rows(made.decode()), rows(written(wanted or {}, 0)), made.decode())
                if by_lines is not None and is_merge(by_lines, (b, o, t)):
                    self.assertEqual(rows(by_lines.decode()), rows(written(wanted or {}, 0)), by_lines.decode())
        if not few():
            self.assertGreater(saved, CASES * 0.1)
            self.assertGreater(kept, clean * 0.9)

    def test_comments_and_every_other_byte_of_the_child_stay(self) -> None:
        base = "/* Pier */\n.a { color: red; gap: 1px }\n\n.b {\n  top: 1px;\n}\n"
        ours = "/* Ours */\n.a { color: blue; gap: 1px } /* mine */\n\n/* note */\n.b {\n  top: 1px; /* why */\n  left: 2px\n}\n.own{}\n"
        theirs = "/* Pier 2 */\n.a { color: red; gap: 9px }\n.new { order: 1 }\n\n.b {\n  top: 1px;\n  right: 3px;\n}\n"
        made = merge_rules((base.encode(), ours.encode(), theirs.encode()))
        self.assertEqual(
            (made or b"").decode(),
            "/* Ours */\n.a { color: blue; gap: 9px } /* mine */\n.new { order: 1 }\n\n/* note */\n"
            ".b {\n  top: 1px; /* why */\n  right: 3px;\n  left: 2px\n}\n.own{}\n",
        )

    def test_what_meets_is_left_to_a_person(self) -> None:
        base = ".a { margin: 1px; color: red }\n.b { top: 1px }\n@import 'x.css';\n"
        for ours, theirs in (
            (base.replace("red", "blue"), base.replace("red", "teal")),
            (base.replace(".b { top: 1px }", ""), base.replace("top: 1px", "top: 2px")),
            (base.replace("color: red", "color: red; margin-left: 3px"), base.replace("margin: 1px", "margin: 4px")),
            (base.replace("red", "blue"), ".b { top: 1px }\n.a { margin: 1px; color: red }\n"),
        ):
            self.assertIsNone(merge_rules((base.encode(), ours.encode(), theirs.encode())), (ours, theirs))


if __name__ == "__main__":
    unittest.main()
