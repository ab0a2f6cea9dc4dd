"""What layouts come to: each row fires one rule on a sheet small enough to check by hand, and names where."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from random import Random
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.core.routes_cases import unseen_problem
from tests.core.sheets import SMALL, TWIN, found, judge, layout, merged
from umbrak.core.evaluate import evaluate, evaluate_in, question
from umbrak.core.memory.label import decode_label
from umbrak.core.memory.module import Module
from umbrak.core.platform.machine import UNKNOWN, Layout, Machine
from umbrak.core.platform.sheet import Sheet
from umbrak.core.rules import CATALOGUE, RULES
from umbrak.core.rules.finding import Severity
from umbrak.core.targets import targets
from umbrak.formats.rules_page import rules_page
from umbrak.formats.sheet.reading import sheet_from_data

L4, L8, H8 = "4GB 2Rx8 PC3L-12800U", "8GB 2Rx8 PC3L-12800U", "8GB 2Rx8 PC3-12800U"
R16, R32 = "16GB 1Rx4 PC4-2666V-RC2", "32GB 2Rx4 PC4-2666V-RB2"
FAILED = {
    "generation": "DDR3",
    "form": "DIMM",
    "buffering": "unbuffered",
    "ecc": False,
    "capacity_gib": 4,
    "package_ranks": 2,
    "device_width": 8,
    "rate_mts": 1600,
    "rails_v": [1.35, 1.5],
}
P = Machine({"P1": "p", "P2": "p"})
ORDER = {"source": "guide", "fill": [["A1", "B1"], ["A2", "B2"]], "other_counts": "unsupported", "otherwise": "slower"}
MEM = "memory"


def small(**over: Any) -> dict[str, Any]:
    return merged(SMALL, over)


def limit(**fields: Any) -> dict[str, Any]:
    return small(limits=[{"source": "guide", **fields}])


#: name: (sheet, slots, machine, finding that must be there: code, severity, slots)
FIRES: dict[str, tuple[dict[str, Any], dict[str, Any], Machine, tuple[str, str, tuple[str, ...]]]] = {
    "no such slot": (SMALL, {"C9": L4}, Machine(), ("fit.slot-unknown", "stop", ("C9",))),
    "occupant unknown": (SMALL, {"A1": "unknown", "B1": L4}, Machine(), ("fit.unknown", "ask", ("A1",))),
    "size unknown": (SMALL, {"A1": "PC3L-12800U"}, Machine(), ("fit.unknown", "ask", ("A1",))),
    "generation": (SMALL, {"A1": "8GB PC4-2400T-UA1"}, Machine(), ("fit.generation", "stop", ("A1",))),
    "generation unknown": (SMALL, {"A1": "8GB UDIMM"}, Machine(), ("fit.generation", "ask", ("A1",))),
    "form": (SMALL, {"A1": "8GB PC3L-12800S"}, Machine(), ("fit.form", "stop", ("A1",))),
    "form unknown": (SMALL, {"A1": "8GB DDR3L unbuffered 1600"}, Machine(), ("fit.form", "ask", ("A1",))),
    "DDR5 notch": (small(memory={"generation": "DDR5", "rails_v": [1.1], "rail_policy": None}), {"A1": "16GB 1Rx8 PC5-4800B-RA0"}, Machine(), ("fit.form", "stop", ("A1",))),
    "too tall": (small(slots={"A1": {"clearance_mm": {"fitted": 32}}}), {"A1": L4 + " 40mm"}, Machine(), ("fit.height", "stop", ("A1",))),
    "tall for the way in": (small(slots={"A1": {"clearance_mm": {"fitted": 50, "on_the_way": 32}}}), {"A1": L4 + " 40mm"}, Machine(), ("fit.height", "note", ("A1",))),
    "height unknown where it matters": (small(slots={"A1": {"clearance_mm": {"fitted": 20}}}), {"A1": L4}, Machine(), ("fit.height", "ask", ("A1",))),
    "a size that no module has": (SMALL, {"A1": "17GB DDR3L UDIMM 1600", "B1": L4}, Machine(), ("kind.contradiction", "ask", ("A1",))),
    "soldered": (small(channels={"A": {"soldered": {"capacity_gib": 4}}, "B": ["B1", "B2"]}), {"A": L4}, Machine(), ("fit.soldered", "stop", ("A",))),
    "ECC of one not known": (small(memory={"ecc_mixed": "refused"}), {"A1": "4GB 2Rx8 PC3L-12800E", "B1": "4GB DDR3L UDIMM 1600 2Rx8"}, Machine(), ("kind.ecc-mixed", "ask", ("B1",))),
    "sockets not symmetric": (merged(TWIN, {"population": [{"source": "guide", "symmetric": True}]}), {"P1.A1": R16, "P1.B1": R16, "P2.A1": R32}, P, ("order.sockets", "slow", ("P2.A1", "P2.B1"))),
    "kits mixed": (SMALL, {"A1": L4 + " P/N: ZZ9", "B1": L4 + " P/N: ZZ8", "B2": L4 + " P/N: ZZ8"}, Machine(), ("risk.mixed-kits", "risk", ("A1",))),
    "mode outside its slots": (small(memory={"modes": {"lockstep": {"slots": ["A*"]}}}), {"A1": L4, "B1": L4}, Machine(mode="lockstep"), ("mode.unmet", "risk", ("B1",))),
    "mode of fewer channels": (small(memory={"modes": {"lockstep": {"channels_used": 1}}}), {"A1": L4, "B1": L4}, Machine(mode="lockstep"), ("mode.unmet", "risk", ("A1", "B1"))),
    "facing": (small(slots={"A1": {"facing": "label to the fan"}}), {"A1": L4}, Machine(), ("fit.facing", "note", ("A1",))),
    "1.35 V only": (small(memory={"rails_v": [1.35], "rail_policy": None}), {"A1": H8, "B1": L8}, Machine(), ("power.rail", "stop", ("A1",))),
    "volts unknown": (SMALL, {"A1": {"generation": "DDR3", "capacity_gib": 4}}, Machine(), ("power.rail", "ask", ("A1",))),
    "held at the higher rail": (SMALL, {"A1": H8, "B1": L8}, Machine(), ("power.mixed", "note", ("A1",))),
    "rail not chosen": (small(memory={"rail_policy": "setting"}), {"A1": L4}, Machine(), ("power.policy", "ask", ("A1",))),
    "rail costs rate": (small(processors={"p": {"rate_table": [{"rail_v": 1.5, "rate_mts": 1600}, {"rail_v": 1.35, "rate_mts": 1333}]}}), {"A1": L4}, Machine(), ("power.policy", "slow", ("A1",))),
    "kind refused": (SMALL, {"A1": "8GB PC3L-12800R"}, Machine(), ("kind.refused", "stop", ("A1",))),
    "kind unknown": (SMALL, {"A1": "8GB DDR3L DIMM 1600"}, Machine(), ("kind.refused", "ask", ("A1",))),
    "refused though accepted": (small(memory={"refuses": [{"device_width": 16}]}), {"A1": "4GB 1Rx16 PC3L-12800U"}, Machine(), ("kind.refused", "stop", ("A1",))),
    "ECC required": (small(memory={"accepts": [{"buffering": "unbuffered", "ecc": True}]}), {"A1": L4}, Machine(), ("kind.ecc-required", "stop", ("A1",))),
    "uncertified": (small(memory={"accepts": [{"buffering": "unbuffered", "ecc": True}, {"buffering": "unbuffered", "certified": False}]}), {"A1": L4}, Machine(), ("kind.uncertified", "risk", ("A1",))),
    "kinds mixed": (TWIN, {"P1.A1": R16, "P1.B1": R16, "P2.A1": "64GB 4DRx4 PC4-2666V-LD1"}, P, ("kind.mixed", "stop", ("P2.A1",))),
    "widths apart": (merged(TWIN, {"memory": {"never_together": [[{"device_width": 4}, {"device_width": 8}]]}}), {"P1.A1": R16, "P2.A1": "16GB 2Rx8 PC4-2666V-RE2", "P2.B1": "16GB 2Rx8 PC4-2666V-RE2"}, P, ("kind.mixed", "stop", ("P1.A1",))),
    "ECC mixed, refused": (small(memory={"ecc_mixed": "refused"}), {"A1": L4, "B1": "4GB 2Rx8 PC3L-12800E"}, Machine(), ("kind.ecc-mixed", "stop", ("B1",))),
    "ECC mixed, lost": (small(memory={"ecc_mixed": "loses"}), {"A1": L4, "B1": "4GB 2Rx8 PC3L-12800E"}, Machine(), ("kind.ecc-mixed", "risk", ("A1",))),
    "ECC mixed, nobody says": (SMALL, {"A1": L4, "B1": "4GB 2Rx8 PC3L-12800E"}, Machine(), ("kind.ecc-mixed", "ask", ("B1",))),
    "hard machine limit": (limit(scope="machine", capacity_gib=8, hard=True), {"A1": L8, "B1": L4}, Machine(), ("limit.machine", "stop", ("A1", "B1"))),
    "hard socket limit": (limit(scope="socket", capacity_gib=8, hard=True), {"A1": L8, "B1": L4}, Machine(), ("limit.socket", "stop", ("A1", "B1"))),
    "hard controller limit": (merged(limit(scope="controller", capacity_gib=4, hard=True), {"controllers": {"M": ["A"]}}), {"A1": L8}, Machine(), ("limit.controller", "stop", ("A1",))),
    "hard channel limit": (limit(scope="channel", capacity_gib=8, hard=True), {"A1": L8, "A2": L4, "B1": L8}, Machine(), ("limit.channel", "stop", ("A1", "A2"))),
    "hard slot limit": (limit(scope="slot", capacity_gib=4, hard=True), {"A1": L8, "B1": L4}, Machine(), ("limit.slot", "stop", ("A1",))),
    "hard die limit": (limit(scope="die", die_gbit=2, hard=True), {"A1": L8, "B1": L4}, Machine(), ("limit.die", "stop", ("A1",))),
    "soft die limit": (limit(scope="die", die_gbit=2), {"A1": L8, "B1": L4}, Machine(), ("risk.density", "risk", ("A1",))),
    "die unknown": (limit(scope="die", die_gbit=2, hard=True), {"A1": "4GB PC3L-12800U"}, Machine(), ("limit.die", "ask", ("A1",))),
    "chip selects": (small(memory={"package_ranks_per_channel": 2}), {"A1": L8, "A2": L8}, Machine(), ("limit.ranks", "stop", ("A1", "A2"))),
    "ranks unknown": (small(memory={"package_ranks_per_channel": 1}), {"A1": "8GB PC3L-12800U"}, Machine(), ("limit.ranks", "ask", ("A1",))),
    "stack height": (merged(TWIN, {"limits": [{"source": "cpu", "scope": "machine", "stack_height": 1, "hard": True}]}), {"P1.A1": "128GB 2S2Rx4 PC4-2666V-RB2"}, P, ("limit.stack", "stop", ("P1.A1",))),
    "32-bit system": (SMALL, {"A1": L8}, Machine(os_bits=32), ("limit.os-width", "slow", ())),
    "over official": (limit(scope="machine", capacity_gib=8, official=True), {"A1": L8, "B1": L4}, Machine(), ("risk.over-official", "risk", ("A1", "B1"))),
    "over the processor's figure": (limit(scope="machine", capacity_gib=8, source="cpu"), {"A1": L8, "B1": L4}, Machine(), ("risk.over-processor", "risk", ("A1", "B1"))),
    "over anybody's figure": (limit(scope="machine", capacity_gib=8), {"A1": L8, "B1": L4}, Machine(), ("risk.unproved", "risk", ("A1", "B1"))),
    "grade refused": (TWIN, {"P1.A1": R16}, Machine({"P1": "q", "P2": None}), ("speed.refused", "stop", ("P1.A1",))),
    "grade refused by a processor that may be fitted": (TWIN, {"P1.A1": R16}, Machine({"P2": None}), ("speed.refused", "ask", ("P1.A1",))),
    "grade unknown": (TWIN, {"P1.A1": "16GB DDR4 RDIMM"}, Machine({"P1": "q", "P2": None}), ("speed.refused", "ask", ("P1.A1",))),
    "no rail suits both": (SMALL, {"A1": "8GB 2Rx8 DDR3 UDIMM 1600 1.35V", "B1": H8}, Machine(), ("power.rail", "stop", ("A1", "B1"))),
    "the rail that is set": (small(memory={"rail_policy": "setting"}), {"A1": H8}, Machine(rail_setting=1.35), ("power.rail", "stop", ("A1",))),
    "apart within a channel": (small(memory={"never_together": [[{"device_width": 8}, {"device_width": 16}]], "together_within": "channel"}), {"A1": L4, "A2": "2GB 1Rx16 PC3L-12800U", "B1": L4}, Machine(), ("kind.mixed", "stop", ("A1",))),
    "apart, but which is not known": (small(memory={"never_together": [[{"device_width": 8}, {"device_width": 16}]]}), {"A1": L4, "B1": "4GB PC3L-12800U"}, Machine(), ("kind.mixed", "ask", ("B1",))),
    "a limit of the processor fitted": (merged(TWIN, {"limits": [{"source": "guide", "scope": "socket", "capacity_gib": 16, "hard": True, "processor": "q"}]}), {"P1.A1": R32}, Machine({"P1": "q", "P2": None}), ("limit.socket", "stop", ("P1.A1",))),
    "a limit of a processor that may be fitted": (merged(TWIN, {"processors": {"q": {"limits": [{"scope": "socket", "capacity_gib": 16, "hard": True}]}}}), {"P1.A1": R32}, Machine({"P2": None}), ("limit.socket", "ask", ("P1.A1",))),
    "dies in one slot": (limit(scope="die", where="B1", die_gbit=2, hard=True), {"A1": L8, "B1": L8}, Machine(), ("limit.die", "stop", ("B1",))),
    "mode of unlike modules": (merged(TWIN, {"memory": {"modes": {"mirroring": {"alike": ["capacity_gib"]}}}}), {"P1.A1": R16, "P1.B1": R32}, Machine({"P1": "p", "P2": None}, mode="mirroring"), ("mode.unmet", "risk", ("P1.A1", "P1.B1"))),
    "mode of modules that may be unlike": (merged(TWIN, {"memory": {"modes": {"mirroring": {"alike": ["package_ranks"]}}}}), {"P1.A1": "16GB DDR4-2666 RDIMM", "P1.B1": R16}, Machine({"P1": "p", "P2": None}, mode="mirroring"), ("mode.unmet", "ask", ("P1.A1",))),
    "likeness in a set not known": (small(population=[{**ORDER, "otherwise": "unsupported", "alike_in_set": ["package_ranks"]}]), {"A1": "4GB PC3L-12800U", "B1": L4}, Machine(), ("order.set", "ask", ("A1",))),
    "rate untold: ranks by slot": (small(processors={"p": {"rate_table": [{"rate_mts": 1600}, {"dpc": 2, "ranks": [1, 2], "rate_mts": 1066}]}}), {"A1": L4, "A2": "4GB PC3L-12800U"}, Machine(), ("speed.untold", "ask", ("A1", "A2"))),
    "rate untold: width": (small(processors={"p": {"rate_table": [{"rate_mts": 1600}, {"device_width": 16, "rate_mts": 1066}]}}), {"A1": "4GB PC3L-12800U"}, Machine(), ("speed.untold", "ask", ("A1",))),
    "modules below the machine": (SMALL, {"A1": "4GB 2Rx8 PC3L-10600U", "B1": "4GB 2Rx8 PC3L-10600U"}, Machine(), ("speed.module", "slow", ("A1", "B1"))),
    "slowest binds": (SMALL, {"A1": L4, "B1": "4GB 2Rx8 PC3L-10600U"}, Machine(), ("speed.mixed", "slow", ("B1",))),
    "full channels": (SMALL, {"A1": L4, "A2": L4, "B1": L4, "B2": L4}, Machine(), ("speed.population", "slow", ("A1", "A2", "B1", "B2"))),
    "machine below the modules": (SMALL, {"A1": "4GB 2Rx8 PC3L-14900U", "B1": "4GB 2Rx8 PC3L-14900U"}, Machine(), ("speed.processor", "slow", ("A1", "B1"))),
    "board's cap": (small(rate_cap_mts=1333), {"A1": L4, "B1": L4}, Machine(), ("speed.processor", "slow", ("A1", "B1"))),
    "rate untold: module": (SMALL, {"A1": "4GB 2Rx8 DDR3L UDIMM"}, Machine(), ("speed.untold", "ask", ("A1",))),
    "rate untold: processor": (TWIN, {"P1.A1": R16}, Machine({"P2": None}), ("speed.untold", "ask", ("P1.A1",))),
    "rate untold: no row": (small(processors={"p": {"rate_table": [{"dpc": 2, "rate_mts": 1333}]}}), {"A1": L4}, Machine(), ("speed.untold", "ask", ("A1",))),
    "rate untold: ranks": (small(processors={"p": {"rate_table": [{"dpc": 1, "rate_mts": 1600}, {"dpc": 1, "ranks": 4, "rate_mts": 1066}]}}), {"A1": "4GB PC3L-12800U"}, Machine(), ("speed.untold", "ask", ("A1",))),
    "wrong slots": (small(population=[{"source": "guide", "fill": [["A1"], ["B1"], ["A2"], ["B2"]], "otherwise": "slower"}]), {"B1": L4}, Machine(), ("order.place", "slow", ("A1", "B1"))),
    "wrong slots, nobody says what it does": (small(population=[{"source": "guide", "fill": [["A1"], ["B1"], ["A2"], ["B2"]]}]), {"B1": L4}, Machine(), ("order.place", "ask", ("A1", "B1"))),
    "gap": (small(population=[ORDER]), {"A2": L4, "B1": L4}, Machine(), ("order.gap", "slow", ("A1", "A2"))),
    "unlisted count": (small(population=[ORDER]), {"A1": L4, "B1": L4, "A2": L4}, Machine(), ("order.set", "risk", ("A1", "A2", "B1"))),
    "unlike in a set": (small(population=[{**ORDER, "alike_in_set": ["capacity_gib"]}]), {"A1": L4, "B1": L8}, Machine(), ("order.set", "slow", ("A1",))),
    "larger first": (small(population=[{**ORDER, "larger_first": True}]), {"A1": L4, "B1": L4, "A2": L8, "B2": L8}, Machine(), ("order.larger-first", "slow", ("A2", "B2"))),
    "ranks far": (merged(TWIN, {"repeat": {"population": [{"fill": [["A1", "B1"], ["A2", "B2"]], "higher_ranks_far": True}]}}), {"P1.A1": R16, "P1.A2": R32}, P, ("order.rank-far", "slow", ("P1.A1", "P1.A2"))),
    "sockets uneven": (merged(TWIN, {"population": [{"source": "guide", "even_over": "sockets"}]}), {"P1.A1": R32, "P2.A1": R16}, P, ("order.sockets", "slow", ("P2.A1", "P2.A2", "P2.B1", "P2.B2"))),
    "bare socket": (TWIN, {"P1.A1": R16}, P, ("order.socket-bare", "slow", ("P2.A1", "P2.A2", "P2.B1", "P2.B2"))),
    "too few for a processor": (merged(TWIN, {"population": [{"source": "guide", "least_per_processor": 2, "otherwise": "refused"}]}), {"P1.A1": R16, "P1.B1": R16, "P2.A1": R16}, P, ("order.socket-bare", "stop", ("P2.A1", "P2.A2", "P2.B1", "P2.B2"))),
    "no processor": (TWIN, {"P1.A1": R16, "P2.A1": R16}, Machine({"P1": "p", "P2": None}), ("order.no-processor", "stop", ("P2.A1",))),
    "one channel of two": (SMALL, {"A1": L4}, Machine(), ("order.channel-single", "slow", ("A1", "B1", "B2"))),
    "channels uneven": (SMALL, {"A1": L8, "B1": L4}, Machine(), ("order.balance", "slow", ("B1", "B2"))),
    "unlisted part": (small(listed=[{"part": "OSM3*", "source": "guide"}]), {"A1": L4 + " P/N: ZZ9"}, Machine(), ("risk.unlisted", "risk", ("A1",))),
    "part unknown": (small(listed=[{"part": "OSM3*", "source": "guide"}]), {"A1": L4}, Machine(), ("risk.unlisted", "risk", ("A1",))),
    "makers mixed": (SMALL, {"A1": {"maker": "Ostrel", "capacity_gib": 4}, "B1": {"maker": "Brannoch", "capacity_gib": 4}, "B2": {"maker": "Brannoch", "capacity_gib": 4}}, Machine(), ("risk.mixed-makers", "risk", ("A1",))),
    "mode without its count": (merged(TWIN, {"memory": {"modes": {"mirroring": {"counts": [4]}}}}), {"P1.A1": R16, "P1.B1": R16}, Machine({"P1": "p", "P2": None}, mode="mirroring"), ("mode.unmet", "risk", ("P1.A1", "P1.B1"))),
    "sparing without a spare rank": (merged(TWIN, {"memory": {"modes": {"sparing": {"spare_ranks": 1}}}}), {"P1.A1": R16}, Machine({"P1": "p", "P2": None}, mode="sparing"), ("mode.unmet", "risk", ("P1.A1",))),
    "ranks far, by a middle slot": (small(channels={"A": ["A1", "A2", "A3"], "B": ["B1"]}, slots={"A1": {"position": "far"}, "A2": {"position": "middle"}, "A3": {"position": "near"}}, population=[{"source": "guide", "fill": [["A1"], ["A2"], ["A3"], ["B1"]], "higher_ranks_far": True}]), {"A1": "4GB 1Rx8 PC3L-12800U", "A2": L4}, Machine(), ("order.rank-far", "slow", ("A1", "A2"))),
    "a failed module, mapped out": (SMALL, {"A1": {**FAILED, "failed": "mapped-out"}, "B1": L4}, Machine(), ("fit.failed", "stop", ("A1",))),
    "a failing module, in use": (SMALL, {"A1": {**FAILED, "failed": "in-use"}, "B1": L4}, Machine(), ("fit.failed", "risk", ("A1",))),
    # what nobody told
    "order open": (small(population=None), {"A1": L4, "B1": L4}, Machine(), ("sheet.open", "ask", ("A1", "B1"))),
    "total told nowhere": (small(limits="untold"), {"A1": L4}, Machine(), ("risk.untold", "risk", ("A1",))),
    "rails open, and one will not do": (small(memory={"rails_v": None, "rail_policy": None}), {"A1": H8}, Machine(), ("power.rail", "ask", ("A1",))),
    "taller than any standard's, and no room told": (SMALL, {"A1": L4 + " 40mm"}, Machine(), ("fit.height", "ask", ("A1",))),
    "a policy that may be the firmware's setting": (small(memory={"rail_policy": None}), {"A1": H8}, Machine(), ("power.rail", "ask", ("A1",))),
    "rating unknown where a slow one would not start": (SMALL, {"A1": "4GB 2Rx8 DDR3L UDIMM"}, Machine(), ("speed.untold", "ask", ("A1",))),
    "no rates told, nor which slots share a channel": (merged(TWIN, {"rate_alike": None, "repeat": None, "sockets": {"P2": None}, "processors": {"q": None, "p": {"rates_mts": [], "rate_table": "open", "faster_modules": "open"}}, "channels": {"open": "which share one", "seen": {"A": {"socket": "P1", "slots": ["A1", "A2"]}}}}) | {"sockets": {"P1": {"processors": ["p"]}}}, {"A1": R16, "A2": R16}, Machine(), ("speed.untold", "ask", ("A1", "A2"))),
    "soldered memory of unknown size": (small(channels={"A": {"soldered": {}}, "B": ["B1", "B2"]}), {"B1": L4}, Machine(), ("fit.unknown", "ask", ())),
    "uncertified, if it has no ECC": (small(memory={"accepts": [{"buffering": "unbuffered", "ecc": True}, {"buffering": "unbuffered", "certified": False}]}), {"A1": "4GB DDR3L UDIMM 1600 2Rx8"}, Machine(), ("kind.uncertified", "ask", ("A1",))),
    "stacked dies, and nobody says how high": (TWIN, {"P1.A1": "128GB 2S2Rx4 PC4-2666V-RB2"}, P, ("sheet.open", "ask", ("P1.A1",))),
    "dies that may be stacked": (TWIN, {"P1.A1": {"generation": "DDR4", "form": "DIMM", "buffering": "registered", "capacity_gib": 16, "package_ranks": 1, "device_width": 4, "rate_mts": 2666}}, P, ("sheet.open", "ask", ("P1.A1",))),
    # what was taken for known
    "setting unknown, and one rail will not do": (small(memory={"rail_policy": "setting"}), {"A1": H8}, Machine(), ("power.rail", "ask", ("A1",))),
    "rated below the processor's lowest": (SMALL, {"A1": "2GB 1Rx8 PC3L-6400U"}, Machine(), ("speed.refused", "stop", ("A1",))),
    "load-reduced, and nobody says how it counts": (merged(TWIN, {"memory": {"accepts": [{"buffering": "load-reduced"}], "package_ranks_per_channel": 6}}), {"P1.A1": "64GB 4DRx4 PC4-2666V-LD1", "P1.A2": "64GB 4DRx4 PC4-2666V-LD1"}, P, ("limit.ranks", "ask", ("P1.A1", "P1.A2"))),
    "spare ranks of unknown ranks": (merged(TWIN, {"memory": {"modes": {"sparing": {"spare_ranks": 1}}}}), {"P1.A1": "16GB DDR4 RDIMM 2666"}, Machine({"P1": "p", "P2": None}, mode="sparing"), ("mode.unmet", "ask", ("P1.A1",))),
    "hole of unknown size that is not moved": (small(memory={"remaps_hole": False}), {"A1": L4}, Machine(), ("limit.os-width", "ask", ())),
    "mode that the machine lacks": (SMALL, {"A1": L4}, Machine(mode="mirroring"), ("mode.unmet", "risk", ())),
}  # fmt: skip


@pytest.mark.parametrize("name", FIRES)
def test_fires_with_its_severity_and_slots(name: str) -> None:
    sheet, slots, machine, expected = FIRES[name]
    evaluation = judge(sheet, slots, machine)
    assert expected in found(evaluation)
    code = expected[0]
    assert code not in {f.code for f in judge(sheet, slots, machine, without_rules={code}).findings}
    severity = Severity(expected[1])
    assert severity is Severity.ASK or severity in CATALOGUE[code].severities


@pytest.mark.parametrize("name", [n for n, (*_, expected) in FIRES.items() if expected[1] == "ask"])
def test_an_ask_names_what_is_missing_and_what_it_could_hide(name: str) -> None:
    sheet, slots, machine, (code, _, where) = FIRES[name]
    for finding in judge(sheet, slots, machine).findings:
        if finding.code == code and finding.slots == where and finding.severity is Severity.ASK:
            assert finding.needs and finding.could_be


@pytest.mark.parametrize("name", FIRES)
def test_totals_say_that_they_leave_something_out_where_it_is_asked(name: str) -> None:
    sheet, slots, machine, _ = FIRES[name]
    made = judge(sheet, slots, machine)
    assert bool(made.not_counted) == any(f.code == "fit.unknown" for f in made.findings)


def test_every_rule_but_those_of_a_change_has_a_case() -> None:
    assert set(RULES) - {code for *_, (code, _, _) in FIRES.values()} == {
        "limit.firmware",
        "risk.warranty",
        "risk.content",
        "risk.staging",
    }
    assert set(RULES) == set(CATALOGUE)


FIRMWARE = limit(id="first", scope="machine", capacity_gib=8, official=True)
FIRMWARE["limits"].append({"source": "guide", "scope": "machine", "capacity_gib": 16, "official": True, "firmware": {"from": "7.4"}, "replaces": ["first"]})  # fmt: skip


@pytest.mark.parametrize(
    ("version", "gib", "verdict", "codes"),
    [
        ("7.2", 8, "go", set()),
        ("7.2", 12, "at-risk", {"limit.firmware"}),
        ("7.4", 12, "go", set()),
        ("7.10", 12, "go", set()),
        ("7.4", 20, "at-risk", {"risk.over-official"}),
        (None, 8, "go", set()),
        (None, 12, "undecided", {"limit.firmware"}),
    ],
)
def test_a_limit_raised_by_firmware(version: str | None, gib: int, verdict: str, codes: set[str]) -> None:
    slots = {8: {"A1": L4, "B1": L4}, 12: {"A1": L8, "B1": L4}, 20: {"A1": L8, "B1": L8, "A2": L4}}[gib]
    evaluation = judge(FIRMWARE, slots, Machine(firmware=version))
    limits = {f.code for f in evaluation.findings if f.code.startswith(("limit", "risk"))}
    assert (evaluation.verdict, limits) == (verdict, codes)


def test_touching_a_locked_slot_is_a_risk_only_when_it_is_touched() -> None:
    sheet = small(slots={"A2": {"access": "deep"}}, access={"deep": {"ends_warranty": True}})
    there = {"A1": L4, "A2": L4}
    assert "risk.warranty" not in {f.code for f in judge(sheet, there, before=there).findings}
    assert ("risk.warranty", "risk", ("A2",)) in found(judge(sheet, there, before={"A1": L4}))


def test_what_keeps_its_content_is_a_risk_only_where_it_leaves_its_slot() -> None:
    kept = {"generation": "DDR3", "keeps": "NVDIMM-N", "part": "NV-1"}
    there = {"A1": L4, "A2": kept}
    assert "risk.content" not in {f.code for f in judge(SMALL, {**there, "B1": L4}, before=there).findings}
    for goal in ({"A1": L4}, {"A1": kept, "A2": L4}, {"A1": L4, "A2": {**kept, "part": "NV-2"}}):
        assert ("risk.content", "risk", ("A2",)) in found(judge(SMALL, goal, before=there))


@pytest.mark.parametrize(
    ("sheet", "slots", "machine", "rate", "bound", "rails", "balance", "sustained"),
    [
        (SMALL, {"A1": L4, "B1": L4}, Machine(), 1600, {"module", "processor"}, [1.35], 1.0, 25.6),
        (SMALL, {"A1": H8, "B1": L8}, Machine(), 1600, {"module", "processor"}, [1.5], 1.0, 25.6),
        (SMALL, {"A1": L4, "A2": L4, "B1": L4}, Machine(), 1333, {"population"}, [1.35], 0.75, 15.996),
        (SMALL, {"A1": "4GB 2Rx8 PC3L-10600U", "B1": L4}, Machine(), 1333, {"module"}, [1.35], 1.0, 21.328),
        (SMALL, {"A1": L8}, Machine(), 1600, {"module", "processor"}, [1.35], 0.5, 12.8),
        (small(memory={"rails_v": [1.35], "rail_policy": None}), {"A1": H8}, Machine(), 1600, {"module", "processor"}, [None], 0.5, 12.8),
        (TWIN, {"P1.A1": R16, "P1.B1": R16, "P2.A1": R16, "P2.B1": R16}, Machine({"P1": "p", "P2": "q"}), 2400, {"processor"}, [1.2], 1.0, 38.4),
        (TWIN, {}, P, None, set(), [None], None, None),
    ],
)  # fmt: skip
def test_rail_rate_and_bandwidth(
    sheet: Any,
    slots: Any,
    machine: Machine,
    rate: int | None,
    bound: set[str],
    rails: list[float | None],
    balance: float | None,
    sustained: float | None,
) -> None:
    e = judge(sheet, slots, machine)
    assert (e.data_rate_mts, {b.by for b in e.bound_by}) == (rate, bound)
    assert [r.volts for r in e.rails] == rails
    assert (e.sockets[0].balance, e.sockets[0].sustained_gbs) == (balance, sustained)


def test_a_row_for_ranks_by_slot_wins_over_a_wider_one() -> None:
    rows = [{"dpc": 2, "rate_mts": 1333}, {"dpc": 2, "ranks": [1, 2], "rate_mts": 1066}]
    sheet = small(processors={"p": {"rate_table": rows}})
    one = "4GB 1Rx8 PC3L-12800U"
    assert (
        judge(sheet, {"A1": one, "A2": L4}).data_rate_mts == judge(sheet, {"A1": L4, "A2": one}).data_rate_mts == 1066
    )
    assert judge(sheet, {"A1": L4, "A2": L4}).data_rate_mts == 1333


def test_a_rate_between_two_of_the_processors_is_lowered_by_it() -> None:
    e = judge(small(processors={"p": {"rates_mts": [1066, 1600]}}), {"A1": "4GB 2Rx8 PC3L-10600U", "B1": L4})
    assert (e.data_rate_mts, {b.by for b in e.bound_by}) == (1066, {"module", "processor"})


def test_targets_refuse_what_would_stop_and_tell_what_to_mind() -> None:
    sheet = sheet_from_data(small(slots={"B2": {"clearance_mm": {"fitted": 20}}}, population=[ORDER]))
    tall, slow = decode_label(L4 + " 31mm").module, decode_label("4GB 2Rx8 PC3L-10600U 18mm").module
    base = layout({"A1": L4})
    refused = [t for t in targets(sheet, Machine(), base, tall) if not t.allowed]
    assert [(t.slot, t.reason) for t in refused] == [("B2", "B2: the module is 31 mm tall, the room 20 mm")]
    minded = {t.slot: (t.allowed, t.reason) for t in targets(sheet, Machine(), base, slow)}
    assert minded["B1"] == (True, "B1 holds all back: rated 1333 among modules that would run at 1600 MT/s")
    moved = {t.slot: t for t in targets(sheet, Machine(), base, decode_label(L4).module, taken_from="A1")}
    assert "A1" not in moved and moved["B1"].allowed


def test_another_sockets_rate_binds_where_they_run_alike() -> None:
    machine = Machine({"P1": "p", "P2": "q"})
    e = judge(TWIN, {"P1.A1": "16GB 1Rx4 PC4-2400T-RC1", "P2.A1": "16GB 1Rx4 PC4-2133P-RC1"}, machine)
    assert [(s.data_rate_mts, {b.by for b in s.bound_by}) for s in e.sockets] == [
        (2133, {"socket"}),
        (2133, {"module"}),
    ]


def test_one_sockets_unknown_rate_leaves_the_others_untold_where_they_run_alike() -> None:
    slots = {"P1.A1": R16, "P2.A1": "16GB 1Rx4 DDR4 RDIMM"}
    e = judge(TWIN, slots, P)
    assert [s.data_rate_mts for s in e.sockets] == [None, None] and e.data_rate_mts is None
    assert "speed.untold" in {f.code for f in e.findings}
    apart = judge(merged(TWIN, {"rate_alike": None}), slots, P)
    assert [s.data_rate_mts for s in apart.sockets] == [2666, None]


@pytest.mark.parametrize(
    ("ran", "comes", "could_be"),
    [
        ({}, "16GB 1Rx4 PC4-2400T-RC1", "stop"),
        ({"P1.A1": R16}, "16GB 1Rx4 PC4-2400T-RC1", "slow"),
        ({"P1.A1": R16}, "32GB 2Rx4 PC4-2666V-RB2", "slow"),
        ({"P1.A1": R16}, "16GB 1Rx4 PC4-3200AA-RC2", "stop"),
        ({"P1.A1": R16}, "16GB 1Rx4 DDR4 RDIMM", "stop"),
        ({"P2.A1": R16}, "16GB 1Rx4 PC4-2400T-RC1", "stop"),  # it ran with another processor
        ({"P1.A1": "unknown"}, "16GB 1Rx4 PC4-2400T-RC1", "stop"),  # who knows what ran
    ],
)
def test_a_processor_refuses_nothing_that_is_rated_no_higher_than_what_ran(
    ran: dict[str, str], comes: str, could_be: str
) -> None:
    untold = {"rates_mts": None, "rate_table": None, "faster_modules": None, "refuses_above_mts": None}
    sheet = merged(TWIN, {"processors": {"p": untold, "q": untold}})
    slots = {**ran, "P1.B1": comes}
    e = judge(sheet, slots, Machine({"P1": "p", "P2": "q"}), before=ran)
    assert max(f.could_be.value for f in e.findings if f.code == "speed.untold" and f.could_be) == could_be


def test_what_makes_no_difference_is_not_asked() -> None:
    """Two processors that run it alike; a size that bounds how dense its dies can be."""
    slow = "16GB 1Rx4 PC4-2400T-RC1"
    either = judge(TWIN, {"P1.A1": slow}, Machine({"P2": None}))
    assert either.data_rate_mts == 2400 and "speed.untold" not in {f.code for f in either.findings}
    one = judge(TWIN, {"P1.A1": R16}, Machine({"P2": None}))
    assert one.data_rate_mts is None
    dense = limit(scope="die", die_gbit=8, hard=True)
    assert [
        f.code for f in judge(dense, {"A1": "4GB DDR3L UDIMM 1600"}, Machine()).findings if f.code == "limit.die"
    ] == []
    assert [
        f.code for f in judge(dense, {"A1": "16GB DDR3L UDIMM 1600"}, Machine()).findings if f.code == "limit.die"
    ] == ["limit.die"]


@pytest.mark.parametrize(
    ("machine", "usable"),
    [(Machine(), 31.0), (Machine(os_bits=32), 3.0), (Machine(os_bits=32, os_cap_gib=16), 15.0), (Machine(mode="mirror"), 15.0), (Machine(device_hole_mib=512), 30.5)],
)  # fmt: skip
def test_usable(machine: Machine, usable: float) -> None:
    sheet = small(
        reserve={"fixed_mib": 704, "share": 0.01, "tolerance_mib": 64},
        memory={"remaps_hole": False, "modes": {"mirror": {"usable_share": 0.5}}},
    )
    e = judge(sheet, {"A1": L8, "A2": L8, "B1": L8, "B2": L8}, machine)
    assert (e.installed_gib, e.tolerance_gib) == (32, 0.0625)
    assert e.usable_gib == pytest.approx(usable, abs=0.01)


def test_memory_on_a_bare_socket_does_not_count() -> None:
    e = judge(TWIN, {"P1.A1": R16, "P2.A1": R32}, Machine({"P1": "p", "P2": None}))
    assert (e.installed_gib, e.verdict, [s.id for s in e.sockets]) == (16, "no-go", ["P1"])


# -- properties ---------------------------------------------------------------------------------------

_LABELS = [
    L4,
    L8,
    H8,
    "8GB PC4-2400T-UA1",
    "4GB PC3L-12800S",
    "4GB 2Rx8 PC3L-12800E",
    "4GB DDR3",
    "8GB",
    "2GB 1Rx16 PC3-8500U",
    "unknown",
]
_OCCUPANTS = st.sampled_from([UNKNOWN if t == "unknown" else decode_label(t).module for t in _LABELS])
_LAYOUTS = st.dictionaries(st.sampled_from(["A1", "A2", "B1", "B2", "Z9"]), _OCCUPANTS)
_FULL = sheet_from_data(
    small(
        population=[{**ORDER, "alike_in_set": ["capacity_gib", "package_ranks"], "larger_first": True}],
        limits=[{"source": "guide", "scope": "machine", "capacity_gib": 16, "official": True}, {"source": "cpu", "scope": "channel", "capacity_gib": 12, "hard": True}],
        memory={"package_ranks_per_channel": 4, "ecc_mixed": "loses"},
    )
)  # fmt: skip


@given(_LAYOUTS, st.randoms())
def test_every_layout_gets_the_same_answer_in_any_order(slots: dict[str, Any], random: Any) -> None:
    once = evaluate(_FULL, Machine(), Layout(slots))
    shuffled = list(slots.items())
    random.shuffle(shuffled)
    assert evaluate(_FULL, Machine(), Layout(shuffled)) == once


@given(_LAYOUTS)
def test_what_it_says_is_coherent(slots: dict[str, Any]) -> None:
    e = evaluate(_FULL, Machine(), Layout(slots))
    assert [f.severity.rank for f in e.findings] == sorted(f.severity.rank for f in e.findings)
    assert not {f.code for f in e.findings} & set(e.held)
    assert e.usable_gib <= e.installed_gib == sum(s.gib for s in e.sockets)
    for s in e.sockets:
        assert sum(r.gib for r in s.regions) == s.gib == sum(s.channels.values())
        assert s.sustained_gbs is None or s.peak_gbs is None or s.sustained_gbs <= s.peak_gbs
    assert all(set(f.slots) <= {*_FULL.slots, *slots} for f in e.findings)


#: Everything that can hang on one member: strict, with two processors of which one refuses grades.
_STRICT = sheet_from_data(
    merged(
        TWIN,
        {
            "memory": {"accepts": [{"buffering": "registered"}, {"buffering": "load-reduced", "ecc": True}], "ecc_mixed": "refused", "never_together": [[{"device_width": 4}, {"device_width": 8}]], "package_ranks_per_channel": 4, "load_reduced_counts_as": 2, "refuses": [{"device_width": 16}]},
            "slots": {},
            "limits": [{"source": "guide", "scope": "die", "die_gbit": 8, "hard": True}, {"source": "guide", "scope": "machine", "stack_height": 1, "hard": True}, {"source": "guide", "scope": "socket", "capacity_gib": 64, "hard": True}],
            "repeat": {"slots": {"*1": {"position": "far", "clearance_mm": {"fitted": 34}}}, "population": [{"fill": [["A1", "B1"], ["A2", "B2"]], "other_counts": "refused", "otherwise": "refused", "alike_in_set": ["capacity_gib", "package_ranks", "device_width", "rate_mts", "part"]}]},
            "listed": [{"part": "OK*", "source": "guide"}],
        },
    )
)  # fmt: skip
_WHOLE = st.builds(
    lambda label, ecc, height, part: replace(
        decode_label(label).module, ecc=ecc, ecc_bits=8 if ecc else 0, height_mm=height, part=part
    ),
    st.sampled_from(["16GB 1Rx4 PC4-2666V-RC2", "16GB 2Rx8 PC4-2400T-RE1", "32GB 2Rx4 PC4-2666V-RB2", "64GB 4DRx4 PC4-2666V-LD1", "64GB 2S2Rx4 PC4-2666V-RB2", "16GB 1Rx8 PC4-2666V-UC0", "8GB 1Rx8 PC3-12800R", "16GB 1Rx8 PC4-2666V-SC0"]),
    st.booleans(),
    st.sampled_from([31.0, 40.0]),
    st.sampled_from(["OK-1", "ZZ-1"]),
)  # fmt: skip
_MEMBERS = ["generation", "form", "buffering", "ecc", "capacity_gib", "package_ranks", "stack_height", "device_width", "die_gbit", "rate_mts", "rails_v", "height_mm", "part"]  # fmt: skip
_GOOD = replace(decode_label(R16).module, height_mm=31.0, part="OK-1")
_PROCESSORS = st.dictionaries(st.sampled_from(["P1", "P2"]), st.sampled_from(["p", "q", None]), max_size=1)


@given(
    st.dictionaries(st.sampled_from(list(_STRICT.slots)), _WHOLE, max_size=1),
    st.lists(st.sampled_from(_MEMBERS), max_size=4),
    st.sampled_from(["P1.A1", "P1.B1", "P2.A1", "P2.B1"]),
    st.booleans(),
    _PROCESSORS,
    st.sampled_from(["P1", "P2", None]),
)
def test_learning_a_fact_never_turns_no_into_yes_nor_yes_into_no(
    odd: dict[str, Any], forgotten: list[str], where: str, whole: bool, processors: dict[str, Any], socket: str | None
) -> None:
    """A module's members, what sits in a slot, or which processor is fitted, forgotten and learnt."""
    slots = {**dict.fromkeys(["P1.A1", "P1.B1", "P2.A1", "P2.B1"], _GOOD), **odd}
    known = Machine({"P1": "p", "P2": "p", **processors})
    asked = Machine({s: p for s, p in known.processors.items() if s != socket})
    less: dict[str, Any] = dict(slots)
    if where in slots:
        members = {m: () if m == "rails_v" else None for m in forgotten}
        members |= {"ecc_bits": None} if "ecc" in members else {}
        members |= {"logical_ranks": None} if {"package_ranks", "stack_height"} & set(members) else {}
        less[where] = UNKNOWN if whole else replace(slots[where], **members)
    vague, sure = evaluate(_STRICT, asked, Layout(less)), evaluate(_STRICT, known, Layout(slots))
    assert (vague.verdict, sure.verdict) not in {("no-go", "go"), ("go", "no-go")}
    if vague.verdict == "no-go":
        assert sure.verdict == "no-go"


_STRICT_LAYOUTS = st.dictionaries(st.sampled_from(list(_STRICT.slots)), _WHOLE | st.just(UNKNOWN), min_size=2)


@given(_STRICT_LAYOUTS, _STRICT_LAYOUTS, st.booleans(), _PROCESSORS)
def test_a_layout_near_by_makes_an_answer_quicker_and_no_different(
    near: dict[str, Any], slots: dict[str, Any], few: bool, processors: dict[str, Any]
) -> None:
    machine = Machine({"P1": "p", **processors})
    tried = Layout({**near, **dict(list(slots.items())[:1])} if few else slots)
    asked = question(_STRICT, machine, Layout(near))
    evaluate_in(asked)
    assert evaluate(_STRICT, machine, tried, near=asked.by_place) == evaluate(_STRICT, machine, tried)


@given(_LAYOUTS, _OCCUPANTS)
def test_learning_what_sits_in_a_slot_never_turns_no_into_yes(slots: dict[str, Any], learnt: Any) -> None:
    known = {s: m for s, m in slots.items() if m is not UNKNOWN}
    if evaluate(_FULL, Machine(), Layout({**known, "A1": UNKNOWN})).verdict == "no-go":
        assert evaluate(_FULL, Machine(), Layout({**known, "A1": learnt})).verdict == "no-go"


@given(_LAYOUTS)
def test_alike_channels_are_alike(slots: dict[str, Any]) -> None:
    swap = {"A1": "B1", "A2": "B2", "B1": "A1", "B2": "A2"}
    one = evaluate(_FULL, Machine(), Layout(slots))
    other = evaluate(_FULL, Machine(), Layout({swap.get(s, s): m for s, m in slots.items()}))
    assert (one.verdict, one.installed_gib, one.data_rate_mts) == (
        other.verdict,
        other.installed_gib,
        other.data_rate_mts,
    )
    assert sorted((f.code, f.severity, len(f.slots)) for f in one.findings) == sorted(
        (f.code, f.severity, len(f.slots)) for f in other.findings
    )


@given(
    _LAYOUTS,
    st.sampled_from([decode_label(t).module for t in (L4, H8, "4GB PC3L-12800S", "4GB 2Rx8 PC3L-12800E")]),
    st.booleans(),
    st.none() | _LAYOUTS,
    st.none() | _LAYOUTS,
)
def test_targets_say_of_each_slot_what_evaluating_it_says(
    slots: dict[str, Any], module: Any, moved: bool, before: dict[str, Any] | None, ran: dict[str, Any] | None
) -> None:
    now = Layout({s: m for s, m in slots.items() if s != "Z9"})
    source = next((s for s, m in now.items() if m is not UNKNOWN), None) if moved else None
    if source:
        module = now[source]
    was = [None if held is None else Layout(held) for held in (before, ran)]
    _are_as_evaluated(_FULL, Machine(), now, module, source, *was)


@pytest.mark.parametrize("seed", range(16))
def test_targets_are_as_evaluated_in_a_machine_of_which_little_is_known(seed: int) -> None:
    p, r = unseen_problem(seed), Random(seed)
    known = [m for m in p.layout.values() if isinstance(m, Module)] + [c.module for c in p.candidates]
    goal = {s: m for s, m in p.layout.items() if r.random() < 0.7}
    goal |= {s: r.choice(known) for s in p.sheet.slots if r.random() < 0.3}
    _are_as_evaluated(p.sheet, p.machine, Layout(goal), r.choice(known), None, p.layout, p.ran)


def _are_as_evaluated(
    sheet: Sheet,
    machine: Machine,
    now: Layout,
    module: Any,
    source: str | None,
    before: Layout | None = None,
    ran: Layout | None = None,
) -> None:
    known = {(f.code, f.slots, f.message) for f in evaluate(sheet, machine, now, before=before, ran=ran).findings}
    for t in targets(sheet, machine, now, module, taken_from=source, before=before, ran=ran):
        tried = {**{s: m for s, m in now.items() if s != source}, t.slot: module}
        if source and t.slot in now:
            tried[source] = now[t.slot]
        judged = evaluate(sheet, machine, Layout(tried), before=before, ran=ran).findings
        new = [f for f in judged if (f.code, f.slots, f.message) not in known]
        worst = next((f for f in new if f.severity is not Severity.NOTE), None)
        assert (t.reason, t.severity) == ((worst.message, worst.severity) if worst else (None, None))
        assert t.allowed == (worst is None or worst.severity is not Severity.STOP)


_THREE = sheet_from_data(
    merged(
        TWIN,
        {
            "sockets": {p: {"processors": ["p", "q"], "may_be_absent": False} for p in ("P1", "P2", "P3")},
            "memory": {"package_ranks_per_channel": 4},
            "repeat": {"over": ["P1", "P2", "P3"], "population": [{"fill": [["A1", "B1"], ["A2", "B2"]], "other_counts": "refused", "otherwise": "slower", "alike_in_set": ["capacity_gib"], "larger_first": True}]},
            "population": [{"source": "guide", "even_over": "sockets"}],
            "limits": [{"source": "guide", "scope": "socket", "capacity_gib": 64, "hard": True}, {"source": "guide", "scope": "machine", "capacity_gib": 128, "official": True}],
        },
    )
)  # fmt: skip


@given(
    st.dictionaries(st.sampled_from(["A1", "A2", "B1", "B2"]), _WHOLE | st.just(UNKNOWN)),
    st.dictionaries(st.sampled_from(list(_THREE.slots)), _WHOLE | st.just(UNKNOWN), max_size=1),
    st.sampled_from([{}, {"P1": "q"}, {"P1": "p", "P2": "p", "P3": "p"}]),
    _WHOLE,
    st.booleans(),
)
def test_sockets_that_are_alike_are_judged_once_and_told_apart(
    each: dict[str, Any], but: dict[str, Any], processors: dict[str, Any], module: Any, moved: bool
) -> None:
    now = Layout({**{f"{p}.{s}": m for p in _THREE.sockets for s, m in each.items()}, **but})
    source = next((s for s, m in now.items() if m is not UNKNOWN), None) if moved else None
    _are_as_evaluated(_THREE, Machine(processors), now, now[source] if source else module, source)


def test_layout_is_a_value() -> None:
    a, b = layout({"A1": L4, "B1": L8}), layout({"B1": L8, "A1": L4})
    assert a == b and hash(a) == hash(b)
    assert a.changed_from(layout({"A1": L4})) == ("B1",)


def test_the_rules_page_is_current() -> None:
    kept = (Path(__file__).resolve().parents[2] / "docs/rules.md").read_text("utf-8")
    assert kept == rules_page(), "write it anew: python -m umbrak.formats.rules_page > docs/rules.md"


# -- what the fitted version says, orders of sockets that work, and words ----------------------------------------

HARD = limit(id="first", scope="machine", capacity_gib=8, hard=True)
HARD["limits"].append({"source": "guide", "scope": "machine", "capacity_gib": 16, "official": True, "firmware": {"from": "7.4"}, "replaces": ["first"]})  # fmt: skip


@pytest.mark.parametrize(("version", "code"), [("7.2", "limit.machine"), ("7.4", None), (None, "limit.firmware")])
def test_a_hard_limit_of_the_fitted_version_is_pardoned_by_no_other(version: str | None, code: str | None) -> None:
    e = judge(HARD, {"A1": L8, "B1": L4}, Machine(firmware=version))
    assert {f.code for f in e.findings} & {"limit.machine", "limit.firmware"} == ({code} if code else set())
    assert e.at_worst == ("no-go" if code else "go")


def test_what_a_newer_release_took_back_is_no_advice_to_go_back() -> None:
    back = limit(id="first", scope="machine", capacity_gib=8, official=True, firmware={"from": "7.4"})
    back["limits"].append({"source": "guide", "scope": "machine", "capacity_gib": 16, "official": True, "firmware": {"until": "7.4"}})  # fmt: skip
    (finding,) = [f for f in judge(back, {"A1": L8, "B1": L4}, Machine(firmware="7.4")).findings if f.severity is Severity.RISK]  # fmt: skip
    assert (finding.code, "took back" in finding.message or "taken back" in finding.message) == (
        "risk.over-official",
        True,
    )


ACROSS = merged(TWIN, {"population": [{"source": "guide", "scope": "machine", "fill": [["P1.A1", "P2.A1"], ["P1.B1", "P2.B1"]], "other_counts": "refused", "otherwise": "refused"}]})  # fmt: skip


@pytest.mark.parametrize(
    ("slots", "codes"),
    [
        ({"P1.A1": R16}, set()),
        ({"P1.A1": R16, "P1.B1": R16}, set()),
        ({"P1.B1": R16}, {"order.place"}),
    ],
)
def test_an_order_over_all_sockets_is_kept_on_those_that_work(slots: dict[str, str], codes: set[str]) -> None:
    e = judge(ACROSS, slots, Machine({"P1": "p", "P2": None}))
    assert {f.code for f in e.findings if f.severity is Severity.STOP} == codes


def test_alike_findings_are_one_and_a_refused_kind_is_not_said_to_be_taken() -> None:
    ranks = judge(small(memory={"package_ranks_per_channel": 2}), {"A1": L8, "A2": L8, "B1": L8, "B2": L8})
    (one,) = [f for f in ranks.findings if f.code == "limit.ranks"]
    assert one.slots == ("A1", "A2", "B1", "B2") and one.message.startswith("Channel A and channel B have 4 package ranks each")  # fmt: skip
    refused = judge(small(memory={"refuses": [{"device_width": 16}]}), {"A1": "4GB 1Rx16 PC3L-12800U"})
    (said,) = [f.message for f in refused.findings if f.code == "kind.refused"]
    assert said == "A1: this machine refuses x16 modules"


def test_what_ran_may_have_stood_in_slots_that_the_sheet_lacks() -> None:
    open_ = small(population=None, limits=None, memory={"package_ranks_per_channel": None, "accepts": None})
    e = judge(open_, {"A1": L4, "A2": L4}, before={"Z9": L4, "A1": L4})
    assert e.verdict == "undecided"
