"""Message catalogues of GNU gettext."""

from __future__ import annotations

from protypon.core.languages.data import po_text
from protypon.core.languages.data.structured import Structured

VERSION = "po/1"
ANY_ENCODING = False
_OWN = Structured(po_text.table, placed=po_text.lines, edit=po_text.with_values, own_comments=po_text.own_comments)
facts, significant, problems = _OWN.facts, _OWN.significant, _OWN.problems
leaves, lines, with_values = _OWN.leaves, _OWN.lines, _OWN.with_values
