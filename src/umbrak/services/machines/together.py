"""One change of many machines: what is said of them, their sheet, whether they are looked after; each on its own."""

from __future__ import annotations

from typing import Annotated, Literal
from uuid import UUID

from pydantic import ConfigDict, Field
from sqlalchemy import Connection

from umbrak.formats.about import AboutChanges
from umbrak.formats.documents import Doc, ShortText
from umbrak.services.errors import NotFound
from umbrak.services.known.loading import load_machine
from umbrak.services.machines.making import MachineChanges, change_within, retire_within
from umbrak.services.machines.newer import newer_sheet, take_newer_within
from umbrak.store.accounts import Account
from umbrak.store.machines import find_machine

#: More are changed in several goes.
MOST = 20_000
_LISTED = 6


class Said(AboutChanges):
    """What is said of each: place, duty group, keeper and the rest; what is left out stays."""

    model_config = ConfigDict(defer_build=False)

    do: Literal["say"]
    site: ShortText | None = None


class Renewed(Doc):
    """Each under the newest revision of its sheet."""

    model_config = ConfigDict(defer_build=False)

    do: Literal["renew"]


class Retired(Doc):
    """Each taken from the list, or brought back."""

    model_config = ConfigDict(defer_build=False)

    do: Literal["retire", "bring back"]


Change = Annotated[Said | Renewed | Retired, Field(discriminator="do")]


def title_of_change(change: Said | Renewed | Retired, count: int) -> str:
    machines = "1 machine" if count == 1 else f"{count} machines"
    if isinstance(change, Renewed):
        return f"Bring {machines} under the newest revision of their sheet"
    if isinstance(change, Retired):
        return f"Retire {machines}" if change.do == "retire" else f"Bring {machines} back"
    return f"Change what is said of {machines}"


def change_one(db: Connection, account: Account, key: UUID, change: Said | Renewed | Retired) -> str:
    """Change one of them, as a part of a transaction; gives what came of it, in words. Raises as the change itself would."""
    row = find_machine(db, key)
    if row is None:
        raise NotFound("machine")
    if isinstance(change, Renewed):
        return _renew(db, account, key)
    if isinstance(change, Retired):
        retired = change.do == "retire"
        if (row.retired_at is not None) == retired:
            return "retired already" if retired else "looked after already"
        retire_within(db, account, key, None, retired)
        return "retired" if retired else "brought back"
    about = {n: getattr(change, n) for n in AboutChanges.model_fields if n in change.model_fields_set}
    about = {n: v for n, v in about.items() if v is not None or n == "warranty_end"}
    if "own" in about:
        about["own"] = {**row.about.own, **about["own"]}
    new = [n.replace("_", " ") for n, v in about.items() if v != getattr(row.about, n)]
    if change.site is not None and change.site.strip() != (row.site or ""):
        new.append("site")
    if not new:
        return "nothing to change"
    change_within(db, account, key, None, MachineChanges(about=about, site=change.site))
    return f"changed: {', '.join(new)}"


def _renew(db: Connection, account: Account, key: UUID) -> str:
    m = load_machine(db, key)
    newer = newer_sheet(db, m)
    if newer is None:
        return "under the newest revision already"
    take_newer_within(db, account, key, None)
    told = [f"{w.name}: {w.was} becomes {w.verdict}" for w in newer.layouts if w.was != w.verdict]
    more = f"; and {len(told) - _LISTED} more" if len(told) > _LISTED else ""
    return f"revision {newer.revision} taken; " + ("; ".join(told[:_LISTED]) + more or "no verdict changes")
