"""What firmware writes where it has nothing to say."""

from __future__ import annotations

import re

from umbrak.formats.text import cleaned

_WORDS = {
    "", "unknown", "not specified", "not provided", "none", "<out of spec>", "no dimm", "no module installed", "empty", "[empty]",
    "to be filled by o.e.m.", "default string", "undefined", "n/a", "na", "not available", "other", "<bad index>", "null",
    "unspecified", "not present", "absent", "-", "?", "xxxx",
}  # fmt: skip
#: Zeros or all ones of any length, dots that listings print for what is no character (FFh), and names of fields left as their own values ("PartNum0", "A1_Manufacturer0").
_FILLERS = re.compile(
    r"(?:0x)?(?:0+|f{4,})|\.{2,}|(?:[a-z]+\d+_)?(?:manufacturer|partnum(?:ber)?|modulepartnumber|sernum|serialnumber|assettag(?:num)?)\d*"
)


def told(value: object) -> str | None:
    """The text, cleaned; None where it only fills a field, or is no text."""
    if not isinstance(value, str):
        return None
    text = cleaned(value).strip(" \xff\ufffd")
    bare = text.lower()
    return None if bare in _WORDS or _FILLERS.fullmatch(bare.replace(" ", "")) else text
