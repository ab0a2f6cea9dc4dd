"""where a trial is told, and what the machine held besides; what came of a run"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0016"
down_revision = "0015"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("trial", sa.Column("source", sa.Text(), nullable=False, server_default=""))
    op.add_column("trial", sa.Column("held", postgresql.JSONB(), nullable=True))
    op.add_column("run", sa.Column("outcome", sa.Text(), nullable=True))
    op.create_check_constraint(
        op.f("ck_run_outcome"), "run", "outcome IN ('fine', 'quirks', 'not-seen', 'unstable')"
    )


def downgrade() -> None:
    op.drop_column("run", "outcome")
    op.drop_column("trial", "held")
    op.drop_column("trial", "source")
