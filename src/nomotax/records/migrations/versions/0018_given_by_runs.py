"""Which run paired an article, gave a value that waits for its day, or put another in its place;
which catalog a delivery was joined with"""

import sqlalchemy as sa
from alembic import op

revision = "0018"
down_revision = "0017"
branch_labels = None
depends_on = None

_COLUMNS = (("pairings", "run_id"), ("dated_values", "given_by"), ("dated_values", "replaced_by"))


def upgrade() -> None:
    for table, name in _COLUMNS:
        op.add_column(table, sa.Column(name, sa.Integer, sa.ForeignKey("runs.id")))
    op.add_column("deliveries", sa.Column("catalog", sa.Integer))
    op.create_index("dated_values_by_giver", "dated_values", ["given_by"])


def downgrade() -> None:
    op.drop_index("dated_values_by_giver")
    op.drop_column("deliveries", "catalog")
    for table, name in _COLUMNS:
        op.drop_column(table, name)
