"""Label text: what a module's label says, and what people type from it.

The formal label of each generation (JESD21-C 4.20 for DDR2, DDR3 and DDR4; JESD401-5 for DDR5) and the words people use
instead are rows of one table (`label_words`), read in one run (`label_reader`). Nothing is guessed: two pieces that say different
things leave the member unknown and are reported, and what no row knows stays listed as not understood.
"""

from __future__ import annotations

import re

from umbrak.core.memory.label_reader import LabelReading, Reader, Understood
from umbrak.core.memory.label_words import PATTERNS

__all__ = ["MAX_LABEL_LENGTH", "LabelReading", "Understood", "decode_label", "part_in", "serial_in"]

#: Longest text taken as one label; a longer one is a document, not a label.
MAX_LABEL_LENGTH = 400


def decode_label(text: str) -> LabelReading:
    """The module that a label's text describes, with every piece that was and was not understood.

    Parameters
        text : str   one label, in any spelling; only the first `MAX_LABEL_LENGTH` characters are read

    Returns
        LabelReading; a text that is no module gives an empty module and nothing understood

    Examples
        >>> decode_label("16GB 2Rx8 PC4-2400T-RE1-11").module.short()
        '16 GB 2Rx8 DDR4-2400 registered'
    """
    reader = Reader(text[:MAX_LABEL_LENGTH])
    if other := _other_thing(reader.text):
        reader.complaints.append(f"“{other}”: this reads as something else than a memory module")
        return reader.result(text)
    for pattern, handle in PATTERNS:
        for match in pattern.finditer(reader.text):
            reader.offer(match, handle)
    return reader.result(text)


def serial_in(text: str) -> str:
    """The serial number in what was typed or scanned into a field for one: of a code or label that names it, else the text itself."""
    return decode_label(text).module.serial or text.strip()


def part_in(text: str) -> str:
    """The part number in what was typed or scanned into a field for one, as `serial_in` has it."""
    return decode_label(text).module.part or text.strip()


#: Words of what has a capacity too and is no memory module: drives, graphics memory, sticks and cards for the pocket.
_OTHER = re.compile(
    r"(?<![A-Z0-9])(?:SSDs?|HDDs?|SSHD|NVMe|S?ATA(?:\s?(?:II+|[1-6]))?|eMMC|U?SAS|hard\s?(?:disk|drive)s?|solid[\s-]?state|M\.2|(?:micro|mini)?\s?SD(?:HC|XC)"
    r"|micro\s?SD|compact\s?flash|USB(?:\s?[23](?:\.\d)?)?|pen\s?drive|thumb\s?drive|flash\s?(?:drive|disk|card)|GDDR\d?X?|HBM\d?|VRAM"
    r"|graphics?\s?card|video\s?card|rpm|LTO-?\d?)(?![A-Z0-9])",
    re.I,
)
#: Words that only a memory module's label has.
_MEMORY = re.compile(
    r"(?<![A-Z])(?:DDR\s?-?[2-5]|PC\s?-?[2-5]L?\s?-|(?:SO|U|R|LR|FB)?[\s-]?DIMMs?(?![A-Z])|\dRx\d)", re.I
)


def _other_thing(text: str) -> str | None:
    """The word by which a text tells of something else than a memory module; None where it may be one."""
    found = _OTHER.search(text)
    return found[0] if found and not _MEMORY.search(text) else None
