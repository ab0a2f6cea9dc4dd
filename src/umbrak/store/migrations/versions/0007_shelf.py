"""modules on hand, offers, what plans need of them; what machines are to carry; settings"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0007"
down_revision = "0006"
branch_labels = None
depends_on = None


def _at(name: str) -> sa.Column:
    return sa.Column(name, sa.TIMESTAMP(timezone=True), nullable=False, server_default=sa.text("now()"))


def upgrade() -> None:
    op.create_table(
        "stock",
        sa.Column("id", sa.UUID(), nullable=False),
        sa.Column("part", sa.Text(), nullable=True),
        sa.Column("module", postgresql.JSONB(), nullable=False),
        sa.Column("kind", sa.Text(), nullable=False),
        sa.Column("count", sa.Integer(), nullable=False),
        sa.Column("state", sa.Text(), nullable=False),
        sa.Column("place", sa.Text(), nullable=False, server_default=""),
        sa.Column("note", sa.Text(), nullable=False, server_default=""),
        sa.Column("version", sa.Integer(), nullable=False, server_default="1"),
        sa.Column("account_id", sa.UUID(), nullable=False),
        _at("created_at"),
        _at("updated_at"),
        sa.Column("gone_at", sa.TIMESTAMP(timezone=True), nullable=True),
        sa.CheckConstraint("count > 0", name=op.f("ck_stock_count")),
        sa.CheckConstraint("state IN ('new', 'pulled', 'suspect', 'to-return')", name=op.f("ck_stock_state")),
        sa.ForeignKeyConstraint(["account_id"], ["account.id"], name=op.f("fk_stock_account_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_stock")),
    )
    op.create_index("ix_stock_kind", "stock", ["kind"])
    op.create_table(
        "offer",
        sa.Column("id", sa.UUID(), nullable=False),
        sa.Column("part", sa.Text(), nullable=False),
        sa.Column("module", postgresql.JSONB(), nullable=False),
        sa.Column("kind", sa.Text(), nullable=False),
        sa.Column("supplier", sa.Text(), nullable=False),
        sa.Column("price", sa.Numeric(14, 3), nullable=False),
        sa.Column("kit", sa.Integer(), nullable=False),
        sa.Column("stock", sa.Integer(), nullable=True),
        sa.Column("lead_days", sa.Integer(), nullable=True),
        sa.Column("listed", sa.Boolean(), nullable=True),
        sa.Column("priced_on", sa.Date(), nullable=False),
        sa.Column("account_id", sa.UUID(), nullable=False),
        _at("created_at"),
        sa.Column("gone_at", sa.TIMESTAMP(timezone=True), nullable=True),
        sa.CheckConstraint("kit > 0", name=op.f("ck_offer_kit")),
        sa.ForeignKeyConstraint(["account_id"], ["account.id"], name=op.f("fk_offer_account_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_offer")),
    )
    op.create_table(
        "plan_need",
        sa.Column("plan_id", sa.UUID(), nullable=False),
        sa.Column("kind", sa.Text(), nullable=False),
        sa.Column("count", sa.Integer(), nullable=False),
        sa.ForeignKeyConstraint(["plan_id"], ["plan.id"], name=op.f("fk_plan_need_plan_id"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("plan_id", "kind", name=op.f("pk_plan_need")),
    )
    op.create_index("ix_plan_need_kind", "plan_need", ["kind"])
    op.create_table(
        "sizing",
        sa.Column("machine_id", sa.UUID(), nullable=False),
        sa.Column("document", postgresql.JSONB(), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False, server_default="1"),
        _at("updated_at"),
        sa.ForeignKeyConstraint(["machine_id"], ["machine.id"], name=op.f("fk_sizing_machine_id"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("machine_id", name=op.f("pk_sizing")),
    )
    op.create_table(
        "setting",
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("document", postgresql.JSONB(), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False, server_default="1"),
        _at("updated_at"),
        sa.PrimaryKeyConstraint("name", name=op.f("pk_setting")),
    )
