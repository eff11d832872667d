"""What two crosswalks make of one delivery"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0024"
down_revision = "0023"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "contrasts",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("store_id", sa.Integer, sa.ForeignKey("stores.id"), nullable=False),
        sa.Column("feed_id", sa.Integer, sa.ForeignKey("feeds.id"), nullable=False, index=True),
        sa.Column("delivery_id", sa.Integer, sa.ForeignKey("deliveries.id"), nullable=False),
        sa.Column("used", JSONB, nullable=False),
        sa.Column("before", JSONB, nullable=False),
        sa.Column("after", JSONB, nullable=False),
        sa.Column("status", sa.String, nullable=False),
        sa.Column("progress", sa.Integer, nullable=False),
        sa.Column("stage", sa.String, nullable=False),
        sa.Column("error", sa.String, nullable=False),
        sa.Column("found", JSONB, nullable=False),
        sa.Column("artifact", sa.String, nullable=False),
        sa.Column("actor_id", sa.Integer, sa.ForeignKey("actors.id")),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
    )


def downgrade() -> None:
    op.drop_table("contrasts")
