"""Saved views of a catalog, and what a product needs"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0021"
down_revision = "0020"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("stores", sa.Column("needs", JSONB))
    op.create_table(
        "saved_views",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("store_id", sa.Integer, sa.ForeignKey("stores.id"), nullable=False),
        sa.Column("name", sa.String, nullable=False),
        sa.Column("look", JSONB, nullable=False),
        sa.Column("actor_id", sa.Integer, sa.ForeignKey("actors.id")),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
        sa.UniqueConstraint("store_id", "name"),
    )


def downgrade() -> None:
    op.drop_table("saved_views")
    op.drop_column("stores", "needs")
