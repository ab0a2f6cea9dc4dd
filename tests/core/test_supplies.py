"""What ran on one memory supply, or nowhere, shows nothing of another."""

from __future__ import annotations

import pytest

from umbrak.core.evaluate import evaluate
from umbrak.core.memory.label import decode_label
from umbrak.core.memory.module import Module
from umbrak.core.platform.machine import Layout, Machine
from umbrak.core.rules.finding import Severity, Verdict
from umbrak.formats.sheet.reading import read_sheet

#: DDR3 boards may wire 1.5 V or 1.35 V: of the left supply that is told, of the rest nobody looked.
SHEET = read_sheet(
    """
umbrak-sheet: 1
id: two-supplies
title: Two supplies
class: server
sources: {guide: {title: guide, kind: machine-maker}}
processors: {x: {rates_mts: [1333, 1600], rate_table: [{rate_mts: 1333}], faster_modules: slowed}}
sockets: {CPU: {processors: [x]}}
memory:
  generation: DDR3
  form: DIMM
  rails_v: open
  rail_domains: {left: {rails_v: [1.5], channels: [A]}}
  accepts: [{buffering: unbuffered}]
  never_together: none
  package_ranks_per_channel: 8
channels: {A: [A1, A2], B: [B1, B2]}
population: none
limits: none
"""
).sheet


def _module(text: str) -> Module:
    module = decode_label(text).module
    assert module
    return module


LOW, PLAIN = "8GB 2Rx8 PC3L-12800U-11-11-B1", "8GB 2Rx8 PC3-12800U-11-11-B1"


@pytest.mark.parametrize(
    ("ran", "what", "put", "asked"),
    [
        ("A1", PLAIN, "A2", False),  # told of the left supply
        ("A1", PLAIN, "B1", True),  # what ran left shows nothing of the rest
        ("B1", PLAIN, "B2", False),  # alike, and it ran there
        ("B1", LOW, "B2", True),  # that may have run at 1.35 V
    ],
)
def test_what_ran_on_one_supply_shows_nothing_of_another(ran: str, what: str, put: str, asked: bool) -> None:
    before = Layout({ran: _module(what)})
    found = evaluate(SHEET, Machine(processors={"CPU": "x"}), Layout({**before, put: _module(PLAIN)}), before=before)
    rails = [f for f in found.findings if f.code in ("sheet.open", "power.rail") and put in f.slots]
    assert [f.severity is Severity.ASK for f in rails] == ([True] if asked else []), [f.message for f in found.findings]
    assert (found.verdict is Verdict.UNDECIDED) is asked


#: Two sockets of which the second may be bare; nobody looked which kinds the board takes.
TWO = read_sheet(
    """
umbrak-sheet: 1
id: two-sockets
title: Two sockets
class: server
sources: {guide: {title: guide, kind: machine-maker}}
processors: {x: {rates_mts: [2133, 2400], rate_table: [{rate_mts: 2400}], faster_modules: slowed, limits: [{scope: die, die_gbit: 16}]}}
sockets: {P1: {processors: [x]}, P2: {processors: [x], may_be_absent: true}}
memory:
  generation: DDR4
  form: DIMM
  rails_v: [1.2]
  accepts: open
  never_together: none
  package_ranks_per_channel: 8
channels: {A: {slots: [A1, A2], socket: P1}, B: {slots: [B1, B2], socket: P2}}
slots: {A1: {clearance_mm: {fitted: 32}}, B1: {clearance_mm: {fitted: 32}}}
population: none
limits: none
"""
).sheet


@pytest.mark.parametrize(("second", "asked"), [("x", False), (None, True)])
def test_what_stood_in_the_slots_of_a_bare_socket_ran_nowhere(second: str | None, asked: bool) -> None:
    ours, other = _module("16GB 2Rx8 PC4-2400T-E"), _module("16GB 2Rx4 PC4-2400T-R")
    before = Layout({"A1": ours, "B1": other})
    machine = Machine(processors={"P1": "x", "P2": second})
    moved = evaluate(TWO, machine, Layout({"A1": other}), before=before)
    assert any(f.code == "sheet.open" for f in moved.findings) is asked, [f.message for f in moved.findings]
    # What stays where it was is asked no more than before, however little ran there: the rest is as it ran.
    stays = evaluate(TWO, machine, before, before=before)
    assert not [f for f in stays.findings if f.code == "sheet.open"]
