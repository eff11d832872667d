"""Products live, hidden, archived or out; snapshots of whole catalogs"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0011"
down_revision = "0010"
branch_labels = None
depends_on = None

_KEPT = """
update kept_values k set product_id = {id} from {table}
where k.product_id is null and {key} = k.key and {store} = k.store_id
"""


def upgrade() -> None:
    op.add_column("products", sa.Column("state", sa.String, nullable=False, server_default="live"))
    # Room for the next version of a product beside the last: no index is written for it then.
    op.execute("alter table products set (fillfactor = 85)")
    # A product can be out of the catalog only once, whichever run it was.
    op.execute("""update removed_products set document = document || '{"state": "live"}'""")
    op.drop_constraint("removed_products_pkey", "removed_products")
    op.drop_constraint("removed_products_run_id_fkey", "removed_products")
    op.add_column("removed_products", sa.Column("created_run", sa.Integer))
    op.execute("update removed_products set created_run = (document ->> 'created_run')::int")
    op.create_primary_key("removed_products_pkey", "removed_products", ["product_id"])
    op.create_index("ix_removed_products_created_run", "removed_products", ["created_run"])
    # What is kept by hand is so of a product, whatever its key.
    op.add_column("kept_values", sa.Column("product_id", sa.BigInteger))
    op.execute(_KEPT.format(table="products p", id="p.id", key="p.key", store="p.store_id"))
    op.execute(_KEPT.format(table="removed_products r", id="r.product_id",
               key="r.document ->> 'key'", store="(r.document ->> 'store_id')::int"))  # fmt: skip
    op.execute("delete from kept_values where product_id is null")
    op.alter_column("kept_values", "product_id", nullable=False)
    op.drop_constraint("kept_values_store_id_key_field_key", "kept_values")
    op.drop_column("kept_values", "key")
    op.create_unique_constraint(
        "kept_values_store_id_product_id_field_key",
        "kept_values",
        ["store_id", "product_id", "field"],
    )
    op.create_table(
        "snapshots",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("store_id", sa.Integer, sa.ForeignKey("stores.id"), nullable=False),
        sa.Column("run_id", sa.Integer, sa.ForeignKey("runs.id")),
        sa.Column("status", sa.String, nullable=False),
        sa.Column("because", sa.String, nullable=False),
        sa.Column("author", sa.String, nullable=False),
        sa.Column("artifact", sa.String, nullable=False),
        sa.Column("about", JSONB, nullable=False),
        sa.Column("error", sa.String, nullable=False),
        sa.Column("taken_at", sa.DateTime(timezone=True), nullable=False),
    )
    op.create_index("ix_snapshots_store_id", "snapshots", ["store_id"])


def downgrade() -> None:
    raise NotImplementedError("States of products are part of their history from here on.")
