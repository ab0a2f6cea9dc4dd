"""Bodies of requests about who may come in, and who is told what happens."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, StringConstraints

from umbrak.formats.documents import Name, ShortText
from umbrak.formats.quantities import Cost
from umbrak.server.bodies.base import Body, Code
from umbrak.services.people.retention import Days

Password = Annotated[str, StringConstraints(min_length=1, max_length=1000)]
RoleName = Literal["viewer", "technician", "lead"]


class SignIn(Body):
    name: Name
    password: Annotated[str, StringConstraints(min_length=1, max_length=1000)]
    #: Asked for where the account has a second factor.
    code: Code | None = None


class FactorCode(Body):
    """What the authenticator shows now."""

    code: Code


class NewAccount(Body):
    name: Name
    shown_as: ShortText = ""
    password: Password
    role: RoleName


class TokenBody(Body):
    """A token for a script: what it is for, how far it reaches, after how many days it ends."""

    name: Name
    role: RoleName
    days: int = 90


class AccountChange(Body):
    shown_as: ShortText | None = None
    role: RoleName | None = None
    active: bool | None = None
    password: Password | None = None
    #: Whether who has this name in the directory may have the account.
    awaits_directory: bool | None = None


class NewPassword(Body):
    old: Password
    new: Password


class RetentionBody(Body):
    """After how many days what is removed; 0: it is kept for good."""

    #: Reports as they came; what was read of them stays.
    raw_reports: Days = 0
    #: Photos and logs of a run, counted from its end.
    attachments: Days = 0
    #: Jobs that have ended, with their steps.
    jobs: Days = 0


class HookBody(Body):
    """An address that is told what happens, and of what."""

    address: Annotated[str, StringConstraints(min_length=1, max_length=500)]
    about: Literal["machines", "access", "everything"] = "machines"


class HookChange(Body):
    #: Whether it is told for now.
    active: bool


class TeamBody(Body):
    approvals: Annotated[int, Field(ge=1, le=2, description="people who have to take the risk of a plan")] = 1
    delegated_trouble: Annotated[
        float,
        Field(
            ge=0, le=1, description="up to which a technician may take the risk of somebody else’s plan; 0: leads alone"
        ),
    ] = 0.0
    delegated_cost: Cost = 0
