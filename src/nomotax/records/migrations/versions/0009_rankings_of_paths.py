"""Where the paths of a delivery are likely to go, worked out in the background"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0009"
down_revision = "0008"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "rankings",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column(
            "delivery_id", sa.Integer, sa.ForeignKey("deliveries.id"), nullable=False, index=True
        ),
        sa.Column("field", sa.String, nullable=False),
        sa.Column("key", sa.String, nullable=False),
        sa.Column("done", sa.Integer, nullable=False),
        sa.Column("total", sa.Integer, nullable=False),
        sa.Column("proposals", JSONB),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
        sa.UniqueConstraint("delivery_id", "field"),
    )


def downgrade() -> None:
    op.drop_table("rankings")
