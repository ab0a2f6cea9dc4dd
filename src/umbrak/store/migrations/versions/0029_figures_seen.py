"""what machines showed of their memory's use, as somebody saw it"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0029"
down_revision = "0028"
branch_labels = None
depends_on = None


def upgrade() -> None:
    at, key = postgresql.TIMESTAMP(timezone=True), postgresql.UUID(as_uuid=True)
    op.create_table(
        "figures_seen",
        sa.Column("id", key, nullable=False),
        sa.Column("machine_id", key, nullable=False),
        sa.Column("account_id", key, nullable=False),
        sa.Column("document", postgresql.JSONB(), nullable=False),
        sa.Column("usable_gib", sa.Float(), nullable=False),
        sa.Column("at", at, nullable=False, server_default=sa.text("now()")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_figures_seen")),
        sa.ForeignKeyConstraint(["machine_id"], ["machine.id"], name=op.f("fk_figures_seen_machine_id_machine"), ondelete="CASCADE"),
        sa.ForeignKeyConstraint(["account_id"], ["account.id"], name=op.f("fk_figures_seen_account_id_account")),
    )
    op.create_index("ix_figures_seen_machine_id", "figures_seen", ["machine_id", "at"])


def downgrade() -> None:
    op.drop_table("figures_seen")
