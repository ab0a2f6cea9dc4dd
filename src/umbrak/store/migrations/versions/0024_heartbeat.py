"""a row that readiness writes"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0024"
down_revision = "0023"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "heartbeat",
        sa.Column("id", sa.SmallInteger(), autoincrement=False, nullable=False),
        sa.Column("at", postgresql.TIMESTAMP(timezone=True), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_heartbeat")),
    )


def downgrade() -> None:
    op.drop_table("heartbeat")
