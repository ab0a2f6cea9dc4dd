"""Numbers of the SPD standards and what they stand for.

DDR3: JESD21-C 4.1.2.11 (Annex K). DDR4: 4.1.2.L (Annex L). DDR5: JESD400-5. FB-DIMM: 4.1.2.7.
"""

from __future__ import annotations

from umbrak.core.memory.module import Buffering, Form

U, R, L = Buffering.UNBUFFERED, Buffering.REGISTERED, Buffering.LOAD_REDUCED
DIMM, SO_DIMM, OTHER = Form.DIMM, Form.SO_DIMM, Form.OTHER

#: Byte 2: what the rest is to be read as.
DEVICE_TYPES = {0x09: "FB-DIMM", 0x0B: "DDR3", 0x0C: "DDR4", 0x12: "DDR5"}
#: Byte 2 of kinds that are known but not read here.
OTHER_DEVICE_TYPES = {
    0x01: "fast page mode", 0x02: "EDO", 0x04: "SDR", 0x07: "DDR", 0x08: "DDR2", 0x0E: "DDR4E", 0x0F: "LPDDR3",
    0x10: "LPDDR4", 0x11: "LPDDR4X", 0x13: "LPDDR5", 0x14: "NVDIMM-P", 0x15: "LPDDR5X",
}  # fmt: skip

#: Byte 3, bits 3 to 0: (form, buffering).
DDR3_MODULES = {
    1: (DIMM, R), 2: (DIMM, U), 3: (SO_DIMM, U), 4: (OTHER, U), 5: (OTHER, R), 6: (OTHER, U), 7: (OTHER, Buffering.OTHER),
    8: (SO_DIMM, U), 9: (SO_DIMM, R), 10: (SO_DIMM, Buffering.OTHER), 11: (DIMM, L), 12: (SO_DIMM, U), 13: (SO_DIMM, U),
}  # fmt: skip
DDR4_MODULES = {
    1: (DIMM, R), 2: (DIMM, U), 3: (SO_DIMM, U), 4: (DIMM, L), 5: (OTHER, R), 6: (OTHER, U), 8: (SO_DIMM, R),
    9: (SO_DIMM, U), 12: (SO_DIMM, U), 13: (SO_DIMM, U),
}  # fmt: skip
#: The clocked kinds (5, 6) drive the clock alone: on the bus they are unbuffered modules.
DDR5_MODULES = {
    1: (DIMM, R), 2: (DIMM, U), 3: (SO_DIMM, U), 4: (DIMM, L), 5: (DIMM, U), 6: (SO_DIMM, U), 7: (DIMM, Buffering.OTHER),
    8: (OTHER, U), 10: (OTHER, Buffering.OTHER), 11: (OTHER, U),
}  # fmt: skip

#: Density of a die [Gbit]. DDR3 and DDR4: byte 4, bits 3 to 0; DDR5: byte 4, bits 4 to 0.
DDR3_GBIT = {0: 0.25, 1: 0.5, 2: 1, 3: 2, 4: 4, 5: 8, 6: 16}
DDR4_GBIT = {**DDR3_GBIT, 7: 32, 8: 12, 9: 24}
#: (density [Gbit], steps smaller) -> density. From 12 Gbit on the standard does not say which step is meant.
SMALLER_GBIT = {(g, step): g / (1 << step) for g in (0.5, 1, 2, 4, 8) for step in (0, 1, 2) if g / (1 << step) >= 0.25}
SMALLER_GBIT |= {(g, 0): g for g in DDR4_GBIT.values()}
DDR5_GBIT = {1: 4, 2: 8, 3: 12, 4: 16, 5: 24, 6: 32, 7: 48, 8: 64}

#: Width of a device [bits].
WIDTHS = {0: 4, 1: 8, 2: 16, 3: 32}
#: DDR3 byte 7, bits 5 to 3: package ranks.
DDR3_RANKS = {0: 1, 1: 2, 2: 3, 3: 4, 4: 8}
#: DDR3 byte 33, bits 6 to 4: dies in a package; 0 = not said.
DDR3_DIES = {1: 1, 2: 2, 3: 4, 4: 8}
#: Bits 1 to 0 of the package type (DDR3 byte 33, DDR4 byte 6): a single-load stack is 3DS.
SINGLE_LOAD = 2
#: DDR5 byte 4, bits 7 to 5: (dies in a package, whether they are stacked behind one load).
DDR5_DIES = {0: (1, False), 1: (2, False), 2: (2, True), 3: (4, True), 4: (8, True), 5: (16, True)}
#: Primary bus width, bits 2 to 0 (DDR3 byte 8, DDR4 byte 13, DDR5 byte 235 for each channel) [bits].
BUS_WIDTHS = {0: 8, 1: 16, 2: 32, 3: 64}
#: ECC beside it, bits 4 to 3: DDR3 and DDR4; DDR5 beside each 32-bit half.
ECC_BITS = {0: 0, 1: 8}
DDR5_ECC_BITS = {0: 0, 1: 4, 2: 8}
