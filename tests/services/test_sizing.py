"""Target: the need is kept and read back, the group's duty, the totals that can be reached at each risk."""

from __future__ import annotations

from datetime import UTC, datetime

import pytest
from sqlalchemy import Engine

from tests.services.test_taking_in import key_of
from umbrak.core.plan.sizing import Sizing, Use, Workload
from umbrak.core.routes.problem import Wishes
from umbrak.formats.bounds import Deadline
from umbrak.formats.snmp import HR_MEMORY_SIZE, HR_STORAGE, HR_STORAGE_RAM, read_snmp, write_snmp
from umbrak.services.errors import Stale
from umbrak.services.known.loading import load_machine
from umbrak.services.machines.page import see_machine
from umbrak.services.routes.finding import find_routes
from umbrak.services.routes.sizing import LIKELY, reachable_totals, see_sizing, set_sizing
from umbrak.services.surveys.intake import told_beside
from umbrak.store.accounts import Account
from umbrak.store.surveys import add_survey

HEAVY = Sizing((Workload("cells", 100, 20),), base_gib=8)


def test_the_need_is_kept_by_version(engine: Engine, technician: Account) -> None:
    machine = key_of(engine, "desk-03")
    assert see_sizing(engine, machine).version == 0 and see_machine(engine, machine).need_gib is None
    said = set_sizing(engine, technician, machine, 0, HEAVY)
    assert (said.version, said.sizing, said.need.total) == (1, HEAVY, 2008)
    assert see_machine(engine, machine).need_gib == 2008
    for stale in (0, 7):
        with pytest.raises(Stale) as error:
            set_sizing(engine, technician, machine, stale, Sizing())
        assert error.value.theirs.sizing == HEAVY


def test_a_member_that_must_not_be_opened(engine: Engine, technician: Account) -> None:
    machine = key_of(engine, "hall-03")
    duty = see_sizing(engine, machine).duty
    assert duty is not None and [m.name for m in duty.members] == ["hall-01", "hall-02", "hall-03", "hall-04"]
    assert (duty.fits, duty.fits_with_one_lost) == (True, True)
    other = key_of(engine, "hall-04")
    set_sizing(engine, technician, other, see_sizing(engine, other).version, Sizing((Workload("cells", 60, 10),)))
    duty = see_sizing(engine, machine).duty
    assert duty is not None and (duty.fits, duty.fits_with_one_lost) == (True, False)
    set_sizing(engine, technician, other, see_sizing(engine, other).version, HEAVY)
    duty = see_sizing(engine, machine).duty
    assert duty is not None and duty.fits is False
    assert see_sizing(engine, key_of(engine, "desk-03")).duty is None


def test_totals_are_those_of_the_routes(engine: Engine, technician: Account) -> None:
    machine = key_of(engine, "hall-03")
    found, routes = (
        reachable_totals(engine, machine, 30),
        find_routes(engine, machine, Wishes(usable_gib=1.0, less_bandwidth=True), 30).routes,
    )
    assert found.proved and [t.usable_gib for t in found.totals] == sorted({r.usable_gib for r in routes}, reverse=True)
    for total in found.totals:
        here = [r for r in routes if r.usable_gib == total.usable_gib]
        for price, may in (
            (total.vouched, lambda r: r.in_warranty),
            (total.likely, lambda r: r.trouble <= LIKELY),
            (total.bold, lambda r: True),
        ):
            costs = [r.cost for r in here if may(r)]
            assert (price and price.cost) == (min(costs) if costs else None)


def test_use_that_a_machine_tells_counts_till_somebody_says_otherwise(engine: Engine, technician: Account) -> None:
    """SNMP's storage table tells 7 of 8 GB in use: starved; somebody saw a tenth: idle."""
    machine = key_of(engine, "radar-02")
    kb = 8 << 20
    values = {HR_MEMORY_SIZE: kb, f"{HR_STORAGE}.2.1": f".{HR_STORAGE_RAM}", f"{HR_STORAGE}.4.1": 1024, f"{HR_STORAGE}.5.1": kb, f"{HR_STORAGE}.6.1": 7 << 20}  # fmt: skip
    reading = read_snmp(write_snmp(values).decode(), Deadline())
    assert (reading.usable_gib, reading.used_gib) == (8, 7)
    with engine.begin() as db:
        m = load_machine(db, machine)
        content = told_beside(m.survey.content, m.sheet, reading, {}, datetime.now(UTC))
        add_survey(db, machine, "snmp", content, technician.id, None, datetime.now(UTC))
    view = see_sizing(engine, machine)
    assert view.told_used_gib == 7 and view.use is Use.STARVED
    assert set_sizing(engine, technician, machine, 0, Sizing(used_gib=0.1)).use is Use.IDLE
