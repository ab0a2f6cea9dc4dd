"""runs and plans that went back on duty with something waived; plans of any number of stages"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0012"
down_revision = "0011"
branch_labels = None
depends_on = None

_RUN = ("under way", "proved", "backed out")
_PLAN = ("draft", "approved", *_RUN)


def _states(table: str, states: tuple[str, ...]) -> None:
    # Plans had none before this revision.
    op.execute(f"ALTER TABLE {table} DROP CONSTRAINT IF EXISTS ck_{table}_state")
    op.create_check_constraint(op.f(f"ck_{table}_state"), table, f"state IN ({', '.join(repr(s) for s in states)})")


def upgrade() -> None:
    _states("run", (*_RUN, "waived"))
    _states("plan", (*_PLAN, "waived"))
    op.add_column("plan", sa.Column("stages", postgresql.JSONB(), nullable=True))
    op.execute(
        "UPDATE plan SET stages = jsonb_build_object('schema', 1, 'stages', jsonb_build_array(first_stage -> 'slots')) "
        "WHERE first_stage IS NOT NULL"
    )
    op.drop_column("plan", "first_stage")


def downgrade() -> None:
    op.add_column("plan", sa.Column("first_stage", postgresql.JSONB(), nullable=True))
    op.execute(
        "UPDATE plan SET first_stage = jsonb_build_object('schema', 1, 'slots', stages -> 'stages' -> 0) WHERE stages IS NOT NULL"
    )
    op.drop_column("plan", "stages")
    # What was waived has ended, and is not proved.
    for table in ("run", "plan"):
        op.execute(f"UPDATE {table} SET state = 'backed out' WHERE state = 'waived'")
    _states("run", _RUN)
    op.execute("ALTER TABLE plan DROP CONSTRAINT ck_plan_state")
