"""Puts the made-up scenario into an empty database, through the same use cases that people have."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from fnmatch import fnmatchcase
from importlib.resources import files
from typing import Any

import yaml
from sqlalchemy import Engine

from umbrak.core.platform.machine import Layout, Occupant
from umbrak.core.platform.sheet import Sheet
from umbrak.formats.documents import MachineDoc, layout_json, read_layout
from umbrak.formats.sheet.reading import read_sheet
from umbrak.services.accounts import add_account
from umbrak.services.plans import edit_plan, start_plan
from umbrak.services.sheets import keep_sheet, keep_shipped
from umbrak.services.summaries import refresh
from umbrak.store import machines as store
from umbrak.store.accounts import Account, find_credentials
from umbrak.store.history import record
from umbrak.store.surveys import SurveyContent, add_survey

#: The demo's accounts: name, as shown, role; one password. Its database is on loopback and holds nothing that is real.
PEOPLE = (("technician", "I. Mar", "technician"), ("lead", "R. Holm", "lead"), ("viewer", "N. Vik", "viewer"))
PASSWORD = "tide-gauge-7"
ACCOUNT = PEOPLE[0][0]


def seed(engine: Engine) -> None:
    """Seed the demo unless it is seeded already. Dates are relative to now."""
    with engine.begin() as db:
        if find_credentials(db, ACCOUNT):
            return
    keep_shipped(engine)
    sheets = {}
    with engine.begin() as db:
        for path in sorted(files("umbrak.demo").joinpath("sheets").iterdir(), key=lambda p: p.name):
            reading = read_sheet(path.read_text("utf-8"))
            keep_sheet(db, reading)
            sheets[reading.sheet.id] = reading.sheet
    scenario = yaml.safe_load(files("umbrak.demo").joinpath("machines.yaml").read_text("utf-8"))
    account, *_ = [add_account(engine, name, shown_as, PASSWORD, role) for name, shown_as, role in PEOPLE]
    for given in scenario["machines"]:
        _machine(engine, account, sheets[given["sheet"]], scenario["site"], given)


def _machine(engine: Engine, account: Account, sheet: Sheet, site: dict[str, str], given: dict[str, Any]) -> None:
    layout = _layout(sheet, given["slots"])
    facts = MachineDoc(**{"processors": given["processors"], **given.get("facts", {})}).model_dump()
    taken_at = datetime.now(UTC) - timedelta(days=given["days_ago"])
    with engine.begin() as db:
        site_id = store.find_or_add_site(db, site["name"], site["zone"])
        key = store.add_machine(
            db, given["name"], site_id, given["place"], sheet.hash, facts, given.get("duty_group", "")
        )
        if key is None:
            raise ValueError(f"the scenario names {given['name']} twice")
        content = SurveyContent(layout_json(layout), sorted(given.get("failed", ())))
        add_survey(db, key, given["kind"], content, account.id, None, taken_at)
        refresh(db, key)
        record(db, "machine made", account.id, key, name=given["name"])
    if plan := given.get("plan"):
        view = start_plan(engine, account, key, plan["name"])
        for changes in plan["edits"]:
            view = edit_plan(engine, account, view.id, view.version, _layout(sheet, changes), ())


def _layout(sheet: Sheet, given: dict[str, Any]) -> Layout:
    """Slots by name or pattern to modules."""
    slots: dict[str, Occupant | None] = {}
    for pattern, module in given.items():
        matched = [s for s in sheet.slots if fnmatchcase(s, pattern)]
        if not matched:
            raise ValueError(f"{sheet.id} has no slot {pattern}")
        slots |= dict.fromkeys(matched, read_layout({"x": module}).get("x"))
    return Layout(slots)
