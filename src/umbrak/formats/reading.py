"""Any file that Umbrak reads, its kind found from its content."""

from __future__ import annotations

from collections.abc import Callable

from umbrak.core.platform.survey import SurveyReading
from umbrak.formats.bounds import check_size
from umbrak.formats.faults import Fault, InputError
from umbrak.formats.redfish import looks_like_redfish, read_redfish
from umbrak.formats.slot_labels import looks_like_labels, read_labels
from umbrak.formats.smbios.listing import looks_like_listing
from umbrak.formats.smbios.survey import read_listing, read_tables
from umbrak.formats.smbios.tables import looks_like_tables
from umbrak.formats.snmp import looks_like_snmp, read_snmp
from umbrak.formats.spd import SpdReading, looks_like_spd, read_spd

Reading = SurveyReading | SpdReading


def _text(data: bytes) -> str:
    # Pastes come in whatever the mail program left; what is no UTF-8 costs its characters only.
    wide = data[:2] in (b"\xff\xfe", b"\xfe\xff")
    return data.decode("utf-16" if wide else "utf-8-sig", "replace").replace("\0", "")


#: Kind -> reader. The names are those that `--as` takes and that the reading carries.
READERS: dict[str, Callable[[bytes], Reading]] = {
    "smbios": read_tables,
    "spd": read_spd,
    "redfish": read_redfish,
    "snmp": lambda data: read_snmp(_text(data)),
    "labels": lambda data: read_labels(_text(data)),
    "smbios-text": lambda data: read_listing(_text(data)),
}


def detect(data: bytes) -> str | None:
    """The kind of a file by its content; None when it is none that Umbrak reads."""
    if data[:4] == b"_SM_" or data[:5] == b"_SM3_":
        return "smbios"
    if looks_like_spd(data):
        return "spd"
    # NUL bytes are in every binary table and in no UTF-8 text.
    if b"\0" in data[:4096] and data[:2] not in (b"\xff\xfe", b"\xfe\xff"):
        return "smbios" if looks_like_tables(data) else None
    text = _text(data)
    if looks_like_redfish(text):
        return "redfish"
    if looks_like_listing(text):
        return "smbios-text"
    return "snmp" if looks_like_snmp(text) else "labels" if looks_like_labels(text) else None


def read_any(data: bytes, kind: str | None = None) -> Reading:
    """What a file reports. Raises InputError when its kind is not known or it cannot be read as that kind."""
    check_size(len(data))
    if not data.strip(b"\0 \t\r\n"):
        raise InputError("empty", [Fault("there is nothing in it")])
    chosen = kind or detect(data)
    if chosen is None and data[:4] == b"PK\x03\x04":
        raise InputError("kind-unknown", [Fault("a spreadsheet or an archive: take it in with many at once", "byte 0")])
    if chosen is None:
        if b"\0" not in data[:4096]:
            return read_listing(_text(data))  # says what was expected of a text
        raise InputError(
            "kind-unknown", [Fault(f"none of the kinds that are read here ({', '.join(READERS)})", "byte 0")]
        )
    if chosen not in READERS:
        raise InputError("kind-unknown", [Fault(f"kind {chosen} is not read here; known: {', '.join(READERS)}")])
    return READERS[chosen](data)
