"""limits that people state beside the sheets"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0005"
down_revision = "0004"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "statement",
        sa.Column("id", sa.UUID(), nullable=False),
        sa.Column("machine_id", sa.UUID(), nullable=True),
        sa.Column("sheet_id", sa.Text(), nullable=True),
        sa.Column("document", postgresql.JSONB(), nullable=False),
        sa.Column("account_id", sa.UUID(), nullable=False),
        sa.Column("created_at", sa.TIMESTAMP(timezone=True), nullable=False, server_default=sa.text("now()")),
        sa.Column("withdrawn_at", sa.TIMESTAMP(timezone=True), nullable=True),
        sa.CheckConstraint("(machine_id IS NULL) <> (sheet_id IS NULL)", name=op.f("ck_statement_subject")),
        sa.ForeignKeyConstraint(["machine_id"], ["machine.id"], name=op.f("fk_statement_machine_id"), ondelete="CASCADE"),
        sa.ForeignKeyConstraint(["account_id"], ["account.id"], name=op.f("fk_statement_account_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_statement")),
    )
    op.create_index("ix_statement_machine_id", "statement", ["machine_id"])
    op.create_index("ix_statement_sheet_id", "statement", ["sheet_id"])
