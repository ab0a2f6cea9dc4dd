"""Readers of untrusted bytes against mutations of a kept corpus, and against heavy inputs: read or refused, never anything
else, and at no more than their bounds.

The corpus (tests/corpus) holds inputs that each made a reader say something no other one did, or broke one. bench.hostile
does the same with hundreds of thousands of inputs in processes that may die. To look for more inputs to keep, for some
seconds:  PYTHONPATH=src python -m tests.formats.test_mutations 60
"""

from __future__ import annotations

import hashlib
import random
import sys
import time
from collections.abc import Iterator

import pytest

from tests.formats.hostile import CORPUS, KINDS, heavy, inputs, mutated, said
from umbrak.formats.apart import read_apart
from umbrak.formats.bounds import MAX_SECONDS
from umbrak.formats.faults import InputError

#: Inputs kept of a kind: enough to begin from, and no burden to whoever fetches them.
_MOST_KEPT = 40


def read(kind: str, data: bytes) -> set[str]:
    began = time.thread_time()
    found = said(kind, data)
    assert time.thread_time() - began < MAX_SECONDS + 1
    return found


@pytest.mark.parametrize("kind", KINDS)
def test_mutations_of_the_corpus_are_read_or_refused(kind: str) -> None:
    chance = random.Random(kind)
    kept = inputs(kind)
    assert kept
    for data in kept:
        read(kind, data)
        # Of another kind's reader too: a person may say what it is, and be wrong.
        read(chance.choice(KINDS), data)
    for _ in range(200 if kind in ("photo", "sheet", "case") else 400):
        read(kind, mutated(chance.choice(kept), chance))


@pytest.mark.parametrize("name", [n for n, (kind, _) in heavy().items() if kind not in ("xlsx", "photo")])
def test_heavy_inputs_are_read_or_given_up(name: str) -> None:
    """At a fraction of their size; bench.hostile reads them whole, and weighs what they take."""
    kind, make = heavy(0.01)[name]
    read(kind, make())


def test_a_reader_apart_is_held_to_its_memory_and_its_death_is_a_refusal() -> None:
    _, rows = heavy(0.3)["workbook in one row"]
    for make, code in ((rows, "too-large"), (heavy(0.1)["workbook of styles"][1], "too-large")):
        with pytest.raises(InputError) as refused:
            read_apart("xlsx", make())
        assert refused.value.code == code
    with pytest.raises(InputError) as refused:
        read_apart("no such work", b"x")
    assert refused.value.code == "broken"


def explore(seconds: float) -> Iterator[tuple[str, bytes]]:
    """Inputs that made a reader say something new."""
    chance = random.Random()
    kept = {kind: inputs(kind) for kind in KINDS}
    known = {kind: {said for data in kept[kind] for said in read(kind, data)} for kind in KINDS}
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        kind = chance.choice(KINDS)
        data = mutated(chance.choice(kept[kind]), chance)
        try:
            said = read(kind, data)
        except Exception as error:
            said = {f"{type(error).__name__}: {error}"}
            print(kind, *said)
        if not said <= known[kind] and len(data) < 8000 and len(kept[kind]) < _MOST_KEPT:
            known[kind] |= said
            kept[kind].append(data)
            yield kind, data


if __name__ == "__main__":
    CORPUS.mkdir(exist_ok=True)
    for kind, data in explore(float(sys.argv[1])):
        (CORPUS / f"{kind}-{hashlib.sha256(data).hexdigest()[:10]}").write_bytes(data)
