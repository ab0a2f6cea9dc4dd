"""parts that are fitted, by number; what is told of part numbers; lines of lists that wait; doubts seen at a machine outside a run"""

import hashlib
import json

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0015"
down_revision = "0014"
branch_labels = None
depends_on = None

_AT = postgresql.TIMESTAMP(timezone=True)
_ID = postgresql.UUID(as_uuid=True)
_SEEN = {
    "spd": "spd", "labels": "read", "by hand": "read", "proof": "read",
    "redfish": "reported", "smbios": "reported", "smbios-text": "reported",
}  # fmt: skip


def upgrade() -> None:
    fitted = op.create_table(
        "fitted_part",
        sa.Column("machine_id", _ID, nullable=False),
        sa.Column("seen", sa.Text(), nullable=False),
        sa.Column("kind", sa.Text(), nullable=False),
        sa.Column("key", sa.Text(), nullable=False),
        sa.Column("number", sa.Text(), nullable=False),
        sa.Column("module", postgresql.JSONB(), nullable=False),
        sa.Column("count", sa.Integer(), nullable=False),
        sa.Column("seen_on", sa.Date(), nullable=False),
        sa.ForeignKeyConstraint(
            ["machine_id"], ["machine.id"], name=op.f("fk_fitted_part_machine_id_machine"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("machine_id", "seen", "kind", name=op.f("pk_fitted_part")),
    )
    op.create_index(op.f("ix_fitted_part_key"), "fitted_part", ["key"])
    op.create_table(
        "part_word",
        sa.Column("id", _ID, nullable=False),
        sa.Column("key", sa.Text(), nullable=False),
        sa.Column("number", sa.Text(), nullable=False),
        sa.Column("same_key", sa.Text(), nullable=True),
        sa.Column("same_number", sa.Text(), nullable=True),
        sa.Column("module", postgresql.JSONB(), nullable=True),
        sa.Column("source", sa.Text(), nullable=False),
        sa.Column("account_id", _ID, nullable=False),
        sa.Column("created_at", _AT, server_default=sa.text("now()"), nullable=False),
        sa.Column("withdrawn_at", _AT, nullable=True),
        sa.CheckConstraint("(same_key IS NULL) <> (module IS NULL)", name=op.f("ck_part_word_word")),
        sa.ForeignKeyConstraint(["account_id"], ["account.id"], name=op.f("fk_part_word_account_id_account")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_part_word")),
    )
    op.create_index(op.f("ix_part_word_key"), "part_word", ["key"])
    op.create_index(op.f("ix_part_word_same_key"), "part_word", ["same_key"])
    op.create_table(
        "waiting_line",
        sa.Column("id", _ID, nullable=False),
        sa.Column("model", sa.Text(), nullable=False),
        sa.Column("document", postgresql.JSONB(), nullable=False),
        sa.Column("account_id", _ID, nullable=False),
        sa.Column("created_at", _AT, server_default=sa.text("now()"), nullable=False),
        sa.Column("done_at", _AT, nullable=True),
        sa.ForeignKeyConstraint(["account_id"], ["account.id"], name=op.f("fk_waiting_line_account_id_account")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_waiting_line")),
    )
    _find_fitted(fitted)
    op.add_column("doubt", sa.Column("machine_id", _ID, nullable=True))
    op.create_foreign_key(
        op.f("fk_doubt_machine_id_machine"), "doubt", "machine", ["machine_id"], ["id"], ondelete="SET NULL"
    )


def _find_fitted(fitted: sa.Table) -> None:
    """What the newest survey of each machine has under a part number, as the store keeps it from now on."""
    newest = sa.text("SELECT DISTINCT ON (machine_id) machine_id, kind, taken_at, document FROM survey ORDER BY machine_id, revision DESC")
    for row in op.get_bind().execute(newest).all():
        slots = row.document.get("slots")
        found: dict[tuple[str, str], dict[str, object]] = {}
        for slot, held in (slots if isinstance(slots, dict) else {}).items():
            origin = row.document.get("sources", {}).get(slot, {})
            seen = _SEEN.get(origin.get("over") or origin.get("kind") or row.kind)
            if not isinstance(held, dict) or not held.get("part") or seen is None:
                continue
            module = {k: v for k, v in held.items() if k not in ("serial", "made", "failed", "schema")}
            kind = hashlib.sha256(json.dumps(module, sort_keys=True).encode()).hexdigest()[:32]
            line = found.setdefault((seen, kind), {
                "machine_id": row.machine_id, "seen": seen, "kind": kind, "key": "".join(module["part"].split()).upper(), "number": module["part"],
                "module": {"schema": 1, **module}, "count": 0, "seen_on": row.taken_at.date(),
            })  # fmt: skip
            line["count"] += 1
        if found:
            op.get_bind().execute(sa.insert(fitted), list(found.values()))


def downgrade() -> None:
    op.drop_constraint(op.f("fk_doubt_machine_id_machine"), "doubt", type_="foreignkey")
    op.drop_column("doubt", "machine_id")
    for table in ("waiting_line", "part_word", "fitted_part"):
        op.drop_table(table)
