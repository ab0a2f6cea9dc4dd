"""The locator light: ours when we lit it, off again when the run has ended, and never somebody else's."""

from __future__ import annotations

import ssl
from datetime import timedelta
from pathlib import Path

import httpx
import pytest
from sqlalchemy import Engine, text

from tests.devices.standins import Start, demo_spec, start
from tests.services.test_runs import NOW, OFFICIAL, begin
from umbrak.devices.networks import DeviceError, Networks
from umbrak.services.bench.ending import back_out
from umbrak.services.bench.light import end_lights, switch_light
from umbrak.services.bench.view import LightView
from umbrak.services.errors import Refused
from umbrak.services.reach import Outside
from umbrak.services.surveys.network import Access, drop_service, keep_service
from umbrak.store.accounts import Account
from umbrak.store.history import history_of

__all__ = ["start"]

OUTSIDE = Outside(Networks.parse("127.0.0.0/8"))


class Controller:
    """What stands at the machine: whether its light is on, seen and switched by somebody else."""

    def __init__(self, address: str, folder: Path) -> None:
        self.address, self.authority = address, (folder / "controller.pem").read_text()
        self._http = httpx.Client(
            base_url=address,
            auth=("umbrak", "tide-gauge-7"),
            verify=ssl.create_default_context(cadata=self.authority),
        )

    @property
    def lit(self) -> bool:
        return bool(self._http.get("/redfish/v1/Systems/1").json()["LocationIndicatorActive"])

    def light(self, on: bool) -> None:
        self._http.patch("/redfish/v1/Systems/1", json={"LocationIndicatorActive": on}).raise_for_status()


def test_the_light_is_ours_for_a_run_and_goes_off_with_it(
    engine: Engine, technician: Account, lead: Account, start: Start
) -> None:
    at = Controller(*start("controller", demo_spec("hall-03")))
    bench = begin(engine, technician, lead, OFFICIAL)
    machine = bench.run.machine_id

    def light(on: bool) -> LightView | None:
        return switch_light(engine, technician, OUTSIDE, bench.id, on, NOW).light

    if bench.run.light is None:
        with pytest.raises(Refused, match="No management controller is kept"):
            light(True)
    keep_service(
        engine, technician, OUTSIDE, machine, "redfish",
        Access(at.address, user="umbrak", password="tide-gauge-7", authority=at.authority),
    )  # fmt: skip
    at.light(True)
    with pytest.raises(Refused, match="somebody else lit it"):
        light(True)
    assert at.lit and bench.run.light == LightView(None, "")
    end_lights(engine, OUTSIDE)
    assert at.lit, "what we did not light we do not put out"
    at.light(False)

    assert light(True) == LightView(NOW, "") and at.lit
    assert light(True) == LightView(NOW, ""), "a second press changes nothing"
    assert light(False) == LightView(None, "") and not at.lit
    light(True)
    with pytest.raises(Refused, match="light is on by us"):
        drop_service(engine, technician, machine, "redfish")
    end_lights(engine, OUTSIDE)
    assert at.lit, "the run is under way"

    back_out(engine, technician, bench.id, "the wrong day", NOW + timedelta(minutes=9))
    with pytest.raises(Refused, match="backed out"):
        light(True)
    # Nobody answers when it is to go off: that is told, and tried again later, not at once.
    nowhere = Outside(Networks.parse("10.0.0.0/8"), OUTSIDE.vault)
    end_lights(engine, nowhere)
    told = bench.run.light
    with engine.begin() as db:
        db.execute(text("UPDATE machine_service SET light_tried_at = NULL"))
    end_lights(engine, Outside(OUTSIDE.networks))  # with another key: told too, and nothing ends by it
    other = bench.run.light
    assert other and "sealed with another key" in other.trouble
    assert told and told.since == NOW and "in none of the networks that may be reached" in told.trouble
    end_lights(engine, OUTSIDE)
    assert at.lit
    with engine.begin() as db:
        db.execute(text("UPDATE machine_service SET light_tried_at = now() - interval '6 minutes'"))
    end_lights(engine, OUTSIDE)
    assert not at.lit and bench.run.light == LightView(None, "")
    with engine.connect() as db:
        told_events = [line.action for line in history_of(db, machine) if line.action.startswith("light")]
    assert told_events == ["light off", "light on", "light off", "light on"]


def test_a_light_that_is_not_there_is_said(engine: Engine, technician: Account, lead: Account) -> None:
    bench = begin(engine, technician, lead, OFFICIAL)
    keep_service(
        engine, technician, OUTSIDE, bench.run.machine_id, "redfish",
        Access("https://127.0.0.1:9", user="u", password="p", fingerprint="00"),
    )  # fmt: skip
    with pytest.raises(DeviceError, match="cannot be reached"):
        switch_light(engine, technician, OUTSIDE, bench.id, True, NOW)
    assert bench.run.light == LightView(None, "")
