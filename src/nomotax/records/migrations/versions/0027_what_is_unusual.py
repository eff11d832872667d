"""What is unusual in a delivery beside the ones before it"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0027"
down_revision = "0026"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("deliveries", sa.Column("drift", JSONB, nullable=True))


def downgrade() -> None:
    op.drop_column("deliveries", "drift")
