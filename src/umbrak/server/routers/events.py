"""What happens, as it happens."""

from __future__ import annotations

import re
from collections.abc import AsyncIterable
from typing import Annotated
from uuid import UUID

from fastapi import APIRouter, Header, Query, Request
from fastapi.sse import EventSourceResponse, ServerSentEvent

from umbrak.server.deps import Person
from umbrak.server.events import Hub
from umbrak.server.problems import describe

router = APIRouter(prefix="/events", tags=["events"])


@router.get("", response_class=EventSourceResponse, responses=describe(401, 422))
async def follow(
    request: Request,
    _: Person,
    machine: Annotated[UUID, Query(description="the machine that is looked at")],
    last_event_id: Annotated[str | None, Header(description="resume after this line")] = None,
) -> AsyncIterable[ServerSentEvent]:
    """History lines of a machine and its plans, as server-sent events named `line`; each id is the line's."""
    hub: Hub = request.app.state.hub
    last = int(last_event_id) if last_event_id and re.fullmatch("[0-9]{1,18}", last_event_id) else None
    yield ServerSentEvent(comment="following")
    async for line in hub.follow(machine, last):
        yield ServerSentEvent(data=line, event="line", id=str(line.id))
