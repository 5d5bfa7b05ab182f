"""Code in a text, followed as if it stood where it is run (PHP manual, eval; https://docs.python.org/3/library/functions.html#exec)."""

from __future__ import annotations

from protypon.core.analysis import outside
from protypon.core.analysis.machine import Frame, Machine
from protypon.core.analysis.memory import join
from protypon.core.analysis.values import File
from protypon.core.languages.code import ANY, Code, Do, Op, Opaque
from protypon.core.languages.registry import coded_language
from protypon.core.languages.values import foreign

LONGEST = 20_000


def run(m: Machine, node: Op, frame: Frame) -> object:
    """What it gives; where the text is not known, it may do anything."""
    given = [m.value(part, frame) for part in node.parts]
    text = given[0] if len(given) == 1 else None
    code = _read_code(frame, text, node.op) if isinstance(text, str) and len(text) < LONGEST else None
    whole = not frame.file.semantics.COPIES and (frame.function is not None or frame.in_class)
    if code is None or (whole and node.op == "exec"):
        outside.anything(m, Opaque(f"{node.op} of a text", (), True, ANY, ANY), frame)
        m.control.may_raise("code in a text")
        return foreign("what code in a text gives")
    inside = Frame(
        File(frame.file.theme, frame.file.path, code, frame.file.semantics), frame.env, frame.function, frame.this, frame.line, frame.cls,
        frame.static,
    )  # fmt: skip
    inside.elsewhere, inside.kept, inside.items, inside.given = frame.elsewhere, frame.kept, frame.items, frame.given
    m.frames.append(inside)
    try:
        if node.op == "eval" and not frame.file.semantics.COPIES:
            return m.value(code.body[0].value, inside) if isinstance(code.body[0], Do) else None
        found = m.control.catching(inside, lambda: m.block(code.body, inside))
    finally:
        m.frames.pop()
    return join(found, "what code in a text gives")


def _read_code(frame: Frame, text: str, how: str) -> Code | None:
    return coded_language(frame.file.semantics.LANGUAGE).in_text(text, how)
