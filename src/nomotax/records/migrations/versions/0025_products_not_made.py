"""Products that are declined until their supplier says something else of them"""

import sqlalchemy as sa
from alembic import op

revision = "0025"
down_revision = "0024"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "declined_products",
        sa.Column("id", sa.BigInteger, primary_key=True),
        sa.Column("store_id", sa.Integer, sa.ForeignKey("stores.id"), nullable=False),
        sa.Column("feed_id", sa.Integer, sa.ForeignKey("feeds.id"), nullable=False, index=True),
        sa.Column("article", sa.String, nullable=False),
        sa.Column("said", sa.String, nullable=False),
        sa.Column("run_id", sa.Integer, sa.ForeignKey("runs.id"), nullable=False),
        sa.Column("ended_by", sa.Integer, sa.ForeignKey("runs.id")),
    )


def downgrade() -> None:
    op.drop_table("declined_products")
