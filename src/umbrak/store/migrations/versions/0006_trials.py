"""what was tried where, and how it went"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0006"
down_revision = "0005"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "trial",
        sa.Column("id", sa.UUID(), nullable=False),
        sa.Column("sheet_id", sa.Text(), nullable=False),
        sa.Column("processor", sa.Text(), nullable=True),
        sa.Column("part", sa.Text(), nullable=True),
        sa.Column("revision", sa.Text(), nullable=True),
        sa.Column("module", postgresql.JSONB(), nullable=True),
        sa.Column("total_gib", sa.Numeric(), nullable=True),
        sa.Column("outcome", sa.Text(), nullable=False),
        sa.Column("who", sa.Text(), nullable=False),
        sa.Column("tried_on", sa.Date(), nullable=False),
        sa.Column("soak_days", sa.Numeric(), nullable=False, server_default="0"),
        sa.Column("note", sa.Text(), nullable=False, server_default=""),
        sa.Column("account_id", sa.UUID(), nullable=False),
        sa.Column("created_at", sa.TIMESTAMP(timezone=True), nullable=False, server_default=sa.text("now()")),
        sa.Column("withdrawn_at", sa.TIMESTAMP(timezone=True), nullable=True),
        sa.CheckConstraint("outcome IN ('fine', 'quirks', 'not-seen', 'unstable')", name=op.f("ck_trial_outcome")),
        sa.ForeignKeyConstraint(["account_id"], ["account.id"], name=op.f("fk_trial_account_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_trial")),
    )
    op.create_index("ix_trial_sheet_id", "trial", ["sheet_id"])
