"""What people are told of feeds that run by themselves, and who is"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0029"
down_revision = "0028"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "messages",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("store_id", sa.Integer, sa.ForeignKey("stores.id"), nullable=False),
        sa.Column("feed_id", sa.Integer, sa.ForeignKey("feeds.id"), nullable=False),
        sa.Column("kind", sa.String, nullable=False),
        sa.Column("said", sa.String, nullable=False),
        sa.Column("remedy", sa.String, nullable=False),
        sa.Column("place", sa.String, nullable=False),
        sa.Column("times", sa.Integer, nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("last_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("seen_at", sa.DateTime(timezone=True)),
        sa.Column("ended_at", sa.DateTime(timezone=True)),
        sa.Column("mailed_at", sa.DateTime(timezone=True)),
        sa.Column("called_at", sa.DateTime(timezone=True)),
    )
    op.create_index("ix_messages_store_id", "messages", ["store_id"])
    op.create_index(
        "messages_standing", "messages", ["feed_id", "kind"], unique=True,
        postgresql_where=sa.text("ended_at is null"),
    )  # fmt: skip
    op.add_column("stores", sa.Column("told", JSONB, nullable=False, server_default="{}"))
    op.add_column("feeds", sa.Column("quiet_days", sa.Integer))


def downgrade() -> None:
    op.drop_column("feeds", "quiet_days")
    op.drop_column("stores", "told")
    op.drop_table("messages")
