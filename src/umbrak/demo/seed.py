"""Puts the made-up scenario into an empty database, through the same use cases that people have."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta
from decimal import Decimal
from fnmatch import fnmatchcase
from importlib.resources import files
from typing import Any

import yaml
from sqlalchemy import Engine

from umbrak.core.memory.module import Module
from umbrak.core.plan.sizing import Sizing, Workload
from umbrak.core.platform.known import Known
from umbrak.core.platform.machine import Layout, Machine, Occupant
from umbrak.core.platform.sheet import Sheet
from umbrak.demo.proven import Upgrade, carry_out
from umbrak.formats.about import About
from umbrak.formats.documents import MachineDoc, read_layout
from umbrak.formats.sheet.reading import SheetReading, read_sheet
from umbrak.services.evidence.trials import NewTrial, add_trial
from umbrak.services.known.renumbered import tell_part
from umbrak.services.known.summaries import refresh
from umbrak.services.machines.making import retire_machine
from umbrak.services.parts.telling import NewWord
from umbrak.services.people.accounts import add_account
from umbrak.services.people.settings import MoneySettings, set_money
from umbrak.services.plans.editing import edit_plan, start_plan
from umbrak.services.rounds.asked import AskedWave, RoundAsked
from umbrak.services.rounds.changing import make_round
from umbrak.services.routes.sizing import set_sizing
from umbrak.services.sheets.library import keep_sheet, keep_shipped
from umbrak.services.shelf.changing import NewOffer, NewStock, add_offer, add_stock
from umbrak.store import machines as store
from umbrak.store.accounts import Account, find_credentials
from umbrak.store.engine import at_moment, setting_up
from umbrak.store.history import record
from umbrak.store.surveys import add_survey

#: The demo's accounts: name, as shown, role; one password. Its database is on loopback and holds nothing that is real.
PEOPLE = (("technician", "I. Mar", "technician"), ("lead", "R. Holm", "lead"), ("viewer", "N. Vik", "viewer"))
PASSWORD = "tide-gauge-7"
ACCOUNT = PEOPLE[0][0]


def seed(engine: Engine) -> None:
    """Seed the demo unless it is seeded already. Dates are relative to now."""
    with setting_up(engine):
        _seed(engine)


def _seed(engine: Engine) -> None:
    with engine.begin() as db:
        if find_credentials(db, ACCOUNT):
            return
    keep_shipped(engine)
    scenario = Scenario.read()
    with engine.begin() as db:
        for reading in scenario.sheets.values():
            keep_sheet(db, reading)
    account, lead, _ = [
        add_account(engine, name, shown_as=shown_as, password=PASSWORD, role=role) for name, shown_as, role in PEOPLE
    ]
    for given in scenario.machines:
        _machine(engine, account, lead, scenario, given)
    today = datetime.now(UTC).date()
    _shelf(engine, account, today)
    for given in scenario.trials:
        days_ago, module = given.pop("days_ago"), _module(given.pop("module"))
        add_trial(engine, account, NewTrial(tried_on=today - timedelta(days=days_ago), module=module, **given))


def _round(engine: Engine, account: Account, today: date, given: dict[str, Any]) -> None:
    """A round as somebody asks for it; nothing is proposed yet."""
    days = {n: today + timedelta(days=n) for n in [w["in_days"] for w in given["waves"]]}
    with engine.connect() as db:
        keys = {n: m.id for n in given["machines"] if (m := store.machine_by_name_or_serial(db, n, ""))}
    asked = RoundAsked(
        machines=[keys[n] for n in given["machines"]],
        waves=[AskedWave(day=days[w["in_days"]], hours=float(w["hours"]), people=w["people"]) for w in given["waves"]],
        closed={keys[n]: [days[d] for d in closed] for n, closed in given["closed"].items()},
        budget=Decimal(given["budget"]),
        short_gb=Decimal(given["short_gb"]),
    )
    make_round(engine, account, given["name"], asked)


def _shelf(engine: Engine, account: Account, today: date) -> None:
    """Modules on hand, offers, and what money is reckoned with."""
    document = yaml.safe_load(files("umbrak.demo").joinpath("shelf.yaml").read_text("utf-8"))
    set_money(engine, account, MoneySettings(**document["money"]))
    for name, given in document["loads"].items():
        with engine.connect() as db:
            machine = store.machine_by_name_or_serial(db, name, "")
        if machine is None:
            raise ValueError(f"the scenario has no machine {name}")
        workloads = tuple(Workload(**w) for w in given.pop("workloads"))
        set_sizing(engine, account, machine.id, 0, Sizing(workloads, **given))
    for given in document["stock"]:
        add_stock(engine, account, NewStock(**{**given, "module": _module(given["module"])}))
    for given in document["offers"]:
        days_ago = given.pop("days_ago")
        module, price = _module(given.pop("module")), Decimal(given.pop("price"))
        new = NewOffer(module=module, price=price, priced_on=today - timedelta(days=days_ago), **given)
        add_offer(engine, account, new)
    for given in document["told"]:
        is_one = _module(given.pop("module")) if "module" in given else None
        tell_part(engine, account, NewWord(module=is_one, **given))
    _round(engine, account, today, document["round"])


def _module(given: str | dict[str, Any]) -> Module:
    """By its label, or fact by fact."""
    module = read_layout({"module": given})["module"]
    if not isinstance(module, Module):
        raise ValueError(f"{given} is no module")
    return module


@dataclass(frozen=True, slots=True)
class Scenario:
    """The made-up scenario: its sheets by id, its site, and its machines as the file has them."""

    sheets: dict[str, SheetReading]
    site: dict[str, str]
    machines: list[dict[str, Any]]
    trials: list[dict[str, Any]]

    @classmethod
    def read(cls) -> Scenario:
        folder = files("umbrak.demo")
        texts = [path.read_text("utf-8") for path in sorted(folder.joinpath("sheets").iterdir(), key=lambda p: p.name)]
        sheets = {reading.sheet.id: reading for reading in map(read_sheet, texts)}
        document = yaml.safe_load(folder.joinpath("machines.yaml").read_text("utf-8"))
        return cls(sheets, document["site"], document["machines"], document["trials"])

    def parts(self, given: dict[str, Any]) -> tuple[Sheet, Machine, Layout]:
        """A machine's sheet, what is particular to it, and what is in it."""
        sheet = self.sheets[given["sheet"]].sheet
        facts = MachineDoc(**{"processors": given["processors"], **given.get("facts", {})})
        return sheet, facts.value(), _layout(sheet, given["slots"])


def _machine(engine: Engine, account: Account, lead: Account, scenario: Scenario, given: dict[str, Any]) -> None:
    site, (sheet, _, layout) = scenario.site, scenario.parts(given)
    facts = MachineDoc(**{"processors": given["processors"], **given.get("facts", {})})
    now = datetime.now(UTC)
    taken_at = now - timedelta(days=given["days_ago"])
    done = given.get("upgrade")
    began = now - timedelta(days=done["days_ago"]) if done else taken_at
    before = _layout(sheet, {**given["slots"], **done["before"]}) if done else layout
    with at_moment(engine, began).begin() as db:
        site_id = store.find_or_add_site(db, site["name"], site["zone"])
        warranty_days = given.get("warranty_days")
        warranty_end = (datetime.now(UTC) + timedelta(days=warranty_days)).date() if warranty_days is not None else None
        about = About(
            place=given["place"],
            duty_group=given.get("duty_group", ""),
            keeper=given.get("keeper", ""),
            serial=given.get("serial", ""),
            warranty_end=warranty_end,
        )
        key = store.add_machine(
            db, name=given["name"], site_id=site_id, sheet_hash=sheet.hash, facts=facts, about=about
        )
        if key is None:
            raise ValueError(f"the scenario names {given['name']} twice")
        content = Known(before, tuple(sorted(given.get("failed", ()))))
        add_survey(db, key, given["kind"], content, account.id, None, began)
        refresh(db, key)
        record(db, "machine made", account.id, key, name=given["name"])
    if plan := given.get("plan"):
        view = start_plan(engine, account, key, plan["name"])
        for changes in plan["edits"]:
            view = edit_plan(engine, account, view.id, view.version, _layout(sheet, changes), ())
    if done:
        upgrade = Upgrade(done["name"], layout, done["soak_days"], done["outcome"], done["note"])
        carry_out(engine, account, lead, key, upgrade, began)
        with at_moment(engine, taken_at).begin() as db:
            add_survey(db, key, given["kind"], Known(layout, ()), account.id, None, taken_at)
            refresh(db, key)
    if given.get("retired"):
        retire_machine(engine, account, key, 1, True)


def _layout(sheet: Sheet, given: dict[str, Any]) -> Layout:
    """Slots by name or pattern to modules."""
    slots: dict[str, Occupant | None] = {}
    for pattern, module in given.items():
        matched = [s for s in sheet.slots if fnmatchcase(s, pattern)]
        if not matched:
            raise ValueError(f"{sheet.id} has no slot {pattern}")
        slots |= dict.fromkeys(matched, read_layout({"x": module}).get("x"))
    return Layout(slots)
