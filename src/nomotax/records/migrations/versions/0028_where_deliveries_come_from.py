"""Where a feed's deliveries come from, when, and each look there"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0028"
down_revision = "0027"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("feeds", sa.Column("source", JSONB, nullable=True))
    op.add_column("feeds", sa.Column("secrets", JSONB, nullable=False, server_default="{}"))
    op.add_column("feeds", sa.Column("known", JSONB, nullable=False, server_default="{}"))
    op.add_column("feeds", sa.Column("token", sa.String, nullable=False, server_default=""))
    op.add_column("feeds", sa.Column("may", sa.String, nullable=False, server_default="wait"))
    op.create_table(
        "schedules",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("store_id", sa.Integer, sa.ForeignKey("stores.id"), nullable=False),
        sa.Column("feed_id", sa.Integer, sa.ForeignKey("feeds.id"), nullable=False),
        sa.Column("expression", sa.String, nullable=False),
        sa.Column("zone", sa.String, nullable=False),
        sa.Column("paused", sa.Boolean, nullable=False),
        sa.Column("next_at", sa.DateTime(timezone=True)),
        sa.Column("last_at", sa.DateTime(timezone=True)),
        sa.Column("actor_id", sa.Integer, sa.ForeignKey("actors.id")),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
    )
    for column in ("store_id", "feed_id", "next_at"):
        op.create_index(f"ix_schedules_{column}", "schedules", [column])
    op.create_table(
        "fetches",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("store_id", sa.Integer, sa.ForeignKey("stores.id"), nullable=False),
        sa.Column("feed_id", sa.Integer, sa.ForeignKey("feeds.id"), nullable=False),
        sa.Column("parent_id", sa.Integer, sa.ForeignKey("fetches.id")),
        sa.Column("because", sa.String, nullable=False),
        sa.Column("may", sa.String, nullable=False),
        sa.Column("status", sa.String, nullable=False),
        sa.Column("stage", sa.String, nullable=False),
        sa.Column("said", sa.String, nullable=False),
        sa.Column("remedy", sa.String, nullable=False),
        sa.Column("done", sa.BigInteger, nullable=False),
        sa.Column("total", sa.BigInteger),
        sa.Column("files", JSONB, nullable=False),
        sa.Column("deliveries", JSONB, nullable=False),
        sa.Column("log", JSONB, nullable=False),
        sa.Column("actor_id", sa.Integer, sa.ForeignKey("actors.id")),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("started_at", sa.DateTime(timezone=True)),
        sa.Column("finished_at", sa.DateTime(timezone=True)),
    )
    op.create_index("ix_fetches_store_id", "fetches", ["store_id"])
    op.create_index("ix_fetches_feed_id", "fetches", ["feed_id"])


def downgrade() -> None:
    op.drop_table("fetches")
    op.drop_table("schedules")
    for column in ("may", "token", "known", "secrets", "source"):
        op.drop_column("feeds", column)
