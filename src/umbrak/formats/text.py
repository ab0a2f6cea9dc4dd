"""Text out of untrusted bytes, lines out of text, words and numbers out of lines: decoded, cut and cleaned here, once."""

from __future__ import annotations

import re
from collections.abc import Iterator

from umbrak.formats.bounds import Deadline

#: Of a line [characters]; what is longer is no line of anything that is read here, and is cut.
MAX_LINE = 4000
#: Of a name, part number or other words of a report [characters].
MAX_WORDS = 120
_BREAK = re.compile(r"\r\n?|[\n\x0b\x0c\x85\u2028\u2029]")
#: What no screen shows and no database takes: controls (but a tab), halves of surrogate pairs, turns of direction.
_UNPRINTED = re.compile("[\x00-\x08\x0b\x0c\x0e-\x1f\x7f-\x9f\u200e\u200f\u202a-\u202e\u2066-\u2069\ud800-\udfff\ufffe\uffff]")  # fmt: skip
_WIDE = (b"\xff\xfe", b"\xfe\xff")


def is_wide(data: bytes) -> bool:
    """Whether it begins with UTF-16's byte order mark."""
    return data[:2] in _WIDE


def decoded(data: bytes) -> str:
    """Bytes as text. Pastes come in whatever the mail program left; what is no UTF-8 costs its characters only."""
    text = data.decode("utf-16" if is_wide(data) else "utf-8-sig", "replace")
    return text.replace("\0", "") if "\0" in text else text


def numbered_lines(text: str, deadline: Deadline) -> Iterator[tuple[int, str]]:
    """(number from 1, line without its end and without what cannot be printed), each cut at MAX_LINE.

    One at a time: a list of them would take many times the text's memory. Raises InputError as the deadline does.
    """
    start, number = 0, 0
    for found in _BREAK.finditer(text):
        number += 1
        if number % 64 == 0:
            deadline.check(f"line {number}")
        yield number, printed(text[start : min(found.start(), start + MAX_LINE)])
        start = found.end()
    if start < len(text):
        yield number + 1, printed(text[start : start + MAX_LINE])


def printed(text: str) -> str:
    """The text without what cannot be printed."""
    return _UNPRINTED.sub("", text)


def cleaned(text: str, most: int = MAX_WORDS) -> str:
    """Words of a report as they may be kept and shown: printable, single spaces, cut with "…" at `most` characters."""
    # More than is kept is looked at, since what cannot be printed falls away; a megabyte of it is not.
    words = " ".join(printed(text[: 8 * most]).split())
    return words if len(words) <= most else words[: most - 1].rstrip() + "…"


def whole(text: str, digits: int = 9) -> int | None:
    """The whole number that a text begins with; None where it begins with none, or with one of more digits."""
    match = re.match(r"\s*([0-9]{1,40})(?![0-9])", text)
    return int(match[1]) if match and len(match[1]) <= digits else None
