"""Characters that no page, table or typeface has: control characters, halves of characters, marks of byte order."""

from __future__ import annotations

import re

# What XML 1.0 (section 2.2) has no place for, the C1 controls that it discourages, and the mark of byte order.
_NO_CHARACTERS = re.compile("[\x00-\x08\x0b\x0c\x0e-\x1f\x7f-\x9f\ud800-\udfff\ufeff\ufffe\uffff]")


def plain(text: str) -> str:
    """Return a text with a space in the place of what is no character; what is none is seldom, so the text is mostly itself."""
    return text if _NO_CHARACTERS.search(text) is None else _NO_CHARACTERS.sub(" ", text)
