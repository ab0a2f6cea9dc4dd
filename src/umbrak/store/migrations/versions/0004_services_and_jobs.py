"""machines that can be asked, makers' names, work in the background, who looks after a machine"""

import sqlalchemy as sa
from alembic import op
from procrastinate.schema import SchemaManager
from sqlalchemy.dialects import postgresql

revision = "0004"
down_revision = "0003"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("machine", sa.Column("keeper", sa.Text(), nullable=False, server_default=""))
    op.add_column("machine", sa.Column("warranty_end", sa.Date(), nullable=True))
    op.add_column("machine", sa.Column("serial", sa.Text(), nullable=False, server_default=""))
    op.create_index("ix_machine_serial", "machine", ["serial"])
    op.create_table(
        "machine_service",
        sa.Column("machine_id", sa.UUID(), nullable=False),
        sa.Column("kind", sa.Text(), nullable=False),
        sa.Column("address", sa.Text(), nullable=False),
        sa.Column("document", postgresql.JSONB(), nullable=False),
        sa.Column("sealed", sa.LargeBinary(), nullable=False),
        sa.Column("asked_at", sa.TIMESTAMP(timezone=True), nullable=True),
        sa.Column("trouble", sa.Text(), nullable=False, server_default=""),
        sa.CheckConstraint("kind IN ('redfish', 'snmp')", name=op.f("ck_machine_service_kind")),
        sa.ForeignKeyConstraint(["machine_id"], ["machine.id"], name=op.f("fk_machine_service_machine_id"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("machine_id", "kind", name=op.f("pk_machine_service")),
    )
    op.create_table(
        "maker_name",
        sa.Column("bank", sa.Integer(), nullable=False),
        sa.Column("code", sa.Integer(), nullable=False),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("seen", sa.Integer(), nullable=False),
        sa.PrimaryKeyConstraint("bank", "code", "name", name=op.f("pk_maker_name")),
    )
    op.create_table(
        "job",
        sa.Column("id", sa.UUID(), nullable=False),
        sa.Column("kind", sa.Text(), nullable=False),
        sa.Column("state", sa.Text(), nullable=False, server_default="waiting"),
        sa.Column("stop_asked", sa.Boolean(), nullable=False, server_default=sa.text("false")),
        sa.Column("account_id", sa.UUID(), nullable=False),
        sa.Column("title", sa.Text(), nullable=False),
        sa.Column("document", postgresql.JSONB(), nullable=False),
        sa.Column("created_at", sa.TIMESTAMP(timezone=True), nullable=False, server_default=sa.text("now()")),
        sa.Column("ended_at", sa.TIMESTAMP(timezone=True), nullable=True),
        sa.CheckConstraint("kind IN ('read', 'poll')", name=op.f("ck_job_kind")),
        sa.CheckConstraint("state IN ('waiting', 'running', 'done', 'stopped')", name=op.f("ck_job_state")),
        sa.ForeignKeyConstraint(["account_id"], ["account.id"], name=op.f("fk_job_account_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_job")),
    )
    op.create_index("ix_job_created_at", "job", ["created_at"])
    op.create_table(
        "job_step",
        sa.Column("job_id", sa.UUID(), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("state", sa.Text(), nullable=False, server_default="waiting"),
        sa.Column("raw", sa.LargeBinary(), nullable=True),
        sa.Column("machine_id", sa.UUID(), nullable=True),
        sa.Column("intake_id", sa.UUID(), nullable=True),
        sa.Column("outcome", sa.Text(), nullable=False, server_default=""),
        sa.CheckConstraint("state IN ('waiting', 'done', 'failed', 'left')", name=op.f("ck_job_step_state")),
        sa.ForeignKeyConstraint(["job_id"], ["job.id"], name=op.f("fk_job_step_job_id"), ondelete="CASCADE"),
        sa.ForeignKeyConstraint(["machine_id"], ["machine.id"], name=op.f("fk_job_step_machine_id"), ondelete="SET NULL"),
        sa.ForeignKeyConstraint(["intake_id"], ["intake.id"], name=op.f("fk_job_step_intake_id")),
        sa.PrimaryKeyConstraint("job_id", "number", name=op.f("pk_job_step")),
    )
    op.create_index(
        "ix_job_step_waiting", "job_step", ["job_id", "number"], postgresql_where=sa.text("state = 'waiting'")
    )
    # The queue's own tables and functions.
    op.get_bind().execution_options(no_parameters=True).exec_driver_sql(SchemaManager.get_schema())
