"""where each module that has a serial number is, and was"""

import re
from collections import defaultdict

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0021"
down_revision = "0020"
branch_labels = None
depends_on = None

_AT = postgresql.TIMESTAMP(timezone=True)
_KEYED = {"stock": "module ->> 'serial'", "arrival": "module ->> 'serial'", "run_entry": "document ->> 'serial'"}


def upgrade() -> None:
    op.create_table(
        "stay",
        sa.Column("id", sa.BigInteger(), sa.Identity(always=True), nullable=False),
        sa.Column("key", sa.Text(), nullable=False),
        sa.Column("serial", sa.Text(), nullable=False),
        sa.Column("part", sa.Text(), nullable=False, server_default=""),
        sa.Column("words", sa.Text(), nullable=False),
        sa.Column("capacity_gib", sa.Float(), nullable=True),
        sa.Column("machine_id", postgresql.UUID(as_uuid=True), nullable=False),
        sa.Column("slot", sa.Text(), nullable=False),
        sa.Column("seen_by", sa.Text(), nullable=False),
        sa.Column("since", _AT, nullable=False),
        sa.Column("seen_at", _AT, nullable=False),
        sa.Column("until", _AT, nullable=True),
        sa.Column("failed_at", _AT, nullable=True),
        sa.Column("correctable", sa.BigInteger(), nullable=True),
        sa.Column("uncorrectable", sa.BigInteger(), nullable=True),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_stay")),
        sa.ForeignKeyConstraint(["machine_id"], ["machine.id"], name=op.f("fk_stay_machine_id_machine"), ondelete="CASCADE"),
    )
    op.create_index(op.f("ix_stay_key"), "stay", ["key"])
    op.create_index("ix_stay_open", "stay", ["machine_id"], postgresql_where=sa.text("until IS NULL"))
    for table, told in _KEYED.items():
        op.add_column(table, sa.Column("serial_key", sa.Text(), nullable=False, server_default=""))
        plain = f"upper(regexp_replace(coalesce({told}, ''), '[^[:alnum:]]', '', 'g'))"
        op.execute(f"UPDATE {table} SET serial_key = {plain} WHERE {told} IS NOT NULL")
    op.create_index(op.f("ix_stock_serial_key"), "stock", ["serial_key"])
    op.create_index(op.f("ix_arrival_serial_key"), "arrival", ["serial_key"])
    op.create_index("ix_run_entry_serial_key", "run_entry", ["serial_key"], postgresql_where=sa.text("serial_key != ''"))
    _tell_stays()


def _tell_stays() -> None:
    """From the surveys that there are, in their order: as far as they name modules by serial."""
    db = op.get_bind()
    stay = sa.table("stay", *(sa.column(c) for c in ("key", "serial", "part", "words", "capacity_gib", "machine_id", "slot", "seen_by", "since", "seen_at", "until")))
    found, open_ones = [], defaultdict(dict)
    for machine, kind, at, slots in db.execute(sa.text("SELECT machine_id, kind, taken_at, document -> 'slots' FROM survey ORDER BY machine_id, revision")):
        here = open_ones[machine]
        told = slots if isinstance(slots, dict) else {}
        for slot, row in list(here.items()):
            module = told.get(slot)
            key = _key(module)
            if key == row["key"]:
                row["seen_at"] = at
            elif key or not isinstance(module, str):
                row["until"] = at
                del here[slot]
        for slot, module in told.items():
            if slot not in here and (key := _key(module)):
                size = module.get("capacity_gib")
                words = " ".join(str(x) for x in (f"{size:g} GB" if size else "", module.get("generation") or "") if x)
                here[slot] = {
                    "key": key, "serial": module["serial"], "part": module.get("part") or "", "words": words or "module", "capacity_gib": size,
                    "machine_id": machine, "slot": slot, "seen_by": kind, "since": at, "seen_at": at, "until": None,
                }
                found.append(here[slot])
    if found:
        db.execute(sa.insert(stay), found)


def _key(module: object) -> str:
    serial = module.get("serial") if isinstance(module, dict) else None
    return re.sub("[^A-Z0-9]", "", serial.upper()) if isinstance(serial, str) else ""


def downgrade() -> None:
    for table in _KEYED:
        op.drop_index(op.f(f"ix_{table}_serial_key"), table)
        op.drop_column(table, "serial_key")
    op.drop_table("stay")
