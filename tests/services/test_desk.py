"""The desk: each thing that wants somebody is there once, says who it is with, and goes when it is dealt with."""

from __future__ import annotations

import re
import subprocess
from datetime import UTC, date, datetime, timedelta
from decimal import Decimal
from pathlib import Path
from uuid import uuid4

import pytest
import vobject
from sqlalchemy import Engine, update

from tests.services.test_rounds import asked, solved
from tests.services.test_runs import begin, prove
from tests.services.test_shelf import line
from tests.services.test_taking_in import key_of
from umbrak.core.memory.label import decode_label
from umbrak.core.platform.machine import Layout
from umbrak.services.bench.ending import SignOff, sign_off
from umbrak.services.bench.entering import set_window
from umbrak.services.buying.ordering import NewPurchase, close_purchase, decide, place_purchase, take_in
from umbrak.services.buying.wanted import see_buying
from umbrak.services.desk.calendar import new_feed, see_feed
from umbrak.services.desk.money import Sum
from umbrak.services.desk.report import manager_pdf
from umbrak.services.desk.view import Item, Section, see_counts, see_desk
from umbrak.services.errors import NotFound, Refused
from umbrak.services.machines.listing import list_machines
from umbrak.services.people.accounts import change_account
from umbrak.services.people.settings import MoneySettings, set_money
from umbrak.services.plans.editing import start_plan
from umbrak.services.plans.view import see_plan
from umbrak.services.rounds.asked import AskedWave
from umbrak.services.rounds.changing import accept_round, close_round, make_round
from umbrak.store.accounts import Account
from umbrak.store.history import record
from umbrak.store.tables import purchase

NOW = datetime.now(UTC)
TODAY = NOW.date()


def on(engine: Engine, account: Account, what: str) -> list[Item]:
    return [i for i in see_desk(engine, account).items if i.what == what]


def test_failed_modules_and_plans_that_want_a_word(engine: Engine, technician: Account, lead: Account) -> None:
    desk = see_desk(engine, lead)
    (failed,) = [i for i in desk.items if i.section is Section.STOPS]
    assert (failed.what, failed.words, failed.who, failed.mine) == ("hall-02", "a module has failed", "R. Holm", True)
    assert not on(engine, technician, "hall-02")[0].mine
    words = {i.what: i for i in desk.items if i.section is Section.WORD}
    assert words["store-01"].mine and "at-risk" in words["store-01"].words
    assert not next(i for i in see_desk(engine, technician).items if i.what == "store-01").mine
    counts = see_counts(engine, lead)
    assert (counts.desk, counts.machines, counts.shelf) == (sum(desk.counts.values()), 2, 0)
    assert desk.mine == sum(i.mine for i in desk.items) and desk.counts[Section.WORD] == len(words)
    # A plan that was only just begun, of what is fitted, asks for nothing.
    start_plan(engine, technician, key_of(engine, "gauge-01"), "just begun")
    assert len(on(engine, lead, "gauge-01")) == len([w for w in words if w == "gauge-01"])
    # Of another plan than the one changed last no total is told: none of it is kept.
    assert "GB: a lead" in words["store-01"].words
    start_plan(engine, technician, key_of(engine, "store-01"), "a later one")
    assert [i.words for i in on(engine, lead, "store-01") if i.section is Section.WORD] == [
        re.sub(r", \S+ to \S+ GB", "", words["store-01"].words)
    ]


def test_an_order_from_placed_to_late_to_decided(engine: Engine, technician: Account) -> None:
    held = line(engine, "HLV5R-16").module
    plan = start_plan(
        engine, technician, key_of(engine, "hall-04"), "six", wanted=Layout(dict.fromkeys(["CPU0.A", "CPU0.B", "CPU0.C", "CPU0.D", "CPU0.E", "CPU0.F"], held))
    )  # fmt: skip
    buying = see_buying(engine, [plan.id])
    supplier = buying.lines[0].takes[0].supplier
    cost = sum((t.price for x in buying.lines for t in x.takes if t.supplier == supplier), Decimal(0))
    order = place_purchase(
        engine, technician,
        NewPurchase(supplier=supplier, reference="PO-7", ordered_on=TODAY - timedelta(days=9), due_on=TODAY + timedelta(days=2), plans=(plan.id,), cost=cost),
    )  # fmt: skip
    (coming,) = on(engine, technician, "order PO-7")
    assert (coming.section, coming.due, coming.mine) == (Section.SOON, TODAY + timedelta(days=2), True)
    set_money(engine, technician, MoneySettings(currency="CHF"))
    assert see_desk(engine, technician).money.ordered == (Sum(cost, "EUR"),), "money of two currencies is no one sum"
    with engine.begin() as db:
        db.execute(update(purchase).where(purchase.c.id == order.id).values(due_on=TODAY - timedelta(days=3)))
    (late,) = on(engine, technician, "order PO-7")
    assert (late.section, late.severity) == (Section.STOPS, "stop") and "did not come" in late.words
    came = take_in(engine, technician, order.id, label="8GB 1Rx8 PC3L-12800S", serial="X1", place="")
    (waits,) = on(engine, technician, "order PO-7")
    assert waits.section is Section.WORD and "1 of it is not as ordered" in waits.words
    arrival = next(a for x in came.lines for a in x.arrivals)
    decide(engine, technician, order.id, arrival.id, keep=False, reference="RMA 9", place="")
    assert on(engine, technician, "order PO-7")[0].section is Section.STOPS
    close_purchase(engine, technician, order.id)
    assert not on(engine, technician, "order PO-7")


def test_a_run_and_its_hold_for_a_second_person(engine: Engine, technician: Account, lead: Account) -> None:
    module = line(engine, "HLV5R-16").module
    bench = begin(engine, technician, lead, module)
    (run,) = [i for i in on(engine, technician, "hall-03") if "step" in i.words]
    assert run.section is Section.DOUBT and run.mine and run.path == f"/bench/{bench.id}" and "step 1 of" in run.words
    for step in bench.run.steps:
        if step.hold and step.who == "second":
            break
        if step.proves is None and step.done_at is None:
            bench.now += timedelta(minutes=1)
            bench.enter("done", lead if step.hold else None, step=step.key, key=uuid4())
    (hold,) = [i for i in on(engine, technician, "hall-03") if "second person" in i.words]
    assert hold.section is Section.WORD and not hold.mine and not hold.who
    (theirs,) = [i for i in on(engine, lead, "hall-03") if "second person" in i.words]
    assert theirs.mine, "anybody but who is at it may look"


def test_rounds_and_the_weeks_hours(engine: Engine, technician: Account) -> None:
    monday = TODAY + timedelta(days=(7 - TODAY.weekday()) % 7 or 7)
    waves = [
        AskedWave(day=monday, hours=8.0, people="I. Mar, R. Holm"),
        AskedWave(day=monday + timedelta(days=9), hours=8.0),
    ]
    view = make_round(engine, technician, "maps", asked(engine, "map-03", "map-04", "tide-01", waves=waves))
    assert not on(engine, technician, "maps")
    view = solved(engine, technician, view.id)
    (judge,) = on(engine, technician, "maps")
    assert judge.section is Section.WORD and judge.words.startswith("accept: ") and judge.path == f"/rounds/{view.id}"
    view = accept_round(engine, technician, view.id, view.version)
    assert not on(engine, technician, "maps")
    desk = see_desk(engine, technician, datetime(monday.year, monday.month, monday.day, 9, tzinfo=UTC))
    assert desk.week[0] == monday and {w.who: w.of for w in desk.windows} == {"I. Mar": 4.0, "R. Holm": 4.0}
    first = [p for p in view.plans if p.day == monday]
    assert sum(w.hours for w in desk.windows) == round(sum(p.hours for p in first), 2)
    weekend = see_desk(
        engine, technician, datetime(monday.year, monday.month, monday.day, 9, tzinfo=UTC) - timedelta(days=1)
    )
    assert weekend.week[0] == monday, "on a weekend the week that comes"
    later = datetime.now(UTC) + timedelta(days=40)
    assert see_desk(engine, technician, later).windows == ()
    close_round(engine, technician, view.id)
    assert not on(engine, technician, "maps")


def test_changed_verdicts_are_news_for_a_while(engine: Engine, technician: Account) -> None:
    told = {"was": "go", "verdict": "at-risk", "because": "firmware 9.3 tightens it", "name": "what is fitted"}
    with engine.begin() as db:
        record(db, "verdict changed", None, key_of(engine, "desk-04"), None, **told)
    (news,) = on(engine, technician, "desk-04")
    assert news.section is Section.CHANGED and news.words == "what is fitted: go → at-risk: firmware 9.3 tightens it"
    later = see_desk(engine, technician, NOW + timedelta(days=20))
    assert not [i for i in later.items if i.section is Section.CHANGED]


def test_what_comes_as_a_calendar(engine: Engine, technician: Account, lead: Account) -> None:
    token = new_feed(engine, technician)
    module = line(engine, "HLV5R-16").module
    bench = begin(engine, technician, lead, module)
    start, end = NOW + timedelta(days=1), NOW + timedelta(days=1, hours=2)
    set_window(engine, technician, bench.id, start, end)
    events = {e.summary.value: e for e in vobject.readOne(see_feed(engine, token, NOW).decode()).vevent_list}
    assert abs((events["Memory: hall-03"].dtstart.value - start).total_seconds()) < 1
    # The address that was told before leads nowhere, and so does one of somebody who may not sign in any more.
    newer = new_feed(engine, technician)
    with pytest.raises(NotFound):
        see_feed(engine, token, NOW)
    change_account(engine, lead, technician.id, active=False)
    with pytest.raises(NotFound):
        see_feed(engine, newer, NOW)


def test_one_page_for_a_manager(engine: Engine, technician: Account, lead: Account, tmp_path: Path) -> None:
    third = decode_label("16GB 1Rx8 PC5-4800B-RC0 P/N: QD5R-16").module
    bench = begin(engine, technician, lead, third)
    prove(bench, lead)
    sign_off(engine, technician, bench.id, SignOff("fine", "", "bench", {}), bench.now)
    day = bench.now.date()

    def page(since: date, until: date) -> str:
        (tmp_path / "page.pdf").write_bytes(manager_pdf(engine, since, until, NOW))
        told = subprocess.run(
            ["pdftotext", "-layout", tmp_path / "page.pdf", "-"], capture_output=True, text=True, check=True
        )
        return " ".join(told.stdout.split())

    told = page(day - timedelta(days=30), day)
    assert "+96 GB" in told and "hall-03 six proved 480 576" in told, told
    assert "Of 1 approved plans that ended, 0 met trouble" in told
    empty = page(day + timedelta(days=1), day + timedelta(days=2))
    assert "Nothing ended in these days" in empty and "+0 GB" in empty and "not known" in empty
    with pytest.raises(Refused):
        manager_pdf(engine, day, day - timedelta(days=1), NOW)


def test_who_is_on_what(engine: Engine, technician: Account, lead: Account) -> None:
    key = key_of(engine, "gauge-01")
    plan = start_plan(engine, lead, key, "mine")
    (mine,) = [w for w in see_desk(engine, technician).work if w.who == lead.shown_as and w.what == "gauge-01"]
    assert (mine.words, mine.path) == ("plan mine", f"/machines/{key}/fit?plan={plan.id}")
    later = see_desk(engine, technician, NOW + timedelta(days=9))
    assert not [w for w in later.work if w.who == lead.shown_as]


def test_a_plan_says_what_it_waits_for(engine: Engine, technician: Account) -> None:
    held = line(engine, "HLV5R-16").module
    plan = start_plan(engine, technician, key_of(engine, "hall-04"), "eight", wanted=Layout(dict.fromkeys(["CPU0.A", "CPU0.B", "CPU0.C", "CPU0.D", "CPU0.E", "CPU0.F", "CPU0.G", "CPU0.H"], held)))  # fmt: skip
    assert plan.waits is None
    buying, due = see_buying(engine, [plan.id]), TODAY + timedelta(days=2)
    supplier = buying.lines[0].takes[0].supplier
    cost = sum((t.price for x in buying.lines for t in x.takes if t.supplier == supplier), Decimal(0))
    place_purchase(engine, technician, NewPurchase(supplier=supplier, reference="", ordered_on=TODAY, due_on=due, plans=(plan.id,), cost=cost))  # fmt: skip
    waits = see_plan(engine, plan.id).waits
    assert waits and (waits.modules, waits.due_on) == (4, due)
    assert next(m for m in list_machines(engine).machines if m.name == "hall-04").waits == waits
