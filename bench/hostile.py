"""Every reader of untrusted bytes against fuzzed and heavy inputs, in processes that may die of them.

    PYTHONPATH=src python -m bench.hostile [COUNT] [--seed N]

COUNT (200 000) mutations of good inputs and of the kept corpus, dealt over all readers, two processes at a time. A process has
no more memory than an input may take (ten times the file, beside a floor), and is ended when one input keeps it too long. What
ends a process, takes more than 5 s of its time, or makes a reader raise anything but a refusal is written into tests/corpus,
where every run of the tests tries it again. Then each heavy input (as large as it may be, or small and growing) in a process of
its own, with the time and the memory that it took. Exits with 1 when anything broke its bound.
"""

from __future__ import annotations

import argparse
import gc
import hashlib
import json
import mmap
import os
import random
import resource
import subprocess
import sys
import time
from pathlib import Path

from tests.formats.hostile import CORPUS, KINDS, heavy, inputs, mutated, said

from umbrak.formats.apart import read_apart
from umbrak.formats.bounds import FLOOR_BYTES, MAX_SECONDS
from umbrak.formats.faults import InputError
from umbrak.formats.photo import MAX_MEMORY

ROOT = Path(__file__).resolve().parents[1]
#: Inputs of one worker, and how long it may be at one of them before it is ended [s of the clock].
CHUNK, STUCK = 2500, 60.0
WORKERS = 2


def nth(seed: int, number: int, kept: dict[str, list[bytes]]) -> tuple[str, bytes]:
    """The input of a number: the same whoever makes it."""
    chance = random.Random(f"{seed}:{number}")
    kind = KINDS[number % len(KINDS)]
    return kind, mutated(chance.choice(kept[kind]), chance)


def all_inputs() -> dict[str, list[bytes]]:
    return {kind: inputs(kind) for kind in KINDS}


# -- in the worker ---------------------------------------------------------------------------------------


def work(seed: int, first: int, last: int, place: str) -> None:
    """Read inputs `first` to `last` - 1, writing each number into the file at `place` before it is read."""
    kept = all_inputs()
    for kind, each in kept.items():
        for data in each:
            said(kind, data)  # what is loaded and cached once is not the next input's
    most = _address_space() + FLOOR_BYTES + 10 * 100_000
    resource.setrlimit(resource.RLIMIT_AS, (most, most))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    with open(place, "r+b") as file, mmap.mmap(file.fileno(), 16) as here:
        for number in range(first, last):
            here[:8] = number.to_bytes(8, "little")
            kind, data = nth(seed, number, kept)
            began = time.thread_time()
            try:
                said(kind, data)
            except (Exception, RecursionError) as error:
                print(json.dumps({"number": number, "why": f"{type(error).__name__}: {str(error)[:200]}"}), flush=True)
            if (took := time.thread_time() - began) > MAX_SECONDS:
                print(json.dumps({"number": number, "why": f"{took:.1f} s"}), flush=True)


def _address_space() -> int:
    return int(Path("/proc/self/statm").read_text().split()[0]) * os.sysconf("SC_PAGE_SIZE")


def weigh(name: str) -> None:
    """Read one heavy input; print seconds, MiB beyond what reading a good one takes, and what became of it."""
    kind, make = heavy()[name]
    data = make()
    if kind in APART:
        before = resource.getrusage(resource.RUSAGE_CHILDREN)
        try:
            outcome = f"read, {len(read_apart(kind, data, APART[kind]))} bytes"
        except InputError as error:
            outcome = error.code
        after = resource.getrusage(resource.RUSAGE_CHILDREN)
        seconds = after.ru_utime + after.ru_stime - before.ru_utime - before.ru_stime
        used = None  # the operating system holds it to its bound
    else:
        for good in inputs(kind):
            said(kind, good)
        gc.collect()
        Path("/proc/self/clear_refs").write_text("5")  # the peak counts from here
        resting, began = _status("VmRSS"), time.thread_time()
        outcome = min(said(kind, data), default="read")
        seconds, used = time.thread_time() - began, _status("VmHWM") - resting
    print(json.dumps({"bytes": len(data), "seconds": seconds, "mib": used, "outcome": outcome}))


#: Kinds that are read in a process apart -> the memory that it may take; None: as any other input.
APART: dict[str, int | None] = {"xlsx": None, "photo": MAX_MEMORY}


def _status(name: str) -> float:
    line = next(x for x in Path("/proc/self/status").read_text().splitlines() if x.startswith(name))
    return int(line.split()[1]) / 1024


# -- in the parent ---------------------------------------------------------------------------------------


class Worker:
    def __init__(self, seed: int, first: int, last: int) -> None:
        self.seed, self.last = seed, last
        self.place = Path(f"/var/tmp/umbrak-hostile-{os.getpid()}-{first}")
        self.place.write_bytes(first.to_bytes(8, "little") + bytes(8))
        command = [sys.executable, "-m", "bench.hostile", "--work", str(seed), str(first), str(last), str(self.place)]
        self.process = subprocess.Popen(command, cwd=ROOT, stdout=subprocess.PIPE, text=True)
        self.at, self.since = first, time.monotonic()

    def number(self) -> int:
        return int.from_bytes(self.place.read_bytes()[:8], "little")

    def ended(self) -> bool:
        """Whether it is over; one that is stuck at an input is ended."""
        now = self.number()
        if now != self.at:
            self.at, self.since = now, time.monotonic()
        elif time.monotonic() - self.since > STUCK:
            self.process.kill()
        try:
            self.process.wait(0.2)
        except subprocess.TimeoutExpired:
            return False
        return True

    def broken(self) -> list[tuple[int, str]]:
        """Numbers of the inputs that broke their bound, and why."""
        assert self.process.stdout
        found = [(b["number"], b["why"]) for b in map(json.loads, self.process.stdout.read().splitlines())]
        self.at = self.number()
        if self.process.returncode:
            found.append((self.at, f"ended the process ({self.process.returncode})"))
        self.place.unlink()
        return found


def fuzz(count: int, seed: int) -> int:
    """Try them all; returns how many broke their bound."""
    kept = all_inputs()
    waiting = [(first, min(first + CHUNK, count)) for first in range(0, count, CHUNK)][::-1]
    running: list[Worker] = []
    broken = done = 0
    began = time.monotonic()
    while waiting or running:
        while waiting and len(running) < WORKERS:
            running.append(Worker(seed, *waiting.pop()))
        for worker in [w for w in running if w.ended()]:
            running.remove(worker)
            found = worker.broken()
            broken += len(found)
            for number, why in found:
                kind, data = nth(seed, number, kept)
                name = f"{kind}-{hashlib.sha256(data).hexdigest()[:10]}"
                (CORPUS / name).write_bytes(data)
                print(f"\n{name}: {why}")
            if worker.process.returncode and worker.at + 1 < worker.last:
                waiting.append((worker.at + 1, worker.last))  # the rest without the one that ended it
            done = count - sum(last - first for first, last in waiting) - sum(w.last - w.at for w in running)
            print(
                f"\r{done} of {count}, {broken} broke their bound, {time.monotonic() - began:.0f} s ",
                end="",
                flush=True,
            )
    print()
    return broken


def heavies() -> int:
    """Each heavy input in a process of its own; returns how many broke their bound."""
    broken = 0
    print(f"{'heavy input':28} {'MiB':>6} {'s':>6} {'MiB taken':>10} {'allowed':>8}  outcome")
    for name in heavy():
        command = [sys.executable, "-m", "bench.hostile", "--weigh", name]
        try:
            done = subprocess.run(command, cwd=ROOT, capture_output=True, text=True, check=False, timeout=STUCK)
        except subprocess.TimeoutExpired:
            broken += 1
            print(f"{name:28} was ended after {STUCK:g} s")
            continue
        if done.returncode:
            broken += 1
            print(f"{name:28} died: {done.stderr.strip()[-200:]}")
            continue
        told = json.loads(done.stdout)
        allowed = max(FLOOR_BYTES, 10 * told["bytes"]) / (1 << 20)
        # A process apart starts, and is told to end in whole seconds.
        bad = told["seconds"] > MAX_SECONDS + (2 if told["mib"] is None else 0.5) or (told["mib"] or 0) > allowed
        broken += bad
        taken = "held" if told["mib"] is None else f"{told['mib']:.0f}"
        print(
            f"{name:28} {told['bytes'] / (1 << 20):6.2f} {told['seconds']:6.2f} {taken:>10} {allowed:8.0f}  "
            f"{told['outcome'][:60]}{'   BROKE ITS BOUND' if bad else ''}",
            flush=True,
        )
    return broken


def main() -> None:
    parser = argparse.ArgumentParser(prog="bench.hostile")
    parser.add_argument("count", nargs="?", type=int, default=200_000)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--work", nargs=4, help=argparse.SUPPRESS)
    parser.add_argument("--weigh", help=argparse.SUPPRESS)
    arguments = parser.parse_args()
    if arguments.work:
        seed, first, last, place = arguments.work
        work(int(seed), int(first), int(last), place)
    elif arguments.weigh:
        weigh(arguments.weigh)
    else:
        sys.exit(1 if fuzz(arguments.count, arguments.seed) + heavies() else 0)


if __name__ == "__main__":
    main()
