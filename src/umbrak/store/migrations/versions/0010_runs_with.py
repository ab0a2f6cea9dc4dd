"""plan.runs_with: firmware, system, processors and mode that a plan's machine will run with, where they are not today's"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0010"
down_revision = "0009"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("plan", sa.Column("runs_with", postgresql.JSONB(), nullable=True))


def downgrade() -> None:
    op.drop_column("plan", "runs_with")
