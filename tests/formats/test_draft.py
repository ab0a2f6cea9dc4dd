"""Drafts: whatever a machine reports, the draft is a sheet that can be used, and what a report cannot know is open."""

from __future__ import annotations

from hypothesis import given
from hypothesis import strategies as st

from tests.formats.smbios_facts import Device, listing
from umbrak.core.memory.module import Module
from umbrak.core.platform.survey import (
    ArrayFacts,
    ProcessorFacts,
    SlotFacts,
    SlotState,
    SurveyReading,
    SystemFacts,
    match_slots,
)
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
    assert (sheet.title, sheet.maker, sheet.memory.generation, sheet.limits[0].capacity_gib) == ("Lorne Systems Lorne K12", "Lorne Systems", "DDR4", 768)  # fmt: skip
    assert sheet.limits[0].source.kind == "survey" and sheet.sockets["CPU2"].may_be_absent
    assert sheet.socket_of_slot["CPU2_DIMM_A1"] == "CPU2"
    assert match_slots(sheet, reading.slots) == ("CPU1_DIMM_A1", "CPU1_DIMM_A2", "CPU2_DIMM_A1")
