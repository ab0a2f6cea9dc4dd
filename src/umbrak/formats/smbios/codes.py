"""Numbers of DSP0134 and their words. Clause numbers are those of version 3.7."""

from __future__ import annotations

BIOS, SYSTEM, BASE_BOARD, CHASSIS, PROCESSOR, MEMORY_ARRAY, MEMORY_DEVICE, MAPPED_RANGE, END_OF_TABLE = (
    0,
    1,
    2,
    3,
    4,
    16,
    17,
    19,
    127,
)

#: Structure type -> the title that listings print under the handle.
TITLES = {
    BIOS: "BIOS Information",
    SYSTEM: "System Information",
    BASE_BOARD: "Base Board Information",
    CHASSIS: "Chassis Information",
    PROCESSOR: "Processor Information",
    MEMORY_ARRAY: "Physical Memory Array",
    MEMORY_DEVICE: "Memory Device",
    MAPPED_RANGE: "Memory Array Mapped Address",
}

#: 7.18.1 Memory Device: Form Factor.
FORM_FACTORS = {
    0x01: "Other", 0x02: "Unknown", 0x03: "SIMM", 0x04: "SIP", 0x05: "Chip", 0x06: "DIP", 0x07: "ZIP",
    0x08: "Proprietary Card", 0x09: "DIMM", 0x0A: "TSOP", 0x0B: "Row Of Chips", 0x0C: "RIMM", 0x0D: "SODIMM",
    0x0E: "SRIMM", 0x0F: "FB-DIMM", 0x10: "Die", 0x11: "CAMM",
}  # fmt: skip
#: Form factors of memory that nobody can take out.
SOLDERED_FORMS = ("Chip", "Row Of Chips", "Die")

#: 7.18.2 Memory Device: Type.
MEMORY_TYPES = {
    0x01: "Other", 0x02: "Unknown", 0x03: "DRAM", 0x04: "EDRAM", 0x05: "VRAM", 0x06: "SRAM", 0x07: "RAM", 0x08: "ROM", 0x09: "Flash",
    0x0D: "CDRAM", 0x0E: "3DRAM", 0x0F: "SDRAM", 0x10: "SGRAM", 0x11: "RDRAM", 0x20: "HBM", 0x21: "HBM2", 0x24: "HBM3", 0x12: "DDR", 0x13: "DDR2", 0x14: "DDR2 FB-DIMM", 0x18: "DDR3",
    0x19: "FBD2", 0x1A: "DDR4", 0x1B: "LPDDR", 0x1C: "LPDDR2", 0x1D: "LPDDR3", 0x1E: "LPDDR4", 0x1F: "Logical non-volatile device", 0x22: "DDR5", 0x23: "LPDDR5",
}  # fmt: skip

#: Types of a firmware's own chips: no memory to plan with.
FIRMWARE_TYPES = ("ROM", "Flash")

#: 7.18.6 Memory Device: Memory Technology.
TECHNOLOGIES = {
    0x01: "Other",
    0x02: "Unknown",
    0x03: "DRAM",
    0x04: "NVDIMM-N",
    0x05: "NVDIMM-F",
    0x06: "NVDIMM-P",
    0x07: "persistent memory",
}
#: Those of main memory, or not told.
MAIN_MEMORY = ("Other", "Unknown", "DRAM")
#: 7.18.2: what a module that keeps its content is listed as beside its technology.
NON_VOLATILE = "Logical non-volatile device"

#: 7.18.3 Memory Device: Type Detail, bit -> word.
TYPE_DETAILS = {
    7: "Synchronous",
    12: "Non-Volatile",
    13: "Registered (Buffered)",
    14: "Unbuffered (Unregistered)",
    15: "LRDIMM",
}

#: 7.17.2 Memory Array: Use. Only system memory counts.
ARRAY_USES = {
    0x03: "System Memory",
    0x04: "Video Memory",
    0x05: "Flash Memory",
    0x06: "Non-volatile RAM",
    0x07: "Cache Memory",
}
#: 7.17.3 Memory Array: Error Correction.
ARRAY_ECC = {
    0x01: "Other",
    0x02: "Unknown",
    0x03: "None",
    0x04: "Parity",
    0x05: "Single-bit ECC",
    0x06: "Multi-bit ECC",
    0x07: "CRC",
}
