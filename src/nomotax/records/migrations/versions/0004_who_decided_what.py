"""Who decided what: authors of versions and look-ups, refused suggestions, kept values"""

import sqlalchemy as sa
from alembic import op

revision = "0004"
down_revision = "0003"
branch_labels = None
depends_on = None


def _moment() -> sa.Column:
    return sa.Column("at", sa.DateTime(timezone=True), nullable=False)


def upgrade() -> None:
    op.add_column(
        "crosswalk_versions",
        sa.Column("author", sa.String(), nullable=False, server_default=sa.text("''")),
    )
    op.alter_column("crosswalk_versions", "author", server_default=None)
    op.create_table(
        "lookup_changes",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("store_id", sa.Integer(), sa.ForeignKey("stores.id"), nullable=False, index=True),
        sa.Column("kind", sa.String(), nullable=False),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("author", sa.String(), nullable=False),
        sa.Column("said", sa.String(), nullable=False),
        _moment(),
    )
    op.create_table(
        "decisions",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("feed_id", sa.Integer(), sa.ForeignKey("feeds.id"), nullable=False, index=True),
        sa.Column("verdict", sa.String(), nullable=False),
        sa.Column("subject", sa.String(), nullable=False),
        sa.Column("proposal", sa.String(), nullable=False),
        sa.Column("author", sa.String(), nullable=False),
        _moment(),
        sa.UniqueConstraint("feed_id", "verdict", "subject", "proposal"),
    )
    op.create_table(
        "kept_values",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("store_id", sa.Integer(), sa.ForeignKey("stores.id"), nullable=False),
        sa.Column("key", sa.String(), nullable=False),
        sa.Column("field", sa.String(), nullable=False),
        sa.Column("author", sa.String(), nullable=False),
        _moment(),
        sa.UniqueConstraint("store_id", "key", "field"),
    )


def downgrade() -> None:
    op.drop_table("kept_values")
    op.drop_table("decisions")
    op.drop_table("lookup_changes")
    op.drop_column("crosswalk_versions", "author")
