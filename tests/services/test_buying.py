"""What to buy for plans: reserved and bought together, as a page, as text, as a table."""

from __future__ import annotations

import csv
import io
from datetime import date
from decimal import Decimal

from sqlalchemy import Engine

from tests.services.test_shelf import line
from tests.services.test_taking_in import key_of
from umbrak.core.memory.label import decode_label
from umbrak.core.platform.machine import Layout
from umbrak.services.buying.wanted import buying_table, see_buying
from umbrak.services.plans.editing import discard_plan, edit_plan, start_plan
from umbrak.services.shelf.changing import NewOffer, add_offer
from umbrak.store.accounts import Account


def test_plans_are_bought_for_together_after_what_the_shelf_has_for_them(engine: Engine, technician: Account) -> None:
    before = {p.id for p in see_buying(engine).plans}
    held = line(engine, "HLV5R-16").module  # four on the Shelf
    first = start_plan(engine, technician, key_of(engine, "hall-03"), "three")
    goal = Layout(dict.fromkeys(["CPU2.A2", "CPU2.B2", "CPU2.C2"], held))
    edit_plan(engine, technician, first.id, first.version, goal, ())
    wanted = Layout(dict.fromkeys(["CPU0.A", "CPU0.B", "CPU0.C"], held))
    second = start_plan(engine, technician, key_of(engine, "hall-04"), "+three", wanted=wanted)
    offer = NewOffer(
        part="HLV5R-16", module=held, supplier="=Quay Parts", price=Decimal("88.50"), kit=2, priced_on=date(2026, 11, 1),
        lead_days=6,
    )  # fmt: skip
    add_offer(engine, technician, offer)
    view = see_buying(engine, [first.id, second.id])
    assert {p.id for p in view.plans} == before | {first.id, second.id}, "what is not asked for may be"
    (bought,) = view.lines
    assert (bought.part, bought.wanted, sum(t.modules for t in bought.from_shelf)) == ("HLV5R-16", 6, 4)
    assert {(n.machine, n.count) for n in bought.needs} == {("hall-03", 3), ("hall-04", 3)}
    assert sum(t.modules for t in bought.takes) == 2 and bought.missing == 0 and view.cost == bought.cost > 0
    # For the younger plan alone: one of four is left by the older.
    (alone,) = see_buying(engine, [second.id]).lines
    assert sum(t.modules for t in alone.from_shelf) == 1
    rows = list(csv.DictReader(io.StringIO(buying_table(view))))
    assert [(r["part"], r["count"], r["for"]) for r in rows] == [
        ("HLV5R-16", "2", "hall-03, three: 3; hall-04, +three: 3")
    ]
    assert not any(cell.startswith(("=", "+", "-", "@")) for r in rows for cell in r.values())
    assert "2 x 16 GB DDR5-4800 RDIMM, part HLV5R-16" in view.text and f"{view.cost:.2f} EUR" in view.text
    discard_plan(engine, technician, second.id, second.version, True)
    assert second.id not in {p.id for p in see_buying(engine).plans}


def test_what_nobody_offers_is_said_and_never_free(engine: Engine, technician: Account) -> None:
    odd = decode_label("16GB 1Rx8 PC5-6400B-RC0").module
    key = key_of(engine, "hall-03")
    plan = start_plan(engine, technician, key, "fast", wanted=Layout({"CPU2.A2": odd}))
    view = see_buying(engine, [plan.id])
    (bought,) = view.lines
    assert (bought.part, bought.missing, view.missing, view.cost, view.lead_days) == (None, 1, 1, 0, None)
    assert view.text == "1 x 16 GB DDR5-6400 RDIMM: no offer yet"
