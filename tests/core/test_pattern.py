"""Names by the pattern of one: whatever a board's habit, the first is the example and every slot is named once."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from umbrak.core.platform.pattern import Seat, first_of, names_like


def seats(processors: int, channels: list[int], carriers: int = 0) -> list[Seat]:
    bearing = [(p, c) for p in range(processors) for c, n in enumerate(channels) if n]
    each = len(bearing) // carriers if carriers else 0
    return [Seat(p, c, i, k // each if each else None) for k, (p, c) in enumerate(bearing) for i in range(channels[c])]


@pytest.mark.parametrize(
    ("example", "board", "names"),
    [
        ("DIMM_A1", (1, [2, 2]), "DIMM_A1 DIMM_A2 DIMM_B1 DIMM_B2"),
        ("DIMMA1", (1, [1, 1]), "DIMMA1 DIMMB1"),
        ("DIMM1", (1, [2, 2]), "DIMM1 DIMM2 DIMM3 DIMM4"),
        ("DIMM01", (1, [2]), "DIMM01 DIMM02"),
        ("1", (2, [2, 1]), "1 2 3 4 5 6"),
        ("0", (1, [2]), "0 1"),
        ("A", (1, [1, 1, 1]), "A B C"),
        ("J7", (1, [1, 1]), "J7 J8"),
        ("1A", (1, [1, 1]), "1A 1B"),
        ("P1_DIMM_A1", (2, [2, 1]), "P1_DIMM_A1 P1_DIMM_A2 P1_DIMM_B1 P2_DIMM_A1 P2_DIMM_A2 P2_DIMM_B1"),
        ("P0_DIMM_A0", (2, [2]), "P0_DIMM_A0 P0_DIMM_A1 P1_DIMM_A0 P1_DIMM_A1"),
        ("CPU1-CH_A-DIMM_0", (1, [2, 1]), "CPU1-CH_A-DIMM_0 CPU1-CH_A-DIMM_1 CPU1-CH_B-DIMM_0"),
        ("A1", (2, [1, 1]), "A1 B1 C1 D1"),  # letters go on where no processor is named
        ("board_1_slot_1", (2, [2], 2), "board_1_slot_1 board_1_slot_2 board_2_slot_1 board_2_slot_2"),
        ("riserA-1", (1, [1, 1], 2), "riserA-1 riserB-1"),
        ("B1", (1, [0, 1]), "B1"),  # the first channel is soldered
        ("B1", (1, [0, 1, 1]), "B1 C1"),
        ("SODIMM", (1, [1]), "SODIMM"),
    ],
)  # fmt: skip
def test_names_by_habit(example: str, board: tuple[int, list[int]], names: str) -> None:
    assert names_like(example, seats(*board)) == names.split()


def test_what_the_example_says_of_its_place() -> None:
    assert (first_of("P0_DIMM_A0", "socket"), first_of("riser A slot 1", "carrier"), first_of("A1", "socket")) == ("0", "A", None)  # fmt: skip


@given(
    st.integers(1, 8),
    st.lists(st.integers(1, 3), min_size=1, max_size=12),
    st.sampled_from(["", "A1", "DIMM_A1", "1", "0", "DIMM01", "P0_DIMM_A0", "CPU1 A1", "CPU1_CH_A_D0", "J1", "X"]),
)
def test_every_slot_has_a_name_of_its_own(processors: int, channels: list[int], example: str) -> None:
    found = names_like(example, board := seats(processors, channels))
    assert len(set(found)) == len(found) == len(board)
    if example and (len(board) == 1 or example != "X"):
        assert found[0] == example
