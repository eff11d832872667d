"""Which articles of a feed's range are picked, and whose values hold"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0017"
down_revision = "0016"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "picks",
        sa.Column("id", sa.BigInteger, primary_key=True),
        sa.Column("store_id", sa.Integer, sa.ForeignKey("stores.id"), nullable=False),
        sa.Column("feed_id", sa.Integer, sa.ForeignKey("feeds.id"), nullable=False),
        sa.Column("article", sa.String, nullable=False),
        sa.Column("actor_id", sa.Integer, sa.ForeignKey("actors.id")),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
        sa.UniqueConstraint("store_id", "feed_id", "article"),
    )
    op.add_column("feeds", sa.Column("picking", JSONB, nullable=False, server_default="[]"))
    op.add_column("stores", sa.Column("sources", JSONB, nullable=False, server_default="{}"))
    op.add_column("feeds", sa.Column("picked", sa.Integer, nullable=False, server_default="0"))


def downgrade() -> None:
    op.drop_column("stores", "sources")
    op.drop_column("feeds", "picked")
    op.drop_column("feeds", "picking")
    op.drop_table("picks")
