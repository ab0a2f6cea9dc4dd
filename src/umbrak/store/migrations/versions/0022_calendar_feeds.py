"""what comes, as a calendar that is asked for without signing in; who is on what"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0022"
down_revision = "0021"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "calendar_feed",
        sa.Column("account_id", postgresql.UUID(as_uuid=True), nullable=False),
        sa.Column("token_hash", sa.LargeBinary(), nullable=False),
        sa.Column("created_at", postgresql.TIMESTAMP(timezone=True), nullable=False, server_default=sa.text("now()")),
        sa.PrimaryKeyConstraint("account_id", name=op.f("pk_calendar_feed")),
        sa.UniqueConstraint("token_hash", name=op.f("uq_calendar_feed_token_hash")),
        sa.ForeignKeyConstraint(["account_id"], ["account.id"], name=op.f("fk_calendar_feed_account_id_account"), ondelete="CASCADE"),
    )
    op.create_index("ix_history_at", "history", ["at"])


def downgrade() -> None:
    op.drop_index("ix_history_at", "history")
    op.drop_table("calendar_feed")
