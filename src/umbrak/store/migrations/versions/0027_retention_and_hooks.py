"""what is kept for so long and then removed; addresses that are told what happens"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0027"
down_revision = "0026"
branch_labels = None
depends_on = None


def upgrade() -> None:
    at, key = postgresql.TIMESTAMP(timezone=True), postgresql.UUID(as_uuid=True)
    op.alter_column("intake", "raw", nullable=True)
    op.create_table(
        "webhook",
        sa.Column("id", key, nullable=False),
        sa.Column("address", sa.Text(), nullable=False),
        sa.Column("about", sa.Text(), nullable=False),
        sa.Column("sealed", sa.LargeBinary(), nullable=False),
        sa.Column("active", sa.Boolean(), nullable=False, server_default=sa.text("true")),
        sa.Column("account_id", key, nullable=False),
        sa.Column("created_at", at, nullable=False, server_default=sa.text("now()")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_webhook")),
        sa.CheckConstraint("about IN ('machines', 'access', 'everything')", name=op.f("ck_webhook_about")),
        sa.ForeignKeyConstraint(["account_id"], ["account.id"], name=op.f("fk_webhook_account_id_account")),
    )
    op.create_table(
        "webhook_delivery",
        sa.Column("id", key, nullable=False),
        sa.Column("webhook_id", key, nullable=False),
        sa.Column("line_id", sa.BigInteger(), nullable=True),
        sa.Column("created_at", at, nullable=False, server_default=sa.text("now()")),
        sa.Column("tries", sa.Integer(), nullable=False, server_default=sa.text("0")),
        sa.Column("next_at", at, nullable=True, server_default=sa.text("now()")),
        sa.Column("delivered_at", at, nullable=True),
        sa.Column("outcome", sa.Text(), nullable=False, server_default=""),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_webhook_delivery")),
        sa.ForeignKeyConstraint(["webhook_id"], ["webhook.id"], name=op.f("fk_webhook_delivery_webhook_id_webhook"), ondelete="CASCADE"),
    )
    op.create_index("ix_webhook_delivery_webhook_id", "webhook_delivery", ["webhook_id", "created_at"])
    op.create_index("ix_webhook_delivery_next_at", "webhook_delivery", ["next_at"], postgresql_where=sa.text("next_at IS NOT NULL"))


def downgrade() -> None:
    op.drop_table("webhook_delivery")
    op.drop_table("webhook")
    op.execute("UPDATE intake SET raw = ''::bytea WHERE raw IS NULL")
    op.alter_column("intake", "raw", nullable=False)
