"""Whether a change stands is told by its run, but for those that a run could not reach"""

import sqlalchemy as sa
from alembic import op

revision = "0016"
down_revision = "0015"
branch_labels = None
depends_on = None

_STANDS = """
update product_changes c set stands = (c.undone_by is null) from runs r
where r.id = c.run_id and (r.status = 'undone') <> (c.undone_by is not null)
"""
_UNDONE = """
update product_changes c set undone_by = coalesce(
  (select max(u.id) from runs u where u.undoes = r.id and u.status = 'applied'), r.id)
from runs r where r.id = c.run_id and not coalesce(c.stands, r.status <> 'undone')
"""


def upgrade() -> None:
    op.add_column("product_changes", sa.Column("stands", sa.Boolean))
    op.execute(_STANDS)
    op.drop_column("product_changes", "undone_by")
    op.execute("alter table product_changes reset (fillfactor)")


def downgrade() -> None:
    op.execute("alter table product_changes set (fillfactor = 90)")
    op.add_column("product_changes", sa.Column("undone_by", sa.Integer))
    op.execute(_UNDONE)
    op.drop_column("product_changes", "stands")
