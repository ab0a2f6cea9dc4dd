"""which slot of a model a reported locator is, as people told"""

import sqlalchemy as sa
from alembic import op

revision = "0003"
down_revision = "0002"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "locator",
        sa.Column("sheet_id", sa.Text(), nullable=False),
        sa.Column("bank", sa.Text(), nullable=False),
        sa.Column("locator", sa.Text(), nullable=False),
        sa.Column("slot", sa.Text(), nullable=False),
        sa.PrimaryKeyConstraint("sheet_id", "bank", "locator", name=op.f("pk_locator")),
    )
