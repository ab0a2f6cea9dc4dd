"""Sheets: what is wrong is named with its line and what to do; what ships is clean; names unroll."""

from __future__ import annotations

import re
from importlib.resources import files
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from umbrak.formats.bounds import Deadline
from umbrak.formats.faults import InputError
from umbrak.formats.sheet.codes import CODES
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


#: code: (old, new) pieces of GOOD; the sheet with the new ones gets a finding of that code, or a fault.
CODES_FIRE: dict[str, tuple[tuple[str, str], ...]] = {
    "fact-open": (),
    "source-unknown": (("capacity_gib: 64}", "capacity_gib: 64, source: gide}"),),
    "source-missing": (("  guide:", "  other: {title: Other, kind: hearsay}\n  guide:"),),
    "processor-unknown": (("[tern]", "[turn]"),),
    "socket-unknown": (("{A: [A1, A2]}", "{A: {socket: P7, slots: [A1, A2]}}"),),
    "channel-unknown": (("channels:", "controllers: {M: [B]}\nchannels:"),),
    "slot-unknown": (("[[A1], [A2]]", "[[A1], [A9]]"),),
    "carrier-unknown": (("{tab: teal}", "{carrier: riser}"),),
    "access-unknown": (("{tab: teal}", "{access: top}"),),
    "where-unknown": (("- fill:", "- where: P9\n    fill:"),),
    "geometry-unknown": (("limits:", "geometry: {A7: [0, 0]}\nlimits:"),),
    "socket-missing": (("{processors: [tern]}", "{processors: [tern]}\n  P2: {processors: [tern]}"),),
    "channel-twice": (("channels:", "controllers: {M: [A], N: [A]}\nchannels:"),),
    "slot-twice": (("[A1, A2]}", "[A1, A2], B: [A2]}"),),
    "slots-too-many": (("[A1, A2]}", "[" + ", ".join(f"A{i}" for i in range(1, 1100)) + "]}"),),
    "slot-no-channel": (('"*1"', '"*7"'),),
    "order-empty": (("- fill: [[A1], [A2]]", "- scope: machine"),),
    "order-twice": (("- fill: [[A1], [A2]]", "- {fill: [[A1], [A2]], counts: {1: [[A1]]}}"),),
    "order-repeats-slot": (("[[A1], [A2]]", "[[A1], [A1, A2]]"),),
    "count-contradicts-sets": (("fill: [[A1], [A2]]", "counts: {2: [[A1]]}"),),
    "order-misses-slot": (("[[A1], [A2]]", "[[A1]]"),),
    "order-outside-scope": (
        ("{tab: teal}", "{tab: teal, carrier: left}"),
        ("slots:", "carriers: {left: {}}\nslots:"),
        ("- fill:", "- where: left\n    scope: carrier\n    fill:"),
    ),
    "no-slots": (("{A: [A1, A2]}", "{A: {soldered: {capacity_gib: 8}}}"), ('slots:\n  "*1": {tab: teal}\npopulation:\n  - fill: [[A1], [A2]]\n', "")),
    "socket-no-channel": (
        ("{processors: [tern]}", "{processors: [tern]}\n  P2: {processors: [tern]}"),
        ("{A: [A1, A2]}", "{A: {socket: P1, slots: [A1, A2]}}"),
    ),
    "slot-unreachable": (("{tab: teal}", "{behind: [A2]}\n  A2: {behind: [A1]}"),),
    "slot-no-way": (("{tab: teal}", "{access: top}\naccess: {top: {minutes: 5}}"),),
    "slot-unfillable": (("accepts:", "package_ranks_per_channel: 1\n  accepts:"),),
    "behind-unknown": (("{tab: teal}", "{tab: teal, behind: [A7]}"),),
    "printed-twice": (("{tab: teal}", "{tab: teal, printed: X}\n  A2: {printed: X}"),),
    "locator-twice": (("{tab: teal}", "{locators: [X]}\n  A2: {locators: [X]}"),),
    "rail-outside-generation": (("rails_v: [1.2]", "rails_v: [1.35]"),),
    "rail-policy-missing": (("rails_v: [1.2]", "rails_v: [1.2, 1.3]"),),
    "rate-table-missing": (("    rate_table: [{rate_mts: 2400}]\n", ""),),
    "rate-table-hole": (("[{rate_mts: 2400}]", "[{dpc: 1, rate_mts: 2400}, {dpc: 2, ranks: 1, rate_mts: 2400}]"),),
    "rate-not-listed": (("[{rate_mts: 2400}]", "[{rate_mts: 2666}]"),),
    "rate-row-unreachable": (("[{rate_mts: 2400}]", "[{rate_mts: 2400}, {dpc: 3, rate_mts: 2400}]"),),
    "rate-rows-clash": (("[2400]", "[2133, 2400]"), ("[{rate_mts: 2400}]", "[{rate_mts: 2400}, {rate_mts: 2133}]")),
    "rate-rows-tie": (("[2400]", "[2133, 2400]"), ("[{rate_mts: 2400}]", "[{dpc: 2, rate_mts: 2133}, {ranks: 2, rate_mts: 2400}]")),
    "limit-official-twice": (("capacity_gib: 64}", "capacity_gib: 64, official: true}\n  - {scope: machine, capacity_gib: 96, official: true, firmware: {from: '2'}}"),),
    "limit-replaces-unknown": (("capacity_gib: 64}", "capacity_gib: 64, replaces: [old]}"),),
    "limit-replaces-circle": (("capacity_gib: 64}", "capacity_gib: 64, id: a, replaces: [b]}\n  - {id: b, replaces: [a], scope: machine, capacity_gib: 32}"),),
    "limit-where-unknown": (("scope: machine, cap", "scope: channel, where: C, cap"),),
    "limit-versions-empty": (("capacity_gib: 64}", "capacity_gib: 64, firmware: {from: '9.10', until: '9.2'}}"),),
    "limit-scope-amount": (("scope: machine", "scope: die"),),
    "limit-no-controller": (("scope: machine", "scope: controller"),),
    "interleave-ways": (("channels:", "interleave_ways: [1, 2]\nchannels:"),),
    "kind-refused": (("accepts:", "refuses: [{buffering: registered}]\n  accepts:"),),
    "mode-impossible": (("accepts:", "modes: {mirroring: {counts: [4]}}\n  accepts:"),),
    "even-over-one": (("- fill:", "- even_over: sockets\n    fill:"),),
    "least-beyond-slots": (("- fill:", "- least_per_processor: 3\n    fill:"),),
    "processor-unused": (("sockets:", "  gull: {rate_table: [{rate_mts: 2400}]}\nsockets:"),),
    "carrier-unused": (("slots:", "carriers: {left: {}}\nslots:"),),
    "access-unused": (("{tab: teal}", "{access: top}\n  A2: {access: top}\naccess: {top: {}, side: {}}"),),
    "bay-unknown": (("{tab: teal}", "{access: top}\n  A2: {access: top}\naccess: {top: {bays_out: [3]}}\nbays: {rows: 1, columns: 2}"),),
    "geometry-partial": (("limits:", "geometry: {A1: [0, 0]}\nlimits:"),),
}  # fmt: skip


@pytest.mark.parametrize("code", CODES)
def test_each_check_fires_and_names_a_line(code: str) -> None:
    text = GOOD
    for old, new in CODES_FIRE[code]:
        assert old in text
        text = text.replace(old, new, 1)
    try:
        found = list(read_sheet(text).findings)
    except InputError as error:
        found = error.faults
    assert code in {f.code for f in found}
    assert all(f.line for f in found)


def test_the_guide_explains_every_code() -> None:
    guide = (Path(__file__).parents[2] / "docs/sheet-format.md").read_text("utf-8")
    assert [c for c, text in CODES.items() if f"| `{c}` | {text} |" not in guide] == []


def test_every_sheet_of_the_guide_is_right() -> None:
    guide = (Path(__file__).parents[2] / "docs/sheet-format.md").read_text("utf-8")
    sheets = [block for block in re.findall(r"```yaml\n(.*?)```", guide, re.DOTALL) if "umbrak-sheet" in block]
    assert len(sheets) >= 3
    for text in sheets:
        assert read_sheet(text).findings == ()


def test_the_good_one_and_all_that_ships_are_clean() -> None:
    demo = [read_sheet(p.read_text("utf-8")) for p in files("umbrak.demo").joinpath("sheets").iterdir()]
    assert not [f for reading in demo for f in reading.findings]
    # What nobody can know of an architecture is open, and nothing else is wrong with it.
    for reading in [read_sheet(GOOD), *shipped_sheets().values()]:
        assert {f.code for f in reading.findings} == {"fact-open"}, reading.sheet.id
    assert (len(shipped_sheets()), len(demo)) == (9, 12)


def test_repetition_unrolls_names_patterns_and_order() -> None:
    sheet = shipped_sheets()["two-sockets-six-by-two"].sheet
    slot = sheet.slots["CPU2.F1"]
    assert (slot.printed, slot.tab, slot.position, slot.channel) == ("CPU2 F1", "teal", "far", "CPU2.F")
    assert [len(sheet.channels_of[s]) for s in sheet.sockets] == [6, 6]
    assert sorted(sheet.fills[1].layouts) == [6, 12]
    assert sheet.fills[1].layouts[6] == (("CPU2.A1", "CPU2.B1", "CPU2.C1", "CPU2.D1", "CPU2.E1", "CPU2.F1"),)


BOARDS = """\
umbrak-sheet: 1
id: petrel
title: Petrel
class: server
sources: {guide: {title: Petrel guide, kind: machine-maker}}
processors: {tern: {rate_table: [{rate_mts: 2400}]}}
sockets: {P1: {processors: [tern]}, P2: {processors: [tern]}}
memory:
  generation: DDR4
  form: DIMM
  rails_v: [1.2]
  rail_policy: lowest
  rail_domains: {left: {rails_v: [1.2], channels: ["M1-*", "M2-*"]}}
  accepts: [{buffering: registered}]
  modes: {mirroring: {usable_share: 0.5, slots: ["M?-X1"]}}
carriers:
  board 1: {socket: P1}
  board 2: {socket: P1}
  board 3: {socket: P2}
repeat:
  over: [board 1, board 2, board 3]
  name: "M{n}-{name}"
  channels: {X: [X1, X2], Y: [Y1, Y2]}
  slots:
    "*": {printed: "{carrier} {slot}", locators: ["{socket} M{n} {slot}"], landmark: "{slot} from the fans"}
    "*2": {behind: [X1]}
  population: [{fill: [[X1, Y1], [X2, Y2]], otherwise: slower, other_counts: slower}]
"""


def test_a_block_repeated_over_carriers() -> None:
    reading = read_sheet(BOARDS)
    sheet, slot = reading.sheet, reading.sheet.slots["M3-Y2"]
    assert {f.code for f in reading.findings} == {"fact-open"} and len(sheet.slots) == 12
    assert (slot.printed, slot.locators, slot.carrier) == ("board 3 Y2", ("P2 M3 Y2",), "board 3")
    assert (slot.behind, slot.landmark, sheet.socket_of_slot["M3-Y2"]) == (("M3-X1",), "Y2 from the fans", "P2")
    assert [c.id for c in sheet.channels_of["P1"]] == ["M1-X", "M1-Y", "M2-X", "M2-Y"]
    assert [(f.where, f.layouts[2]) for f in sheet.fills][1] == ("board 2", (("M2-X1", "M2-Y1"),))
    assert {d.id: d.channels for d in sheet.memory.rail_domains}["main"] == ("M3-X", "M3-Y")
    assert sheet.memory.modes[0].slots == {"M1-X1", "M2-X1", "M3-X1"}


def test_one_slot_of_a_repeated_block_is_told_by_its_whole_name() -> None:
    told = BOARDS.replace('    "*2": {behind', '    M3-Y2: {printed: J7}\n    "*2": {behind')
    slots = read_sheet(told).sheet.slots
    assert [slots[f"M{n}-Y2"].printed for n in (1, 2, 3)] == ["board 1 Y2", "board 2 Y2", "J7"]
    assert (slots["M3-Y2"].behind, slots["M3-Y2"].locators) == (("M3-X1",), ("P2 M3 Y2",))
    with pytest.raises(InputError, match="in no channel"):
        read_sheet(told.replace("M3-Y2", "M4-Y2"))


def test_the_hash_is_of_the_content_not_of_the_text() -> None:
    same = read_sheet(GOOD.replace("id: gull", "id:   gull   # a comment"))
    other = read_sheet(GOOD.replace("64", "96"))
    assert same.sheet.hash == read_sheet(GOOD).sheet.hash != other.sheet.hash


def test_hostile_yaml_is_bounded() -> None:
    bomb = "a: &a [x,x,x,x,x,x,x,x,x,x]\n" + "\n".join(
        f"{c}: &{c} [{','.join(['*' + p] * 10)}]" for p, c in zip("abcdef", "bcdefg", strict=True)
    )
    for text, code in (
        (bomb, "too-large"),
        ("x" * (1 << 21), "too-large"),
        *((opening * 30_000, "too-deep") for opening in ("[", "{", "- ", "? ", "a: [", "{a: ")),
        ("&a [*a]", "not-yaml"),  # told within itself
        ("a: \ud800", "not-yaml"),
    ):
        with pytest.raises(InputError) as error:
            load_yaml(text)
        assert error.value.code == code


def test_thousands_of_faults_cost_and_tell_as_little_as_fifty() -> None:
    extra = GOOD + "".join(f"k{i}: 1\n" for i in range(20_000))
    unknown = GOOD.replace("[[A1], [A2]]", "[[" + ", ".join(f"X{i}" for i in range(900)) + "]]")
    for text, last in ((extra, "more faults are not told"), (unknown, "there is no slot X")):
        with pytest.raises(InputError) as error:
            read_sheet(text, Deadline(60))
        assert 50 <= len(error.value.faults) <= 51 and last in error.value.faults[-1].message


@pytest.mark.parametrize("left", [False, True])
def test_reading_a_sheet_ends_with_its_time_and_with_its_reader(left: bool) -> None:
    many = ", ".join(f"A{i}" for i in range(1000))
    patterns = "\n".join(f'  "A*{i}*": {{tab: teal}}' for i in range(10_000))
    text = GOOD.replace("{A: [A1, A2]}", f"{{A: [{many}]}}").replace("slots:\n", f"slots:\n{patterns}\n", 1)
    with pytest.raises(InputError) as error:
        read_sheet(text, Deadline(60, lambda: True) if left else Deadline(0.5))
    assert error.value.code == ("given-up" if left else "too-slow")


@given(st.text(max_size=60))
def test_any_text_is_a_sheet_or_refused(text: str) -> None:
    with pytest.raises(InputError):
        read_sheet(text)
