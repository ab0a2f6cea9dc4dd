"""What is done with modules, under the command line's names."""

from __future__ import annotations

from collections.abc import Iterable

from pydantic import BaseModel, Field

from umbrak.core.memory.module import Module
from umbrak.core.plan.actions import Action, Do


class ActionView(BaseModel):
    """An action under the names of the command line's contract: `from` is no name for a Python field."""

    do: Do
    module: Module | None
    source: str | None = Field(serialization_alias="from")
    target: str | None = Field(serialization_alias="to")


def action_views(done: Iterable[Action]) -> tuple[ActionView, ...]:
    return tuple(ActionView(do=a.do, module=a.module, source=a.source, target=a.target) for a in done)
