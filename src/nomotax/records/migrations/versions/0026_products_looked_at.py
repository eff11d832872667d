"""What was wrong with the products of a store when they were looked at last"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0026"
down_revision = "0025"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("stores", sa.Column("looked", JSONB, nullable=False, server_default="{}"))


def downgrade() -> None:
    op.drop_column("stores", "looked")
