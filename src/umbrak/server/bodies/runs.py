"""Bodies of requests about runs and their proof."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, StringConstraints

from umbrak.formats.documents import Name, Said, ShortText, Text
from umbrak.formats.entries import EntryDoc, StepKey
from umbrak.formats.quantities import Day
from umbrak.server.bodies.base import Body, Code, Moment


class RunStart(Body):
    soak_days: Annotated[float, Field(gt=0, le=365)] = 3.0


class RunWindow(Body):
    """The maintenance window; null = none."""

    start: Moment | None
    end: Moment | None


class LightBody(Body):
    """The locator light, on or off."""

    on: bool


class RunEntry(Body):
    """Something entered at the bench; `at` is the bench's own clock."""

    at: Moment
    entry: EntryDoc


class SecondTick(Body):
    """Somebody else ticks a step on this device, by a sign-in of their own."""

    at: Moment
    step: StepKey
    name: Name
    password: Annotated[str, StringConstraints(min_length=1, max_length=1000)]
    #: Asked for where their account has a second factor.
    code: Code | None = None


class BackOut(Body):
    reason: Said
    outcome: Literal["not-seen", "unstable"] | None = Field(default=None, description="noted as a trial where given")


class ReturnBody(Body):
    reference: ShortText = ""
    due_on: Day | None = None


class SignOffBody(Body):
    outcome: Literal["fine", "quirks"]
    note: Text = ""
    place: ShortText = Field(default="", description="where what came out is put")
    returns: dict[Name, ReturnBody] = Field(default={}, description="slot -> return of the module that came out of it")
