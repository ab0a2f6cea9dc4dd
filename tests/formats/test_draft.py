"""Drafts: whatever a machine reports, the draft is a sheet that can be used, and what a report cannot know is open."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.formats.smbios_facts import Device, listing
from umbrak.core.evaluate import evaluate
from umbrak.core.memory.label import decode_label
from umbrak.core.memory.module import Module
from umbrak.core.platform.machine import Layout, Machine
from umbrak.core.platform.naming import places_by_name
from umbrak.core.platform.survey import (
    ArrayFacts,
    DriveFacts,
    ProcessorFacts,
    SlotFacts,
    SlotState,
    SurveyReading,
    SystemFacts,
    match_slots,
)
from umbrak.core.rules.finding import Verdict
from umbrak.demo.seed import Scenario
from umbrak.formats.reading import read_any
from umbrak.formats.sheet.draft import draft_sheet
from umbrak.formats.sheet.reading import read_sheet

NAMES = st.text(st.characters(codec="utf-8", exclude_categories=["Cs", "Cc"]), max_size=30) | st.none()
READINGS = st.builds(
    SurveyReading,
    st.just("smbios"),
    st.builds(SystemFacts, NAMES, NAMES) | st.none(),
    processors=st.lists(st.builds(ProcessorFacts, NAMES, NAMES, st.none(), st.booleans()), max_size=3).map(tuple),
    arrays=st.lists(st.builds(ArrayFacts, st.sampled_from([None, 0.5, 768])), max_size=2).map(tuple),
    slots=st.lists(
        st.builds(
            SlotFacts, NAMES, NAMES, st.sampled_from(SlotState), st.just(Module(capacity_gib=8)) | st.none(), st.sampled_from([None, 2400])
        ),
        max_size=6,
    ).map(tuple),
)  # fmt: skip


@given(READINGS)
def test_any_report_drafts_a_sheet(reading: SurveyReading) -> None:
    sheet = read_sheet(draft_sheet(reading)).sheet
    assert len(sheet.slots) == sum(1 for s in reading.slots if s.state is not SlotState.SOLDERED)


def test_what_the_report_tells_is_filled_in_and_the_rest_is_asked() -> None:
    reading = read_any(listing([Device("CPU1_DIMM_A1"), Device("CPU1_DIMM_A2", 0), Device("CPU2_DIMM_A1")]).encode())
    text = draft_sheet(reading)
    drafted = read_sheet(text)
    sheet = drafted.sheet
    assert {f.code for f in drafted.findings} == {"fact-open"} and len(drafted.findings) >= 6
    # What ran is seen, and nothing of it is told.
    assert sheet.memory.accepts == () and sheet.unsaid["memory.accepts"].seen and "channels" in sheet.unsaid
    assert (sheet.title, sheet.maker, sheet.memory.generation, sheet.limits[0].capacity_gib) == ("Lorne K12", "Lorne Systems", "DDR4", 768)  # fmt: skip
    assert sheet.limits[0].source.kind == "survey" and sheet.sockets["CPU2"].may_be_absent
    assert sheet.socket_of_slot["CPU2_DIMM_A1"] == "CPU2"
    assert match_slots(sheet, reading.slots) == ("CPU1_DIMM_A1", "CPU1_DIMM_A2", "CPU2_DIMM_A1")


_R16 = decode_label("16GB 1Rx8 PC5-4800B-RC0").module
_U8 = decode_label("8GB 2Rx8 PC3L-12800S").module


def _server(locator: str = "P{s}_DIMM_{c}{d}", bank: str | None = None) -> SurveyReading:
    """Two processors of eight channels of one slot, the first of each filled."""
    slots = [
        SlotFacts(
            locator.format(s=s, c=c, d=1), bank and bank.format(s=s, c=c), SlotState.FILLED if c == "A" else SlotState.EMPTY,
            _R16 if c == "A" else None, 4800 if c == "A" else None,
        )
        for s in (1, 2) for c in "ABCDEFGH"
    ]  # fmt: skip
    processors = tuple(ProcessorFacts(f"P{s}", "Heliant Corrie", 24, True) for s in (1, 2))
    return SurveyReading("smbios", SystemFacts("Halvard", "Halvard R16"), processors=processors, slots=tuple(slots))


def test_slots_of_one_channel_and_socket_are_put_together_and_nothing_of_it_is_told() -> None:
    sheet = read_sheet(draft_sheet(_server())).sheet
    assert sheet.title == "Halvard R16", "the maker once"
    assert {(c.socket, c.slots) for c in sheet.channels.values()} == {
        (f"P{s}", (f"P{s}_DIMM_{c}1",)) for s in (1, 2) for c in "ABCDEFGH"
    }
    unsaid = sheet.not_told("channels")
    assert unsaid and "the letter in their names is taken for the channel" in (unsaid.words or "")
    found = evaluate(
        sheet,
        Machine({"P1": "heliant-corrie", "P2": "heliant-corrie"}),
        Layout({"P1_DIMM_A1": _R16, "P1_DIMM_B1": _R16}),
    )
    assert all(s.sustained_gbs is None and s.peak_gbs is None for s in found.sockets), (
        "no bandwidth of channels that nobody told"
    )
    assert found.verdict is not Verdict.GO
    seen = read_sheet(draft_sheet(SurveyReading("labels", slots=(SlotFacts("A1", None, SlotState.FILLED, _U8),)))).sheet
    assert seen.unsaid["memory.rails_v"].seen == (), "a label says at what its module may run, not what the board wires"


def test_banks_tell_where_locators_do_not() -> None:
    by_bank = read_sheet(draft_sheet(_server("J{s}{c}", "Node {s} Channel {c} Dimm 0"))).sheet
    assert [by_bank.socket_of_slot[s] for s in list(by_bank.slots)[:9]] == ["P1"] * 8 + ["P2"]
    assert len(by_bank.channels) == 16


def test_slots_that_a_report_calls_alike_are_named_with_their_banks() -> None:
    def one(bank: str | None, locator: str | None) -> SlotFacts:
        return SlotFacts(locator, bank, SlotState.EMPTY)

    alike = [one(f"P0 CHANNEL {c}", f"DIMM {d}") for c in "AB" for d in (0, 1)]
    reading = SurveyReading("smbios", slots=(*alike, one(None, "DIMM 0"), one("BANK 7", None), one("BANK 8", "J1")))
    text = draft_sheet(reading)
    sheet = read_sheet(text).sheet
    named = [f"P0 CHANNEL {c} DIMM {d}" for c in "AB" for d in (0, 1)]
    assert list(sheet.slots) == [*named, "DIMM 0", "BANK 7", "J1"]
    assert match_slots(sheet, reading.slots) == (*named, "DIMM 0", "BANK 7", "J1")
    # What stands on the board is claimed only where the report says it (DSP0134, 7.18: the locator is as printed).
    assert [line.split(":")[0].strip() for line in text.splitlines() if "printed" in line] == ["DIMM 0", "J1"]


@pytest.mark.parametrize(
    ("reading", "kind"),
    [
        (_server(), "server"),
        (SurveyReading("labels", slots=(SlotFacts("A", None, SlotState.FILLED, _U8),)), "appliance"),
        (SurveyReading("smbios", slots=(SlotFacts("A", None, SlotState.FILLED, decode_label("8GB 2Rx8 PC4-2666V-UB1").module),)), "workstation"),
        (SurveyReading("smbios", slots=(SlotFacts("A", None, SlotState.FILLED, decode_label("8GB 2Rx8 PC4-2666V-EB1").module),), drives=(DriveFacts(1),)), "appliance"),
    ],
)  # fmt: skip
def test_its_class_is_by_form_and_drives(reading: SurveyReading, kind: str) -> None:
    assert f"\nclass: {kind} " in draft_sheet(reading)


def test_two_machines_that_nobody_named_are_of_two_models() -> None:
    reading = SurveyReading("labels", slots=(SlotFacts("A", None, SlotState.FILLED, _U8),))
    one, other = (read_sheet(draft_sheet(reading, mark)).sheet for mark in ("a1", "b2"))
    assert (one.id, other.id) == ("unnamed-model-a1", "unnamed-model-b2")


@pytest.mark.parametrize("model", Scenario.read().sheets)
def test_every_demo_machine_names_its_slots_rightly_or_leaves_them_open(model: str) -> None:
    sheet = Scenario.read().sheets[model].sheet
    names: list[tuple[str | None, str | None]] = [
        (s.locators[0] if s.locators else s.printed, None) for s in sheet.slots.values()
    ]
    found = places_by_name(names, len(sheet.sockets))
    truth = [(sheet.socket_of_slot[s], next(c for c, x in sheet.channels.items() if s in x.slots)) for s in sheet.slots]
    alike = [(p.socket, p.channel) for p in found.places]
    if found.has_channels:
        assert [alike.index(x) for x in alike] == [truth.index(x) for x in truth]
    if found.has_sockets:
        sockets, true = [p.socket for p in found.places], [s for s, _ in truth]
        assert [sockets.index(x) for x in sockets] == [true.index(x) for x in true]
