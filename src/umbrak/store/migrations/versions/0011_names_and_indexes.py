"""machine.name unique without regard to case; indexes for what is asked by report, by step's machine, by kind of event

Machines whose names differ by case alone were possible: the later ones get a number behind theirs.
"""

from alembic import op

revision = "0011"
down_revision = "0010"
branch_labels = None
depends_on = None

_RENAME = """
DO $$
DECLARE
    twin record;
    wanted text;
    n integer;
BEGIN
    FOR twin IN
        SELECT id, name FROM (
            SELECT id, name, row_number() OVER (PARTITION BY lower(name) ORDER BY created_at, id) AS nth FROM machine
        ) AS numbered WHERE nth > 1
    LOOP
        n := 2;
        LOOP
            wanted := twin.name || ' (' || n || ')';
            EXIT WHEN NOT EXISTS (SELECT 1 FROM machine WHERE lower(name) = lower(wanted));
            n := n + 1;
        END LOOP;
        UPDATE machine SET name = wanted WHERE id = twin.id;
    END LOOP;
END $$
"""


def upgrade() -> None:
    op.execute(_RENAME)
    op.drop_constraint("uq_machine_name", "machine", type_="unique")
    op.execute("CREATE UNIQUE INDEX uq_machine_lower_name ON machine (lower(name))")
    op.create_index("ix_survey_intake_id", "survey", ["intake_id"])
    op.create_index("ix_job_step_machine_id", "job_step", ["machine_id"])
    op.create_index("ix_history_action", "history", ["action", "id"])


def downgrade() -> None:
    op.drop_index("ix_history_action", "history")
    op.drop_index("ix_job_step_machine_id", "job_step")
    op.drop_index("ix_survey_intake_id", "survey")
    op.drop_index("uq_machine_lower_name", "machine")
    op.create_unique_constraint("uq_machine_name", "machine", ["name"])
