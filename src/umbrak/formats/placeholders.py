"""What firmware writes where it has nothing to say."""

from __future__ import annotations

import re

from umbrak.formats.text import cleaned

_WORDS = {
    "", "unknown", "not specified", "not provided", "none", "<out of spec>", "no dimm", "no module installed", "empty", "[empty]",
    "to be filled by o.e.m.", "default string", "undefined", "n/a", "na", "not available", "other", "<bad index>", "null",
    "unspecified", "not present", "absent", "-", "?", "not applicable", "not set", "not assigned", "not defined", "none specified",
    "invalid", "default", "tbd", "tba", "oem", "o.e.m.", "sn", "s/n", "no serial number", "no asset tag", "no asset information",
    "$(default_string)", "to be filled by oem", "to be filled by o.e.m", "to be filled", "fill by oem",
}  # fmt: skip
#: One character over and over, figures or letters in a row, and names of fields as their own values ("System Serial Number").
_ALSO = re.compile(
    r"(.)\1{5,}|0?1234567(?:8(?:9(?:0|a(?:bcdef)?)?)?)?|abcdefgh?i?j?|"
    r"(?:type\d-)?(?:system|chassis|enclosure|board|baseboard|motherboard|product|processor)-?(?:serial(?:number)?|productname|product|name|manufacturer|version|family|sku(?:number)?|assettag|partnumber)"
)
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
    joined = bare.replace(" ", "")
    return None if bare in _WORDS or _FILLERS.fullmatch(joined) or _ALSO.fullmatch(joined) else text
