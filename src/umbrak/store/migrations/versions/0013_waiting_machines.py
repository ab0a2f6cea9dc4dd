"""machines that are kept before their model is known"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0013"
down_revision = "0012"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "waiting_machine",
        sa.Column("id", postgresql.UUID(as_uuid=True), nullable=False),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("site_id", postgresql.UUID(as_uuid=True), nullable=True),
        sa.Column("kind", sa.Text(), server_default="", nullable=False),
        sa.Column("make", sa.Text(), server_default="", nullable=False),
        sa.Column("model", sa.Text(), server_default="", nullable=False),
        sa.Column("intake_id", postgresql.UUID(as_uuid=True), nullable=True),
        sa.Column("place", sa.Text(), server_default="", nullable=False),
        sa.Column("duty_group", sa.Text(), server_default="", nullable=False),
        sa.Column("keeper", sa.Text(), server_default="", nullable=False),
        sa.Column("warranty_end", sa.Date(), nullable=True),
        sa.Column("serial", sa.Text(), server_default="", nullable=False),
        sa.Column("created_at", postgresql.TIMESTAMP(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.ForeignKeyConstraint(["intake_id"], ["intake.id"], name=op.f("fk_waiting_machine_intake_id_intake")),
        sa.ForeignKeyConstraint(["site_id"], ["site.id"], name=op.f("fk_waiting_machine_site_id_site")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_waiting_machine")),
    )
    op.create_index("uq_waiting_machine_lower_name", "waiting_machine", [sa.text("lower(name)")], unique=True)


def downgrade() -> None:
    op.drop_table("waiting_machine")
