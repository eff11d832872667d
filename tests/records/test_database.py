"""The database: its migrations, its errors, its bulk ways in and out."""

from __future__ import annotations

import json

import polars as pl
import pytest
from alembic.autogenerate import compare_metadata
from alembic.migration import MigrationContext
from sqlalchemy import text
from sqlalchemy.exc import IntegrityError
from sqlmodel import SQLModel

from nomotax.core.errors import Conflict, DatabaseUnavailable
from nomotax.records.bulk import copy_frame, read_query
from nomotax.records.changes import Changes
from nomotax.records.database import database_url, engine_for, migrate, session
from nomotax.records.postgres import Cluster, cluster_folder, free_port
from nomotax.records.repositories import Feeds, Stores
from nomotax.records.runs import Runs
from nomotax.records.whole import held_of, products_by_key, products_of, taken_out


def ours(obj, name, kind, reflected, other):
    return not (name or "").startswith("procrastinate")


def test_migrations_make_what_the_models_say(database):
    """Nobody can change a table without its migration."""
    with engine_for(database.url).connect() as connection:
        options = {"include_object": ours, "compare_type": True}
        context = MigrationContext.configure(connection, opts=options)
        differences = compare_metadata(context, SQLModel.metadata)
    assert [d for d in differences if "alembic_version" not in str(d)] == []


def test_migrating_again_changes_nothing(database):
    migrate()
    with engine_for(database.url).connect() as connection:
        assert (
            connection.execute(text("select version_num from alembic_version")).scalar() == "0031"
        )


def test_a_unit_of_work_is_kept_whole_or_not_at_all(database):
    with pytest.raises(IntegrityError), session() as db:
        Stores(db).add("Kept?", {"fields": []})
        db.connection().execute(text("insert into categories (store_id, path) values (99, 'x')"))
    with session() as db:
        assert Stores(db).all() == []


def test_driver_errors_are_translated_once(database, monkeypatch):
    with pytest.raises(Conflict, match="being applied"), session() as db:
        db.connection().execute(text("set local lock_timeout = '50ms'"))
        with engine_for(database_url()).begin() as other:
            other.execute(text("lock table stores in access exclusive mode"))
            db.connection().execute(text("select * from stores"))
    monkeypatch.setenv("NOMOTAX_DATABASE_URL", f"postgresql://postgres@127.0.0.1:{free_port()}/x")
    with pytest.raises(DatabaseUnavailable) as lost, session() as db:
        Stores(db).all()
    assert lost.value.remedy and "refused" in lost.value.where
    monkeypatch.delenv("NOMOTAX_DATABASE_URL")
    with pytest.raises(DatabaseUnavailable, match="No database is named"):
        database_url()


def test_frames_go_in_and_out_exactly(database):
    """Nulls, empty texts, quotes, line breaks and digits survive COPY."""
    values = [None, "", 'q"t,', "x\ny", "1e5", "\x01,\x01\x01"]
    frame = pl.DataFrame({"k": ["a", "b", "c", "d", "007", '"'], "v": values})
    told = []
    with session() as db:
        db.connection().execute(text("create table bulk (k text, v text)"))
        copy_frame(db, "bulk", frame, told.append)
    back = read_query("select k, v from bulk", {"k": pl.String, "v": pl.String})
    assert back.equals(frame) and told == [6]
    none = read_query("select k, v from bulk where false", {"k": pl.String, "v": pl.String})
    assert none.height == 0 and none.columns == ["k", "v"]


def test_fields_of_any_name_come_out_of_a_catalog(database):
    """A name may be as long as one of PostgreSQL's, and stand beside one that begins like it."""
    names = ["n" * 62 + end for end in "ab"]
    content = {name: f"'{name[-1]}\n\"" for name in names}
    with session() as db:
        store = Stores(db).add("Shop", {"fields": []}).id
        run = Runs(db, store).add(kind="edit", status="applied")
        rows = [
            (key, "", "", "", json.dumps(content if key == "k" else {}), state,
             Feeds(db, store).supplier_named("S").id)
            for key, state in (("k", "live"), ("gone", "out"))
        ]  # fmt: skip
        columns = ["key", "title", "category", "variant_group", "content", "state", "supplier_id"]
        made = pl.DataFrame(rows, schema=columns, orient="row")
        Changes(db, store, run.id).make(made, lambda done: None)
    told = ["k", "S", None, *content.values(), None]
    held = held_of(store, names).beside(pl.Series(["none", "k"]), names)
    assert list(held.row(1)) == ["S", None, None, *content.values()]
    assert products_of(store, names, ["k"]).rows() == [tuple(told)]
    by_key = pl.concat(products_by_key(store, names))
    assert by_key["key"].to_list() == ["gone", "k"] and list(by_key.row(1)) == told
    assert taken_out(store, names)["key"].to_list() == ["gone"]


def test_an_empty_catalog_has_its_columns(database):
    assert products_of(1, ["sku", "price"]).columns == [
        "key", "__owner", "__moved_by", "old:sku", "old:price", "$state"
    ]  # fmt: skip


def test_a_cluster_stops_starts_and_keeps_its_data(database, cluster):
    with session() as db:
        Stores(db).add("Stays", {"fields": []})
    cluster.stop()
    assert not cluster.running()
    cluster.start()
    with session() as db:
        assert [s.name for s in Stores(db).all()] == ["Stays"]


def test_the_cluster_lives_where_its_user_can_reach_it(tmp_path):
    """Under a folder that only root may enter, it moves out; elsewhere it stays at home."""
    closed = tmp_path / "closed" / "var"
    closed.mkdir(parents=True)
    closed.parent.chmod(0o700)
    assert cluster_folder(closed) != closed / "pg"
    assert cluster_folder(closed) == cluster_folder(closed)
    assert Cluster(closed, 5).url == "postgresql://postgres:@127.0.0.1:5/nomotax"
