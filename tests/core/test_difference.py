"""Two sides of a slot: what a report adds, what it contradicts, and that nothing known is lost by its silence."""

from __future__ import annotations

from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from umbrak.core.memory.label import decode_label
from umbrak.core.memory.module import FIELD_NAMES, Module, complete, known_by_number, read_off
from umbrak.core.platform.difference import Change, compare_slot
from umbrak.core.platform.machine import UNKNOWN, Occupant

LABEL = decode_label("4GB 2Rx8 PC3L-12800S").module
TABLES = replace(LABEL, rails_v=(), device_width=None, die_gbit=None, maker="OSTREL", part="OSM3L-4S16 ", serial="17")


@pytest.mark.parametrize(
    ("known", "reported", "change", "merged"),
    [
        (None, None, Change.SAME, None),
        (UNKNOWN, None, Change.FILLS_IN, None),
        (LABEL, None, Change.GOES, None),
        (None, LABEL, Change.COMES, LABEL),
        (UNKNOWN, LABEL, Change.COMES, LABEL),
        (LABEL, UNKNOWN, Change.UNTOLD, LABEL),
        (LABEL, LABEL, Change.SAME, LABEL),
        (LABEL, replace(LABEL, capacity_gib=8), Change.DIFFERS, replace(LABEL, capacity_gib=8)),
    ],
)
def test_what_becomes_of_a_slot(
    known: Occupant | None, reported: Occupant | None, change: Change, merged: Occupant | None
) -> None:
    found = compare_slot("A", known, reported)
    assert (found.change, found.merged) == (change, merged)


def test_a_report_adds_what_it_knows_and_keeps_what_it_does_not() -> None:
    found = compare_slot("A", LABEL, TABLES)
    assert (found.change, found.learnt) == (Change.FILLS_IN, ("maker", "part", "serial"))
    assert isinstance(found.merged, Module) and found.merged.rails_v == (1.35, 1.5) and found.merged.serial == "17"
    again = compare_slot("A", replace(found.merged, maker="Ostrel", part="OSM3L-4S16"), TABLES)
    assert again.change is Change.SAME


def test_members_that_contradict_are_named_with_both_sides() -> None:
    found = compare_slot("A", LABEL, replace(TABLES, capacity_gib=8, rate_mts=1333))
    assert [(m.member, m.known, m.reported) for m in found.members] == [
        ("capacity_gib", 4, 8),
        ("rate_mts", 1600, 1333),
    ]


@given(
    st.sets(st.sampled_from(FIELD_NAMES)),
    st.sets(st.sampled_from(FIELD_NAMES)),
)
def test_nothing_known_is_lost_by_a_silence(forgotten: set[str], unreported: set[str]) -> None:
    whole = replace(LABEL, maker="Ostrel", part="X", serial="1", height_mm=30.0)

    def without(names: set[str]) -> Module:
        return replace(whole, **{n: () if n == "rails_v" else None for n in names})

    known, reported = without(forgotten), without(unreported)
    merged = compare_slot("A", known, reported).merged
    assert isinstance(merged, Module)
    for name in FIELD_NAMES:
        sides = {getattr(known, name), getattr(reported, name)} - {None, ()}
        if sides:
            assert getattr(merged, name) in sides


@given(st.sets(st.sampled_from(FIELD_NAMES)), st.sets(st.sampled_from(FIELD_NAMES)))
def test_what_is_known_by_its_number_alone_stays_marked_until_it_is_read(read: set[str], reported: set[str]) -> None:
    whole = replace(LABEL, maker="Ostrel", part="X", serial="1", height_mm=30.0)

    def just(names: set[str]) -> Module:
        return replace(whole, **{n: () if n == "rails_v" else None for n in FIELD_NAMES if n not in names})

    def marked(names: set[str]) -> Module:
        return known_by_number(whole, just(names))

    for known, said in (
        (marked(read), just(reported)),
        (just(read), marked(reported)),
        (marked(read), marked(reported)),
    ):
        _sighted(compare_slot("A", known, said).merged, whole, complete(just(read | reported))[0])


def _sighted(merged: Occupant | None, whole: Module, own: Module) -> None:
    assert isinstance(merged, Module) and merged == whole
    # What was read and what is reported now, and what follows from both, is sighted; nothing else is.
    assert {n for n in FIELD_NAMES if n not in merged.by_number} == {
        n for n in FIELD_NAMES if getattr(own, n) not in (None, ()) or getattr(whole, n) in (None, ())
    }
    assert read_off(merged) == own
