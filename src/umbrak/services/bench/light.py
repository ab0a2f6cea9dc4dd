"""The locator light of a machine at the bench: switched on by us, and off again when its run has ended, however that was."""

from __future__ import annotations

import logging
from datetime import datetime, timedelta
from uuid import UUID

from sqlalchemy import Engine

from umbrak.devices.networks import DeviceError
from umbrak.services.bench.view import RunView, run_view
from umbrak.services.errors import Refused
from umbrak.services.people.accounts import Role, need
from umbrak.services.reach import Outside
from umbrak.services.runs.entries import found_run, under_way
from umbrak.services.surveys.network import set_light
from umbrak.store import machine_services as store
from umbrak.store.accounts import Account
from umbrak.store.history import record

#: How long a light that could not be switched off is left before it is tried again.
_AGAIN = timedelta(minutes=5)
_log = logging.getLogger("umbrak.light")


def switch_light(engine: Engine, account: Account, outside: Outside, key: UUID, on: bool, now: datetime) -> RunView:
    """Switch the light of a run's machine. Raises NotFound, DeviceError; Refused where the run has ended, no controller
    is kept for the machine, or the light was on before: then it is somebody else's, and stays."""
    need(account, Role.technician)
    with engine.begin() as db:
        row = under_way(db, key)
        kept = store.find_service(db, row.machine_id, "redfish")
    if kept is None:
        raise Refused("light", "No management controller is kept for this machine: Survey says how it is asked.")
    was_on = set_light(outside, kept, on)
    with engine.begin() as db:
        if on and was_on and kept.light_since is None:
            raise Refused("light", "The light was on already: somebody else lit it, so it is left to them.")
        store.note_light(db, row.machine_id, (kept.light_since or now) if on else None)
        if on != (kept.light_since is not None):
            record(db, "light on" if on else "light off", account.id, row.machine_id, row.plan_id)
        return run_view(db, found_run(db, key), now)


def end_lights(engine: Engine, outside: Outside) -> None:
    """Switch off what we lit where the run has ended. What cannot be switched off is noted, told, and tried again."""
    with engine.connect() as db:
        over = store.lights_to_end(db, _AGAIN)
    for kept in over:
        try:
            set_light(outside, kept, on=False)
        except (DeviceError, Refused) as error:  # Refused: its password was sealed with another key
            _log.warning("the light of %s is still on: %s", kept.machine, error)
            with engine.begin() as db:
                store.note_light(db, kept.machine_id, kept.light_since, str(error))
            continue
        with engine.begin() as db:
            store.note_light(db, kept.machine_id, None)
            record(db, "light off", None, kept.machine_id)
