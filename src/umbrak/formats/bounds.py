"""How much of anything untrusted is read, for how long, and how much is told of it.

What a reader may cost follows from these: MAX_SECONDS of time, and ten times its file in memory beside a floor of
FLOOR_BYTES (bench.hostile measures both).
"""

from __future__ import annotations

import time
from collections.abc import Callable

from umbrak.formats.faults import Fault, InputError

#: Of one file or answer [bytes].
MAX_BYTES = 20 << 20
#: A file sent in a form, with the form around it [bytes].
MAX_FORM_BYTES = MAX_BYTES + (64 << 10)
#: Spent on one file [s].
MAX_SECONDS = 5.0
#: Memory that any reading may take, however small its file [bytes].
FLOOR_BYTES = 64 << 20
#: Slots, processors, drives of one machine: far more than any has.
MAX_SLOTS, MAX_PROCESSORS, MAX_DRIVES = 1024, 64, 2048
#: Oddities and faults told of one input: whoever has more of them has another problem.
MAX_TOLD, MAX_FAULTS = 200, 50


def check_size(size: int, unit: str = "bytes") -> None:
    """Raises InputError when it is more than is read."""
    if size > MAX_BYTES:
        raise InputError("too-large", [Fault(f"{size} {unit}; at most {MAX_BYTES} are read", "the whole")])


class Deadline:
    """Gives up on an input that takes too long, or that nobody waits for any more, naming how far it was read.

    It counts the thread's own processor time: whether an input can be read does not depend on what else the machine does.
    """

    def __init__(self, seconds: float = MAX_SECONDS, left: Callable[[], bool] = lambda: False) -> None:
        self._seconds = seconds
        self._end = time.thread_time() + seconds
        self._left = left

    def check(self, where: str) -> None:
        """Raises InputError once the time is over. `where` is what was reached, such as "line 7"."""
        if time.thread_time() > self._end:
            raise InputError("too-slow", [Fault(f"reading took more than {self._seconds:g} s and was given up", where)])
        if self._left():
            raise InputError("given-up", [Fault("nobody waits for it any more", where)])
