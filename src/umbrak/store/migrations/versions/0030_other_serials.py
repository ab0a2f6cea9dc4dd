"""serial numbers that a machine reports beside its own"""

import sqlalchemy as sa
from alembic import op

revision = "0030"
down_revision = "0029"
branch_labels = None
depends_on = None


def upgrade() -> None:
    for table in ("machine", "waiting_machine"):
        op.add_column(table, sa.Column("other_serials", sa.Text(), nullable=False, server_default=""))


def downgrade() -> None:
    for table in ("machine", "waiting_machine"):
        op.drop_column(table, "other_serials")
