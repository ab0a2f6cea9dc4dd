"""Work in the background: whole steps, progress, stopping, going on after a restart; never twice."""

from __future__ import annotations

import io
import json
import threading
import zipfile
from uuid import UUID

import pytest
from sqlalchemy import Engine, text

from tests.devices.standins import Start, demo_spec
from tests.formats.smbios_facts import Device, listing, table
from tests.formats.test_reports import MEMORY, collection
from umbrak.demo.seed import Scenario
from umbrak.devices.networks import Networks
from umbrak.jobs.queue import Queue
from umbrak.services.errors import Refused
from umbrak.services.machines.in_bulk import (
    GivenFile,
    JobView,
    list_jobs,
    run_job,
    see_job,
    start_polling,
    start_reading,
    stop_job,
)
from umbrak.services.machines.page import see_machine
from umbrak.services.reach import Outside, Vault
from umbrak.services.surveys.network import Access, ask_machine, ask_once, keep_service
from umbrak.store import jobs as store
from umbrak.store.accounts import Account
from umbrak.store.history import history_of

OUTSIDE = Outside(Networks.parse("127.0.0.0/8"))
FILES = [GivenFile(f"node-{i}.txt", listing([Device("A1")]).encode()) for i in range(5)]


def machine(engine: Engine, name: str) -> UUID:
    with engine.connect() as db:
        return db.execute(text("SELECT id FROM machine WHERE name = :n"), {"n": name}).scalar_one()


def a_whole_machine(name: str, serial: str) -> bytes:
    """A listing of a new machine of a model that the library has, every slot under its own name."""
    sheet = Scenario.read().sheets["halvard-r32"].sheet
    names = [(s.locators or (s.printed,))[0] for s in sheet.slots.values()]
    report = listing([Device(n, 0 if i else 32768, speed=3200, configured=3200) for i, n in enumerate(names)])
    return (
        report.replace("Lorne Systems", "Halvard")
        .replace("Lorne K12", "Halvard R32")
        .replace("LK12-00417", serial)
        .encode()
    )


def test_a_folder_is_read_whole(engine: Engine, technician: Account) -> None:
    archive = io.BytesIO()
    with zipfile.ZipFile(archive, "w", zipfile.ZIP_DEFLATED) as z:
        z.writestr("site/hall-07.txt", a_whole_machine("hall-07", "HR-7"))
        z.writestr("site/.hidden", b"x")
        z.writestr("broken.bin", b"\0\1\2nothing that is read here")
    controller = json.dumps(collection({**MEMORY, "DeviceLocator": "P0_A1"})).encode()
    given = [
        GivenFile("site.zip", archive.getvalue()),
        GivenFile("odd.bin", table([Device("X9")])),
        GivenFile("hall-01.json", controller),
    ]
    key = start_reading(engine, technician, given, make=True)
    run_job(engine, OUTSIDE, key)
    job, steps = see_job(engine, key)
    assert (job.state, job.total, job.done, job.failed) == ("done", 4, 3, 1)
    told = {s.name: s for s in steps}
    assert told["hall-07.txt"].outcome == "new: made as Halvard R32"
    assert see_machine(engine, told["hall-07.txt"].machine_id).evaluation.installed_gib == 32  # type: ignore[arg-type]
    assert told["broken.bin"].state == "failed" and "none of the kinds that are read" in told["broken.bin"].outcome
    assert told["odd.bin"].machine_id is None and told["odd.bin"].outcome.startswith("new")
    assert told["hall-01.json"].machine_id == machine(engine, "hall-01")
    # The same machine again, by its serial, under another name: held against what is known.
    again = start_reading(engine, technician, [GivenFile("x.txt", a_whole_machine("x", "HR-7"))], make=True)
    run_job(engine, OUTSIDE, again)
    (step,) = see_job(engine, again)[1]
    assert (step.machine_id, step.outcome) == (told["hall-07.txt"].machine_id, "agrees with what is known")


def test_a_job_is_stopped_between_steps_and_gone_on_with_after_a_restart(engine: Engine, technician: Account) -> None:
    many = [GivenFile(f"{i}-{f.name}", f.raw) for i in range(16) for f in FILES]
    key = start_reading(engine, technician, many, make=False)
    looks = iter([False, True])
    run_job(engine, OUTSIDE, key, lambda: next(looks))  # the process ends while it is at it
    job, _ = see_job(engine, key)
    assert (job.state, job.total) == ("running", 80) and 0 < job.done < 80
    queue = Queue(engine, OUTSIDE)
    queue.start()  # another one starts, and finds it
    try:
        assert waited(engine, key).done == 80
        stopped = start_reading(engine, technician, FILES, make=False)
        stop_job(engine, technician, stopped)
        queue.put(stopped)
        queue.put(stopped)
        assert (waited(engine, stopped).state, waited(engine, stopped).left) == ("stopped", 5)
    finally:
        queue.stop()
    assert [j.id for j in list_jobs(engine)] == [stopped, key]
    with engine.connect() as db:
        kept = db.execute(text("SELECT count(*) FROM intake"), {}).scalar_one()
        assert (kept, db.execute(text("SELECT count(*) FROM job_step WHERE raw IS NOT NULL")).scalar_one()) == (80, 0)


def waited(engine: Engine, key: UUID) -> JobView:
    """The job once it is over."""
    looking = threading.Event()
    for _ in range(2400):
        job = see_job(engine, key)[0]
        if job.ended_at:
            return job
        looking.wait(0.05)
    pytest.fail(f"job {key} did not end")


def test_one_process_alone_does_a_job(engine: Engine, technician: Account) -> None:
    key = start_reading(engine, technician, FILES, make=False)
    with engine.connect() as other:
        assert store.claim(other, key)
        run_job(engine, OUTSIDE, key)
        assert see_job(engine, key)[0].done == 0
    engine.dispose()  # the other one is gone, and what it held with it
    run_job(engine, OUTSIDE, key)
    assert see_job(engine, key)[0].done == 5


def test_archives_that_are_too_much_or_none(engine: Engine, technician: Account) -> None:
    bomb = io.BytesIO()
    with zipfile.ZipFile(bomb, "w", zipfile.ZIP_DEFLATED) as z:
        for i in range(11):
            z.writestr(f"{i}.bin", b"\0" * (19 << 20))
    crowd = io.BytesIO()
    with zipfile.ZipFile(crowd, "w") as z:
        for i in range(20_001):
            z.writestr(str(i), b"")
    for raw, words in (
        (bomb.getvalue(), "unpacks to more than"),
        (crowd.getvalue(), "unpacks to more than"),
        (b"PK\x03\x04 and nothing", "is no archive"),
    ):
        with pytest.raises(Refused, match=words):
            start_reading(engine, technician, [GivenFile("x.zip", raw)], make=False)


def test_machines_are_asked_by_what_is_kept_of_them(engine: Engine, technician: Account, start: Start) -> None:
    controller, folder = start("controller", demo_spec("hall-02", faults={"CPU1.1": "failed", "CPU2.11": "failed"}))
    appliance, _ = start("appliance", demo_spec("gauge-01"))
    authority = (folder / "controller.pem").read_text()
    good = Access(controller, "umbrak", authority, password="tide-gauge-7")
    assert len(ask_once(engine, technician, OUTSIDE, "redfish", good).reading.slots) == 64
    hall, gauge, store_ = (machine(engine, n) for n in ("hall-02", "gauge-01", "store-01"))
    keep_service(engine, technician, OUTSIDE, hall, "redfish", good)
    keep_service(engine, technician, OUTSIDE, gauge, "snmp", Access(appliance, community="gauges"))
    keep_service(engine, technician, OUTSIDE, store_, "redfish", Access("https://192.0.2.1", "u", password="p"))
    key = start_polling(engine, technician)
    run_job(engine, OUTSIDE, key)
    outcomes = {s.name: s.outcome for s in see_job(engine, key)[1]}
    assert outcomes["hall-02 by redfish"] == "1 failed" and "GB usable" in outcomes["gauge-01 by snmp"]
    assert "none of the networks that may be reached" in outcomes["store-01 by redfish"]
    (service,) = see_machine(engine, store_).services
    assert service.trouble and service.asked_at
    # One that does not answer is asked once for each step: what is slow is not made slower.
    asked: list[str] = []
    silent = Networks(OUTSIDE.networks.allowed, lambda host, port: asked.append(host) or ["192.0.2.1"])  # type: ignore[func-returns-value]
    run_job(engine, Outside(silent, OUTSIDE.vault), start_polling(engine, technician, [store_]))
    assert asked == ["192.0.2.1"]
    # Secrets lie sealed: nothing of them is in the database, in the history, or shown.
    with engine.connect() as db:
        rows = db.execute(text("SELECT machine_service::text FROM machine_service")).scalars().all()
        assert not any(secret in row for row in rows for secret in ("tide-gauge-7", "gauges"))
        assert "tide-gauge-7" not in str([line.detail for line in history_of(db, hall)])
    # Kept secrets stay when none is entered, unless the address is another; another key cannot open them.
    keep_service(engine, technician, OUTSIDE, hall, "redfish", Access(controller, "umbrak"))
    assert see_machine(engine, hall).services[0].has_authority
    assert ask_machine(engine, technician, OUTSIDE, hall, "redfish").reading.kind == "redfish"
    with pytest.raises(Refused, match="enter the password"):
        keep_service(engine, technician, OUTSIDE, hall, "redfish", Access("https://127.0.0.2", "umbrak", authority))
    with pytest.raises(Refused, match="another key"):
        ask_machine(engine, technician, Outside(OUTSIDE.networks, Vault(Vault.new_key())), hall, "redfish")
