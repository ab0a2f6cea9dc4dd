"""what was ordered, and what came of it"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0018"
down_revision = "0017"
branch_labels = None
depends_on = None

_ID = postgresql.UUID(as_uuid=True)
_AT = postgresql.TIMESTAMP(timezone=True)


def upgrade() -> None:
    op.create_table(
        "purchase",
        sa.Column("id", _ID, nullable=False),
        sa.Column("supplier", sa.Text(), nullable=False),
        sa.Column("reference", sa.Text(), nullable=False, server_default=""),
        sa.Column("ordered_on", sa.Date(), nullable=False),
        sa.Column("due_on", sa.Date(), nullable=True),
        sa.Column("currency", sa.Text(), nullable=False),
        sa.Column("account_id", _ID, nullable=False),
        sa.Column("created_at", _AT, nullable=False, server_default=sa.text("now()")),
        sa.Column("closed_at", _AT, nullable=True),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_purchase")),
        sa.ForeignKeyConstraint(["account_id"], ["account.id"], name=op.f("fk_purchase_account_id_account")),
    )
    op.create_table(
        "purchase_line",
        sa.Column("id", _ID, nullable=False),
        sa.Column("purchase_id", _ID, nullable=False),
        sa.Column("part", sa.Text(), nullable=False),
        sa.Column("module", postgresql.JSONB(), nullable=False),
        sa.Column("wanted", postgresql.JSONB(), nullable=False),
        sa.Column("kits", sa.Integer(), nullable=False),
        sa.Column("kit", sa.Integer(), nullable=False),
        sa.Column("price", sa.Numeric(14, 3), nullable=False),
        sa.Column("plans", postgresql.JSONB(), nullable=False, server_default=sa.text("'{}'")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_purchase_line")),
        sa.ForeignKeyConstraint(["purchase_id"], ["purchase.id"], name=op.f("fk_purchase_line_purchase_id_purchase"), ondelete="CASCADE"),
        sa.CheckConstraint("kits > 0", name=op.f("ck_purchase_line_kits")),
        sa.CheckConstraint("kit > 0", name=op.f("ck_purchase_line_kit")),
    )
    op.create_index(op.f("ix_purchase_line_purchase_id"), "purchase_line", ["purchase_id"])
    op.create_table(
        "arrival",
        sa.Column("id", _ID, nullable=False),
        sa.Column("line_id", _ID, nullable=False),
        sa.Column("module", postgresql.JSONB(), nullable=False),
        sa.Column("came", sa.Text(), nullable=False),
        sa.Column("kept", sa.Boolean(), nullable=False),
        sa.Column("reference", sa.Text(), nullable=False, server_default=""),
        sa.Column("account_id", _ID, nullable=False),
        sa.Column("created_at", _AT, nullable=False, server_default=sa.text("now()")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_arrival")),
        sa.ForeignKeyConstraint(["line_id"], ["purchase_line.id"], name=op.f("fk_arrival_line_id_purchase_line"), ondelete="CASCADE"),
        sa.ForeignKeyConstraint(["account_id"], ["account.id"], name=op.f("fk_arrival_account_id_account")),
    )
    op.create_index(op.f("ix_arrival_line_id"), "arrival", ["line_id"])


def downgrade() -> None:
    op.drop_table("arrival")
    op.drop_table("purchase_line")
    op.drop_table("purchase")
