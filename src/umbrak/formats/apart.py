"""Readers of other people's making, each reading in a process of its own that may die of it.

A workbook's or a picture's reader cannot be asked to stop, and what it takes is its own choice: so the operating system
holds it to a time and a memory, and whatever becomes of it becomes of that one input only.

    python -m umbrak.formats.apart WORK BYTES < input        what the parent starts; BYTES is the memory beyond its own
"""

from __future__ import annotations

import json
import os
import resource
import subprocess
import sys
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path
from typing import BinaryIO

import umbrak
from umbrak.formats.bounds import FLOOR_BYTES, MAX_SECONDS, check_size
from umbrak.formats.faults import Fault, InputError

#: Of the clock, for a machine that is busy with other things [s].
_PATIENCE = 120
_READ, _REFUSED = b"read\n", b"refused\n"


def read_apart(work: str, data: bytes, memory: int | None = None) -> bytes:
    """What a work of WORKS makes of an input.

    Parameters
        memory    that it may take beside what its program takes [bytes]; ten times the input where nothing is said

    Raises
        InputError   what the reader says of the input, or that it took more time or memory than it may
    """
    check_size(len(data))
    memory = memory or max(FLOOR_BYTES, 10 * len(data))
    path = os.pathsep.join([str(Path(umbrak.__file__).parents[1]), os.environ.get("PYTHONPATH", "")])
    command = [sys.executable, "-m", "umbrak.formats.apart", work, str(memory)]
    try:
        done = subprocess.run(
            command, input=data, capture_output=True, check=False, timeout=_PATIENCE, env={**os.environ, "PYTHONPATH": path}
        )  # fmt: skip
    except subprocess.TimeoutExpired as error:
        raise _too_slow() from error
    if done.returncode == 0 and done.stdout.startswith(_READ):
        return done.stdout[len(_READ) :]
    if done.returncode == 0 and done.stdout.startswith(_REFUSED):
        said = json.loads(done.stdout[len(_REFUSED) :])
        raise InputError(said["code"], [Fault(message=said["message"], where=said["where"], line=said["line"])])
    if -done.returncode in (9, 24):  # SIGKILL after SIGXCPU: the processor's time was over
        raise _too_slow()
    raise InputError("broken", [Fault("its reader broke down over it", "the whole")])


def _too_slow() -> InputError:
    return InputError("too-slow", [Fault(f"reading took more than {MAX_SECONDS:g} s and was given up", "the whole")])


def _xlsx() -> Callable[[bytes], bytes]:
    import openpyxl  # noqa: F401  its memory is the program's, not the input's

    from umbrak.formats.spreadsheet import xlsx_rows

    return lambda data: json.dumps(list(xlsx_rows(data)), ensure_ascii=False).encode()


def _photo() -> Callable[[bytes], bytes]:
    import PIL.Image  # noqa: F401

    from umbrak.formats.photo import written_anew

    return written_anew


#: Name -> what loads the reader.
WORKS: dict[str, Callable[[], Callable[[bytes], bytes]]] = {"xlsx": _xlsx, "photo": _photo}


def main(work: str, memory: int, given: BinaryIO, out: BinaryIO) -> None:
    """The process apart: load, take the limits, read, answer."""
    read = WORKS[work]()
    pages = int(Path("/proc/self/statm").read_text().split()[0])
    most = pages * os.sysconf("SC_PAGE_SIZE") + memory
    resource.setrlimit(resource.RLIMIT_AS, (most, most))
    used = resource.getrusage(resource.RUSAGE_SELF)
    seconds = int(used.ru_utime + used.ru_stime + MAX_SECONDS) + 1
    resource.setrlimit(resource.RLIMIT_CPU, (seconds, seconds))
    resource.setrlimit(resource.RLIMIT_FSIZE, (0, 0))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    # Made beforehand: there is no memory to make it when it is wanted.
    answer = _REFUSED + _refusal(
        InputError("too-large", [Fault(f"reading it takes more than {memory >> 20} MiB of memory", "the whole")])
    )
    with suppress(MemoryError):
        try:
            answer = _READ + read(given.read())
        except InputError as error:
            answer = _REFUSED + _refusal(error)
    out.write(answer)
    out.flush()
    os._exit(0)  # what is left of the reading is nobody's concern


def _refusal(error: InputError) -> bytes:
    fault = error.faults[0]
    said = {"code": error.code, "message": fault.message, "where": fault.where, "line": fault.line}
    return json.dumps(said).encode()


if __name__ == "__main__":
    main(sys.argv[1], int(sys.argv[2]), sys.stdin.buffer, sys.stdout.buffer)
