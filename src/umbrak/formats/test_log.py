"""The verdict in a memory test's log: how many passes, how many errors. Whatever wrote it, in the words such tools share.

A pass counts once the log says that it ended: one that began, a percentage, or how many were asked for is none. What can be read
as an error is one.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass

from umbrak.formats.bounds import Deadline, check_size
from umbrak.formats.faults import Fault, InputError
from umbrak.formats.text import decoded, numbered_lines

_BAD = r"(?:errors?|failures?|fails?|faults?|problems?|mismatch(?:es)?|miscompares?)"
_N = r"(\d[\d,.']{0,18}\d|\d|0x[0-9a-f]{1,16}|none|no|nil)"
_ROUND = r"(?:pass(?:es)?|loops?|iterations?|cycles?|rounds?)"


def _any(*patterns: str) -> tuple[re.Pattern[str], ...]:
    return tuple(re.compile(p) for p in patterns)


#: Counted errors; what is said of corrected ones is one too.
_ERRORS = _any(
    rf"\b{_BAD}\s*(?:were\s+)?(?:found|detected|seen|counted|corrected|count|total|so far)?\s*(?:[:=]|is|are|was|were)?\s*{_N}(?![\w%]|\s*!=)",
    rf"(?<![\w./#:])(?<!test ){_N}\s+(?:[a-z]+\s+)?{_BAD}\b(?!\s*[:=]|\s+\d)",
    rf"\b(?:failed|bad)\s*(?:tests?|cells?|bits?|addresses)?\s*[:=]\s*{_N}(?![\w%])",
    rf"\bbad\s+(?:cells?|bits?|addresses)\s+{_N}(?![\w%])",
    rf"\b(?:correct(?:ed|able|ions?)|ecc\s+(?:events?|count))\s*[:=]\s*{_N}(?![\w%])",
    rf"(?<![\w./#:]){_N}\s+(?:bits?\s+)?(?:ecc\s+)?(?:corrections?|corrected)\b",
    rf"(?<![\w./#:])(?<!test )(?<!test no\. ){_N}\s+(?:tests?\s+)?failed\b",
)
_WITHOUT = re.compile(rf"\b(?:without(?: any| an)?|zero|free of)\s+(?:\w+\s+)?{_BAD}\b|\berror[- ]free\b")
_FAILED = re.compile(
    rf"\b{_BAD}\s+(?:were\s+|have\s+been\s+)?(?:detected|found|occurred)\b|\b(?:with|there\s+(?:are|were)|(?:detected|found))\s+(?:[a-z]+\s+)?{_BAD}\b"
    r"|\b(?:fail(?:s|ed|ure)?|bad\s+(?:address|cell|bit)|mismatch|miscompare|error\s+at)\b|\bnot\s+ok\b"
)
#: Settings, and words that hold one of failing without any.
_SETTINGS = re.compile(
    r"\bpass\s*(?:/|or)\s*fail\b|\bfail[- ]?(?:over|fast|safe)\b"
    r"|\b(?:on|upon|(?:stop|halt)s?\s+(?:at|with)|if)\s+(?:the\s+|an?\s+)?(?:first\s+)?(?:fail(?:ure)?|error)s?\b"
    r"|\b(?:max(?:imum)?(?:\s+number\s+of)?|(?:stop|abort|halt|exit)\s+(?:after|on|at)|up\s+to|at\s+most)\s+(?:\d+\s+)?errors?\b(?:\s*[:=]\s*\d+)?"
)
_SO_FAR = re.compile(r"\b(?:so far|yet|until now)\b")
_PASSED = re.compile(r"\b(?:passed|all\s+(?:tests?\s+)?ok|(?:status|result|verdict|test)\s*[:=]\s*(?:ok|pass|good))\b")
_NOT_PASSED = re.compile(
    r"\b(?:not|never|didn.t|hasn.t|wasn.t|no\s+tests?|0(?:\s+of\s+\d+)?(?:\s+tests?)?)\s+(?:have\s+|has\s+|been\s+|yet\s+)*pass(?:ed)?\b|\bpassed\s*[:=]\s*0\b"
)
#: How many of how many passed.
_PART = re.compile(r"\b(\d{1,6})\s*(?:of|/|out of)\s*(\d{1,6})\s+(?:tests?\s+)?passed\b")

#: Passes that ended, counted.
_ENDED = _any(
    rf"\b{_ROUND}\s+(?:completed?|done|finished|ended|count)\s*[:=#]?\s*(\d{{1,6}})(?!\d|\.\d|%)",
    rf"\b(?:completed?|finished|done|ended)\s*[:=]?\s*(\d{{1,6}})\s*(?:(?:/|of)\s*\d+\s*)?(?:full\s+)?{_ROUND}\b",
    rf"(?<![\d./,])(\d{{1,6}})\s*(?:/|of|out of)\s*\d{{1,6}}\s+{_ROUND}\b",
    rf"(?<![\w./,:])(?<!of )(?<!of the )(?<!running )(\d{{1,6}})\s+(?:completed?\s+|full\s+|clean\s+)?{_ROUND}\b(?!\s*[:=#]?\s*\d|\s*(?:to go|left|remain|requested|planned|wanted|each|of))",
    r"\bpasses\s*[:=]?\s*(\d{1,6})(?!\d|\.\d|%)",
)
#: A pass by its number. Told with a colon it is how such tools count those that ended.
_NUMBERED = re.compile(rf"\b({_ROUND})\s*(?:no\.?|number|#|[:=])?\s*#?(\d{{1,6}})(?!\d|\.\d|%)(?:\s*(?:/|of)\s*\d+)?")
_COUNTER = re.compile(r"\bpass\s*[:=]\s*\d{1,6}(?![\d.%]|\s*(?:/|of))")
_ASKED_FOR = re.compile(
    r"\b(?:will|want(?:ed)?|request(?:ed)?|plan(?:ned)?|config(?:ured)?|going to|to run|set to|run(?:ning)?\s+for|options?|arguments?|usage)\b"
)
_UNDER_WAY = re.compile(
    r"\b(?:start(?:s|ed|ing)?|begin(?:s|ning)?|began|running|testing|in progress|current|now|setting|test\s*(?:no\.?|#|:|=)?\s*#?\d+)\b|\d\s*%"
)
_DONE = re.compile(r"\b(?:is\s+)?(?:completed?|done|finished|ended|ok|passed|over)\b")
#: That the whole is over, and that it was broken off.
_OVER = re.compile(
    r"^\W*done\b|\b(?:tests?|testing|run|memory)\b.*\b(?:completed?|finished|done|over|ended)\b|\bfinished\b|\ball\s+(?:tests?\s+)?(?:ok|passed|done)\b"
)
_BROKEN_OFF = re.compile(
    r"\b(?:abort(?:ed|ing)?|interrupt(?:ed)?|cancel(?:l?ed|ling)?|terminated|killed|stopped|halted|sigint|sigterm|user\s+break|incomplete|unfinished|not\s+(?:completed?|finished))\b"
)
_MAY_BREAK_OFF = re.compile(r"\b(?:press|hit|type|use|to)\b.*\b(?:abort|cancel|stop|interrupt|quit|exit)\b")

_SIZE = re.compile(
    r"\b(?:want|got|allocated|locked|tested|memory\s+(?:to\s+test|tested|under\s+test)|test(?:ed)?\s+(?:size|memory))\b[^\d\n]{0,12}(\d[\d.,]*)\s*(bytes|b|[kmgt]i?b?)\b"
)
_UNITS = {"b": 2.0**-30, "k": 2.0**-20, "m": 2.0**-10, "g": 1.0, "t": 2.0**10}


@dataclass(frozen=True, slots=True)
class LogVerdict:
    #: That ended, with errors or without.
    passes: int
    errors: int
    #: The lines that said so.
    because: tuple[str, ...]
    #: How much memory it says it tested; None where it does not say.
    tested_gib: float | None = None


def read_test_log(raw: bytes) -> LogVerdict:
    """Search a log for its verdict. The highest count of each counts: tools print running totals.

    Raises InputError where nothing in it tells of passes or errors; too large, too slow.
    """
    check_size(len(raw))
    last, verdict = 0, _Verdict()
    for number, whole_line in numbered_lines(decoded(raw), Deadline()):
        last = number
        verdict.take(" ".join(whole_line[:600].split())[:300])
    if not verdict.told:
        raise InputError(
            "no-verdict",
            [Fault("nothing in this log tells of passes or errors; enter the verdict by hand", f"lines 1 to {max(last, 1)}")],
        )  # fmt: skip
    errors = max(verdict.errors, verdict.failed)
    return LogVerdict(verdict.passes, errors, tuple(verdict.because), verdict.tested_gib)


class _Verdict:
    """What the lines read so far come to."""

    def __init__(self) -> None:
        self.told = False
        self.errors, self.failed = 0, 0
        self.because: list[str] = []
        self.tested_gib: float | None = None
        #: Passes counted as ended; the last one that began.
        self._ended, self._begun = 0, 0
        self._counted = False
        #: That it passed, that it was over, that it was broken off.
        self._passed, self._over, self._broken = False, False, False

    @property
    def passes(self) -> int:
        """A pass that began has ended when the next one begins, or when all is over. A log that says that it passed, and counts
        none, has passed once."""
        whole = not self._broken
        ended = self._begun if whole and (self._over or self._passed) else max(self._begun - 1, 0)
        once = int(
            whole and self._passed and not self._begun and not self._counted and not self.errors and not self.failed
        )
        return max(self._ended, ended, once)

    def take(self, line: str) -> None:
        said = line.lower()
        if len(said) < len("fail"):
            return  # the shortest word that tells anything
        self._size(said)
        found = _SETTINGS.sub("", said)
        errors = list(_numbers(_ERRORS, found))
        clean = bool(_WITHOUT.search(said)) or (bool(errors) and not max(errors))
        not_passed = bool(_NOT_PASSED.search(said))
        failing = not_passed or bool(_FAILED.search(found))
        bad = failing and not errors and not (clean and not not_passed)
        part = next((m for m in _PART.finditer(said) if int(m.group(1)) < int(m.group(2))), None)
        passed = bool(_PASSED.search(said)) and not bad and not not_passed and not part and not any(errors)
        broken = bool(_BROKEN_OFF.search(said)) and not _MAY_BREAK_OFF.search(said)
        counted, begun = self._rounds(said, bool(errors) or clean or passed, broken)
        self._broken |= broken
        self._over = (self._over and not begun) or (bool(_OVER.search(said)) and not broken and not bad)
        if not (errors or clean or bad or passed or part or counted or begun):
            return
        self.told = True
        self.errors = max([self.errors, *errors])
        self.failed += bad
        self._passed = self._passed or passed or (clean and not begun and not _SO_FAR.search(said))
        self.because = [*self.because[-7:], line]

    def _rounds(self, said: str, has_result: bool, broken: bool) -> tuple[bool, bool]:
        """Whether the line counts passes that ended, and whether it tells of one that began."""
        if _ASKED_FOR.search(said):
            return False, False
        ended = [int(m.group(1)) for p in _ENDED for m in p.finditer(said)]
        numbered = [int(m.group(2)) for m in _NUMBERED.finditer(said) if not m.group(1).endswith("es")]
        under_way = bool(_UNDER_WAY.search(said))
        if broken:
            ended += [int(m.group(2)) for m in _NUMBERED.finditer(said) if _DONE.match(said[m.end() :].lstrip(" :,-"))]
        elif numbered and not under_way and (_COUNTER.search(said) or has_result or _DONE.search(said)):
            ended += numbered
        self._ended, self._counted = max([self._ended, *ended]), self._counted or bool(ended)
        begun = [n for n in numbered if n not in ended]
        self._begun = max([self._begun, *begun])
        return bool(ended), bool(begun)

    def _size(self, said: str) -> None:
        for m in _SIZE.finditer(said):
            amount = float(m.group(1).rstrip(".,").replace(",", ""))
            self.tested_gib = amount * _UNITS[m.group(2)[0]]


def _numbers(patterns: tuple[re.Pattern[str], ...], said: str) -> Iterator[int]:
    for pattern in patterns:
        for m in pattern.finditer(said):
            told = m.group(1)
            if told in ("none", "no", "nil"):
                yield 0
            else:
                yield int(told, 16) if told.startswith("0x") else int(re.sub(r"[,.']", "", told))
