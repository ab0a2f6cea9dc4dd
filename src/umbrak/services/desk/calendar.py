"""What comes, as a calendar: windows at the bench, waves of rounds, deliveries and returns; asked for by a secret address."""

from __future__ import annotations

import secrets
from collections.abc import Iterator
from datetime import datetime

from sqlalchemy import Connection, Engine

from umbrak.formats.calendar import Appointment, calendar_of
from umbrak.services.buying.ordering import purchase_views
from umbrak.services.errors import NotFound
from umbrak.services.people.accounts import token_hash
from umbrak.services.rounds.view import StateOfPlan, asked_of, round_view
from umbrak.services.shelf.view import StockState, see_stock
from umbrak.store import accounts as store
from umbrak.store.accounts import Account
from umbrak.store.desk import MOST
from umbrak.store.machines import find_machines
from umbrak.store.rounds import rounds
from umbrak.store.runs import runs_under_way


def new_feed(engine: Engine, account: Account) -> str:
    """The secret part of the address of a person's calendar: told once. An address that there was before leads nowhere any more."""
    token = secrets.token_urlsafe(32)
    with engine.begin() as db:
        store.set_feed(db, account.id, token_hash(token))
    return token


def end_feed(engine: Engine, account: Account) -> None:
    with engine.begin() as db:
        store.set_feed(db, account.id, None)


def has_feed(engine: Engine, account: Account) -> bool:
    with engine.connect() as db:
        return store.has_feed(db, account.id)


def see_feed(engine: Engine, token: str, now: datetime) -> bytes:
    """The calendar at a secret address. Raises NotFound where there is none, or its person may not sign in any more."""
    with engine.connect() as db:
        if store.feed_of(db, token_hash(token)) is None:
            raise NotFound("calendar")
        return calendar_of(_appointments(db), now, "what comes")


def _appointments(db: Connection) -> Iterator[Appointment]:
    runs = runs_under_way(db, MOST)
    machines = {m.id: m for m in find_machines(db, [r.machine_id for r in runs])}
    for run in runs:
        m = machines.get(run.machine_id)
        if run.window_start and run.window_end and m:
            place = ", ".join(p for p in (m.site, m.about.place) if p)
            about = f"{run.plan}, by {run.by}"
            yield Appointment(
                key=str(run.id),
                title=f"Memory: {m.name}",
                place=place,
                about=about,
                start=run.window_start,
                end=run.window_end,
            )
    for row in rounds(db, open_ones=True):
        if row.accepted_at:
            v = round_view(db, row)
            for wave in asked_of(row).waves:
                here = [p for p in v.plans if p.day == wave.day and p.state is not StateOfPlan.DISCARDED]
                if here:
                    hours = sum(p.hours for p in here)
                    count = "1 machine" if len(here) == 1 else f"{len(here)} machines"
                    told = "\n".join(sorted(p.plan for p in here))
                    about = f"{told}\n{wave.people}".strip()
                    title = f"{v.name}: {count}, {hours:.1f} h"
                    yield Appointment(key=f"{row.id}-{wave.day}", title=title, place="", about=about, start=wave.day)
    for p in purchase_views(db, False):
        if p.pending and p.due_on:
            title = f"Due: {p.pending} of {p.modules} modules, {p.supplier}"
            yield Appointment(key=f"order-{p.id}", title=title, place="", about=p.reference, start=p.due_on)
    for s in see_stock(db):
        if s.state is StockState.TO_RETURN and s.due_on:
            title = f"Return due: {s.count} x {s.words}"
            yield Appointment(key=f"return-{s.id}", title=title, place=s.place, about=s.reference, start=s.due_on)
