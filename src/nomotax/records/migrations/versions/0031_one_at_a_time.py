"""How often a fetch was taken up: the worker that took it up last is the one that goes on with it.
Fetches have a queue of their own"""

import sqlalchemy as sa
from alembic import op

revision = "0031"
down_revision = "0030"
branch_labels = None
depends_on = None

_WAITING = "update procrastinate_jobs set queue_name = '{}' where status = 'todo' "
_WAITING += "and task_name in ('fetch', 'read_sent')"


def upgrade() -> None:
    op.add_column("fetches", sa.Column("attempt", sa.Integer, nullable=False, server_default="0"))
    op.execute(_WAITING.format("fetches"))


def downgrade() -> None:
    op.execute(_WAITING.format("runs"))
    op.drop_column("fetches", "attempt")
