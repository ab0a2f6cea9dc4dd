"""Sockets and channels from the names that machines report their slots by: right, or open; never wrong."""

from __future__ import annotations

from collections.abc import Callable, Iterator

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from umbrak.core.platform.naming import places_by_name
from umbrak.core.platform.passed_over import by_number, passed_over
from umbrak.core.platform.survey import SlotFacts, SlotState
from umbrak.formats.sheet.left_out import told_as

Names = list[tuple[str | None, str | None]]


def board(
    name: Callable[[int, int, int], tuple[str | None, str | None]], sockets: int, channels: int, each: int
) -> tuple[Names, list[tuple[int, int]]]:
    """(locator, bank) of every slot of a board, and its (socket, channel), both counted from 0."""
    cells = [(s, c, d) for s in range(sockets) for c in range(channels) for d in range(each)]
    return [name(*cell) for cell in cells], [(s, c) for s, c, _ in cells]


def letter(n: int) -> str:
    return "ABCDEFGHIJKLMNOP"[n]


#: Style: name of (socket, channel, slot), sockets, channels, slots a channel, what of it can be read: both, sockets, nothing.
STYLES: dict[str, tuple[Callable[[int, int, int], tuple[str | None, str | None]], int, int, int, str]] = {
    "P1_DIMM_A1": (lambda s, c, d: (f"P{s + 1}_DIMM_{letter(c)}{d + 1}", None), 2, 8, 1, "both"),
    "CPU1_DIMM_A1": (lambda s, c, d: (f"CPU{s + 1}_DIMM_{letter(c)}{d + 1}", None), 2, 6, 2, "both"),
    "Node 1 Channel C Dimm 0": (lambda s, c, d: (f"DIMM_{letter(c)}{d}", f"Node {s} Channel {letter(c)} Dimm {d}"), 2, 4, 2, "both"),
    "P0 CHANNEL A": (lambda s, c, d: ("DIMM 0", f"P{s} CHANNEL {letter(c)}"), 1, 12, 1, "both"),
    "DIMM_A0, BANK 0": (lambda s, c, d: (f"DIMM_{letter(c)}{d}", f"BANK {2 * c + d}"), 1, 2, 2, "both"),
    "J9C1, CHAN A DIMM 0": (lambda s, c, d: (f"J{9 - c}{letter(d)}1", f"CHAN {letter(c)} DIMM {d}"), 1, 4, 2, "both"),
    "ChannelA-DIMM0": (lambda s, c, d: (f"Channel{letter(c)}-DIMM{d}", f"BANK {2 * c + d}"), 1, 2, 2, "both"),
    "A1": (lambda s, c, d: (f"{letter(c)}{d + 1}", None), 1, 4, 2, "both"),
    "DIMM 3 by count": (lambda s, c, d: (f"DIMM {4 * c + d + 1}", None), 1, 2, 2, "nothing"),
    "P0_Node0_Channel0_Dimm0": (lambda s, c, d: (f"DIMM{letter(c)}{d}", f"P{s}_Node{s}_Channel{c}_Dimm{d}"), 2, 4, 2, "both"),
    "CPU1 A2": (lambda s, c, d: (f"CPU{s + 1} {letter(c)}{d + 1}", None), 4, 6, 2, "both"),
    "PROC 1 DIMM 3": (lambda s, c, d: (f"PROC {s + 1} DIMM {2 * c + d + 1}", None), 2, 6, 2, "sockets"),
    "DIMM_P0_A0": (lambda s, c, d: (f"DIMM_P{s}_{letter(c)}{d}", None), 2, 8, 2, "both"),
    "SODIMM0, CHANNEL A": (lambda s, c, d: (f"SODIMM{d}", f"CHANNEL {letter(c)}"), 1, 2, 2, "both"),
    "CPU0_MC1_CH0_D1": (lambda s, c, d: (f"CPU{s}_MC{c // 2}_CH{c % 2}_D{d}", None), 2, 4, 2, "both"),
    "Processor 1 Channel 3 Slot 2": (lambda s, c, d: (f"Processor {s + 1} Channel {c + 1} Slot {d + 1}", None), 2, 4, 3, "both"),
    "A1 to A12 on two": (lambda s, c, d: (f"{letter(s)}{2 * c + d + 1}", None), 2, 6, 2, "sockets"),
    "1A, 2A": (lambda s, c, d: (f"DIMM {c + 1}{letter(d)}", None), 1, 4, 2, "nothing"),
    "P1-DIMMB1": (lambda s, c, d: (f"P{s + 1}-DIMM{letter(c)}{d + 1}", f"P{s}_Node{s}_Channel{c}_Dimm{d}"), 2, 3, 3, "both"),
    "XMM1": (lambda s, c, d: (f"XMM{2 * c + d + 1}", None), 1, 2, 2, "nothing"),
    "MEM, one slot": (lambda s, c, d: ("MEM", None), 1, 1, 1, "both"),
    # Twenty-two that the reading was tried on after it was written; four of them taught it something.
    "CPU_1_DIMM_A1": (lambda s, c, d: (f"CPU_{s + 1}_DIMM_{letter(c)}{d + 1}", None), 2, 4, 2, "both"),
    "Proc 1 Chan B Slot 0": (lambda s, c, d: (f"Proc {s + 1} Chan {letter(c)} Slot {d}", None), 2, 6, 2, "both"),
    "MC0-ChA-DIMM0": (lambda s, c, d: (f"MC{c}-Ch{letter(c)}-DIMM{d}", "BANK 0"), 1, 2, 2, "both"),
    "Controller0-ChannelA-DIMM0": (lambda s, c, d: (f"Controller{c // 2}-Channel{letter(c % 2)}-DIMM{d}", f"BANK {c}"), 1, 4, 1, "both"),
    "dimm a1": (lambda s, c, d: (f"dimm {letter(c).lower()}{d + 1}", None), 1, 4, 2, "both"),
    "Slot A1": (lambda s, c, d: (f"Slot {letter(c)}{d + 1}", None), 1, 3, 3, "both"),
    "CPU0-A0": (lambda s, c, d: (f"CPU{s}-{letter(c)}{d}", None), 4, 4, 2, "both"),
    "D1, Socket 0 Channel 2": (lambda s, c, d: (f"D{d}", f"Socket {s} Channel {c}"), 2, 8, 2, "both"),
    "DIMM A1, NODE 0": (lambda s, c, d: (f"DIMM {letter(c)}{d + 1}", f"NODE {s}"), 2, 4, 1, "both"),
    "SODIMM 1, Channel B": (lambda s, c, d: (f"SODIMM {d + 1}", f"Channel {letter(c)}"), 1, 2, 1, "both"),
    "CPU1_MEM_CH1_D1": (lambda s, c, d: (f"CPU{s + 1}_MEM_CH{c + 1}_D{d + 1}", None), 4, 8, 2, "both"),
    "PROC 1 DIMM 3B": (lambda s, c, d: (f"PROC {s + 1} DIMM {2 * c + d + 1}{letter(c)}", None), 2, 4, 2, "both"),
    "Bottom, top": (lambda s, c, d: (["Bottom", "Top"][d], f"BANK {d}"), 1, 1, 2, "nothing"),
    "DIMM_A1, BANK 0": (lambda s, c, d: (f"DIMM_{letter(c)}{d + 1}", "BANK 0"), 1, 8, 2, "both"),
    "DIMM 1, N0 CHA": (lambda s, c, d: ("DIMM 1", f"N{s} CH{letter(c)}"), 2, 6, 1, "both"),
    "Riser A DIMM 1": (lambda s, c, d: (f"Riser {letter(s)} DIMM {c + 1}", None), 2, 6, 1, "nothing"),
    "p0-dimma0": (lambda s, c, d: (f"p{s}-dimm{letter(c).lower()}{d}", None), 2, 6, 2, "both"),
    "DIMM_C2, Socket 1": (lambda s, c, d: (f"DIMM_{letter(c)}{d + 1}", f"Socket {s + 1}"), 2, 8, 2, "both"),
    "CPU2-CH_H-DIMM_1": (lambda s, c, d: (f"CPU{s + 1}-CH_{letter(c)}-DIMM_{d}", None), 2, 12, 1, "both"),
    "A0, BANK 0": (lambda s, c, d: (f"{letter(c)}{d}", f"BANK {c}"), 1, 2, 2, "both"),
    "SK0_DIMM_A0": (lambda s, c, d: (f"SK{s}_DIMM_{letter(c)}{d}", None), 2, 4, 2, "both"),
    "SO-DIMM, one slot": (lambda s, c, d: ("SO-DIMM", "BANK 0"), 1, 1, 1, "both"),
}  # fmt: skip


def classes(of: list[object]) -> list[int]:
    """Which are the same, whatever they are called."""
    return [of.index(x) for x in of]


@pytest.mark.parametrize("style", STYLES)
def test_names_say_what_they_say_and_no_more(style: str) -> None:
    name, sockets, channels, each, readable = STYLES[style]
    names, truth = board(name, sockets, channels, each)
    found = places_by_name(names, sockets)
    got_channels = [(p.socket, p.channel) for p in found.places]
    if readable == "both":
        assert found.has_channels and classes(list(got_channels)) == classes(list(truth))
        if sockets > 1:
            assert found.has_sockets
    else:
        assert not any(p.channel for p in found.places)
    if sockets > 1 and readable != "nothing":
        assert classes([p.socket for p in found.places]) == classes([s for s, _ in truth])
        assert found.why
    if readable == "nothing":
        assert not any(p.socket for p in found.places) and not found.why


def _odd() -> Iterator[tuple[str, Names, int | None]]:
    yield "a channel with two slots of one name", [("A1", None), ("A1", None), ("B1", None)], 1
    yield "channels unlike between processors", [("P1_DIMM_A1", None), ("P1_DIMM_B1", None), ("P2_DIMM_A1", None)], 2
    yield "more in a channel than any board has", [(f"DIMM_A{n}", None) for n in range(6)], 1
    yield "a slot without a name", [("A1", None), (None, None)], 1
    yield "processors by number that the names do not tell", [("A1", None), ("B1", None)], 2
    yield "letters that do not begin at A", [("D1", None), ("D2", None)], 1
    yield "two letters of which one stands for something else", [("P1", None), ("J1", None)], 1
    yield "numbers that begin again behind each letter", [(f"DIMM {n}{x}", None) for x in "AB" for n in (1, 2, 3)], 1
    yield "a letter behind a number", [("J9A1", None), ("J8B1", None)], 1
    yield "nothing at all", [], None


@pytest.mark.parametrize(("names", "processors"), [(n, p) for _, n, p in _odd()], ids=[w for w, _, _ in _odd()])
def test_what_makes_no_board_is_left_open(names: Names, processors: int | None) -> None:
    assert not any(p.channel for p in places_by_name(names, processors).places)


def _listed(style: str) -> list[str]:
    """Names of every slot of a board as its report tells them apart; [] where it does not."""
    name, sockets, channels, each, _ = STYLES[style]
    names = told_as([SlotFacts(*n, SlotState.FILLED) for n in board(name, sockets, channels, each)[0]])
    return [n for n in names if n] if all(names) else []


@pytest.mark.parametrize("style", [s for s in STYLES if s != "DIMM 3 by count"])  # whose numbers 3 and 4 are no slots
def test_a_whole_list_has_nothing_left_out_and_what_is_left_out_is_found_as_itself(style: str) -> None:
    whole = _listed(style)
    found = []
    for filled_only in (True, False):
        assert passed_over(whole, filled_only=filled_only) == []
        for one in whole:
            added = passed_over([n for n in whole if n != one], filled_only=filled_only)
            assert added in ([], [one])
            found += added
    # Numbers that are counted once show each that is missing; where each has a fellow on another processor, that shows it too.
    if style in ("P1_DIMM_A1", "CPU1_DIMM_A1", "A1", "DIMM_P0_A0", "PROC 1 DIMM 3B", "P1-DIMMB1", "CPU0_MC1_CH0_D1"):
        assert len(found) >= len(whole) * (2 if STYLES[style][1] > 1 else 1)


@settings(max_examples=300)
@given(
    st.lists(
        st.text("ABbJx019²ı_ -٣", min_size=1, max_size=9)
        | st.from_regex(r"(CPU\d )?(DIMM)?[A-D]\d{1,2}", fullmatch=True),
        unique=True,
        max_size=30,
    ),
    st.booleans(),
    st.integers(1, 4),
    st.none() | st.integers(1, 40),
)
def test_whatever_slots_are_called_others_are_added_once_and_never_too_many(
    names: list[str], filled_only: bool, processors: int, count: int | None
) -> None:
    added = passed_over(names, filled_only=filled_only, processors=processors, count=count)
    assert len({*added, *names}) == len(added) + len(names) and all(added)
    assert not added or len(added) + len(names) <= (count or 96)
    assert len(sorted(names + added, key=by_number)) == len(names) + len(added)


def test_names_of_many_counts_take_no_time() -> None:
    names = [" ".join(f"{(n * k) % 23} x{k}" for k in range(1, 12)) for n in range(1, 23)]
    assert passed_over(names, filled_only=True) == []


@pytest.mark.parametrize(
    ("listed", "count", "added"),
    [
        ("A1 B1", 4, "A2 B2"),
        ("A1 B1 C1 D1", 8, "A2 B2 C2 D2"),
        ("P1_A0 P2_A0", 6, "P1_A1 P1_A2 P2_A1 P2_A2"),
        ("DIMM1 DIMM3", 4, "DIMM2 DIMM4"),
        ("A1 B1", 8, ""),  # four channels, or more: their letters are not told
        ("A1 B1 C1", 4, ""),
        ("A1 A2 B1", 3, ""),  # fewer than the numbers show
    ],
)
def test_numbers_go_on_to_as_many_as_are_counted(listed: str, count: int, added: str) -> None:
    assert passed_over(listed.split(), filled_only=True, count=count) == added.split()
    assert passed_over(listed.split(), filled_only=False, count=count) == []


@pytest.mark.parametrize(
    ("listed", "processors", "added"),
    [
        ("A1 B1 D1", None, "C1"),
        ("A1 A2 B1", None, "B2"),
        ("A1 B1 C1 D1", None, ""),
        ("D1 H1", None, "A1 B1 C1 E1 F1 G1"),
        ("A1 L1", None, ""),  # too far apart
        ("DIMM1 DIMM3 DIMM5 DIMM7", None, "DIMM2 DIMM4 DIMM6"),
        ("DIMM02 DIMM04", None, "DIMM01 DIMM03"),
        ("P1-DIMMA1 P1-DIMMB1 P2-DIMMA1", None, "P2-DIMMB1"),
        ("CPU0_A1 CPU0_B1", 2, "CPU1_A1 CPU1_B1"),
        ("CPU1_D1 CPU1_D2 CPU2_D4 CPU2_D6", None, "CPU2_D5"),  # counted on: the first may have none beyond its second
        ("ChannelA-DIMM0 ChannelB-DIMM1", None, ""),  # one count told twice, or two channels of two
        ("1A 2B 3C 5E", None, ""),
        ("J101 J105", None, ""),
        ("A1 slot2", None, ""),
        ("A1", None, ""),
    ],
)
def test_numbers_show_what_a_list_of_filled_slots_leaves_out(listed: str, processors: int | None, added: str) -> None:
    assert passed_over(listed.split(), filled_only=True, processors=processors) == added.split()
    if "P2" not in added and not processors:
        assert passed_over(listed.split(), filled_only=False, processors=processors) == []
