"""Modules by their serials, from delivery to return; and labels whose codes are read back."""

from __future__ import annotations

import io
import subprocess
from dataclasses import replace
from datetime import date
from decimal import Decimal
from pathlib import Path
from uuid import UUID

import pytest
import zxingcpp
from PIL import Image
from sqlalchemy import Engine

from tests.services.test_runs import begin, prove
from tests.services.test_taking_in import key_of
from umbrak.core.memory.label import decode_label
from umbrak.core.memory.module import Module
from umbrak.formats.labels import StickyLabel, labels_pdf, module_code
from umbrak.services.bench.ending import Return, SignOff, sign_off
from umbrak.services.bench.labels import run_labels
from umbrak.services.buying.ordering import NewPurchase, place_purchase, take_in
from umbrak.services.buying.paper import buying_pdf
from umbrak.services.buying.wanted import see_buying
from umbrak.services.errors import NotFound, Refused
from umbrak.services.machines.finding import find
from umbrak.services.machines.page import see_machine
from umbrak.services.shelf.changing import NewOffer, NewStock, add_offer, add_stock
from umbrak.services.shelf.labels import shelf_labels
from umbrak.services.shelf.trail import TrailLine, Where, see_elsewhere, see_trails
from umbrak.services.shelf.view import see_shelf
from umbrak.services.surveys.by_hand import survey_by_hand
from umbrak.store.accounts import Account

#: As the demo's machines have it, with a number of its own.
FAST = replace(decode_label("16GB 1Rx8 PC5-5600B-RC0").module, part="QP-16", maker=None)
SLOTS = ("CPU2.A2", "CPU2.B2")


def trail(engine: Engine, serial: str) -> list[TrailLine]:
    (one,) = see_trails(engine, serial)
    return list(one.lines)


def read_back(pdf: bytes, tmp_path: Path) -> list[str]:
    """What a decoder reads off the printed pages, in no order."""
    (tmp_path / "labels.pdf").write_bytes(pdf)
    subprocess.run(["pdftoppm", "-r", "200", "-png", tmp_path / "labels.pdf", tmp_path / "page"], check=True)
    pages = [Image.open(io.BytesIO(p.read_bytes())) for p in sorted(tmp_path.glob("page*.png"))]
    return [code.text for page in pages for code in zxingcpp.read_barcodes(page)]


def test_from_delivery_over_the_bench_to_the_return(
    engine: Engine, technician: Account, lead: Account, tmp_path: Path
) -> None:
    bench_plan = begin(engine, technician, lead, FAST, slots=SLOTS)
    add_offer(engine, technician, NewOffer(part="QP-16", module=FAST, supplier="Quay", price=Decimal(9), kit=3, priced_on=date(2026, 11, 1)))  # fmt: skip
    plan = bench_plan.run.plan_id
    cost = see_buying(engine, [plan]).cost
    order = place_purchase(engine, technician, NewPurchase(supplier="Quay", reference="B-7", ordered_on=date(2026, 11, 2), due_on=None, plans=(plan,), cost=cost))  # fmt: skip
    codes = (
        "16GB 1Rx8 PC5-5600B-RC0 P/N QP-16 S/N AB-001",
        "[)>\x1e06\x1d1PQP-16\x1dSAB-002\x1e\x04",
    )
    for code in codes:
        take_in(engine, technician, order.id, label=code, serial="", place="drawer 1")
    with pytest.raises(Refused, match="read in already"):
        take_in(engine, technician, order.id, label="QP-16", serial="S/N ab001", place="")
    spd = replace(FAST, serial="AB003")
    take_in(engine, technician, order.id, label="", serial="", place="drawer 1", spd=spd)
    assert [t.where for t in trail(engine, "ab 002")] == [Where.SHELF, Where.ARRIVED]

    # The codes on the labels of the bag and the slots say what a label says.
    printed = read_back(shelf_labels(engine, [s.id for s in see_shelf(engine).stock if s.part == "QP-16"]), tmp_path)
    assert sorted(decode_label(c).module.serial or "" for c in printed) == ["AB-001", "AB-002", "AB003"]
    assert {decode_label(c).module.part for c in printed} == {"QP-16"}
    assert b"%PDF" == run_labels(engine, bench_plan.id)[1][:4] == buying_pdf(engine, [plan], bench_plan.now)[:4]

    # What was noted at the bench is what leaves the Shelf.
    bench_plan.enter("label", slot=SLOTS[0], text="QP-16 S/N AB003")
    bench_plan.enter("label", slot=SLOTS[1], text="16GB 1Rx8", serial="AB-001")
    prove(bench_plan, lead)
    run = sign_off(engine, technician, bench_plan.id, SignOff("fine", "", "bench", {}), bench_plan.now)
    assert [s.module.serial for s in see_shelf(engine).stock if s.part == "QP-16"] == ["AB-002"]
    wheres = [(t.where, t.until is None) for t in trail(engine, "AB003")]
    assert wheres[:2] == [(Where.FITTED, True), (Where.NOTED, True)] and (Where.SHELF, False) in wheres
    assert [t.slot for t in see_trails(engine, "AB003")[0].now] == [SLOTS[0]]
    assert [h.detail for h in find(engine, "ab003")] == [f"in hall-03, slot {SLOTS[0]}"]

    # Out again, as somebody saw: a slot that nobody looked into ends nothing, one without a serial neither.
    seen = see_machine(engine, run.machine_id)
    same = decode_label("16GB 1Rx8 PC5-5600B-RC0").module
    survey_by_hand(engine, technician, seen.id, seen.survey.revision, {SLOTS[1]: same}, [SLOTS[0]], [SLOTS[1]], [])
    (gone, still) = see_trails(engine, "AB003")[0], see_trails(engine, "AB-001")[0]
    assert gone.now == () and gone.lines[0].until is not None
    assert [(t.slot, t.failed_at is not None) for t in still.now] == [(SLOTS[1], True)]
    with pytest.raises(NotFound):
        see_trails(engine, "no such number")


def test_a_module_that_failed_goes_back_under_its_number(engine: Engine, technician: Account, lead: Account) -> None:
    key = key_of(engine, "hall-03")
    seen = see_machine(engine, key)
    old = seen.slots["CPU1.A1"]
    assert isinstance(old, Module)
    named = {"CPU1.A1": replace(old, serial="OLD-9")}
    survey_by_hand(engine, technician, key, seen.survey.revision, named, [], ["CPU1.A1"], [])
    bench = begin(engine, technician, lead, old, slots=["CPU1.A1"], called="swap")
    prove(bench, lead)
    back = {"CPU1.A1": Return("RMA 77", date(2031, 5, 1))}
    sign_off(engine, technician, bench.id, SignOff("fine", "", "bench", back), bench.now)
    (shelf, fitted) = trail(engine, "old9")
    assert (shelf.where, shelf.state, shelf.reference, shelf.until) == (Where.SHELF, "to-return", "RMA 77", None)
    assert fitted.until is not None and fitted.failed_at is not None and fitted.slot == "CPU1.A1"


def test_a_module_that_another_machine_shows_is_hardly_here(engine: Engine, technician: Account) -> None:
    here, there = key_of(engine, "hall-03"), key_of(engine, "hall-02")

    def seen_in(machine: UUID, slot: str, **members: str) -> None:
        seen = see_machine(engine, machine)
        module = replace(FAST, **{"part": "QP-16", "serial": "MV-1", **members})
        survey_by_hand(engine, technician, machine, seen.survey.revision, {slot: module}, [], [], [])

    def elsewhere(machine: UUID) -> list[tuple[str, str, str]]:
        return [(e.slot, e.machine, e.its_slot) for e in see_elsewhere(engine, machine)]

    seen_in(here, "CPU1.A1")
    seen_in(there, "CPU1.11", part="OTHER-16")
    assert elsewhere(here) == elsewhere(there) == [], "another maker's module may have the same number"
    seen_in(there, "CPU1.12")
    assert elsewhere(here) == [("CPU1.A1", "hall-02", "CPU1.12")] and elsewhere(there) == []
    # Who looks into another slot has not seen it here.
    survey_by_hand(engine, technician, here, see_machine(engine, here).survey.revision, {}, ["CPU2.F2"], [], [])
    survey_by_hand(engine, technician, here, see_machine(engine, here).survey.revision, {"CPU2.F2": FAST}, [], [], [])
    assert [e[0] for e in elsewhere(here)] == ["CPU1.A1"]
    # Seen here again: then it is there that it can hardly be.
    seen_in(here, "CPU1.A1", maker="Quay")
    assert elsewhere(here) == [] and elsewhere(there) == [("CPU1.12", "hall-03", "CPU1.A1")]
    seen_in(there, "CPU1.12", serial="MV-2")
    assert elsewhere(there) == []
    with pytest.raises(NotFound):
        see_elsewhere(engine, technician.id)


def test_one_serial_of_two_parts_is_two_modules(engine: Engine, technician: Account) -> None:
    for part in ("QP-16", "QP-32"):
        module = replace(FAST, part=part, serial="0007")
        add_stock(engine, technician, NewStock(module=module, part=part))
    assert {t.part for t in see_trails(engine, "S/N 0007")} == {"QP-16", "QP-32"}


@pytest.mark.parametrize(
    "module",
    [
        FAST,
        replace(FAST, serial="ÄÖ/7 <&>"),
        Module(part="ONLY-A-NUMBER"),
        replace(decode_label("4GB 2Rx8 PC3L-12800S").module, part="X Y-1", serial="00000001"),
    ],
)
def test_a_printed_code_says_what_the_label_says(module: Module, tmp_path: Path) -> None:
    code = module_code(module)
    assert read_back(labels_pdf([StickyLabel("one", ("<b>two</b>",), code)]), tmp_path) == [code]
    read = decode_label(code).module
    for name in ("capacity_gib", "generation", "package_ranks", "device_width", "rate_mts", "buffering"):
        assert getattr(read, name) in (
            getattr(module, name),
            None if module.capacity_gib is None else getattr(module, name),
        )


def test_what_a_label_has_no_room_for_is_cut_with_a_sign(tmp_path: Path) -> None:
    note = "out of hall-04 in spring, ran two years, then lay about where nobody looked for it until it was found again"
    long = StickyLabel(
        "16 GB 1Rx8 DDR5-4800 unbuffered ECC", ("P/N QD5R-16", "S/N 0A1B", "pulled, cupboard 2, box b", note)
    )
    full = StickyLabel("8 GB", ("P/N X", "S/N Y", "new", "cupboard", "first", "second", "third", "fourth"))
    (tmp_path / "labels.pdf").write_bytes(labels_pdf([long, full]))
    told = subprocess.run(
        ["pdftotext", tmp_path / "labels.pdf", "-"], check=True, capture_output=True, text=True
    ).stdout
    assert "out of hall-04 in spr…" in told and "nobody" not in told
    assert "third…" in told and "fourth" not in told
