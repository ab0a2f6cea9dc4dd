"""SPD contents of memory modules, by the JEDEC standards of each generation.

codes    names and numbers of the standards, as tables       fields   a module's bytes, with checked access
decode   one reader a generation, and the table of them
"""

from umbrak.formats.spd.decode import SpdReading, looks_like_spd, read_spd

__all__ = ["SpdReading", "looks_like_spd", "read_spd"]
