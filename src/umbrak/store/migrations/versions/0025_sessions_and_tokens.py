"""sessions that can be told apart and end when they are not used; tokens for scripts"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0025"
down_revision = "0024"
branch_labels = None
depends_on = None


def upgrade() -> None:
    at = postgresql.TIMESTAMP(timezone=True)
    op.add_column(
        "session", sa.Column("id", postgresql.UUID(as_uuid=True), nullable=False, server_default=sa.text("gen_random_uuid()"))
    )
    op.add_column("session", sa.Column("used_at", at, nullable=False, server_default=sa.text("now()")))
    op.add_column("session", sa.Column("address", sa.Text(), nullable=False, server_default=""))
    op.add_column("session", sa.Column("agent", sa.Text(), nullable=False, server_default=""))
    op.create_unique_constraint(op.f("uq_session_id"), "session", ["id"])
    op.create_table(
        "script_token",
        sa.Column("id", postgresql.UUID(as_uuid=True), nullable=False),
        sa.Column("account_id", postgresql.UUID(as_uuid=True), nullable=False),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("role", sa.Text(), nullable=False),
        sa.Column("token_hash", sa.LargeBinary(), nullable=False),
        sa.Column("created_at", at, nullable=False, server_default=sa.text("now()")),
        sa.Column("expires_at", at, nullable=False),
        sa.Column("used_at", at, nullable=True),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_script_token")),
        sa.UniqueConstraint("token_hash", name=op.f("uq_script_token_token_hash")),
        sa.CheckConstraint("role IN ('viewer', 'technician', 'lead')", name=op.f("ck_script_token_role")),
        sa.ForeignKeyConstraint(["account_id"], ["account.id"], name=op.f("fk_script_token_account_id_account"), ondelete="CASCADE"),
    )
    op.create_index(op.f("ix_script_token_account_id"), "script_token", ["account_id"])


def downgrade() -> None:
    op.drop_table("script_token")
    op.drop_constraint(op.f("uq_session_id"), "session")
    for name in ("agent", "address", "used_at", "id"):
        op.drop_column("session", name)
