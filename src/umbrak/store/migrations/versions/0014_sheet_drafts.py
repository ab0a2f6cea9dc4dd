"""drafts of sheets with every text they had; what doubts propose; who kept a revision and why; sheets that are retired"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0014"
down_revision = "0013"
branch_labels = None
depends_on = None

_AT = postgresql.TIMESTAMP(timezone=True)
_ID = postgresql.UUID(as_uuid=True)


def upgrade() -> None:
    op.add_column("sheet", sa.Column("kept_by", _ID, nullable=True))
    op.add_column("sheet", sa.Column("why", sa.Text(), server_default="", nullable=False))
    op.create_foreign_key(op.f("fk_sheet_kept_by_account"), "sheet", "account", ["kept_by"], ["id"])
    op.create_table(
        "retired_sheet",
        sa.Column("sheet_id", sa.Text(), nullable=False),
        sa.Column("account_id", _ID, nullable=False),
        sa.Column("why", sa.Text(), server_default="", nullable=False),
        sa.Column("at", _AT, server_default=sa.text("now()"), nullable=False),
        sa.ForeignKeyConstraint(["account_id"], ["account.id"], name=op.f("fk_retired_sheet_account_id_account")),
        sa.PrimaryKeyConstraint("sheet_id", name=op.f("pk_retired_sheet")),
    )
    op.create_table(
        "sheet_draft",
        sa.Column("id", _ID, nullable=False),
        sa.Column("sheet_id", sa.Text(), nullable=False),
        sa.Column("base", sa.Text(), nullable=True),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("account_id", _ID, nullable=False),
        sa.Column("created_at", _AT, server_default=sa.text("now()"), nullable=False),
        sa.ForeignKeyConstraint(["account_id"], ["account.id"], name=op.f("fk_sheet_draft_account_id_account")),
        sa.ForeignKeyConstraint(["base"], ["sheet.hash"], name=op.f("fk_sheet_draft_base_sheet")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_sheet_draft")),
        sa.UniqueConstraint("sheet_id", name=op.f("uq_sheet_draft_sheet_id")),
    )
    op.create_table(
        "sheet_draft_text",
        sa.Column("draft_id", _ID, nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("account_id", _ID, nullable=False),
        sa.Column("text", sa.Text(), nullable=False),
        sa.Column("what", sa.Text(), server_default="", nullable=False),
        sa.Column("at", _AT, server_default=sa.text("now()"), nullable=False),
        sa.ForeignKeyConstraint(["account_id"], ["account.id"], name=op.f("fk_sheet_draft_text_account_id_account")),
        sa.ForeignKeyConstraint(
            ["draft_id"], ["sheet_draft.id"], name=op.f("fk_sheet_draft_text_draft_id_sheet_draft"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("draft_id", "version", name=op.f("pk_sheet_draft_text")),
    )
    op.create_table(
        "sheet_draft_reader",
        sa.Column("draft_id", _ID, nullable=False),
        sa.Column("account_id", _ID, nullable=False),
        sa.Column("at", _AT, server_default=sa.text("now()"), nullable=False),
        sa.ForeignKeyConstraint(["account_id"], ["account.id"], name=op.f("fk_sheet_draft_reader_account_id_account")),
        sa.ForeignKeyConstraint(
            ["draft_id"], ["sheet_draft.id"], name=op.f("fk_sheet_draft_reader_draft_id_sheet_draft"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("draft_id", "account_id", name=op.f("pk_sheet_draft_reader")),
    )


    op.add_column("doubt", sa.Column("question", sa.Text(), server_default="", nullable=False))
    op.add_column("doubt", sa.Column("edits", postgresql.JSONB(), nullable=True))
    op.add_column("doubt", sa.Column("draft_id", _ID, nullable=True))
    op.add_column("doubt", sa.Column("refused", sa.Text(), server_default="", nullable=False))
    op.create_foreign_key(
        op.f("fk_doubt_draft_id_sheet_draft"), "doubt", "sheet_draft", ["draft_id"], ["id"], ondelete="SET NULL"
    )


def downgrade() -> None:
    op.drop_constraint(op.f("fk_doubt_draft_id_sheet_draft"), "doubt", type_="foreignkey")
    for column in ("refused", "draft_id", "edits", "question"):
        op.drop_column("doubt", column)
    for table in ("sheet_draft_reader", "sheet_draft_text", "sheet_draft", "retired_sheet"):
        op.drop_table(table)
    op.drop_constraint(op.f("fk_sheet_kept_by_account"), "sheet", type_="foreignkey")
    op.drop_column("sheet", "why")
    op.drop_column("sheet", "kept_by")
