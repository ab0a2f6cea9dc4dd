"""What ran on one memory supply shows nothing of another."""

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
