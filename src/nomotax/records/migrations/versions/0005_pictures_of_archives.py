"""Pictures that came in the archive of a delivery; variants of one product by their group;
where rates are fetched from"""

import sqlalchemy as sa
from alembic import op

revision = "0005"
down_revision = "0004"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("deliveries", sa.Column("pictures_artifact", sa.String(), nullable=True))
    op.add_column(
        "products",
        sa.Column("variant_group", sa.String(), nullable=False, server_default=sa.text("''")),
    )
    op.alter_column("products", "variant_group", server_default=None)
    op.add_column(
        "stores",
        sa.Column("rates_address", sa.String(), nullable=False, server_default=sa.text("''")),
    )
    op.alter_column("stores", "rates_address", server_default=None)
    op.create_index(
        "products_by_group",
        "products",
        ["store_id", "variant_group"],
        postgresql_where=sa.text("variant_group <> ''"),
    )


def downgrade() -> None:
    op.drop_column("stores", "rates_address")
    op.drop_index("products_by_group", "products")
    op.drop_column("products", "variant_group")
    op.drop_column("deliveries", "pictures_artifact")
