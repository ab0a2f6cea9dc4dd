"""runs: the work at the bench, its ticks and its evidence; approvals; clauses in doubt; stages of plans; returns"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0008"
down_revision = "0007"
branch_labels = None
depends_on = None


def _at(name: str) -> sa.Column:
    return sa.Column(name, sa.TIMESTAMP(timezone=True), nullable=False, server_default=sa.text("now()"))


def _when(name: str) -> sa.Column:
    return sa.Column(name, sa.TIMESTAMP(timezone=True), nullable=True)


def upgrade() -> None:
    op.create_table(
        "run",
        sa.Column("id", sa.UUID(), nullable=False),
        sa.Column("machine_id", sa.UUID(), nullable=False),
        sa.Column("plan_id", sa.UUID(), nullable=False),
        sa.Column("stage", sa.Integer(), nullable=False),
        sa.Column("stages", sa.Integer(), nullable=False),
        sa.Column("state", sa.Text(), nullable=False, server_default="under way"),
        sa.Column("document", postgresql.JSONB(), nullable=False),
        sa.Column("window_start", sa.TIMESTAMP(timezone=True), nullable=True),
        sa.Column("window_end", sa.TIMESTAMP(timezone=True), nullable=True),
        sa.Column("account_id", sa.UUID(), nullable=False),
        _at("created_at"),
        _when("ended_at"),
        sa.CheckConstraint("state IN ('under way', 'proved', 'backed out')", name=op.f("ck_run_state")),
        sa.ForeignKeyConstraint(["machine_id"], ["machine.id"], name=op.f("fk_run_machine_id"), ondelete="CASCADE"),
        sa.ForeignKeyConstraint(["plan_id"], ["plan.id"], name=op.f("fk_run_plan_id"), ondelete="CASCADE"),
        sa.ForeignKeyConstraint(["account_id"], ["account.id"], name=op.f("fk_run_account_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_run")),
    )
    op.create_index("ix_run_plan_id", "run", ["plan_id"])
    # A machine is on one bench at a time.
    op.create_index(
        "uq_run_machine_id", "run", ["machine_id"], unique=True, postgresql_where=sa.text("state = 'under way'")
    )
    op.create_table(
        "run_entry",
        sa.Column("id", sa.UUID(), nullable=False),
        sa.Column("run_id", sa.UUID(), nullable=False),
        sa.Column("number", sa.BigInteger(), sa.Identity(always=True), nullable=False),
        sa.Column("kind", sa.Text(), nullable=False),
        sa.Column("step", sa.Text(), nullable=True),
        sa.Column("document", postgresql.JSONB(), nullable=False),
        sa.Column("attachment", sa.LargeBinary(), nullable=True),
        sa.Column("media_type", sa.Text(), nullable=False, server_default=""),
        sa.Column("account_id", sa.UUID(), nullable=False),
        sa.Column("at", sa.TIMESTAMP(timezone=True), nullable=False),
        _at("received_at"),
        sa.ForeignKeyConstraint(["run_id"], ["run.id"], name=op.f("fk_run_entry_run_id"), ondelete="CASCADE"),
        sa.ForeignKeyConstraint(["account_id"], ["account.id"], name=op.f("fk_run_entry_account_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_run_entry")),
    )
    op.create_index("ix_run_entry_run_id", "run_entry", ["run_id", "number"])
    op.create_table(
        "approval",
        sa.Column("id", sa.UUID(), nullable=False),
        sa.Column("plan_id", sa.UUID(), nullable=False),
        sa.Column("fingerprint", sa.Text(), nullable=False),
        sa.Column("document", postgresql.JSONB(), nullable=False),
        sa.Column("account_id", sa.UUID(), nullable=False),
        _at("at"),
        sa.ForeignKeyConstraint(["plan_id"], ["plan.id"], name=op.f("fk_approval_plan_id"), ondelete="CASCADE"),
        sa.ForeignKeyConstraint(["account_id"], ["account.id"], name=op.f("fk_approval_account_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_approval")),
    )
    op.create_index("ix_approval_plan_id", "approval", ["plan_id"])
    op.create_table(
        "doubt",
        sa.Column("id", sa.UUID(), nullable=False),
        sa.Column("sheet_id", sa.Text(), nullable=False),
        sa.Column("code", sa.Text(), nullable=False),
        sa.Column("clause", sa.Text(), nullable=False),
        sa.Column("words", sa.Text(), nullable=False),
        sa.Column("run_id", sa.UUID(), nullable=True),
        sa.Column("account_id", sa.UUID(), nullable=False),
        _at("at"),
        _when("settled_at"),
        sa.ForeignKeyConstraint(["run_id"], ["run.id"], name=op.f("fk_doubt_run_id"), ondelete="SET NULL"),
        sa.ForeignKeyConstraint(["account_id"], ["account.id"], name=op.f("fk_doubt_account_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_doubt")),
    )
    op.create_index("ix_doubt_sheet_id", "doubt", ["sheet_id"])
    op.add_column("plan", sa.Column("first_stage", postgresql.JSONB(), nullable=True))
    op.add_column("stock", sa.Column("reference", sa.Text(), nullable=False, server_default=""))
    op.add_column("stock", sa.Column("due_on", sa.Date(), nullable=True))


def downgrade() -> None:
    op.drop_column("stock", "due_on")
    op.drop_column("stock", "reference")
    op.drop_column("plan", "first_stage")
    for table in ("doubt", "approval", "run_entry", "run"):
        op.drop_table(table)
