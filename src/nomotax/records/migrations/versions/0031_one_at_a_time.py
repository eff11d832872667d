"""How often a fetch was taken up: the worker that took it up last is the one that goes on with it.
Fetches have a queue of their own; the newest of a feed are found by indexes"""

import sqlalchemy as sa
from alembic import op

revision = "0031"
down_revision = "0030"
branch_labels = None
depends_on = None

_WAITING = "update procrastinate_jobs set queue_name = '{}' where status = 'todo' "
_WAITING += "and task_name in ('fetch', 'read_sent')"

_INDEXES = {
    "deliveries_newest": "deliveries", "fetches_newest": "fetches", "fetches_under_way": "fetches",
}  # fmt: skip


def upgrade() -> None:
    op.add_column("fetches", sa.Column("attempt", sa.Integer, nullable=False, server_default="0"))
    op.execute(_WAITING.format("fetches"))
    op.create_index("deliveries_newest", "deliveries", ["feed_id", sa.text("id desc")])
    op.create_index("fetches_newest", "fetches", ["store_id", "feed_id", sa.text("id desc")])
    op.create_index(
        "fetches_under_way",
        "fetches",
        ["status"],
        postgresql_where=sa.text("status in ('queued', 'fetching')"),
    )


def downgrade() -> None:
    op.execute(_WAITING.format("runs"))
    for name, table in _INDEXES.items():
        op.drop_index(name, table)
    op.drop_column("fetches", "attempt")
