"""Completion in Bash, which takes a word apart at colons and leaves the quoting of what is completed to the program.

Click's own hands over words that Bash has split already, so that no address with a colon could be completed.
"""

from __future__ import annotations

import os
import re

from click.shell_completion import BashComplete, CompletionItem, add_completion_class, split_arg_string

_SOURCE = """\
%(complete_func)s() {
    local IFS=$'\\n' response completion
    response=$(env COMP_LINE="$COMP_LINE" COMP_POINT="$COMP_POINT" COMP_WORDBREAKS="$COMP_WORDBREAKS" \\
        %(complete_var)s=bash_complete "$1")
    COMPREPLY=()
    for completion in $response; do
        case $completion in
            dir,*) compopt -o dirnames ;;
            file,*) compopt -o default ;;
            plain,*) COMPREPLY+=("${completion#plain,}") ;;
        esac
    done
}
complete -o nosort -F %(complete_func)s %(prog_name)s
"""
_PLAIN = re.compile(r"[^\w@%+=:,./#~^-]")


class AddressComplete(BashComplete):
    """Completion from the line as it was typed."""

    source_template = _SOURCE

    def get_completion_args(self) -> tuple[list[str], str]:
        """The words before the one that is typed, and that one."""
        if "COMP_LINE" not in os.environ:
            return super().get_completion_args()
        words = split_arg_string(_line())
        return (words[1:], "") if not _last_word()[1] else (words[1:-1], words[-1])

    def format_completion(self, item: CompletionItem) -> str:
        """What takes the place of the part of the word that Bash sees: what stands behind the last break in it."""
        if item.type != "plain" or "COMP_LINE" not in os.environ:
            return super().format_completion(item)
        quote, typed = _last_word()
        if quote:
            return f"plain,{item.value}"
        value = _PLAIN.sub(r"\\\g<0>", item.value)
        breaks = [typed.rfind(char) for char in os.environ.get("COMP_WORDBREAKS", ":=") if char in ":="]
        return f"plain,{value[max(breaks, default=-1) + 1 :]}"


def _line() -> str:
    """The line up to the cursor, which Bash counts in bytes."""
    return os.fsencode(os.environ["COMP_LINE"])[: int(os.environ["COMP_POINT"])].decode("utf-8", "surrogateescape")


def _last_word() -> tuple[str, str]:
    """The quote that stands open at the end of the line, if any, and the last word as it was typed."""
    quote, word, escaped = "", "", False
    for char in _line():
        if escaped:
            escaped = False
        elif quote:
            quote = "" if char == quote else quote
        elif char == "\\":
            escaped = True
        elif char in "'\"":
            quote = char
        elif char.isspace():
            word = ""
            continue
        word += char
    return quote, word


add_completion_class(AddressComplete, "bash")
