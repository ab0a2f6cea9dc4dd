"""known_browser: browsers that an account has signed in from, which strangers' failed tries do not lock out"""

import sqlalchemy as sa
from alembic import op

revision = "0009"
down_revision = "0008"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "known_browser",
        sa.Column("token_hash", sa.LargeBinary(), nullable=False),
        sa.Column("account_id", sa.UUID(), nullable=False),
        sa.Column("used_at", sa.TIMESTAMP(timezone=True), nullable=False, server_default=sa.text("now()")),
        sa.ForeignKeyConstraint(
            ["account_id"], ["account.id"], name=op.f("fk_known_browser_account_id"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("token_hash", "account_id", name=op.f("pk_known_browser")),
    )
    op.create_index("ix_known_browser_account_id", "known_browser", ["account_id"])
    # Tries are found by name, by place, and by both.
    op.create_index("ix_sign_in_failure_name", "sign_in_failure", ["name"])
    op.create_index("ix_sign_in_failure_address", "sign_in_failure", ["address"])


def downgrade() -> None:
    op.drop_index("ix_sign_in_failure_address")
    op.drop_index("ix_sign_in_failure_name")
    op.drop_table("known_browser")
