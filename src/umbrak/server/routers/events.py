"""What happens, as it happens."""

from __future__ import annotations

import re
from collections.abc import AsyncIterable
from typing import Annotated
from uuid import UUID

from fastapi import Header, Query, Request
from fastapi.sse import EventSourceResponse, ServerSentEvent

from umbrak.server.deps import Person, Token
from umbrak.server.events import Hub
from umbrak.server.problems import describe
from umbrak.server.routing import api_router
from umbrak.services.people.accounts import token_hash

router = api_router(prefix="/events", tags=["events"])


@router.get("", response_class=EventSourceResponse, responses=describe(401, 422))
async def follow(
    request: Request,
    _: Person,
    token: Token,
    machine: Annotated[list[UUID], Query(min_length=1, max_length=100, description="the machines that are looked at")],
    after: Annotated[int | None, Query(ge=0, le=1 << 62, description="resume after this line")] = None,
    last_event_id: Annotated[str | None, Header(description="resume after this line")] = None,
) -> AsyncIterable[ServerSentEvent]:
    """History lines of machines and their plans, as server-sent events named `line`; each id is the line's. The first event,
    `at`, has the id to resume after. One stream serves all windows of a browser; it ends with its session."""
    hub: Hub = request.app.state.hub
    last = int(last_event_id) if last_event_id and re.fullmatch("[0-9]{1,18}", last_event_id) else after
    async for line in hub.follow(frozenset(machine), token_hash(token or ""), last):
        if isinstance(line, int):
            yield ServerSentEvent(data={}, event="at", id=str(line))
        else:
            yield ServerSentEvent(data=line, event="line", id=str(line.id))
