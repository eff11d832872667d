"""Passwords of archives are locked with the installation's key"""

import sqlalchemy as sa
from alembic import op

from nomotax.records.secrets import lock, unlock

revision = "0007"
down_revision = "0006"
branch_labels = None
depends_on = None


def upgrade() -> None:
    _change(lock)


def downgrade() -> None:
    _change(unlock)


def _change(how) -> None:
    connection = op.get_bind()
    kept = connection.execute(sa.text("select id, password from feeds where password <> ''"))
    for feed_id, password in kept.all():
        connection.execute(
            sa.text("update feeds set password = :p where id = :id"),
            {"p": how(password), "id": feed_id},
        )
