"""documents and pictures behind statements and trials"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0017"
down_revision = "0016"
branch_labels = None
depends_on = None

_ID = postgresql.UUID(as_uuid=True)


def upgrade() -> None:
    op.create_table(
        "exhibit",
        sa.Column("id", _ID, nullable=False),
        sa.Column("statement_id", _ID, nullable=True),
        sa.Column("trial_id", _ID, nullable=True),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("link", sa.Text(), nullable=False, server_default=""),
        sa.Column("content", sa.LargeBinary(), nullable=True),
        sa.Column("media_type", sa.Text(), nullable=False, server_default=""),
        sa.Column("account_id", _ID, nullable=False),
        sa.Column("created_at", postgresql.TIMESTAMP(timezone=True), nullable=False, server_default=sa.text("now()")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_exhibit")),
        sa.ForeignKeyConstraint(["statement_id"], ["statement.id"], name=op.f("fk_exhibit_statement_id_statement"), ondelete="CASCADE"),
        sa.ForeignKeyConstraint(["trial_id"], ["trial.id"], name=op.f("fk_exhibit_trial_id_trial"), ondelete="CASCADE"),
        sa.ForeignKeyConstraint(["account_id"], ["account.id"], name=op.f("fk_exhibit_account_id_account")),
        sa.CheckConstraint("(statement_id IS NULL) <> (trial_id IS NULL)", name=op.f("ck_exhibit_subject")),
        sa.CheckConstraint("(content IS NULL) <> (link = '')", name=op.f("ck_exhibit_what")),
    )
    op.create_index(op.f("ix_exhibit_statement_id"), "exhibit", ["statement_id"])
    op.create_index(op.f("ix_exhibit_trial_id"), "exhibit", ["trial_id"])


def downgrade() -> None:
    op.drop_table("exhibit")
