"""Bodies of requests about needs, routes and plans."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from umbrak.core.plan.sizing import Sizing, Workload
from umbrak.core.plan.symptoms import Symptoms
from umbrak.formats.bounds import MAX_PROCESSORS, MAX_SLOTS
from umbrak.formats.documents import LabelledDoc, ModuleDoc, Name, ShortText
from umbrak.formats.planning import WishesDoc
from umbrak.server.bodies.base import Body, Id, Seconds, Version


class RoutesOf(Body):
    wishes: WishesDoc = Field(default_factory=WishesDoc)
    seconds: Seconds = 5
    assume: Annotated[
        bool | None,
        Field(
            description="whether to look among what the standards have instead of what is at hand; null: where nothing at hand goes in"
        ),
    ] = None


class WholeLayout(Body):
    slots: LabelledDoc = Field(description="slot -> module: the whole layout that the machine is to have")


class TotalsOf(Body):
    seconds: Seconds = 5


class WorkloadBody(Body):
    kind: ShortText = ""
    count: Annotated[int, Field(ge=0, le=1_000_000)]
    gib: Annotated[float, Field(ge=0, le=1 << 20)]
    busy: Annotated[float, Field(ge=0, le=1, description="share that is busy at once")] = 1


class SizingBody(Body):
    version: Annotated[int, Field(ge=0, le=2**31 - 2, description="0 where nobody said anything yet")]
    workloads: Annotated[list[WorkloadBody], Field(max_length=100)] = []
    base_gib: Annotated[float, Field(ge=0, le=1 << 20)] = 0
    cache_gib: Annotated[float, Field(ge=0, le=1 << 20)] = 0
    growth: Annotated[float, Field(ge=0, le=10, description="a year, as a share")] = 0
    years: Annotated[float, Field(ge=0, le=20)] = 0
    headroom: Annotated[float, Field(ge=0, le=10, description="as a share")] = 0
    used_gib: Annotated[float, Field(ge=0, le=1 << 20)] | None = None

    def value(self) -> Sizing:
        rest = self.model_dump(exclude={"version", "workloads"})
        return Sizing(tuple(Workload(**w.model_dump()) for w in self.workloads), **rest)


_Amount = Annotated[float, Field(ge=0, le=1 << 20)]

_Share = Annotated[float, Field(ge=0, le=1)]


class SymptomsBody(Body):
    """What the machine shows at its worst time; what was not looked at is left out."""

    used_gib: _Amount | None = Field(default=None, description="in use without what caches hold")
    swapped_gib: _Amount | None = None
    pages: bool | None = Field(default=None, description="whether pages come back from swap all the time")
    cache_gib: _Amount | None = None
    cache_hit: _Share | None = Field(default=None, description="share of reads that the cache answers")
    hit_wanted: _Share | None = None
    refused: Annotated[int, Field(ge=0, le=1_000_000)] | None = Field(default=None, description="loads without room")
    refused_gib: _Amount | None = Field(default=None, description="what each of them takes")

    def value(self) -> Symptoms:
        return Symptoms(**self.model_dump())


class NewPlan(Body):
    name: Name | None = None
    like: Id | None = Field(default=None, description="a plan of the same machine whose goal it takes over")
    goal: LabelledDoc | None = Field(default=None, description="slot -> module: the whole goal, as of a route")
    stages: list[LabelledDoc] = Field(
        default=[],
        max_length=12,
        description="slot -> module, of each stage but the last: what is fitted and proved first",
    )


class PlanStages(Body):
    version: Version
    stages: list[LabelledDoc] = Field(
        max_length=12,
        description="of each stage but the last the slots that it changes: slot -> module, null = nothing; none = all at once",
    )


class PlanDiscard(Body):
    version: Version
    discarded: bool


class ArrangementOf(Body):
    kind: Literal["next-set", "spread"]
    module: ModuleDoc | None = None


class PlanRename(Body):
    version: Version
    name: Name


class RunsWith(Body):
    """What the machine will run with; what is left out, or as it is today, stays."""

    version: Version
    firmware: Name | None = None
    system: Name | None = None
    mode: Name | None = None
    processors: dict[Name, Name | None] = Field(default={}, max_length=MAX_PROCESSORS)


class PlanEdit(Body):
    version: Version
    changes: LabelledDoc = Field(description="slot -> label text, module, or null to empty it")


FactValue = bool | int | float | ShortText | Annotated[list[float], Field(max_length=8)] | None


class PlanAnswer(Body):
    version: Version
    facts: Annotated[dict[Name, FactValue], Field(min_length=1, max_length=2 * MAX_SLOTS)] = Field(
        description="need (SLOT.member, machine.member) -> value"
    )
    by_part: bool = Field(default=False, description="they are taken from what is known of the modules' part numbers")


class PlanStep(Body):
    version: Version
    step: Literal["undo", "redo"]


class TargetsOf(Body):
    module: ModuleDoc
    taken_from: Name | None = None


class PlanApproval(Body):
    version: Version
