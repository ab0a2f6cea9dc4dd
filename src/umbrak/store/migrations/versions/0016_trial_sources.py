"""where a trial is told, and what the machine held besides"""

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


def downgrade() -> None:
    op.drop_column("trial", "held")
    op.drop_column("trial", "source")
