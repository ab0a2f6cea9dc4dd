"""What every table is made with."""

from __future__ import annotations

from sqlalchemy import Column, MetaData, func
from sqlalchemy.dialects.postgresql import TIMESTAMP, UUID

metadata = MetaData(
    naming_convention={
        "pk": "pk_%(table_name)s",
        "fk": "fk_%(table_name)s_%(column_0_name)s",
        "uq": "uq_%(table_name)s_%(column_0_name)s",
        "ix": "ix_%(table_name)s_%(column_0_name)s",
        "ck": "ck_%(table_name)s_%(constraint_name)s",
    }
)


def key() -> Column[object]:
    return Column("id", UUID(as_uuid=True), primary_key=True)


def at(name: str = "created_at") -> Column[object]:
    """The moment at which a row was written."""
    return Column(name, TIMESTAMP(timezone=True), nullable=False, server_default=func.now())
