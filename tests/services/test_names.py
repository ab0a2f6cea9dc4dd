"""Names on the board: what slots share is told once, and what is left of each is one name still."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from umbrak.services.sheets.board import shared_beginning, told_apart


@pytest.mark.parametrize(
    ("names", "shared"),
    [
        (["P1_DIMM_A1", "P1_DIMM_B1", "P1_DIMM_H1"], "P1_DIMM_"),
        (["DIMM9", "DIMM10"], "DIMM"),
        (["DIMM10", "DIMM11"], "DIMM"),
        (["SLOT 1", "SLOT 2"], "SLOT "),
        (["SLOTA", "SLOTB"], "SLOT"),
        (["A1", "A2"], ""),
        (["P1-DIMM1A", "P1-DIMM2A", "P1-DIMM1B"], "P1-DIMM"),
        (["1A", "2A"], ""),
        (["riser A A1", "riser A A3"], "riser A "),
        (["DIMM_P0_A0", "DIMM_P0_A1"], "DIMM_P0_"),
        (["SLOTALPHA", "SLOTBETA"], ""),
        (["DIMM_A1", "XMM1"], ""),
        (["same", "same"], ""),
        (["MEM"], ""),
        ([], ""),
    ],
)
def test_what_names_share(names: list[str], shared: str) -> None:
    assert shared_beginning(names) == shared


@given(st.lists(st.from_regex(r"[A-Z]{0,5}[ _-]?[A-Z]?[0-9]{1,2}", fullmatch=True), max_size=6))
def test_what_is_left_tells_the_slots_apart_and_parts_no_number(names: list[str]) -> None:
    shared = shared_beginning(names)
    left = [n.removeprefix(shared) for n in names]
    assert all(left) and len(set(left)) == len(set(names))
    assert all(n.startswith(shared) for n in names)
    assert not (shared[-1:].isdigit() and any(x[0].isdigit() for x in left))


@pytest.mark.parametrize(
    ("names", "drawn"),
    [
        (["A DIMM 1", "A DIMM 2", "B DIMM 1"], ["A/1", "A/2", "B/1"]),
        (["mc0 channel 0 slot 0", "mc0 channel 1 slot 0", "mc1 channel 0 slot 0"], ["0/0", "0/1", "1/0"]),
        (["A1", "A2"], ["A1", "A2"]),
        (["slot 1", "slot 2"], ["slot 1", "slot 2"]),
        (["A slot 1", "B slot 1", "C1"], ["A slot 1", "B slot 1", "C1"]),
        (["A 1", "A 1"], ["A 1", "A 1"]),
        ([], []),
    ],
)
def test_where_there_is_no_room_names_differ_still(names: list[str], drawn: list[str]) -> None:
    assert list(told_apart(names)) == drawn
