"""Finding anything, and the list of machines grouped, counted and ordered."""

from __future__ import annotations

from dataclasses import replace

import pytest
from sqlalchemy import Engine

from tests.services.test_taking_in import key_of
from umbrak.core.platform.machine import Layout
from umbrak.services.machines.finding import find
from umbrak.services.machines.listing import list_machines
from umbrak.services.machines.page import see_machine
from umbrak.services.surveys.by_hand import survey_by_hand
from umbrak.store.accounts import Account
from umbrak.store.machines import Listing


@pytest.mark.parametrize(
    ("text", "kind", "title", "detail"),
    [
        ("hall-03", "machine", "hall-03", "Halvard R24, computing hall, rack B"),
        ("halvard", "machine", "hall-01", "Halvard R32"),
        ("even out", "plan", "Even out CPU 2", "hall-03, draft"),
        ("HALVARD", "sheet", "Halvard R24", "halvard-r24, revision 1"),
        ("hr-24b", "sheet", "Halvard R24", "halvard-r24, revision 1"),
        ("QD5R", "part", "QD5R-16", "6 on the Shelf, on offer"),
    ],
)
def test_anything_is_found(engine: Engine, technician: Account, text: str, kind: str, title: str, detail: str) -> None:
    hits = [h for h in find(engine, text) if h.kind == kind]
    assert any(h.title == title and detail in h.detail for h in hits), hits


def test_what_is_typed_is_text_and_no_pattern(engine: Engine, technician: Account) -> None:
    assert find(engine, "%%") == find(engine, "h_ll") == find(engine, "\\") == find(engine, "h") == ()
    assert len([h for h in find(engine, "al") if h.kind == "machine"]) <= 6


def test_modules_are_found_by_serial_where_they_are(engine: Engine, technician: Account) -> None:
    machine = key_of(engine, "hall-03")
    seen = see_machine(engine, machine)
    module = replace(seen.slots["CPU1.A1"], serial="S-4711")
    survey_by_hand(engine, technician, machine, seen.survey.revision, Layout({"CPU1.A1": module}), [])
    (hit,) = find(engine, "4711")
    assert (hit.kind, hit.title, hit.detail, hit.machine_id) == (
        "module",
        "S-4711",
        "in hall-03, slot CPU1.A1",
        machine,
    )
    # As it was surveyed last, and where it was.
    revision = see_machine(engine, machine).survey.revision
    survey_by_hand(engine, technician, machine, revision, Layout({"CPU1.A1": replace(module, serial="S-0001")}), [])
    assert [h.detail for h in find(engine, "S/N s-4711")] == ["was in hall-03, slot CPU1.A1"]


def test_the_list_is_grouped_counted_and_ordered(engine: Engine, technician: Account) -> None:
    plain = list_machines(engine)
    assert plain.groups == () and plain.counts["all"] == plain.total == len(plain.machines)
    for want in ("stop", "ask", "risk", "failed"):
        assert plain.counts[want] == list_machines(engine, Listing(want=want)).total
    looked = [m.summary for m in plain.machines]
    assert plain.counts["wanting"] == sum(x.worst_severity in ("stop", "ask") or x.failed > 0 for x in looked) > 0
    for by in ("place", "group", "model"):
        page = list_machines(engine, Listing(by=by, order="worst"))
        assert sum(g.count for g in page.groups) == page.total
        assert [g.name for g in page.groups] == sorted({g.name for g in page.groups})
        assert all(sum(g.spread.values()) == g.count for g in page.groups)
        of = {"place": lambda m: m.about.place.split(",")[0], "group": lambda m: m.about.duty_group, "model": lambda m: m.sheet_title}[by]  # fmt: skip
        assert [of(m) for m in page.machines] == sorted(of(m) for m in page.machines)
        for g in page.groups:
            mine = [m for m in page.machines if of(m) == g.name]
            assert g.count == len(mine)
            assert g.installed_gib == pytest.approx(sum(m.summary.installed_gib for m in mine))
    oldest = [m.surveyed_at for m in list_machines(engine, Listing(order="oldest")).machines]
    assert oldest == sorted(oldest)
    hall = next(m for m in plain.machines if m.name == "hall-03")
    assert hall.need_gib == pytest.approx(616.1, abs=0.1)
