"""locator lights that we switched on, and have to switch off again"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0023"
down_revision = "0022"
branch_labels = None
depends_on = None


def upgrade() -> None:
    at = postgresql.TIMESTAMP(timezone=True)
    op.add_column("machine_service", sa.Column("light_since", at, nullable=True))
    op.add_column("machine_service", sa.Column("light_tried_at", at, nullable=True))
    op.add_column("machine_service", sa.Column("light_trouble", sa.Text(), nullable=False, server_default=""))


def downgrade() -> None:
    for name in ("light_trouble", "light_tried_at", "light_since"):
        op.drop_column("machine_service", name)
