"""Sheets: what is wrong is named with its line and what to do; what ships is clean; names unroll."""

from __future__ import annotations

from importlib.resources import files

import pytest
from hypothesis import given
from hypothesis import strategies as st

from umbrak.formats.faults import InputError
from umbrak.formats.sheet.reading import read_sheet, shipped_sheets
from umbrak.formats.yaml_text import load_yaml

GOOD = """\
umbrak-sheet: 1
id: gull
title: Gull
class: server
sources:
  guide: {title: Gull guide, kind: machine-maker}
processors:
  tern:
    rates_mts: [2400]
    rate_table: [{rate_mts: 2400}]
sockets:
  P1: {processors: [tern]}
memory:
  generation: DDR4
  form: DIMM
  rails_v: [1.2]
  accepts: [{buffering: registered}]
channels: {A: [A1, A2]}
slots:
  "*1": {tab: teal}
population:
  - fill: [[A1], [A2]]
limits:
  - {scope: machine, capacity_gib: 64}
"""


@pytest.mark.parametrize(
    ("old", "new", "line", "says"),
    [
        ("    rate_table:", "    rate_tabel:", 10, "processors.tern.rate_tabel: unknown field; did you mean rate_table?"),
        ("title: Gull\n", "", 1, "title: is missing"),
        ("class: server", "class: toaster", 4, "class: expected 'appliance', 'server' or 'workstation', found 'toaster'"),
        ("rails_v: [1.2]", "rails_v: [low]", 16, "memory.rails_v[0]: expected a valid number, found 'low'"),
        ("kind: machine-maker", "kind: my uncle", 6, "found 'my uncle'"),
        ("[tern]", "[turn]", 12, "sockets.P1.processors[0]: there is no processor turn; did you mean tern?"),
        ("[[A1], [A2]]", "[[A1], [A9]]", 22, "population[0].fill[1]: there is no slot A9; known: A1, A2"),
        ("[[A1], [A2]]", "[[A1], [A1, A2]]", 22, "population[0]: A1 stands in two sets"),
        ("fill: [[A1], [A2]]", "counts: {2: [[A1]]}", 22, "population[0].counts.2: says 2 modules but its sets hold 1"),
        ('"*1"', '"*7"', 20, "slots.*7: is in no channel"),
        ("capacity_gib: 64}", "capacity_gib: 64, die_gbit: 8}", 24, "give exactly one of capacity_gib, die_gbit"),
        ("capacity_gib: 64}", "capacity_gib: 64, firmware: {from: 9.2}}", 24, "limits[0].firmware.from: 9.2 must be text here: put it in quotes"),
        ("capacity_gib: 64}", "capacity_gib: 64, source: gide}", 24, "limits[0].source: there is no source gide; did you mean guide?"),
        ("id: gull\n", "id: gull\nid: gull\n", 3, "id: given twice"),
        ("sockets:", "sockets: [", 13, "no YAML"),
        ("umbrak-sheet: 1", "umbrak-sheet: 2", 1, "umbrak-sheet: expected 1, found 2"),
    ],
)  # fmt: skip
def test_a_wrong_sheet_names_line_and_expectation(old: str, new: str, line: int, says: str) -> None:
    assert old in GOOD
    with pytest.raises(InputError) as error:
        read_sheet(GOOD.replace(old, new, 1))
    assert [f.line for f in error.value.faults if says in str(f)][:1] == [line]


def test_several_sources_need_naming() -> None:
    two = GOOD.replace("  guide:", "  other: {title: Other, kind: hearsay}\n  guide:")
    with pytest.raises(InputError) as error:
        read_sheet(two)
    assert {f.code for f in error.value.faults} == {"source-missing"}
    assert {f.path for f in error.value.faults} == {"processors.tern", "memory", "population[0]", "limits[0]"}


@pytest.mark.parametrize(
    ("old", "new", "code"),
    [
        ("rails_v: [1.2]", "rails_v: [1.35]", "rail-outside-generation"),
        ("rails_v: [1.2]", "rails_v: [1.2, 1.3]", "rail-policy-missing"),
        ("[{rate_mts: 2400}]", "[{dpc: 1, rate_mts: 2400}]", "rate-table-hole"),
        ("[{rate_mts: 2400}]", "[{rate_mts: 2666}]", "rate-not-listed"),
        ("[{rate_mts: 2400}]", "[{rate_mts: 2400}, {dpc: 3, rate_mts: 2400}]", "rate-row-unreachable"),
        ("    rate_table: [{rate_mts: 2400}]\n", "", "rate-table-missing"),
        ("capacity_gib: 64}", "capacity_gib: 64, replaces: [old]}", "limit-replaces-unknown"),
        ("scope: machine, cap", "scope: channel, where: C, cap", "limit-where-unknown"),
        ("[[A1], [A2]]", "[[A1]]", "order-misses-slot"),
        ("{tab: teal}", "{tab: teal, printed: X}\n  A2: {printed: X}", "printed-twice"),
        ("{tab: teal}", "{tab: teal, behind: [A7]}", "behind-unknown"),
        ("  P1: {processors: [tern]}", "  P1: {processors: [tern]}\n  P2: {processors: [tern]}", "socket-no-channel"),
    ],
)  # fmt: skip
def test_the_linter_names_what_is_legal_but_wrong(old: str, new: str, code: str) -> None:
    assert old in GOOD
    text = GOOD.replace(old, new, 1)
    if "P2" in new:
        text = text.replace("channels: {A: [A1, A2]}", "channels: {A: {socket: P1, slots: [A1, A2]}}")
    findings = read_sheet(text).findings
    assert code in {f.code for f in findings}
    assert all(f.line for f in findings)


def test_the_good_one_and_all_that_ships_are_clean() -> None:
    demo = [read_sheet(p.read_text("utf-8")) for p in files("umbrak.demo").joinpath("sheets").iterdir()]
    for reading in [read_sheet(GOOD), *shipped_sheets().values(), *demo]:
        assert not reading.findings, reading.sheet.id
    assert (len(shipped_sheets()), len(demo)) == (9, 12)


def test_repetition_unrolls_names_patterns_and_order() -> None:
    sheet = shipped_sheets()["two-sockets-six-by-two"].sheet
    slot = sheet.slots["CPU2.F1"]
    assert (slot.printed, slot.tab, slot.position, slot.channel) == ("CPU2 F1", "teal", "far", "CPU2.F")
    assert [len(sheet.channels_of[s]) for s in sheet.sockets] == [6, 6]
    assert sorted(sheet.fills[1].layouts) == [6, 12]
    assert sheet.fills[1].layouts[6] == (("CPU2.A1", "CPU2.B1", "CPU2.C1", "CPU2.D1", "CPU2.E1", "CPU2.F1"),)


def test_the_hash_is_of_the_content_not_of_the_text() -> None:
    same = read_sheet(GOOD.replace("id: gull", "id:   gull   # a comment"))
    other = read_sheet(GOOD.replace("64", "96"))
    assert same.sheet.hash == read_sheet(GOOD).sheet.hash != other.sheet.hash


def test_hostile_yaml_is_bounded() -> None:
    bomb = "a: &a [x,x,x,x,x,x,x,x,x,x]\n" + "\n".join(
        f"{c}: &{c} [{','.join(['*' + p] * 10)}]" for p, c in zip("abcdef", "bcdefg", strict=True)
    )
    for text, code in ((bomb, "too-large"), ("x" * (1 << 21), "too-large"), ("[" * 5000, "not-yaml")):
        with pytest.raises(InputError) as error:
            load_yaml(text)
        assert error.value.code in (code, "too-deep")


@given(st.text(max_size=60))
def test_any_text_is_a_sheet_or_refused(text: str) -> None:
    with pytest.raises(InputError):
        read_sheet(text)
