"""What is printed of runs, read back by Debian's own reader of PDF."""

from __future__ import annotations

import re
import subprocess
from datetime import timedelta
from pathlib import Path

import pytest
from sqlalchemy import Engine

from tests.services.test_runs import OFFICIAL, Bench, as_seen, begin, prove, replacing
from umbrak.core.memory.label import decode_label
from umbrak.core.platform.machine import UNKNOWN
from umbrak.core.proof.wanted import Wanted
from umbrak.core.runsheet.step import RunSheet
from umbrak.formats.board_picture import DrawnBoard, DrawnSlot, DrawnSocket, Look, rows_of
from umbrak.formats.paper import Paper, PaperSlot, paper_pdf
from umbrak.services.bench.ending import SignOff, sign_off
from umbrak.services.bench.paper import run_pdf
from umbrak.services.proof.paper import proof_pdf
from umbrak.store.accounts import Account


def pages_of(pdf: bytes, tmp_path: Path) -> list[str]:
    """The words of each page."""
    (tmp_path / "paper.pdf").write_bytes(pdf)
    done = subprocess.run(
        ["pdftotext", "-layout", str(tmp_path / "paper.pdf"), "-"], capture_output=True, text=True, check=True
    )
    return [" ".join(page.split()) for page in done.stdout.split("\f")[:-1]]


def test_a_begun_run_prints_what_was_ticked_and_noted(
    engine: Engine, technician: Account, lead: Account, tmp_path: Path
) -> None:
    bench = begin(engine, technician, lead, OFFICIAL)
    steps = bench.run.steps
    bench.enter("done", step=steps[0].key)
    bench.enter("note", step=steps[0].key, text="the backup took two hours")
    bench.enter("note", text="the rack door sticks")
    bench.enter("not-right", step=steps[1].key, text="the lamp is red")
    bench.enter("label", slot="CPU2.A2", serial="7H3K-0001")
    words = " ".join(pages_of(run_pdf(engine, bench.id, bench.now)[1], tmp_path))
    assert f"1 of {len(steps)} steps done when this was printed" in words
    assert words.count("✓") == 1 + len(steps[0].checks)
    assert f"name {technician.shown_as}" in words
    for said in (
        "the backup took two hours (",
        "not right: the lamp is red",
        "the rack door sticks (",
        "serial 7H3K-0001",
    ):
        assert said in words, said


def test_an_ended_run_prints_its_waivers_and_its_proof_is_one_page(
    engine: Engine, technician: Account, lead: Account, tmp_path: Path
) -> None:
    bench = begin(engine, technician, lead, OFFICIAL)
    open_pages = pages_of(proof_pdf(engine, bench.id, bench.now)[1], tmp_path)
    assert len(open_pages) == 1
    assert "Not signed off." in open_pages[0] and "nothing was seen since" in open_pages[0]
    waived = replacing(engine, technician, lead)
    prove(bench, lead)
    prove_but_the_test(waived, lead)
    for b in (bench, waived):
        sign_off(engine, technician, b.id, SignOff("fine", "quiet since", "", {}), b.now)
    [page] = pages_of(proof_pdf(engine, bench.id, bench.now)[1], tmp_path)
    for said in ("480 GB → 576 GB", "in: 6 × 16 GB", "24 of 24", "Signed off by", "quiet since", "stick: 2 passes, 0 errors", "soak passed"):  # fmt: skip
        assert said in page, said
    assert "Not signed off" not in page
    [page] = pages_of(proof_pdf(engine, waived.id, waived.now)[1], tmp_path)
    assert "~ waived memory test" in page and "why: no stick at hand" in page
    words = " ".join(pages_of(run_pdf(engine, waived.id, waived.now)[1], tmp_path))
    assert "no stick at hand" in words and re.search("waived [0-9]{4}-", words)


def prove_but_the_test(bench: Bench, second: Account) -> None:
    """Everything but the memory test, which the lead goes on without."""
    bench.tick(second, Wanted.SLOTS)
    bench.enter("survey", slots=as_seen(bench))
    bench.enter("waived", second, what="memory test", reason="no stick at hand")
    bench.tick(second, Wanted.AGAIN if any(s.proves is Wanted.AGAIN for s in bench.run.steps) else Wanted.ALERTS)
    bench.enter("survey", slots=as_seen(bench))
    bench.enter("cleared")
    bench.tick(second, Wanted.DUTY)
    bench.count()
    bench.enter("soak", days=3)
    bench.now += timedelta(days=3, minutes=1)
    bench.count()


@pytest.mark.parametrize(("sockets", "channels", "deep"), [(1, 1, 2), (1, 2, 2), (2, 8, 2), (4, 12, 2), (8, 12, 2)])
def test_board_and_map_stay_on_one_page(tmp_path: Path, sockets: int, channels: int, deep: int) -> None:
    """Up to 192 slots with long names; every slot stands on that page, in the picture and in the map."""
    was, will = decode_label("16GB 2Rx8 PC4-2400T-RE1").module, decode_label("64GB 4DRx4 PC4-2400T-LD1").module
    names = {
        f"CPU{s}.C{c}.{d}": f"P{s}_DIMM_{chr(65 + c)}{d}"
        for s in range(1, sockets + 1)
        for c in range(channels)
        for d in range(1, deep + 1)
    }
    board = DrawnBoard(
        sockets=[
            DrawnSocket(f"CPU{s}", (f"CPU{s}", "Heliant Brae 7713", f"P{s}_DIMM_"), {f"CPU{s}.C{c}": False for c in range(channels)})
            for s in range(1, sockets + 1)
        ],
        slots=[
            DrawnSlot(k, k.rsplit(".", 1)[0], v.rsplit("_", 1)[1], Look.GOES_IN, "64", nearness=int(k[-1]) - 1)
            for k, v in names.items()
        ],
    )  # fmt: skip
    slots: dict[str, list[PaperSlot]] = {}
    for k, v in names.items():
        slots.setdefault(k.split(".")[0], []).append(PaperSlot(v, "", UNKNOWN if k.endswith("1") else was, will, True))
    paper = Paper(
        machine="deep-01", model="Halvard R32", place="", plan="all", stage="", window="", told=(), stands={}, notes=(), serials={},
        sheet=RunSheet(title="all", stage=1, stages=1, steps=()), board=board, slots=slots, bays={},
    )  # fmt: skip
    pages = pages_of(paper_pdf(paper), tmp_path)
    assert len(pages) == 2
    assert all(pages[1].count(v) >= 1 for v in names.values())
    assert sorted(s for row in rows_of(board) for s in row) == sorted(names)
