"""The tokens of one tag while they are read."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from protypon.core.languages.jinja.lexer import Token

RESERVED = {"true": True, "True": True, "false": False, "False": False, "none": None, "None": None}


class Refused(Exception):
    """A tag says what Jinja does not take; ``at`` is the offset of the token."""

    def __init__(self, at: int) -> None:
        super().__init__(at)
        self.at = at


class Tokens:
    """The tokens of one tag while they are read. All that reads raises Refused."""

    def __init__(self, tokens: Sequence[Token], line_of: Callable[[int], int]) -> None:
        self._tokens, self.line_of = tokens, line_of
        self._place = 0
        self.kind, self.text, self.at = tokens[0]

    def step(self) -> str:
        """Go on to the next token; gives the text of this one."""
        text = self.text
        if self.kind != "end":
            self._place += 1
            self.kind, self.text, self.at = self._tokens[self._place]
        return text

    def next_is(self, *texts: str) -> bool:
        """Whether the token after this one is one of some texts."""
        return self.kind != "end" and self._tokens[self._place + 1].text in texts

    def skip(self, text: str) -> bool:
        """Go over one token, if it is that."""
        if self.text != text or self.kind == "end":
            return False
        self.step()
        return True

    def expect(self, text: str) -> None:
        """Step over a token that must stand here. Raises Refused where it does not."""
        if not self.skip(text):
            raise Refused(self.at)

    def name(self) -> str:
        """Any name."""
        if self.kind != "name":
            raise Refused(self.at)
        return self.step()

    def target(self) -> str:
        """A name that can be given a value."""
        if self.text in RESERVED:
            raise Refused(self.at)
        return self.name()

    def finish(self) -> None:
        """Raises Refused where something is left before the end of the tag."""
        if self.kind != "end":
            raise Refused(self.at)
