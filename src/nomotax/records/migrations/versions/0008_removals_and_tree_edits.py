"""What is removed stays on record; edits of the category tree can be taken back"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0008"
down_revision = "0007"
branch_labels = None
depends_on = None

REMOVABLE = ("stores", "feeds", "deliveries")


def upgrade() -> None:
    for table in REMOVABLE:
        op.add_column(table, sa.Column("removed_at", sa.DateTime(timezone=True)))
    op.create_table(
        "tree_edits",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("store_id", sa.Integer, sa.ForeignKey("stores.id"), nullable=False, index=True),
        *(sa.Column(name, JSONB, nullable=False) for name in ("edit", "moves", "added", "removed")),
        sa.Column("before", JSONB, nullable=False),
        sa.Column("products", sa.Integer, nullable=False),
        sa.Column("undone", sa.Boolean, nullable=False),
        sa.Column("author", sa.String, nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
    )
    op.create_table(
        "tree_edit_rows",
        sa.Column("edit_id", sa.Integer, sa.ForeignKey("tree_edits.id"), primary_key=True),
        sa.Column("side", sa.String, primary_key=True),
        sa.Column("row_id", sa.BigInteger, primary_key=True),
        sa.Column("was", JSONB, nullable=False),
        sa.Column("became", JSONB, nullable=False),
    )
    op.add_column("runs", sa.Column("first_row", sa.Integer))
    op.add_column("runs", sa.Column("last_row", sa.Integer))


def downgrade() -> None:
    op.drop_column("runs", "last_row")
    op.drop_column("runs", "first_row")
    op.drop_table("tree_edit_rows")
    op.drop_table("tree_edits")
    for table in REMOVABLE:
        op.drop_column(table, "removed_at")
