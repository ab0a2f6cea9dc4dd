"""Text out of untrusted bytes, lines out of text, words and numbers out of lines: decoded, cut and cleaned here, once."""

from __future__ import annotations

import html
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
    """Bytes as text. Pastes come in whatever mail programs, terminals, tickets and web pages left; what is no UTF-8 costs its
    characters only. Lines stay at their numbers, but in a text whose every second line is blank: that one is told without them."""
    text = data.decode("utf-16" if is_wide(data) else "utf-8-sig", "replace")
    text = text.replace("\0", "") if "\0" in text else text
    text = text.replace("\r", "\n") if "\r" in text and "\n" not in text else text
    text = _ESCAPES.sub("", text) if "\x1b" in text else text
    text = unmailed(text) if _MARKED.search(text[:200_000]) else text
    text = _NO_WIDTH.sub("", _SPACES.sub(" ", text)) if not text.isascii() else text
    text = _FENCE.sub("", text) if "```" in text else text
    head = text[:20_000]
    text = _QUOTED.sub("", text) if _is_quoted(head) else text
    text = _INDENT.sub("", text) if _is_indented(head) else text
    # What XML declares stands at its very beginning, or is no declaration.
    text = text.lstrip() if head.lstrip().startswith("<?xml") else text
    text = _CURLY.sub('"', text) if _is_curled(head) else text
    return _PAIR.sub("\n", text) if _is_doubled(text[:20_000]) else text


#: What a terminal is told: colours, titles, moves (ECMA-48, control sequences and strings).
_ESCAPES = re.compile(
    r"\x1b(?:\[[0-?]{0,30}[ -/]{0,4}[@-~]|\][^\x07\x1b]{0,300}(?:\x07|\x1b\\)|[ -/]{0,2}[0-Z\\^_`a-z~])"
)
#: Spaces of other widths, as word processors and web pages write them; and what has none.
_SPACES = re.compile("[\u00a0\u2000-\u200a\u202f\u205f\u3000]")
_NO_WIDTH = re.compile("[\u200b-\u200d\u2060\ufeff]")
#: Around what is pasted as it was, in a ticket or a chat.
_FENCE = re.compile(r"^[ \t>]{0,8}```[\w+-]{0,20}[ \t]*$", re.M)
#: Quotation marks as a word processor turns them.
_CURLY = re.compile("[\u201c-\u201f]")
#: What a mail program puts before each line of what is answered.
_QUOTED = re.compile(r"^[ \t]{0,8}(?:>[ \t]?){1,8}", re.M)
#: What sets a text off as code where it is no fence.
_INDENT = re.compile(r"^(?: {4}|\t)", re.M)
_PAIR = re.compile(r"(?:\r\n?|\n)[ \t]*(?:\r\n?|\n)")


def _is_quoted(head: str) -> bool:
    """Whether nearly all of its lines are quoted: then the marks are none of the output's."""
    lines = [line for line in head.splitlines() if line.strip()]
    marked = [line for line in lines if line.lstrip().startswith(">")]
    # Of a single line only what could be nothing else.
    return len(marked) > 0.8 * len(lines) if len(lines) > 1 else any(line.lstrip(" \t>")[:1] in "{[" for line in marked)


def _is_doubled(head: str) -> bool:
    """Whether every second of its lines is blank, so that a blank line of the output's own is three."""
    lines = [line.strip() for line in head.strip().splitlines()]
    return sum(map(bool, lines)) > 1 and not any(lines[1::2])


def _is_indented(head: str) -> bool:
    return (
        all(not line.strip() or _INDENT.match(line) for line in head.splitlines()[:-1])
        and _INDENT.match(head) is not None
    )


def _is_curled(head: str) -> bool:
    """Whether it is JSON, which has no other quotation marks than its own, with marks that were turned in their place."""
    return head.lstrip()[:1] in ("{", "[") and '"' not in head and _CURLY.search(head) is not None


#: Marks that a mail program or a web page leaves in what was copied out of it.
_MARKED = re.compile(r"<br\s*/?>|&nbsp;|</(?:p|pre|div|td|tr|li|span)>", re.I)
_ENDS = re.compile(r"<br\s*/?>[ \t]*(?:\r?\n)?|</(?:p|pre|div|tr|li)>", re.I)
_CELLS = re.compile(r"</t[dh]>", re.I)
_TAG = re.compile(r"</?[a-z][a-z0-9]{0,10}(?:\s[^<>]{0,400})?/?>", re.I)


def unmailed(text: str) -> str:
    """HTML as the text that it shows: lines where it breaks them, cells apart, what stands for characters as those."""
    plain = _TAG.sub("", _CELLS.sub("\t", _ENDS.sub("\n", text)))
    return html.unescape(plain).replace("\xa0", " ")


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


_WHOLE = re.compile(r"\s*([0-9]{1,40})(?![0-9])")


def whole(text: str, digits: int = 9) -> int | None:
    """The whole number that a text begins with; None where it begins with none, or with one of more digits."""
    match = _WHOLE.match(text)
    return int(match[1]) if match and len(match[1]) <= digits else None
