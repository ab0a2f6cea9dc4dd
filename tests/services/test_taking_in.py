"""What surveys keep beside the slots: claims, totals, counters, drives, makers' names; and machines by the table."""

from __future__ import annotations

import json
from typing import Any
from uuid import UUID

import pytest
from sqlalchemy import Engine, text

from tests.formats.smbios_facts import Device, listing, table
from tests.formats.test_reports import MEMORY, collection, xlsx
from umbrak.core.platform.machine import UNKNOWN, Layout
from umbrak.devices.networks import Networks
from umbrak.services.errors import NotAllowed, Refused
from umbrak.services.machines.exports import As, What, export
from umbrak.services.machines.in_bulk import run_job, see_job, start_table
from umbrak.services.machines.listing import list_machines
from umbrak.services.machines.making import NewMachine, make_machine
from umbrak.services.machines.page import see_machine
from umbrak.services.machines.table import export_fleet, see_fleet
from umbrak.services.machines.waiting import list_waiting, settle_waiting
from umbrak.services.reach import Outside
from umbrak.services.surveys.by_hand import survey_by_hand
from umbrak.services.surveys.intake import load_intake, take_in
from umbrak.services.surveys.resurvey import Acceptance, accept, see_difference
from umbrak.store.accounts import Account
from umbrak.store.machines import Listing


def key_of(engine: Engine, name: str) -> UUID:
    with engine.connect() as db:
        return db.execute(text("SELECT id FROM machine WHERE name = :n"), {"n": name}).scalar_one()


def sheet_of(engine: Engine, sheet_id: str) -> str:
    with engine.connect() as db:
        return db.execute(text("SELECT hash FROM sheet WHERE sheet_id = :s"), {"s": sheet_id}).scalar_one()


def take_over(engine: Engine, account: Account, machine: UUID, raw: bytes, facts: list[str] | None = None) -> None:
    """Take in and accept everything."""
    intake = take_in(engine, account, "report", raw)
    found = see_difference(engine, machine, intake.id)
    chosen = facts if facts is not None else [f.fact for f in found.facts]
    slots = [d.slot for d in found.slots]
    accept(engine, account, machine, Acceptance(intake.id, found.revision, {}, slots, chosen))


def test_what_its_firmware_claims_is_a_statement_of_low_trust(engine: Engine, technician: Account) -> None:
    machine = key_of(engine, "radar-02")
    laptop = {"form": (0x0D, "SODIMM"), "total": 64, "kind": (0x18, "DDR3"), "detail": (1 << 7, "Synchronous"), "speed": 1600, "configured": 1600, "mv": 1350, "rank": 2}  # fmt: skip
    report = listing([Device("DIMM0", 4096, **laptop), Device("DIMM1", 1024, **laptop)])  # type: ignore[arg-type]
    # 3 GB is less than its maker vouches for with this firmware: the claim alone raises no doubt.
    take_over(engine, technician, machine, report.replace("768 GB", "3 GB").encode(), facts=[])
    seen = see_machine(engine, machine)
    assert (seen.survey.claimed_gib, seen.survey.running_mts) == (3, 1600)
    assert seen.evaluation.installed_gib == 5
    claimed = [u for u in seen.evaluation.limits if u.source.kind == "survey"]
    assert [(u.limit, u.used, u.scope) for u in claimed] == [(3, 5, "machine")]
    assert "risk.unproved" not in [f.code for f in seen.evaluation.findings]


def test_totals_that_do_not_agree_stay_visible(engine: Engine, technician: Account) -> None:
    machine = key_of(engine, "gauge-01")
    usable = see_machine(engine, machine).evaluation.usable_gib

    def told(gib: float) -> str:
        report = f".1.3.6.1.2.1.1.1.0 = STRING: x\n.1.3.6.1.2.1.25.2.2.0 = INTEGER: {int(gib * (1 << 20))}"
        take_over(engine, technician, machine, report.encode())
        totals = see_machine(engine, machine).survey.told
        assert totals and totals.kind == "snmp"
        return totals.conflict

    assert told(usable) == ""
    assert "its slots come to about" in told(usable / 2)
    # A slot that nobody knows may hold more, and never less than nothing.
    seen = see_machine(engine, machine)
    first = next(iter(seen.slots))
    survey_by_hand(engine, technician, machine, seen.survey.revision, Layout({first: UNKNOWN}), [])
    assert (told(usable * 2), "and more" in told(0.1)) == ("", True)
    # The slots are as they were: a total tells nothing of a slot.
    assert see_machine(engine, machine).survey.disputed == {}


def test_a_controllers_answer_brings_health_drives_and_failures(engine: Engine, technician: Account) -> None:
    machine = key_of(engine, "store-01")
    base = "/redfish/v1/Systems/1"
    documents: dict[str, Any] = collection({**MEMORY, "DeviceLocator": "SODIMM1", "Status": {"Health": "Critical"}, "Metrics": {"@odata.id": "/m"}})  # fmt: skip
    documents["/m"] = {"@odata.id": "/m", "LifeTime": {"CorrectableECCErrorCount": 7, "UncorrectableECCErrorCount": 1}}
    documents[base] |= {
        "Links": {"Chassis": [{"@odata.id": "/c"}]},
        "SerialNumber": "FJ-1",
        "MemorySummary": {"TotalSystemMemoryGiB": 0},
    }
    documents["/c"] = {"@odata.id": "/c", "Links": {"Drives": [{"@odata.id": f"/d{n}"} for n in (1, 2, 99)]}}
    for n in (1, 2, 99):
        documents[f"/d{n}"] = {
            "@odata.id": f"/d{n}",
            "SerialNumber": f"KX-{n}",
            "PhysicalLocation": {"PartLocation": {"LocationOrdinalValue": n}},
        }
    slot = see_machine(engine, machine).board.slots[0].id
    intake = take_in(engine, technician, "saved.json", json.dumps(documents).encode())
    found = see_difference(engine, machine, intake.id, {slot: 0})
    assert [f.fact for f in found.facts] == ["serial", "bays.1", "bays.2"] and found.failed == (slot,)
    accept(engine, technician, machine, Acceptance(intake.id, 1, {slot: 0}, [slot], ["serial", "bays.2"]))
    seen = see_machine(engine, machine)
    assert (seen.about.serial, seen.failed) == ("FJ-1", (slot,))
    health = seen.survey.health[slot]
    assert (health.correctable, health.uncorrectable) == (7, 1)
    assert {b.number: b.drive.serial for b in seen.bays if b.drive} == {2: "KX-2"}
    line = next(m for m in list_machines(engine).machines if m.name == "store-01")
    assert line.summary.failed == 1


def test_makers_names_are_learnt_and_given_to_modules_that_tell_a_code_alone(
    engine: Engine, technician: Account
) -> None:
    taught = take_in(engine, technician, "a", table([Device("A1", maker="Zerrin", maker_id=(3, 0x2D))]))
    nameless = table([Device("A1", maker="Unknown", maker_id=(3, 0x2D))])
    before = take_in(engine, technician, "b", nameless)
    assert before.reading.slots[0].module and before.reading.slots[0].module.maker is None
    # Only what somebody accepted is believed.
    sheet = sheet_of(engine, "halvard-r32")
    make_machine(
        engine, technician, NewMachine(name="taught", sheet_hash=sheet, intake_id=taught.id, reports={"P0.A1": 0})
    )
    after = take_in(engine, technician, "c", nameless)
    assert after.reading.slots[0].module and after.reading.slots[0].module.maker == "Zerrin"
    with engine.connect() as db:
        assert load_intake(db, after.id).reading == after.reading


ROWS: list[list[Any]] = [
    ["Name", "Model", "Site", "Rack", "Owner", "Warranty", "CPU", "OS bits", "Slot B1", "Colour"],
    ["gauge-11", "Fjell N2", "Skerry Watch", "2", "I. Mar", "2027-03-31", "Corrin Tarn", 64, "16GB 1Rx8 PC5-4800B-SA0", "grey"],
    ["gauge-12", "fjell-n2", None, None, None, None, None, None, None, None],
    ["gauge-01", "Fjell N2", None, None, None, None, None, None, None, None],
    ["gauge-11", "Fjell N2", None, None, None, None, None, None, None, None],
    [None, "Fjell N9", None, None, None, "soon", None, None, None, None],
    ["gauge-14", "Fjell N2", None, None, None, None, "another", 16, "8GB DDR5 DDR4", None],
    ["n" * 500, "Fjell N2", "s" * 500, None, None, "1850-01-01", None, None, None, None],
]  # fmt: skip


OUTSIDE = Outside(Networks.parse("127.0.0.0/8"))


def test_machines_by_the_table(engine: Engine, technician: Account) -> None:
    raw, before = xlsx(ROWS), list_machines(engine).total
    shown = see_fleet(engine, raw)
    assert list_machines(engine).total == before and shown.own == ("colour",)
    assert {k: v for k, v in shown.counts.items() if v} == {"machine": 2, "nothing": 1, "wrong": 4}
    wrong = {(r.row, e.column): e.message for r in shown.rows for e in r.errors}
    assert set(wrong) == {(5, "name"), (6, "name"), (6, "warranty"), (7, "cpu"), (7, "os bits"), (7, "slot b1"), (8, "name"), (8, "site"), (8, "warranty")}  # fmt: skip
    assert "earlier row" in wrong[5, "name"]
    job = start_table(engine, technician, raw)
    run_job(engine, OUTSIDE, job)
    view, steps = see_job(engine, job)
    assert (view.done, view.failed, list_machines(engine).total) == (3, 4, before + 2)
    assert steps[3].name == "gauge-11" and "earlier row" in steps[3].outcome and "cpu:" in steps[5].outcome
    made = {s.name: s.machine_id for s in steps if s.outcome == "new: made as Fjell N2"}
    assert set(made) == {"gauge-11", "gauge-12"} and made["gauge-11"]
    seen = see_machine(engine, made["gauge-11"])
    told = (seen.site, seen.about.place, seen.about.keeper, str(seen.about.warranty_end), seen.facts.os_bits)
    assert told == ("Skerry Watch", "2", "I. Mar", "2027-03-31", 64) and seen.evaluation.installed_gib >= 16
    assert seen.about.own == {"colour": "grey"} and list_machines(engine, Listing("grey")).total == 1
    # What is written is read: every machine is there already, and nothing in it is new or wrong.
    again = see_fleet(engine, export_fleet(engine).encode())
    assert again.counts == {"machine": 0, "waiting": 0, "change": 0, "nothing": before + 2, "wrong": 0}
    nameless = see_fleet(engine, b"serial\nx\n")
    assert (nameless.rows, nameless.columns) == ((), {"serial": "serial"})
    with pytest.raises(Refused, match="no column “name”"):
        start_table(engine, technician, b"serial\nx\n")
    with pytest.raises(Refused, match="no row"):
        start_table(engine, technician, b"name,model\n")
    with pytest.raises(NotAllowed):
        start_table(engine, Account(technician.id, "v", "v", "viewer", True), raw)


def test_columns_by_any_name_mean_what_somebody_says(engine: Engine, technician: Account) -> None:
    """A list as a shop abroad keeps it: whoever takes it in says what its heads mean."""
    raw = "Gerät;Hersteller;Typ;Seriennummer;Platz;B1;Name\nmess-1;Fjell;N2;FJ-77;Büro 2;16GB 1Rx8 PC5-4800B-SA0;Erna\n".encode()
    guessed = see_fleet(engine, raw)
    assert guessed.rows[0].name == "Erna" and "seriennummer" in guessed.own, "its own “Name” is not the machine's"
    told = {
        "Gerät": "name",
        "hersteller": "make",
        "typ": "model",
        "seriennummer": "serial",
        "platz": "place",
        "b1": "slot",
        "name": "own",
    }
    shown = see_fleet(engine, raw, told)
    assert (shown.own, [(r.name, r.becomes.value, r.model) for r in shown.rows]) == (
        ("the table’s name",),
        [("mess-1", "machine", "Fjell N2")],
    )
    assert shown.columns == {c.lower(): m for c, m in told.items()}
    run_job(engine, OUTSIDE, start_table(engine, technician, raw, told))
    (made,) = list_machines(engine, Listing("FJ-77")).machines
    assert (made.name, made.about.place, made.about.own) == ("mess-1", "Büro 2", {"the table’s name": "Erna"})
    for wrong, words in (
        ({"nichts": "name"}, "no column “nichts”"),
        ({"b1": "slot"}, "Two columns would be “slot b1”"),
        ({"typ": "colour"}, "nothing that a column may mean"),
        ({"typ": "name", "gerät": "name"}, "Two columns are said to be the name"),
    ):
        with pytest.raises(Refused, match=words):
            see_fleet(engine, raw.replace(b";Name", b";Slot B1") if "b1" in wrong else raw, wrong)
    own = see_fleet(engine, b"name,slot a1\nx-1,not a label\n", {"slot a1": "own"})
    assert (own.columns["slot a1"], own.own, own.rows[0].slots) == ("own", ("the table’s slot a1",), 0)


@pytest.mark.parametrize(
    ("cell", "slots", "fault"),
    [
        ("16GB 1Rx8 PC5-4800B-SA0", 1, ""),
        ("not populated", 1, ""),
        ("unknown", 0, ""),
        ("maybe 16GB DDR5", 0, "is a guess: what is in it stays unknown; leave the cell empty"),
        ("was 8GB DDR5", 0, "may not be what is in it now"),
        ("16GB DDR5 (dead)", 0, "a table cannot say that a module is failed"),
    ],
)
def test_a_cell_says_what_is_in_a_slot_and_no_guess(
    engine: Engine, seeded: str, cell: str, slots: int, fault: str
) -> None:
    [row] = see_fleet(engine, f"name,model,slot b1\nx-1,Fjell N2,{cell}\n".encode()).rows
    assert (row.slots, bool(row.errors)) == (slots, bool(fault)), row
    assert all(fault in e.message for e in row.errors)


def test_a_table_of_machines_whose_model_nobody_knows(engine: Engine, technician: Account) -> None:
    """They wait, of one model together; what only a sheet gives a meaning waits with them, and nothing of it is lost."""
    lines = [
        "Hostname;Manufacturer;Model;Asset;Serial number;CPU;Slot B1;Slot Z9;Machine;Cost centre",
        "net-1;Ostrov;OV 12;A-0017;S1;Corrin Tarn;16GB 1Rx8 PC5-4800B-SA0;8GB PC4-2400T;first;77",
        "net-2;Ostrov;OV-12;;;no such;empty;;;",
        "net-3;;;;;;;;;",
        "=gauge-01;;Halvard R32;;;;;;;",
        "gauge-01;;Halvard R32;A-9;;;;;;78",
        "GAUGE-01;;;A-8;;;16GB 1Rx8 PC5-4800B-SA0;;;78",
    ]  # fmt: skip
    raw = "\n".join(lines).encode()
    shown = {r.row: r for r in see_fleet(engine, raw).rows}
    becomes = [r.becomes.value for r in shown.values()]
    assert becomes == ["waiting", "waiting", "waiting", "machine", "wrong", "wrong"]
    assert shown[2].told == ("kept for its sheet: processor, slot b1, slot z9",) and shown[2].model == "Ostrov OV 12"
    assert "another model" in shown[6].errors[0].message and "earlier row" in shown[7].errors[0].message
    lone = b"name,asset tag,slot a1,cost centre\ngauge-01,A-8,16GB 1Rx8 PC5-4800B-SA0,78\n"
    [change] = see_fleet(engine, lone).rows
    assert change.told == ("asset tag: A-8", "cost centre: 78", "its slots stay as they were surveyed")
    for given in (raw, lone):
        run_job(engine, OUTSIDE, start_table(engine, technician, given))
    groups = {g.model: [m.name for m in g.machines] for g in list_waiting(engine)}
    assert groups["Ostrov OV 12"] == ["net-1", "net-2"] and ["net-3"] in groups.values()
    kept = next(m for m in list_machines(engine, Listing("A-8")).machines)
    assert (kept.name, kept.about.own) == ("gauge-01", {"cost centre": "78"})
    first, second = (m for g in list_waiting(engine) if g.model == "Ostrov OV 12" for m in g.machines)
    with engine.begin() as db:
        db.execute(text("UPDATE machine SET serial = 's-1' WHERE name = 'gauge-01'"))
    there = [(t.waiting_id, t.field, t.name) for g in list_waiting(engine) for t in g.there]
    assert there == [(first.id, "serial", "gauge-01")], "perhaps the one that is there already"
    assert (first.about.asset_tag, first.about.own) == ("A-0017", {"machine": "first", "cost centre": "77"})
    settled = settle_waiting(engine, technician, [first.id, second.id], sheet_of(engine, "fjell-n2"))
    assert [s.unread for s in settled] == [("slot z9",), ("processor",)]
    machines = [see_machine(engine, s.machine_id) for s in settled if s.machine_id]
    assert machines[0].about.own == {"machine": "first", "cost centre": "77", "slot z9": "8GB PC4-2400T"}
    assert machines[0].evaluation.installed_gib >= 16 and machines[1].about.own == {"processor": "no such"}
    rows = json.loads(export(engine, What.MACHINES, As.JSON))["machines"]
    assert next(r for r in rows if r["machine"] == "net-1")["own machine"] == "first"
