"""many machines: asset tags and own columns, tables and changes in bulk as jobs"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0020"
down_revision = "0019"
branch_labels = None
depends_on = None


def upgrade() -> None:
    for table, columns in (("machine", ("own",)), ("waiting_machine", ("own", "told"))):
        op.add_column(table, sa.Column("asset_tag", sa.Text(), nullable=False, server_default=""))
        for name in columns:
            op.add_column(table, sa.Column(name, postgresql.JSONB(), nullable=False, server_default=sa.text("'{}'")))
    op.drop_constraint(op.f("ck_job_kind"), "job", type_="check")
    op.create_check_constraint(op.f("ck_job_kind"), "job", "kind IN ('read', 'poll', 'round', 'table', 'bulk')")


def downgrade() -> None:
    op.execute("DELETE FROM job WHERE kind IN ('table', 'bulk')")
    op.drop_constraint(op.f("ck_job_kind"), "job", type_="check")
    op.create_check_constraint(op.f("ck_job_kind"), "job", "kind IN ('read', 'poll', 'round')")
    for table, columns in (("machine", ("own",)), ("waiting_machine", ("own", "told"))):
        op.drop_column(table, "asset_tag")
        for name in columns:
            op.drop_column(table, name)
