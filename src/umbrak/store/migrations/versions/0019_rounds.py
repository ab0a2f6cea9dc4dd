"""rounds: many machines upgraded together"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0019"
down_revision = "0018"
branch_labels = None
depends_on = None

_ID = postgresql.UUID(as_uuid=True)
_AT = postgresql.TIMESTAMP(timezone=True)


def upgrade() -> None:
    op.create_table(
        "round",
        sa.Column("id", _ID, nullable=False),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("asked", postgresql.JSONB(), nullable=False),
        sa.Column("proposal", postgresql.JSONB(), nullable=True),
        sa.Column("progress", postgresql.JSONB(), nullable=True),
        sa.Column("job_id", _ID, nullable=True),
        sa.Column("version", sa.Integer(), nullable=False, server_default="1"),
        sa.Column("account_id", _ID, nullable=False),
        sa.Column("created_at", _AT, nullable=False, server_default=sa.text("now()")),
        sa.Column("updated_at", _AT, nullable=False, server_default=sa.text("now()")),
        sa.Column("accepted_at", _AT, nullable=True),
        sa.Column("closed_at", _AT, nullable=True),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_round")),
        sa.UniqueConstraint("name", name=op.f("uq_round_name")),
        sa.ForeignKeyConstraint(["account_id"], ["account.id"], name=op.f("fk_round_account_id_account")),
        sa.ForeignKeyConstraint(["job_id"], ["job.id"], name=op.f("fk_round_job_id_job"), ondelete="SET NULL"),
    )
    op.create_index(op.f("ix_round_job_id"), "round", ["job_id"])
    op.create_table(
        "round_plan",
        sa.Column("round_id", _ID, nullable=False),
        sa.Column("machine_id", _ID, nullable=False),
        sa.Column("plan_id", _ID, nullable=False),
        sa.Column("day", sa.Date(), nullable=False),
        sa.Column("hours", sa.Float(), nullable=False),
        sa.Column("expects", postgresql.JSONB(), nullable=False, server_default=sa.text("'{}'")),
        sa.PrimaryKeyConstraint("round_id", "machine_id", name=op.f("pk_round_plan")),
        sa.ForeignKeyConstraint(["round_id"], ["round.id"], name=op.f("fk_round_plan_round_id_round"), ondelete="CASCADE"),
        sa.ForeignKeyConstraint(["machine_id"], ["machine.id"], name=op.f("fk_round_plan_machine_id_machine"), ondelete="CASCADE"),
        sa.ForeignKeyConstraint(["plan_id"], ["plan.id"], name=op.f("fk_round_plan_plan_id_plan"), ondelete="CASCADE"),
    )
    op.create_index(op.f("ix_round_plan_machine_id"), "round_plan", ["machine_id"])
    op.create_index(op.f("ix_round_plan_plan_id"), "round_plan", ["plan_id"])
    op.drop_constraint(op.f("ck_job_kind"), "job", type_="check")
    op.create_check_constraint(op.f("ck_job_kind"), "job", "kind IN ('read', 'poll', 'round')")


def downgrade() -> None:
    op.drop_table("round_plan")
    op.drop_table("round")
    op.execute("DELETE FROM job WHERE kind = 'round'")
    op.drop_constraint(op.f("ck_job_kind"), "job", type_="check")
    op.create_check_constraint(op.f("ck_job_kind"), "job", "kind IN ('read', 'poll')")
