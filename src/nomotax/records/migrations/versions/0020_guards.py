"""Guards of feeds"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0020"
down_revision = "0019"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("feeds", sa.Column("guards", JSONB, nullable=False, server_default="[]"))
    op.alter_column("feeds", "guards", server_default=None)


def downgrade() -> None:
    op.drop_column("feeds", "guards")
