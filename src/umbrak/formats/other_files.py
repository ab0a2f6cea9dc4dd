"""Files that are given for what they are not: what they are, and what to do with them instead."""

from __future__ import annotations

import re

_PICTURE = "a picture: type what it shows, a slot and its label a line"
_PACKED = "packed: unpack it, and give what was in it"
_PROGRAM = "a program: give what it prints"

#: How it begins (in hexadecimal, ".." any byte) -> what it is, and what to do.
_BEGINNINGS = (
    ("89504e47", _PICTURE),  # PNG
    ("ffd8ff", _PICTURE),  # JPEG
    ("47494638", _PICTURE),  # GIF
    ("52494646........57454250", _PICTURE),  # WebP
    ("........66747970", _PICTURE),  # HEIF and its kin
    ("49492a00", _PICTURE),  # TIFF
    ("255044462d", "a PDF: copy the text out of it, and paste that"),
    ("504b0304", "a spreadsheet or an archive: take it in with many at once"),
    (
        "d0cf11e0a1b11ae1",
        "a document of an older office program: save it as CSV or XLSX, and take it in with many at once",
    ),
    ("1f8b", f"{_PACKED} (gzip)"),
    ("425a68", f"{_PACKED} (bzip2)"),
    ("fd377a585a00", f"{_PACKED} (xz)"),
    ("28b52ffd", f"{_PACKED} (zstd)"),
    ("377abcaf271c", f"{_PACKED} (7z)"),
    ("52617221", f"{_PACKED} (rar)"),
    ("7f454c46", _PROGRAM),  # ELF
    ("4d5a..00", _PROGRAM),  # of DOS and what came after
)


def other_file(data: bytes) -> str | None:
    """What a file is that no report begins like, in words; None where it is not known."""
    if written_as(data) == "sheet":
        return "a sheet, which tells of a model: a report tells what one machine has in it"
    head = data[:16].hex()
    return next((words for begins, words in _BEGINNINGS if _begins(head, begins)), None)


def _begins(head: str, pattern: str) -> bool:
    return len(head) >= len(pattern) and all(p in (".", h) for p, h in zip(pattern, head, strict=False))


#: Files that are written for the commands -> a member that only they have.
_WRITTEN = {"sheet": "umbrak-sheet", "round": "waves", "case": "slots"}
#: Of a text, to find its members [bytes].
_LOOKED_AT = 100_000


def written_as(data: bytes) -> str | None:
    """Whether a text is a sheet, a round or a case, by its members; None where it is none of them."""
    text = data[:_LOOKED_AT].decode("utf-8", "replace")
    # In YAML they stand at the margin, in JSON in quotes.
    members = set(re.findall(r"^([a-z-]+):", text, re.MULTILINE))
    if text.lstrip().startswith("{"):
        members |= set(re.findall(r'[{,]\s*"([a-z-]+)"\s*:', text))
    return next((kind for kind, member in _WRITTEN.items() if member in members), None)
