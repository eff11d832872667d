"""The tables of the job queue"""

from alembic import op
from procrastinate.schema import SchemaManager

revision = "0002"
down_revision = "0001"
branch_labels = None
depends_on = None


def upgrade() -> None:
    # Straight to the driver: without parameters it takes the per cent signs as they are.
    op.get_bind().connection.driver_connection.execute(SchemaManager.get_schema())


def downgrade() -> None:
    raise NotImplementedError("The queue is dropped with the database.")
