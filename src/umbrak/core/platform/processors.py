"""Which processor a report shows in each socket."""

from __future__ import annotations

from collections.abc import Sequence

from umbrak.core.platform.known import REPORTS
from umbrak.core.platform.sheet import Sheet
from umbrak.core.platform.survey import SlotState, SurveyReading, match_processors


def processors_of(sheet: Sheet, reading: SurveyReading, slots: Sequence[str | None]) -> dict[str, str | None]:
    """Socket -> processor id, or None where the socket is reported empty; sockets that are not clear are left out.

    A listing of memory alone names no processor. Where the machine itself sees a module in a slot that hangs on a socket, that
    socket has one all the same: which is clear where the sheet knows of one for it.

    Parameters
        slots   for each slot of the reading the sheet's, None where it has none
    """
    found = match_processors(sheet, reading.processors)
    report = REPORTS.get(reading.kind)
    if report is None or not report.running:
        return found
    for slot, told in zip(slots, reading.slots, strict=True):
        socket = sheet.socket_of_slot.get(slot or "")
        if socket and socket not in found and told.state is SlotState.FILLED and told.module:
            choice = sheet.sockets[socket].processors
            if len(choice) == 1:
                found[socket] = choice[0]
    return found
