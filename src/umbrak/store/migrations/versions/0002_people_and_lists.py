"""people that can be told to stay away, machines that retire, lists that sort by what is wrong"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import TIMESTAMP

revision = "0002"
down_revision = "0001"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("account", sa.Column("active", sa.Boolean(), server_default=sa.text("true"), nullable=False))
    op.add_column("machine", sa.Column("duty_group", sa.Text(), server_default="", nullable=False))
    op.add_column("machine", sa.Column("retired_at", TIMESTAMP(timezone=True), nullable=True))
    op.add_column("plan", sa.Column("discarded_at", TIMESTAMP(timezone=True), nullable=True))
    # A discarded plan gives its name free.
    op.drop_constraint("uq_plan_machine_id", "plan")
    op.create_index(
        "uq_plan_machine_id_name", "plan", ["machine_id", "name"], unique=True, postgresql_where="discarded_at IS NULL"
    )
    # Summaries are kept anew as machines are listed: what 0001 kept lacks these.
    op.execute("DELETE FROM machine_summary")
    op.add_column("machine_summary", sa.Column("rules_version", sa.Integer(), nullable=False))
    op.add_column("machine_summary", sa.Column("worst_rank", sa.Integer(), nullable=False))
    op.add_column("machine_summary", sa.Column("failed", sa.Integer(), nullable=False))
    op.create_table(
        "sign_in_failure",
        sa.Column("id", sa.BigInteger(), sa.Identity(always=True), nullable=False),
        sa.Column("at", TIMESTAMP(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("address", sa.Text(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_sign_in_failure")),
    )
    op.create_index("ix_sign_in_failure_at", "sign_in_failure", ["at"])
