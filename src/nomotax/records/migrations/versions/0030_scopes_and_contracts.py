"""Scopes of a feed, the contract that its files are checked against, how one is to be read, who may
do what with a feed, and what was changed of it"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0030"
down_revision = "0029"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("feeds", sa.Column("scopes", JSONB, nullable=False, server_default="[]"))
    op.add_column("feeds", sa.Column("contract", JSONB))
    op.add_column("schedules", sa.Column("scope", sa.String, nullable=False, server_default=""))
    op.add_column("fetches", sa.Column("scope", sa.String, nullable=False, server_default=""))
    op.add_column("deliveries", sa.Column("breaches", JSONB))
    op.add_column("deliveries", sa.Column("wanted", JSONB))
    op.add_column("feeds", sa.Column("code", sa.String, nullable=False, server_default=""))
    op.add_column("feeds", sa.Column("people", JSONB, nullable=False, server_default="{}"))
    op.create_table(
        "feed_changes",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("store_id", sa.Integer, sa.ForeignKey("stores.id"), nullable=False),
        sa.Column("feed_id", sa.Integer, sa.ForeignKey("feeds.id"), nullable=False),
        sa.Column("said", sa.String, nullable=False),
        sa.Column("actor_id", sa.Integer, sa.ForeignKey("actors.id")),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
    )
    op.create_index("ix_feed_changes_feed_id", "feed_changes", ["feed_id"])


def downgrade() -> None:
    op.drop_table("feed_changes")
    op.drop_column("feeds", "people")
    op.drop_column("feeds", "code")
    op.drop_column("deliveries", "wanted")
    op.drop_column("deliveries", "breaches")
    op.drop_column("fetches", "scope")
    op.drop_column("schedules", "scope")
    op.drop_column("feeds", "contract")
    op.drop_column("feeds", "scopes")
