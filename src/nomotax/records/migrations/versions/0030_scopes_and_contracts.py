"""Scopes of a feed, the contract that its files are checked against, and how one is to be read"""

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


def downgrade() -> None:
    op.drop_column("deliveries", "wanted")
    op.drop_column("deliveries", "breaches")
    op.drop_column("fetches", "scope")
    op.drop_column("schedules", "scope")
    op.drop_column("feeds", "contract")
    op.drop_column("feeds", "scopes")
