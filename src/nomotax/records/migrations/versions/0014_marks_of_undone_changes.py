"""A change is marked as undone in place: no index is written for it"""

from alembic import op

revision = "0014"
down_revision = "0013"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.drop_index("ix_product_changes_undone_by", "product_changes")
    op.execute("alter table product_changes set (fillfactor = 90)")


def downgrade() -> None:
    op.execute("alter table product_changes reset (fillfactor)")
    op.create_index("ix_product_changes_undone_by", "product_changes", ["undone_by"])
