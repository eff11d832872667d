"""Values that wait for their day"""

import sqlalchemy as sa
from alembic import op

revision = "0013"
down_revision = "0012"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "dated_values",
        sa.Column("id", sa.BigInteger, primary_key=True),
        sa.Column("store_id", sa.Integer, sa.ForeignKey("stores.id"), nullable=False),
        sa.Column("product_id", sa.BigInteger, nullable=False),
        sa.Column("field", sa.String, nullable=False),
        sa.Column("value", sa.String),
        sa.Column("day", sa.Date, nullable=False),
        sa.Column("status", sa.String, nullable=False),
        sa.Column("reason", sa.String, nullable=False),
        sa.Column("run_id", sa.Integer, sa.ForeignKey("runs.id")),
        sa.Column("actor_id", sa.Integer, sa.ForeignKey("actors.id")),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
    )
    op.create_index("dated_values_by_product", "dated_values", ["product_id"])
    op.create_index("ix_dated_values_run_id", "dated_values", ["run_id"])
    op.create_index(
        "dated_values_waiting", "dated_values", ["day"],
        postgresql_where=sa.text("status = 'waiting' and run_id is null"),
    )  # fmt: skip


def downgrade() -> None:
    op.drop_table("dated_values")
