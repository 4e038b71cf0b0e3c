"""Which encoding the bytes of a text are in, or that they are no text."""

from __future__ import annotations

from vettore.core.errors import Fault
from vettore.files.refusals import FileError

# The beginning of a file, by which its encoding and its layout are guessed.
SAMPLE_BYTES = 64 * 1024
ENCODING_NAMES = {"utf-8-sig": "UTF-8 with mark", "cp1252": "Latin-1 (Windows)", "utf-16-le": "UTF-16"}
# A sentence with more than this share of control characters is not text.
MOST_CONTROL = 0.02


def encoding_of(data: bytes, name: str) -> str:
    """Return the encoding of a text. Raises FileError when the bytes are no text."""
    if not data[:SAMPLE_BYTES].strip() and not data.strip():
        raise FileError(f"“{name}” is empty. Choose a file with a table of numbers.", Fault.NOTHING)
    encoding = _encoding(data)
    if encoding is None:
        kind = "a spreadsheet or an archive" if data[:2] == b"PK" else "not text"
        raise FileError(
            f"“{name}” is {kind}, so it cannot be read as a text table. Export it as CSV first.", Fault.FILE_KIND
        )
    return encoding


def text_of(data: bytes, encoding: str) -> str:
    """Return the text of bytes; a character cut off at their end is replaced, and the mark at their start dropped."""
    return data.decode(encoding, errors="replace").lstrip("\ufeff")


def _encoding(data: bytes) -> str | None:
    if data.startswith(b"\xef\xbb\xbf"):
        return "utf-8-sig"
    if data.startswith((b"\xff\xfe", b"\xfe\xff")):
        return "utf-16"
    head = data[:SAMPLE_BYTES]
    if b"\0" in head:
        even, odd = head[0::2].count(0), head[1::2].count(0)
        if odd > 0.4 * len(head) / 2 and even == 0:
            return "utf-16-le"
        if even > 0.4 * len(head) / 2 and odd == 0:
            return "utf-16-be"
        return None
    control = sum(head.count(code) for code in range(32) if code not in (9, 10, 12, 13, 26))
    if control > MOST_CONTROL * len(head):
        return None
    if data.isascii():
        return "utf-8"
    try:
        data.decode("utf-8")
        return "utf-8"
    except UnicodeDecodeError:
        pass
    try:
        data.decode("cp1252")
        return "cp1252"
    except UnicodeDecodeError:
        return "latin-1"
