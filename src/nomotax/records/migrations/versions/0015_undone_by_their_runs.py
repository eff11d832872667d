"""Whether a change stands is said by its run alone"""

import sqlalchemy as sa
from alembic import op

revision = "0015"
down_revision = "0014"
branch_labels = None
depends_on = None

_UNDONE = """
update product_changes c set undone_by = coalesce(
  (select max(u.id) from runs u where u.undoes = r.id and u.status = 'applied'), r.id)
from runs r where r.id = c.run_id and r.status = 'undone'
"""


def upgrade() -> None:
    op.drop_column("product_changes", "undone_by")
    op.execute("alter table product_changes reset (fillfactor)")


def downgrade() -> None:
    op.execute("alter table product_changes set (fillfactor = 90)")
    op.add_column("product_changes", sa.Column("undone_by", sa.Integer))
    op.execute(_UNDONE)
