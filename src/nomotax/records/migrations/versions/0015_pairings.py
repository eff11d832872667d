"""What is decided of suppliers' articles"""

import sqlalchemy as sa
from alembic import op

revision = "0015"
down_revision = "0014"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "pairings",
        sa.Column("id", sa.BigInteger, primary_key=True),
        sa.Column("store_id", sa.Integer, sa.ForeignKey("stores.id"), nullable=False),
        sa.Column("supplier_id", sa.Integer, sa.ForeignKey("suppliers.id"), nullable=False),
        sa.Column("article", sa.String, nullable=False),
        sa.Column("decision", sa.String, nullable=False),
        sa.Column("product_id", sa.BigInteger),
        sa.Column("actor_id", sa.Integer, sa.ForeignKey("actors.id")),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
        sa.UniqueConstraint("store_id", "supplier_id", "article"),
    )
    decided = sa.Column("decided", sa.Integer, nullable=False, server_default="0")
    op.add_column("suppliers", decided)
    op.create_index("ix_pairings_product_id", "pairings", ["product_id"])


def downgrade() -> None:
    op.drop_column("suppliers", "decided")
    op.drop_table("pairings")
