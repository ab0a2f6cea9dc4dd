"""What to buy for plans: reserved and bought together, as a page, as text, as a table."""

from __future__ import annotations

import csv
import io
from dataclasses import replace
from datetime import date
from decimal import Decimal

import pytest
from sqlalchemy import Engine

from tests.services.test_shelf import line
from tests.services.test_taking_in import key_of
from umbrak.core.buying.arrival import Came
from umbrak.core.memory.label import decode_label
from umbrak.core.platform.machine import Layout
from umbrak.services.buying.ordering import NewPurchase, close_purchase, decide, place_purchase, see_purchases, take_in
from umbrak.services.buying.wanted import buying_table, see_buying
from umbrak.services.errors import Refused
from umbrak.services.plans.editing import discard_plan, edit_plan, start_plan
from umbrak.services.shelf.changing import NewOffer, add_offer
from umbrak.services.shelf.view import see_shelf
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


def test_an_order_is_placed_read_in_and_waited_for_no_longer(engine: Engine, technician: Account) -> None:
    """A wrong, a late and a short delivery: each says what it is, and nothing is lost."""
    fast = replace(decode_label("16GB 1Rx8 PC5-5600B-RC0").module, part="QP-16", maker=None)
    plan = start_plan(engine, technician, key_of(engine, "hall-03"), "fast", wanted=Layout(dict.fromkeys(["CPU2.A2", "CPU2.B2", "CPU2.C2"], fast)))  # fmt: skip
    offer = NewOffer(part="QP-16", module=fast, supplier="Quay Parts", price=Decimal("150"), kit=2, priced_on=date(2026, 11, 1))  # fmt: skip
    add_offer(engine, technician, offer)
    seen = see_buying(engine, [plan.id])
    assert (seen.cost, seen.lines[0].left_over) == (300, 1)
    due = date(2026, 11, 3)
    new = NewPurchase(supplier="Quay Parts", reference="B-118", ordered_on=date(2026, 11, 2), due_on=due, plans=(plan.id,), cost=seen.cost)  # fmt: skip
    for odd, field in (
        (replace(new, cost=Decimal(299)), "cost"),
        (replace(new, supplier="Nobody"), "supplier"),
        (replace(new, due_on=date(2026, 11, 1)), "due_on"),
    ):
        with pytest.raises(Refused) as refused:
            place_purchase(engine, technician, odd)
        assert refused.value.field == field
    order = place_purchase(engine, technician, new)
    assert (order.modules, order.pending, order.cost) == (4, 4, 300) and order.days_late > 0
    after = see_buying(engine, [plan.id])
    (named,) = [p for p in after.plans if p.id == plan.id]
    assert (after.lines, named.modules, named.ordered) == ((), 3, 3)

    def came(label: str, serial: str = "") -> Came:
        view = take_in(engine, technician, order.id, label=label, serial=serial, place="shelf 2")
        return max((a for x in view.lines for a in x.arrivals), key=lambda a: a.at).came

    free = sum(s.count for s in see_shelf(engine).stock)
    assert came("QP-16 16GB 1Rx8 PC5-5600B-RC0", "S1") is Came.RIGHT
    assert came("16GB 1Rx8 PC5-5600B-R", "S2") is Came.OPEN
    assert came("QP-16 32GB 2Rx8 PC5-5600B-RA0", "S3") is Came.WRONG
    assert came("QP-16 16GB 2Rx8 PC5-5600B-RA0", "S4") is Came.OTHER_CHIPS
    assert sum(s.count for s in see_shelf(engine).stock) == free + 2, "what is not as ordered waits for a word"
    for label, serial, field in (("spoon", "", "label"), ("QP-16", "S1", "serial")):
        with pytest.raises(Refused) as refused:
            take_in(engine, technician, order.id, label=label, serial=serial, place="")
        assert refused.value.field == field
    (now,) = [o for o in see_purchases(engine) if o.id == order.id]
    assert now.pending == 2
    odd_ones = {a.came: a for x in now.lines for a in x.arrivals}
    with pytest.raises(Refused) as refused:
        decide(engine, technician, order.id, odd_ones[Came.WRONG].id, keep=False, reference=" ", place="")
    assert refused.value.field == "reference"
    decide(engine, technician, order.id, odd_ones[Came.WRONG].id, keep=False, reference="B-118-5", place="")
    now = decide(engine, technician, order.id, odd_ones[Came.OTHER_CHIPS].id, keep=True, reference="", place="shelf 2")
    assert now.pending == 1 and sum(s.count for s in see_shelf(engine).stock) == free + 3
    # The last one does not come: what is still lacking is to be bought again.
    close_purchase(engine, technician, order.id)
    with pytest.raises(Refused, match="Nothing more"):
        take_in(engine, technician, order.id, label="QP-16", serial="S9", place="")
    assert order.id not in {o.id for o in see_purchases(engine)}
    assert order.id in {o.id for o in see_purchases(engine, closed=True)}
    (again,) = see_buying(engine, [plan.id]).lines
    assert again.wanted == 3 and sum(t.modules for t in (*again.from_shelf, *again.takes)) >= 3
