"""Which command gives most of what is read here, by what a system has, and what it will tell and not tell: the one place that says it."""

from __future__ import annotations

import re
from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Way:
    #: Where it can be done, as a technician sees it.
    where: str
    #: What to run; "" = nothing can be run there.
    command: str
    tells: str
    lacks: str
    #: As which kind it is read.
    kind: str
    #: What of its output can be read for Proof.
    proof: bool = False


GUIDE: tuple[Way, ...] = (
    Way(
        where="a shell with rights, and dmidecode",
        command="sudo dmidecode -t 0,1,2,3,4,16,17,19",
        tells="every slot, empty ones too; module, part, serial; rates and volts as its firmware has them; processors, what it claims to hold",
        lacks="what the module itself says; makers and rates are often unfilled or wrong",
        kind="smbios-text",
        proof=True,
    ),
    Way(
        where="a shell with rights, without dmidecode",
        command="sudo cat /sys/firmware/dmi/tables/DMI > tables.bin",
        tells="the same tables as a file, whole: drop it here",
        lacks="what the module itself says",
        kind="smbios",
        proof=True,
    ),
    Way(
        where="a shell with lshw",
        command="sudo lshw -json",
        tells="slots with their modules, firmware, processors; without rights a total alone",
        lacks="ranks, what it claims to hold",
        kind="lshw",
        proof=True,
    ),
    Way(
        where="a shell without rights",
        command="cat /proc/meminfo",
        tells="what its system can use, and what is in use",
        lacks="every slot: good for Proof, not for a survey",
        kind="kernel",
        proof=True,
    ),
    Way(
        where="a shell whose driver counts errors",
        command="grep -s . /sys/devices/system/edac/mc/mc*/dimm*/*",
        tells="errors corrected and not, by the driver’s names of slots",
        lacks="what sits there; where nothing comes, no driver counts",
        kind="kernel",
        proof=True,
    ),
    Way(
        where="a shell with the modules’ own memory at its bus",
        command="sudo decode-dimms",
        tells="what each module says of itself, sure; checksums",
        lacks="which slot each is in",
        kind="decode-dimms",
    ),
    Way(
        where="a shell with Get-CimInstance",
        command="'PhysicalMemory','PhysicalMemoryArray','Processor','ComputerSystem','BIOS' | % { Get-CimInstance \"Win32_$_\" } | Format-List *",
        tells="modules in their slots, how many slots there are, processors, firmware",
        lacks="empty slots by name; ranks on many systems",
        kind="cim",
        proof=True,
    ),
    Way(
        where="an older shell with wmic",
        command="wmic memorychip get /format:list",
        tells="modules in their slots",
        lacks="empty slots, how many there are",
        kind="cim",
        proof=True,
    ),
    Way(
        where="a shell with system_profiler",
        command="system_profiler SPMemoryDataType",
        tells="slots, empty ones too, with size, rate, part and serial",
        lacks="ranks, volts, what it claims to hold",
        kind="profiler",
        proof=True,
    ),
    Way(
        where="a shell with inxi",
        command="sudo inxi -mxxx -c 0",
        tells="slots with their modules, rates, part numbers, what its system can use",
        lacks="ranks",
        kind="inxi",
        proof=True,
    ),
    Way(
        where="a management controller reached by ipmitool",
        command="ipmitool fru print",
        tells="the machine’s names and serial; modules, where the controller keeps them",
        lacks="on many controllers every module; what was changed since",
        kind="fru",
    ),
    Way(
        where="a management controller that speaks Redfish",
        command="",
        tells="slots, health, counters, temperatures: ask it over the network, below",
        lacks="what its maker left out",
        kind="redfish",
        proof=True,
    ),
    Way(
        where="an appliance without a shell, with SNMP",
        command="snmpwalk -v2c -c COMMUNITY -On ADDRESS 1.3.6.1.2.1",
        tells="what its system can use",
        lacks="every slot: give the labels as well",
        kind="snmp",
        proof=True,
    ),
    Way(
        where="no shell at all, but its pages",
        command="",
        tells="its page of hardware or information tells a total and its version: type them in",
        lacks="every slot: give the labels as well",
        kind="labels",
    ),
    Way(
        where="an open machine, and a light",
        command="",
        tells="its labels, a line a slot: “A1: 16GB 2Rx8 PC4-2400T-RE1-11”, “A2: empty”",
        lacks="whether the machine sees them",
        kind="labels",
    ),
    Way(
        where="a table that somebody keeps of it",
        command="",
        tells="a row a slot under headings such as slot, size, type, speed, part number: a spreadsheet, CSV, or pasted",
        lacks="what was changed since, and whether the machine sees it",
        kind="slot-table",
    ),
)

#: Words in what was pasted -> kind of the way that would give more.
_SIGNS = (
    (r"\bPS [A-Z]:\\|Get-\w+|Win32_|\bwmic\b|^[A-Z]:\\", "cim"),
    (r"\bsystem_profiler\b", "profiler"),
    (r"\bipmitool\b", "fru"),
    (r"\bsnmp\w*\b", "snmp"),
)  # fmt: skip


def way_for(text: str) -> Way:
    """The way that suits the system that a text looks to be from; the fullest one where nothing tells."""
    head = text[:20_000]
    kind = next((kind for sign, kind in _SIGNS if re.search(sign, head, re.M)), "smbios-text")
    return next(w for w in GUIDE if w.kind == kind)
