"""What surveys keep beside the slots: claims, totals, counters, drives, makers' names; and machines by the table."""

from __future__ import annotations

import json
from typing import Any
from uuid import UUID

import pytest
from sqlalchemy import Engine, text

from tests.formats.smbios_facts import Device, listing, table
from tests.formats.test_reports import MEMORY, collection, xlsx
from umbrak.services.errors import NotAllowed, Refused
from umbrak.services.machines.listing import list_machines
from umbrak.services.machines.making import NewMachine, make_machine
from umbrak.services.machines.page import see_machine
from umbrak.services.machines.table import export_fleet, take_fleet
from umbrak.services.surveys.intake import load_intake, take_in
from umbrak.services.surveys.resurvey import Acceptance, accept, see_difference
from umbrak.store.accounts import Account


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
    assert seen.survey.claimed_gib == 3 and seen.evaluation.installed_gib == 5
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


def test_machines_by_the_table(engine: Engine, technician: Account) -> None:
    raw, before = xlsx(ROWS), list_machines(engine).total
    shown = take_fleet(engine, technician, raw, keep=False)
    assert list_machines(engine).total == before and shown.ignored == ("colour",) and shown.good == 2
    wrong = {(r.row, e.column): e.message for r in shown.rows for e in r.errors}
    assert set(wrong) == {
        (4, "name"),
        (5, "name"),
        (6, "name"),
        (6, "model"),
        (6, "warranty"),
        (7, "cpu"),
        (7, "os bits"),
        (7, "slot b1"),
        (8, "name"),
        (8, "site"),
        (8, "warranty"),
    }
    assert "already" in wrong[4, "name"] and "earlier row" in wrong[5, "name"] and "Fjell N9" in wrong[6, "model"]
    kept = take_fleet(engine, technician, raw, keep=True)
    made = {r.name: r.machine_id for r in kept.rows if r.machine_id}
    assert set(made) == {"gauge-11", "gauge-12"} and list_machines(engine).total == before + 2
    seen = see_machine(engine, made["gauge-11"])
    told = (
        seen.site,
        seen.about.place,
        seen.about.keeper,
        str(seen.about.warranty_end),
        seen.facts.os_bits,
        seen.evaluation.installed_gib,
    )
    assert told[:5] == ("Skerry Watch", "2", "I. Mar", "2027-03-31", 64) and told[5] >= 16
    assert [r.errors[0].message for r in take_fleet(engine, technician, raw, keep=True).rows][:1] == [
        "there is a machine gauge-11 already"
    ]
    # What is written is read: all names are there already, and nothing else is wrong.
    again = take_fleet(engine, technician, export_fleet(engine).encode(), keep=False)
    assert len(again.rows) == before + 2 and {e.column for r in again.rows for e in r.errors} == {"name"}
    with pytest.raises(Refused, match="no column “model”"):
        take_fleet(engine, technician, b"name\nx\n", keep=False)
    with pytest.raises(NotAllowed):
        take_fleet(engine, Account(technician.id, "v", "v", "viewer", True), raw, keep=True)
