"""Notes on products, for colleagues"""

import sqlalchemy as sa
from alembic import op

revision = "0023"
down_revision = "0022"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "notes",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("store_id", sa.Integer, sa.ForeignKey("stores.id"), nullable=False),
        sa.Column("key", sa.String, nullable=False),
        sa.Column("run_id", sa.Integer, sa.ForeignKey("runs.id")),
        sa.Column("text", sa.String, nullable=False),
        sa.Column("whom", sa.String, nullable=False),
        sa.Column("actor_id", sa.Integer, sa.ForeignKey("actors.id")),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("done_at", sa.DateTime(timezone=True)),
        sa.Column("done_by", sa.String, nullable=False, server_default=""),
    )
    op.create_index("notes_by_key", "notes", ["store_id", "key"])


def downgrade() -> None:
    op.drop_table("notes")
