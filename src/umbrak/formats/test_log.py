"""The verdict in a memory test's log: how many passes, how many errors. Whatever wrote it, in the words such tools share."""

from __future__ import annotations

import re
from dataclasses import dataclass

from umbrak.formats.bounds import Deadline, check_size
from umbrak.formats.faults import Fault, InputError
from umbrak.formats.text import decoded, numbered_lines

_PASSES = (
    re.compile(r"\bpass(?:es)?\s*(?:completed?|done|count)?\s*[:=#]?\s*(\d{1,6})\b", re.I),
    re.compile(r"\b(\d{1,6})\s+(?:complete(?:d)?\s+)?pass(?:es)?\b", re.I),
    re.compile(r"\bloop\s*[:=#]?\s*(\d{1,6})\b", re.I),
)
_ERRORS = (
    re.compile(r"\b(?:total\s+)?(?:errors?|failures?|mismatches)\s*(?:found|count)?\s*[:=]\s*(\d{1,12})\b", re.I),
    re.compile(r"\b(\d{1,12})\s+(?:errors?|failures?|mismatches)\b", re.I),
)
_NONE = re.compile(r"\b(?:no|without(?: any)?|zero)\s+(?:errors?|failures?|mismatches)\b", re.I)
_FAILED = re.compile(r"\b(?:fail(?:ed|ure)?|bad\s+(?:address|cell|bit)|mismatch\s+at|error\s+at)\b", re.I)
_PASSED = re.compile(r"\b(?:test\s+passed|passed|all\s+tests?\s+ok|status\s*[:=]\s*ok|result\s*[:=]\s*ok)\b", re.I)


@dataclass(frozen=True, slots=True)
class LogVerdict:
    passes: int
    errors: int
    #: The lines that said so.
    because: tuple[str, ...]


def read_test_log(raw: bytes) -> LogVerdict:
    """Search a log for its verdict. The highest count of each counts: tools print running totals.

    Raises InputError where nothing in it tells of passes or errors; too large, too slow.
    """
    check_size(len(raw))
    last = 0
    passes, errors, failed, passed = 0, 0, 0, False
    because: list[str] = []
    told = False
    for number, whole_line in numbered_lines(decoded(raw), Deadline()):
        last = number
        line = " ".join(whole_line[:600].split())[:300]
        found_errors = max((int(m.group(1)) for p in _ERRORS for m in p.finditer(line)), default=None)
        found_passes = max((int(m.group(1)) for p in _PASSES for m in p.finditer(line)), default=None)
        clean = found_errors == 0 or bool(_NONE.search(line))
        ok = bool(_PASSED.search(line))
        bad = bool(_FAILED.search(line)) and not clean and not ok
        if found_errors is None and found_passes is None and not (clean or bad or ok):
            continue
        told = True
        errors = max(errors, found_errors or 0)
        passes = max(passes, found_passes or 0)
        failed += bad
        passed = passed or ok or clean
        because = [*because[-7:], line]
    if not told:
        raise InputError(
            "no-verdict",
            [Fault("nothing in this log tells of passes or errors; enter the verdict by hand", f"lines 1 to {max(last, 1)}")],
        )  # fmt: skip
    errors = max(errors, failed)
    # A log that says that it passed without counting has passed once.
    return LogVerdict(passes or int(passed and not errors), errors, tuple(because))
