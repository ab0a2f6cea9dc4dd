"""Binary tables that somebody printed as text: hex dumps (`hexdump -C`, `xxd`, `od`, `i2cdump`, bare figures), and the untouched form of a
listing of SMBIOS structures ("Header and Data:" with the strings beneath)."""

from __future__ import annotations

import re
from collections.abc import Iterator

from umbrak.formats.bounds import Deadline
from umbrak.formats.faults import Fault, InputError
from umbrak.formats.text import numbered_lines

#: Offset, then bytes or words of figures, then what a dump shows of them as text.
_LINE = re.compile(
    r"^[\s>|]*(?:0x)?(?:([0-9a-f]{2,8}):|([0-9a-f]{4,8}))\s+((?:[0-9a-f]{2}|XX){1,2}(?:[ \t]{1,3}(?:[0-9a-f]{2}|XX){1,2}){0,31})(?=\s{2,}|\s*\||\s*$)",
    re.I,
)
#: The offset that a dump ends with.
_END = re.compile(r"^[\s>|]*([0-9a-f]{4,8})\s*$", re.I)
_FEW = re.compile(r"^[\s>|]*((?:[0-9a-f]{2}[\s:,]*){1,64})$", re.I)
_BARE = re.compile(r"^[\s>|]*((?:[0-9a-f]{2}[\s:,]*){8,64})$", re.I)
#: The head of an i2cdump: the low figures of the offsets.
_HEAD = re.compile(r"^\s*0\s+1\s+2\s+3\s+4\s+5\s+6\s+7\b")
_UNTOUCHED = re.compile(r"^[ \t>|]{0,40}Header and Data:", re.M)
_BYTES = re.compile(r"^[\s>|]*((?:[0-9A-F]{2}\s+)*[0-9A-F]{2})\s*$", re.I)
#: Of what stands so: the largest tables have some hundred thousand.
_MOST = 1 << 20


def looks_hexed(text: str) -> bool:
    head = [line for line in text[:8000].splitlines() if line.strip()][:40]
    if _UNTOUCHED.search(text[:100_000]):
        return True
    if len(head) > 1 and head[-1:] and len(text) > 8000:
        head = head[:-1]  # it may be cut
    hexed = sum(bool(_LINE.match(line) or _BARE.match(line)) for line in head)
    others = sum(
        not (_LINE.match(line) or _BARE.match(line) or _HEAD.match(line) or _END.match(line) or line.strip() == "*")
        for line in head
    )
    return (hexed >= 4 and others <= 3) or (hexed >= 2 and not others)


def unhexed(text: str, deadline: Deadline) -> bytes:
    """The bytes that the text prints.

    Raises
        InputError   an offset that is not where the bytes before it end, a byte that was not read, too large, too slow
    """
    if _UNTOUCHED.search(text[:100_000]):
        return b"".join(_structures(text, deadline))
    dump = _Dump()
    for number, line in numbered_lines(text, deadline):
        dump.line(number, line)
    return bytes(dump.found)


def _cut(message: str, number: int) -> InputError:
    return InputError("cut", [Fault(message=message, where=f"line {number}", line=number)])


class _Dump:
    """The bytes of a dump, line by line."""

    def __init__(self) -> None:
        self.found = bytearray()
        #: How many the last line had.
        self.last = 0
        #: Lines like the last one are left out here.
        self.repeats = False
        #: Whether its lines are figures alone; None until the first tells.
        self.bare: bool | None = None

    def line(self, number: int, line: str) -> None:
        if len(self.found) > _MOST:
            raise _cut(f"more than {_MOST >> 20} MiB of bytes", number)
        if line.strip() == "*":
            self.repeats = bool(self.found)
        elif not self.bare and (match := _LINE.match(line)) and not (self.bare is None and _is_bare(match, line)):
            self.bare = False
            self.at(number, int(match[1] or match[2], 16))
            if "X" in match[3].upper():
                raise _cut(f"bytes from {len(self.found)} on could not all be read (XX)", number)
            self.take(match[3], words_turned=match[1] is None)
        elif self.repeats and self.bare is False and (match := _END.match(line)):
            self.at(number, int(match[1], 16))
        elif self.bare is not False and (match := (_FEW if self.bare else _BARE).match(line)):
            self.bare = True
            self.take(re.sub(r"[^0-9a-fA-F]", " ", match[1]))

    def at(self, number: int, offset: int) -> None:
        if self.repeats:
            self.found += _again(self.found, self.last, offset)
        self.repeats = False
        if offset != len(self.found):
            begins = f"it begins at byte {offset}: what stands before that is not in it"
            raise _cut(
                begins if not self.found else f"offset {offset} where byte {len(self.found)} is due: lines are missing",
                number,
            )

    def take(self, figures: str, words_turned: bool = False) -> None:
        """`words_turned`: groups of four are numbers of 16 bits as the machine has them, the low byte first in memory."""
        groups = figures.split()
        if words_turned and all(len(g) == 4 for g in groups):
            groups = [g[2:] + g[:2] for g in groups]
        given = bytes.fromhex("".join(groups))
        self.last = len(given)
        self.found += given


def _again(found: bytearray, lines: int, to: int) -> bytes:
    """What a dump leaves out as being like the line above it, up to an offset."""
    missing = min(to, _MOST) - len(found)
    last = bytes(found[-lines:]) if lines else b""
    return (last * (missing // len(last) + 1))[:missing] if last and missing > 0 else b""


def _is_bare(first: re.Match[str], line: str) -> bool:
    """Whether the first line of a dump has no offset but only looks so: an offset there is zero."""
    return bool(int(first[1] or first[2], 16)) and first[1] is None and bool(_BARE.match(line))


def _structures(text: str, deadline: Deadline) -> Iterator[bytes]:
    """Structures of SMBIOS as tables have them (DSP0134, 6.1.2): the formatted part, the strings, and what ends them."""
    data, strings, part = bytearray(), list[bytes](), ""
    for number, line in numbered_lines(text, deadline):
        bare = re.sub(r"^[\s>|]+", "", line).strip()
        if re.match(r"Handle\s+0x[0-9A-F]+\s*,", bare, re.I):
            yield _whole(data, strings)
            data, strings, part = bytearray(), [], ""
        elif bare in ("Header and Data:", "Strings:"):
            part = bare
        elif part == "Header and Data:" and (match := _BYTES.match(bare)):
            data += bytes.fromhex("".join(match[1].split()))
            if len(data) > 255:
                raise _cut("a structure of more than 255 bytes", number)
        elif (
            part == "Strings:"
            and bare
            and not re.fullmatch(r"(?:[0-9A-F]{2} )*00|(?:[0-9A-F]{2} ){15}[0-9A-F]{2}", bare)
        ):
            strings.append(bare.strip('"').encode("latin-1", "replace"))
    yield _whole(data, strings)


def _whole(data: bytearray, strings: list[bytes]) -> bytes:
    if len(data) < 4:
        return b""
    # Its own length says how much of it is formatted; a cut one would shift all that follows.
    data[1] = len(data)
    return bytes(data) + (b"".join(s + b"\0" for s in strings if s) or b"\0") + b"\0"
