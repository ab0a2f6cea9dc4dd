"""The document or picture behind a statement or trial: attached, or linked."""

from __future__ import annotations

from dataclasses import dataclass
from urllib.parse import urlsplit
from uuid import UUID

from sqlalchemy import Engine

from umbrak.formats.faults import InputError
from umbrak.formats.photo import MAX_PHOTO_BYTES, clean_photo
from umbrak.services.errors import NotFound, Refused
from umbrak.services.people.accounts import Role, need
from umbrak.store import exhibits as store
from umbrak.store.accounts import Account
from umbrak.store.history import record

_MOST_LINK = 2_000


@dataclass(frozen=True, slots=True)
class ExhibitView:
    id: UUID
    name: str
    #: Where it is; "" = it is kept here.
    link: str
    is_picture: bool
    by: str


def exhibit_view(row: store.ExhibitRow) -> ExhibitView:
    return ExhibitView(
        id=row.id, name=row.name, link=row.link, is_picture=row.media_type.startswith("image/"), by=row.by
    )


@dataclass(frozen=True, slots=True)
class Subject:
    """What an exhibit is behind: just one of the two."""

    statement_id: UUID | None = None
    trial_id: UUID | None = None


def attach(engine: Engine, account: Account, to: Subject, name: str, raw: bytes) -> None:
    """Keep a picture (written anew) or a PDF. Raises NotFound; Refused where it is neither, or too large."""
    need(account, Role.technician)
    _one(to)
    if len(raw) > MAX_PHOTO_BYTES:
        raise Refused("file", f"At most {MAX_PHOTO_BYTES >> 20} MiB.")
    if raw.startswith(b"%PDF-"):
        content, kind = raw, "application/pdf"
    else:
        try:
            content, kind = clean_photo(raw), "image/jpeg"
        except InputError as error:
            raise Refused("file", "Attach a picture (JPEG, PNG, WebP) or a PDF; link anything else.") from error
    _add(engine, account, to, name=name, content=content, media_type=kind)


def link(engine: Engine, account: Account, to: Subject, name: str, address: str) -> None:
    """Keep where it is. Raises NotFound; Refused for what is no address of a page."""
    need(account, Role.technician)
    _one(to)
    address = address.strip()
    try:
        parts = urlsplit(address)
    except ValueError:
        parts = urlsplit("")
    if parts.scheme not in ("http", "https") or not parts.hostname or len(address) > _MOST_LINK:
        raise Refused("link", "Give the whole address of a page, from https:// on.")
    _add(engine, account, to, name=name.strip() or parts.hostname, link=address)


def _one(to: Subject) -> None:
    if (to.statement_id is None) is (to.trial_id is None):
        raise Refused("statement_id", "Say the statement or the trial that it is behind.")


def _add(engine: Engine, account: Account, to: Subject, *, name: str, **what: object) -> None:
    with engine.begin() as db:
        if not store.exists(db, to.statement_id, to.trial_id):
            raise NotFound("statement or trial")
        key = store.add_exhibit(db, account.id, statement_id=to.statement_id, trial_id=to.trial_id, name=name, **what)  # type: ignore[arg-type]
        record(db, "exhibit kept", account.id, id=str(key), name=name)


def see_exhibit(engine: Engine, key: UUID) -> tuple[bytes, str, str]:
    """(bytes, media type, name) of one that is kept here. Raises NotFound."""
    with engine.connect() as db:
        found = store.content_of(db, key)
    if found is None:
        raise NotFound("exhibit")
    return found


def remove(engine: Engine, account: Account, key: UUID) -> None:
    """Raises NotFound."""
    need(account, Role.technician)
    with engine.begin() as db:
        name = store.remove_exhibit(db, key)
        if name is None:
            raise NotFound("exhibit")
        record(db, "exhibit removed", account.id, id=str(key), name=name)
