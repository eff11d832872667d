"""Deliveries of any kind: offers, companions, files that broke off; a feed's password"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0003"
down_revision = "0002"
branch_labels = None
depends_on = None

_NEW = (
    ("stage", sa.String(), "''"),
    ("offers", JSONB(), "'[]'"),
    ("uses", JSONB(), "'{}'"),
    ("because", sa.String(), "''"),
    ("complete", sa.Boolean(), "true"),
    ("accepted", sa.Boolean(), "false"),
)


def _add(table: str, name: str, kind: sa.types.TypeEngine, default: str) -> None:
    """A default fills the rows that are there; afterwards the application gives the value."""
    op.add_column(table, sa.Column(name, kind, nullable=False, server_default=sa.text(default)))
    op.alter_column(table, name, server_default=None)


def upgrade() -> None:
    _add("feeds", "password", sa.String(), "''")
    for name, kind, default in _NEW:
        _add("deliveries", name, kind, default)


def downgrade() -> None:
    for name, _, _ in _NEW:
        op.drop_column("deliveries", name)
    op.drop_column("feeds", "password")
