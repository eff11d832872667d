"""Values that are declined until their supplier says something else"""

import sqlalchemy as sa
from alembic import op

revision = "0022"
down_revision = "0021"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "declined_values",
        sa.Column("id", sa.BigInteger, primary_key=True),
        sa.Column("store_id", sa.Integer, sa.ForeignKey("stores.id"), nullable=False),
        sa.Column("feed_id", sa.Integer, sa.ForeignKey("feeds.id"), nullable=False),
        sa.Column("product_id", sa.BigInteger, nullable=False),
        sa.Column("field", sa.String, nullable=False),
        sa.Column("value", sa.String),
        sa.Column("run_id", sa.Integer, sa.ForeignKey("runs.id"), nullable=False),
        sa.Column("ended_by", sa.Integer, sa.ForeignKey("runs.id")),
    )
    op.create_index("declined_values_by_feed", "declined_values", ["feed_id"])
    op.create_index("declined_values_by_product", "declined_values", ["product_id"])


def downgrade() -> None:
    op.drop_table("declined_values")
