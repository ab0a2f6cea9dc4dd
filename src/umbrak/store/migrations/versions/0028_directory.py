"""accounts that a directory recognises"""

import sqlalchemy as sa
from alembic import op

revision = "0028"
down_revision = "0027"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("account", sa.Column("subject", sa.Text(), nullable=True))
    op.add_column("account", sa.Column("awaits_directory", sa.Boolean(), nullable=False, server_default=sa.text("false")))
    op.create_unique_constraint(op.f("uq_account_subject"), "account", ["subject"])


def downgrade() -> None:
    op.drop_constraint(op.f("uq_account_subject"), "account")
    op.drop_column("account", "awaits_directory")
    op.drop_column("account", "subject")
