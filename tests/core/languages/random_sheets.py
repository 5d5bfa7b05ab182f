"""Random pages and sheets, drawn from the grammar of CSS: layers, conditions, nesting, importance, shorthands, variables, imports."""

from __future__ import annotations

import random
from xml.etree import ElementTree

CLASSES = ["lamp", "tide", "pier", "net"]
IDS = ["hall", "rows", "foot"]
NAMES = ["div", "p", "span", "b"]


def page(rng: random.Random) -> ElementTree.Element:
    """A page as a tree; every element has a number."""
    root = ElementTree.Element("html")
    ElementTree.SubElement(root, "head")
    body = ElementTree.SubElement(root, "body", {"class": "page"})
    ids = IDS[:]
    rng.shuffle(ids)
    numbers = iter(range(100))

    def grow(parent: ElementTree.Element, depth: int) -> None:
        for _ in range(rng.randint(1, 3)):
            each = ElementTree.SubElement(parent, rng.choice(["div", "span"] if depth < 3 else NAMES))
            each.set("data-n", str(next(numbers)))
            each.set("class", " ".join(rng.sample(CLASSES, k=rng.randint(0, 3))))
            if ids and rng.random() < 0.25:
                each.set("id", ids.pop())
            if rng.random() < 0.3:
                each.set("data-k", rng.choice(["a", "b"]))
            each.text = "x"
            if depth < 3 and rng.random() < 0.75:
                grow(each, depth + 1)

    grow(body, 0)
    return root


def compound(rng: random.Random, depth: int = 0) -> str:
    parts = []
    if rng.random() < 0.35:
        parts.append(rng.choice([*NAMES, "*"]))
    for _ in range(rng.randint(0 if parts else 1, 2)):
        kind = rng.random()
        if kind < 0.6:
            parts.append("." + rng.choice(CLASSES))
        elif kind < 0.72:
            parts.append("#" + rng.choice(IDS))
        elif kind < 0.82:
            parts.append(rng.choice(["[data-k]", '[data-k="a"]', '[class~="tide"]', "[data-k=b i]"]))
        elif kind < 0.9:
            parts.append(
                rng.choice([":first-child", ":last-child", ":nth-child(2n+1)", ":not(:first-child)", ":only-child"])
            )
        elif depth < 2:
            word = rng.choice(["is", "where", "not"])
            inner = ", ".join(selector(rng, depth + 1) for _ in range(rng.randint(1, 2)))
            parts.append(f":{word}({inner})")
        else:
            parts.append("." + rng.choice(CLASSES))
    if depth and parts == ["*"]:  # cssselect2 takes :not(*) for something that matches
        parts.append("." + rng.choice(CLASSES))
    return "".join(parts)


def selector(rng: random.Random, depth: int = 0) -> str:
    found = compound(rng, depth)
    for _ in range(rng.choice([0, 0, 0, 1, 1, 2])):
        found += rng.choice([" ", " ", " > ", " + ", " ~ "]) + compound(rng, depth)
    return found


class Writer:
    """Writes sheets in which every value stands but once."""

    def __init__(self, rng: random.Random) -> None:
        self.rng, self.next = rng, 1

    def number(self) -> int:
        self.next += 1
        return self.next

    def declaration(self) -> str:
        rng, n = self.rng, self.number()
        bang = rng.choice(["", "", "", "", " !important", "!important"])
        shade = f"rgb({n % 250}, {n // 250}, 7)"
        return rng.choice(
            [
                f"background-color: {shade}{bang};",
                f"Background-Color: {shade}{bang};",
                f"z-index: {n}{bang};",
                f"margin-left: {n}px{bang};",
                f"margin: {n}px{bang};",
                f"margin: 1px 2px 3px {n}px{bang};",
                f"--net: {n}px{bang};",
                f"--Net: {n}px{bang};",
                f"margin-left: var(--net, {n}px){bang};",
                f"margin: var(--none, var(--net, {n}px)){bang};",
                f"outline-offset: var(--Net){bang};",
                f"outline-offset: {n}px{bang};",
            ]
        )

    def body(self, depth: int) -> str:
        rng, found = self.rng, []
        for _ in range(rng.randint(1, 4)):
            kind = rng.random()
            if depth < 2 and kind < 0.14:
                inner = rng.choice(["&", "& ", "> ", "", "+ ", ".tide &", "&.lamp "])
                own = "" if inner in ("&", ".tide &") else selector(rng, 1)
                found.append(f"{inner}{own or ''} {{ {self.body(depth + 1)} }}")
            elif depth < 2 and kind < 0.2:
                found.append(f"{self.group()} {{ {self.body(depth + 1)} }}")
            else:
                found.append(self.declaration())
        return " ".join(found)

    def group(self) -> str:
        return self.rng.choice(
            [
                "@media screen", "@media print", "@media (min-width: 600px)", "@media (max-width: 37.5em)", "@media not all",
                "@media (width >= 600px) and (height > 10px)", "@media print, (400px <= width < 5000px)", "@media not screen",
                "@media (not (min-width: 900px)) or (min-height: 1px)", "@media only screen and (max-width: 9999px)",
                "@supports (display: grid)", "@supports not (display: grid)",
            ]
        )  # fmt: skip

    def rule(self) -> str:
        many = ", ".join(selector(self.rng) for _ in range(self.rng.choice([1, 1, 1, 2, 3])))
        return f"{many} {{ {self.body(0)} }}"

    def block(self, depth: int = 0) -> str:
        rng, kind = self.rng, self.rng.random()
        if depth > 2 or kind < 0.6:
            return self.rule()
        inside = "\n".join(self.block(depth + 1) for _ in range(rng.randint(1, 3)))
        if kind < 0.75:
            return f"{self.group()} {{\n{inside}\n}}"
        if kind < 0.9:
            return f"@layer {rng.choice(['base', 'parts', 'parts.small', 'top', ''])} {{\n{inside}\n}}"
        return f"@layer {rng.choice(['top, base', 'parts.small', 'base'])};"

    def sheet(self, imports: list[str]) -> str:
        rng = self.rng
        head = [f"@layer {rng.choice(['top', 'base, top'])};"] if rng.random() < 0.2 else []
        for address in imports:
            name = rng.choice([f'"{address}"', f"url({address})", f"url('{address}')"])
            extra = rng.choice(
                ["", "", " layer", " layer(base)", " screen", " layer(parts.small) (min-width: 600px)", " print"]
            )
            head.append(f"@import {name}{extra};")
        return "\n".join([*head, *(self.block() for _ in range(rng.randint(1, 4)))]) + "\n"
