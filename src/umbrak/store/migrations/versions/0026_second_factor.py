"""a second factor at sign-in, and codes for when it is lost"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0026"
down_revision = "0025"
branch_labels = None
depends_on = None


def upgrade() -> None:
    at, key = postgresql.TIMESTAMP(timezone=True), postgresql.UUID(as_uuid=True)
    op.create_table(
        "second_factor",
        sa.Column("account_id", key, nullable=False),
        sa.Column("sealed", sa.LargeBinary(), nullable=False),
        sa.Column("confirmed_at", at, nullable=True),
        sa.Column("last_step", sa.BigInteger(), nullable=False, server_default=sa.text("0")),
        sa.PrimaryKeyConstraint("account_id", name=op.f("pk_second_factor")),
        sa.ForeignKeyConstraint(["account_id"], ["account.id"], name=op.f("fk_second_factor_account_id_account"), ondelete="CASCADE"),
    )
    op.create_table(
        "recovery_code",
        sa.Column("account_id", key, nullable=False),
        sa.Column("code_hash", sa.LargeBinary(), nullable=False),
        sa.PrimaryKeyConstraint("account_id", "code_hash", name=op.f("pk_recovery_code")),
        sa.ForeignKeyConstraint(["account_id"], ["account.id"], name=op.f("fk_recovery_code_account_id_account"), ondelete="CASCADE"),
    )


def downgrade() -> None:
    op.drop_table("recovery_code")
    op.drop_table("second_factor")
