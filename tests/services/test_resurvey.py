"""A machine surveyed again: what is taken over, what stays disputed, what is remembered of a model."""

from __future__ import annotations

from uuid import UUID

import pytest
from sqlalchemy import Engine, text

from tests.formats.smbios_facts import Device, guest_listing, listing
from umbrak.core.platform.difference import Change
from umbrak.core.platform.survey import match_slots
from umbrak.demo import seed
from umbrak.formats.about import About
from umbrak.services.errors import Refused, Stale
from umbrak.services.known.loading import load_machine
from umbrak.services.machines.page import MachineView, see_machine
from umbrak.services.sheets.doubts import accept_doubt
from umbrak.services.sheets.drafts import keep_draft, see_draft
from umbrak.services.sheets.library import load_sheet
from umbrak.services.surveys.intake import Reporting, reporting_machine, take_in
from umbrak.services.surveys.resurvey import Acceptance, Another, accept, check_of, see_difference, settle
from umbrak.store.accounts import Account, find_credentials
from umbrak.store.sheets import revisions_of

LAPTOP = {"form": (0x0D, "SODIMM"), "total": 64, "kind": (0x18, "DDR3"), "detail": (1 << 7, "Synchronous"), "speed": 1600, "configured": 1600, "mv": 1350, "rank": 2}  # fmt: skip


@pytest.fixture
def radar(engine: Engine, seeded: str) -> tuple[Account, MachineView]:
    """The demo's small appliance: 4 GB known in SLOT 1, SLOT 2 empty."""
    with engine.connect() as db:
        known = find_credentials(db, seed.ACCOUNT)
        (key,) = db.execute(text("SELECT id FROM machine WHERE name = 'radar-02'")).one()
    assert known
    return known.account, see_machine(engine, key)


def test_a_report_is_compared_taken_over_and_disputed(engine: Engine, radar: tuple[Account, MachineView]) -> None:
    account, machine = radar
    devices = [Device("DIMM0", 8192, part="ZX-8", **LAPTOP), Device("DIMM1", 4096, part="OSM3L-4S16", **LAPTOP)]
    intake = take_in(engine, account, "after.txt", listing(devices).encode())
    found = see_difference(engine, machine.id, intake.id)
    assert [(d.slot, d.change) for d in found.slots] == [("A", Change.DIFFERS), ("B", Change.COMES)]
    assert [(m.member, m.known, m.reported) for m in found.slots[0].members][:1] == [("capacity_gib", 1, 8)]
    assert [(f.fact, f.known, f.reported) for f in found.facts] == [
        ("firmware", "7.2", "1.8.2"),
        ("serial", None, "LK12-00417"),
    ]
    assert (found.unplaced, found.unreported) == ((), ())

    accept(engine, account, machine.id, Acceptance(intake.id, 1, {}, ["B"], ["firmware"]))
    after = see_machine(engine, machine.id)
    assert (after.facts.firmware, after.survey.revision, after.evaluation.installed_gib) == ("1.8.2", 2, 5)
    assert (after.survey.sources["B"].kind, after.survey.disputed["A"].kind) == ("smbios-text", "smbios-text")
    assert after.survey.sources["A"].at == machine.survey.taken_at
    says = after.survey.disputed["A"].says
    assert getattr(says, "capacity_gib", None) == 8 and getattr(after.slots["A"], "capacity_gib", None) == 1
    with pytest.raises(Stale):
        accept(engine, account, machine.id, Acceptance(intake.id, 1, {}, ["A"], []))

    settle(engine, account, machine.id, 2, "A", report=True)
    settled = see_machine(engine, machine.id)
    assert settled.survey.disputed == {} and getattr(settled.slots["A"], "capacity_gib", None) == 8
    with pytest.raises(Refused, match="Nothing is disputed"):
        settle(engine, account, machine.id, 3, "A", report=False)


def test_a_report_of_another_machine_is_told_as_such(engine: Engine, radar: tuple[Account, MachineView]) -> None:
    account, machine = radar
    text_of_it = listing([Device("DIMM0", 1024, **LAPTOP)])
    first = take_in(engine, account, "first.txt", text_of_it.encode())
    found = see_difference(engine, machine.id, first.id)
    assert (found.another, found.calls_itself) == (None, "Lorne Systems Lorne K12"), (
        "no number was known, and the model is told"
    )
    accept(engine, account, machine.id, Acceptance(first.id, 1, {}, [], ["serial"]))
    again = take_in(engine, account, "again.txt", text_of_it.replace("LK12-00417", " lk12-00417").encode())
    assert see_difference(engine, machine.id, again.id).another is None
    other = take_in(engine, account, "radar-02.txt", text_of_it.replace("LK12-00417", "LK12-00418").encode())
    assert see_difference(engine, machine.id, other.id).another == Another("LK12-00418", None)
    # Its own name is its own, whatever sits in it.
    named = listing([Device("DIMM0", 1024, **{**LAPTOP, "kind": (0x1A, "DDR4")})])
    named = named.replace("Lorne Systems", "Ostrel").replace("Lorne K12", "T2")
    ours = take_in(engine, account, "ours.txt", named.encode())
    assert see_difference(engine, machine.id, ours.id).calls_itself is None
    with engine.begin() as db:
        db.execute(text("UPDATE machine SET asset_tag = 'lk12-00418' WHERE name = 'radar-02'"))
    assert see_difference(engine, machine.id, other.id).another is None, "what its firmware calls so is its tag"


def test_nothing_of_another_machines_report_is_kept_unless_its_number_is_this_ones(
    engine: Engine, radar: tuple[Account, MachineView]
) -> None:
    """Not its totals, counters and claims either, which nobody ticks."""
    account, machine = radar
    text_of_it = listing([Device("DIMM0", 1024, **LAPTOP)])

    def given(serial: str) -> UUID:
        return take_in(engine, account, "r.txt", text_of_it.replace("LK12-00417", serial).encode()).id

    def accepted(intake: UUID, *facts: str) -> MachineView:
        revision = see_machine(engine, machine.id).survey.revision
        accept(engine, account, machine.id, Acceptance(intake, revision, {}, [], facts))
        return see_machine(engine, machine.id)

    # Its own number is not known, but that one is another's.
    with engine.begin() as db:
        db.execute(text("UPDATE machine SET serial = 'HH-7' WHERE name = 'hall-03'"))
    halls, board = given("HH-7"), given("BRD/9")
    assert see_difference(engine, machine.id, halls).another == Another("HH-7", "hall-03")
    for facts in ((), ("serial", "other_serials")):
        with pytest.raises(Refused, match="and hall-03 has that one"):
            accepted(halls, *facts)
    assert see_machine(engine, machine.id).survey == machine.survey

    assert accepted(given("RX-1"), "serial").about.serial == "RX-1"
    with pytest.raises(Refused, match="says serial number BRD/9, and radar-02 has RX-1"):
        accepted(board)
    assert accepted(board, "other_serials").about.other_serials == "BRD/9"
    # From here on either is its own, however it is spelled, and the report of either leads to it.
    for spelled in ("rx 1", "BRD/9", "brd-9"):
        assert see_difference(engine, machine.id, given(spelled)).another is None
    told = {f.fact for f in see_difference(engine, machine.id, given("brd-9")).facts}
    assert "firmware" in told and told.isdisjoint({"serial", "other_serials"})
    assert reporting_machine(engine, board) == Reporting(machine.id, "radar-02", False)
    assert accepted(given("RX-2"), "serial").about.serial == "RX-2", "its board was changed"


@pytest.mark.parametrize(
    ("typed", "said", "serial", "others"),
    [
        (About(), ["S-1"], "S-1", ""),
        (About(serial="S-1"), ["s1", "s 1"], "S-1", ""),
        (About(serial="n/a"), ["S-1"], "S-1", ""),
        (About(serial="S-1"), ["n/a", "System Serial Number"], "S-1", ""),
        (About(serial="S-1"), ["B,2", "C3", "b2"], "S-1", "B 2, C3"),
        (About(serial="S-1", other_serials="B2 ,, "), ["C3"], "S-1", "B2, C3"),
        (About(serial="S-1", asset_tag="A-5"), ["a5", None, "", " - "], "S-1", ""),
        (About(serial="S-1", other_serials="x" * 198), ["C3"], "S-1", "x" * 198),
    ],
)
def test_numbers_that_a_machine_reports(typed: About, said: list[str | None], serial: str, others: str) -> None:
    about = typed.reporting(*said)
    assert (about.serial, about.other_serials) == (serial, others)


def test_nothing_is_taken_from_a_guest_of_a_machine(engine: Engine, radar: tuple[Account, MachineView]) -> None:
    account, machine = radar
    guest = take_in(engine, account, "g.txt", guest_listing([Device("DIMM0", 8192, part="ZX-8", **LAPTOP)]).encode())
    with pytest.raises(Refused, match="virtual machine"):
        accept(engine, account, machine.id, Acceptance(guest.id, 1, {}, ["A"], []))
    with engine.connect() as db, pytest.raises(Refused, match="ask the host"):
        check_of(db, load_machine(db, machine.id), guest.id)
    assert see_machine(engine, machine.id).survey == machine.survey


def test_a_later_report_that_agrees_ends_a_dispute(engine: Engine, radar: tuple[Account, MachineView]) -> None:
    account, machine = radar
    wrong = take_in(
        engine, account, "a", listing([Device("DIMM0", 0, **LAPTOP), Device("DIMM1", 0, **LAPTOP)]).encode()
    )
    accept(engine, account, machine.id, Acceptance(wrong.id, 1, {}, [], []))
    assert set(see_machine(engine, machine.id).survey.disputed) == {"A"}
    same = Device("DIMM0", 4096, maker="Ostrel", part="OSM3L-4S16", **LAPTOP)
    right = take_in(engine, account, "b", listing([same, Device("DIMM1", 0, **LAPTOP)]).encode())
    found = see_difference(engine, machine.id, right.id)
    accept(engine, account, machine.id, Acceptance(right.id, 2, {}, [d.slot for d in found.slots], []))
    assert see_machine(engine, machine.id).survey.disputed == {}


def test_a_report_of_no_slot_that_is_known_is_no_survey(engine: Engine, radar: tuple[Account, MachineView]) -> None:
    account, machine = radar
    intake = take_in(engine, account, "typed", b"Slots: 2\nRAM: 4GB 1Rx8 PC3L-12800S SO-DIMM\n")
    found = see_difference(engine, machine.id, intake.id)
    assert (found.slots, len(found.unplaced), found.unreported) == ((), 2, ("A", "B"))
    with pytest.raises(Refused, match="say which slot each is"):
        accept(engine, account, machine.id, Acceptance(intake.id, 1, {}, [], []))
    accept(engine, account, machine.id, Acceptance(intake.id, 1, {"A": 0}, [], []))
    assert see_machine(engine, machine.id).survey.revision == 2


def test_a_locator_told_once_is_known_for_every_machine_of_the_model(
    engine: Engine, radar: tuple[Account, MachineView]
) -> None:
    account, machine = radar
    odd = listing([Device("LOWER", 4096, **LAPTOP), Device("UPPER", 0, **LAPTOP)]).encode()
    intake = take_in(engine, account, "odd", odd)
    found = see_difference(engine, machine.id, intake.id)
    assert ([u.locator for u in found.unplaced], found.unreported) == (["LOWER", "UPPER"], ("A", "B"))
    told = {"A": 0, "B": 1}
    assert see_difference(engine, machine.id, intake.id, told).unplaced == ()
    accept(engine, account, machine.id, Acceptance(intake.id, 1, told, [], []))
    again = take_in(engine, account, "odd again", odd)
    assert see_difference(engine, machine.id, again.id).reports == told
    # What the sheet does not tell is a doubt about it, with what would make it tell: once, however often it is reported.
    accept(engine, account, machine.id, Acceptance(again.id, 2, told, [], []))
    (doubt,) = see_machine(engine, machine.id).doubts
    assert (doubt.code, doubt.question, doubt.seen[0].machine) == ("survey", "slots.locators", "radar-02")
    assert "“LOWER”" in doubt.words and len(doubt.changes) == 1
    draft = see_draft(engine, account, accept_doubt(engine, account, doubt.id))
    keep_draft(engine, account, draft.id, draft.version, "as its tables say")
    assert see_machine(engine, machine.id).doubts == ()
    with engine.connect() as db:
        revised = load_sheet(db, revisions_of(db, "ostrel-t2")[0].hash)
    assert match_slots(revised, again.reading.slots) == ("A", "B")
    with pytest.raises(Refused, match="no slot Q"):
        see_difference(engine, machine.id, intake.id, {"Q": 0})
