"""Upgrades of the scenario's past: each was planned, approved, carried out step by step and signed off, by the same use cases
that people have, so that what Field notes say of them is what a proof found."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime, timedelta
from uuid import UUID

from sqlalchemy import Engine

from umbrak.core.platform.machine import Layout
from umbrak.core.proof.wanted import Wanted
from umbrak.core.runsheet.step import Phase
from umbrak.formats.documents import layout_json
from umbrak.formats.entries import ENTRY
from umbrak.services.bench.ending import SignOff, sign_off
from umbrak.services.bench.entering import enter
from umbrak.services.bench.making import start_run
from umbrak.services.bench.view import RunView, see_run
from umbrak.services.plans.approval import approve, see_risk
from umbrak.services.plans.editing import start_plan
from umbrak.store.accounts import Account
from umbrak.store.engine import at_moment, new_id


@dataclass(frozen=True, slots=True)
class Upgrade:
    """One that was carried out."""

    name: str
    goal: Layout
    soak_days: float
    #: fine or quirks.
    outcome: str
    note: str


def carry_out(
    engine: Engine, technician: Account, lead: Account, machine_id: UUID, upgrade: Upgrade, began: datetime
) -> datetime:
    """Plan, approve, do and sign off an upgrade; when it was signed off."""
    plan = start_plan(at_moment(engine, began), technician, machine_id, upgrade.name, wanted=upgrade.goal)
    if see_risk(engine, plan.id).needed:
        approve(at_moment(engine, began + timedelta(hours=2)), lead, plan.id, plan.version)
    begun = began + timedelta(days=1)
    run = start_run(at_moment(engine, begun), technician, plan.id, upgrade.soak_days)
    bench = _Bench(engine, technician, lead, run, begun)
    bench.work(upgrade.soak_days)
    said = SignOff(upgrade.outcome, upgrade.note, "", {})
    sign_off(at_moment(engine, bench.now), technician, run.id, said, bench.now)
    return bench.now


class _Bench:
    """Somebody at the bench, minute by minute."""

    def __init__(self, engine: Engine, account: Account, second: Account, run: RunView, now: datetime) -> None:
        self.engine, self.account, self.second, self.run, self.now = engine, account, second, run, now

    def work(self, soak_days: float) -> None:
        goal = layout_json(Layout(self.run.goal))
        ways = {s.proves for s in self.run.steps}
        self._tick(Wanted.SLOTS)
        self._enter("survey", slots=goal)
        self._enter("memory-test", tool="stick", passes=2, errors=0)
        if Wanted.AGAIN in ways:
            self._tick(Wanted.AGAIN)
            self._enter("survey", slots=goal)
        self._tick(Wanted.ALERTS)
        self._enter("cleared")
        self._tick(Wanted.DUTY)
        self._enter("soak", days=soak_days)
        self.now += timedelta(days=soak_days)
        self._enter("scrub", clean=True)

    def _tick(self, until: Wanted) -> None:
        """The steps by hand that come before the first that stands for `until`."""
        for step in see_run(self.engine, self.run.id, self.now).steps:
            if step.proves is until or step.phase is Phase.AFTER:
                return
            if step.proves is None and step.done_at is None:
                self._enter("done", self.second if step.hold else self.account, step=step.key)

    def _enter(self, kind: str, account: Account | None = None, **members: object) -> None:
        self.now += timedelta(minutes=3)
        entry = ENTRY.validate_python({"kind": kind, **members})
        past = at_moment(self.engine, self.now)
        enter(past, account or self.account, self.run.id, new_id(), entry, self.now, self.now)
