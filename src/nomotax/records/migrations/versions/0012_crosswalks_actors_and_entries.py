"""Crosswalks of their own, actors, look-ups entry by entry, the store on every row"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

from nomotax.records.migrations.told import told

revision = "0012"
down_revision = "0011"
branch_labels = None
depends_on = None

#: Of each table that belongs to a store, where its store is known from.
_STORES = {
    "feeds": "select store_id from suppliers o where o.id = t.supplier_id",
    "deliveries": "select store_id from feeds o where o.id = t.feed_id",
    "rankings": "select store_id from deliveries o where o.id = t.delivery_id",
    "run_log": "select store_id from runs o where o.id = t.run_id",
    "tree_edit_rows": "select store_id from tree_edits o where o.id = t.edit_id",
    "removed_products": "select (t.document ->> 'store_id')::int",
    "crosswalk_versions": "select store_id from feeds o where o.id = t.feed_id",
    "decisions": "select store_id from feeds o where o.id = t.feed_id",
}
#: Those whose store need not be there as a row of its own.
_LOOSE = ("tree_edit_rows", "removed_products")
_UNINDEXED = (*_LOOSE, "run_log")
#: Tables that say who did something.
_ACTED = ("tree_edits", "crosswalk_versions", "lookup_changes", "decisions", "kept_values", "runs",
          "snapshots")  # fmt: skip


def upgrade() -> None:
    _stores()
    _actors()
    _crosswalks()
    _lookups()


def _stores() -> None:
    for table, store in _STORES.items():
        op.add_column(table, sa.Column("store_id", sa.Integer))
        op.execute(f"update {table} t set store_id = ({store})")
        op.alter_column(table, "store_id", nullable=False)
        if table not in _LOOSE:
            name = f"{table}_store_id_fkey"
            op.create_foreign_key(name, table, "stores", ["store_id"], ["id"])
        if table not in _UNINDEXED:
            op.create_index(f"ix_{table}_store_id", table, ["store_id"])


def _actors() -> None:
    op.create_table(
        "actors",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("kind", sa.String, nullable=False),
        sa.Column("name", sa.String, nullable=False),
        sa.UniqueConstraint("kind", "name"),
    )
    for table in _ACTED:
        op.execute(
            "insert into actors (kind, name) "
            f"select distinct 'person', author from {table} where author <> '' "
            "on conflict do nothing"
        )
        op.add_column(table, _actor())
        op.execute(
            f"update {table} t set actor_id = a.id from actors a "
            "where a.kind = 'person' and a.name = t.author"
        )
        op.drop_column(table, "author")


def _actor() -> sa.Column[int]:
    return sa.Column("actor_id", sa.Integer, sa.ForeignKey("actors.id"))


def _crosswalks() -> None:
    op.create_table(
        "crosswalks",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("store_id", sa.Integer, sa.ForeignKey("stores.id"), nullable=False),
        sa.Column("feed_id", sa.Integer, sa.ForeignKey("feeds.id"), nullable=False, unique=True),
        sa.Column("draft", JSONB, nullable=False),
        sa.Column("revision", sa.Integer, nullable=False),
    )
    op.create_index("ix_crosswalks_store_id", "crosswalks", ["store_id"])
    op.execute(
        "insert into crosswalks (store_id, feed_id, draft, revision) "
        "select store_id, id, draft, draft_revision from feeds order by id"
    )
    op.drop_column("feeds", "draft")
    op.drop_column("feeds", "draft_revision")
    for table, unique in (
        ("crosswalk_versions", ["number"]),
        ("decisions", ["verdict", "subject", "proposal"]),
    ):
        column = sa.Column("crosswalk_id", sa.Integer, sa.ForeignKey("crosswalks.id"))
        op.add_column(table, column)
        op.execute(
            f"update {table} t set crosswalk_id = c.id from crosswalks c "
            "where c.feed_id = t.feed_id"
        )
        op.alter_column(table, "crosswalk_id", nullable=False)
        op.drop_column(table, "feed_id")
        name = "_".join([table, "crosswalk_id", *unique, "key"])
        op.create_unique_constraint(name, table, ["crosswalk_id", *unique])


def _lookups() -> None:
    op.create_table(
        "lookup_revisions",
        sa.Column("lookup_id", sa.Integer, sa.ForeignKey("lookups.id"), primary_key=True),
        sa.Column("number", sa.Integer, primary_key=True),
        sa.Column("store_id", sa.Integer, sa.ForeignKey("stores.id"), nullable=False),
        sa.Column("document", JSONB),
        sa.Column("said", sa.String, nullable=False),
        _actor(),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
    )
    op.create_index("ix_lookup_revisions_store_id", "lookup_revisions", ["store_id"])
    op.create_table(
        "lookup_entries",
        sa.Column("id", sa.BigInteger, primary_key=True),
        sa.Column("store_id", sa.Integer, sa.ForeignKey("stores.id"), nullable=False),
        sa.Column("lookup_id", sa.Integer, sa.ForeignKey("lookups.id"), nullable=False),
        sa.Column("arriving", sa.String, nullable=False),
        sa.Column("answer", sa.String, nullable=False),
        sa.Column("since", sa.Integer, nullable=False),
        sa.Column("until", sa.Integer),
        _actor(),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
    )
    op.create_index("ix_lookup_entries_store_id", "lookup_entries", ["store_id"])
    op.create_index(
        "lookup_entries_standing", "lookup_entries", ["lookup_id", sa.text("md5(arriving)")],
        unique=True, postgresql_where=sa.text("until is null"),
    )  # fmt: skip
    op.create_index("lookup_entries_by_lookup", "lookup_entries", ["lookup_id", "since"])
    op.add_column(
        "crosswalk_versions", sa.Column("lookups", JSONB, nullable=False, server_default="{}")
    )
    op.alter_column("crosswalk_versions", "lookups", server_default=None)
    told(op.get_bind())
    op.drop_column("lookups", "document")
    op.drop_column("lookups", "changed_at")
    # What is left of the changes are those of the schema's fields.
    op.execute("delete from lookup_changes where kind <> 'field'")
    op.drop_column("lookup_changes", "kind")
    op.alter_column("lookup_changes", "name", new_column_name="field")
    op.rename_table("lookup_changes", "field_changes")
    op.execute("alter index ix_lookup_changes_store_id rename to ix_field_changes_store_id")


def downgrade() -> None:
    raise NotImplementedError("Versions refer to revisions of look-ups from here on.")
