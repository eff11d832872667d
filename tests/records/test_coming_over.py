"""A database of an earlier version, with two weeks of the demo applied and one taken back, comes
over with its history (``make_history.py`` made it)."""

from __future__ import annotations

import gzip
import subprocess
from pathlib import Path

import pytest
from sqlalchemy import text
from sqlmodel import select

from nomotax.core.crosswalk.model import Bundle
from nomotax.core.crosswalk.saved import KINDS
from nomotax.flows.applying import apply, request_apply
from nomotax.flows.product import product_detail
from nomotax.flows.runs import prepare
from nomotax.flows.undoing import start_undo
from nomotax.records.catalog import Catalog
from nomotax.records.columns import Actor
from nomotax.records.crosswalks import Crosswalks
from nomotax.records.database import engine_for, migrate, session
from nomotax.records.lookups import LookupsRepository
from nomotax.records.runs import Runs
from tests.conftest import _administer

OLD = Path(__file__).parent / "data" / "history-0009.sql.gz"
#: The runs of the history: the second was taken back, the third is it again.
FIRST, SECOND, THIRD = 1, 2, 3


KIND = {kind.name: kind for kind in KINDS}
#: Versions by their numbers, look-ups by kind and name, and what was said of their changes.
LOOKED_UP: list = []


def _remember(connection):
    def rows(query):
        return connection.execute(text(query)).all()

    versions = rows("select number, bundle from crosswalk_versions where feed_id = 1")
    saved = {(r.kind, r.name): r.document for r in rows("select * from lookups")}
    told = {key: [] for key in saved}
    for row in rows("select kind, name, said from lookup_changes order by id desc"):
        told[row.kind, row.name].append(row.said)
    (draft,) = rows("select draft from feeds where id = 1")
    LOOKED_UP[:] = [dict(map(tuple, versions)), {**saved, "draft": draft[0]}, told]


@pytest.fixture
def before(place):
    """The old database; gives what its history said: run, key, before and after, in order."""
    engine_for(place.url).dispose()
    _administer(place, "drop database if exists nomotax with (force)", "create database nomotax")
    psql = next(iter(sorted(Path("/usr/lib/postgresql").glob("*/bin/psql"))))
    command = [psql, "--quiet", "--set=ON_ERROR_STOP=1", place.url]
    subprocess.run(command, input=gzip.decompress(OLD.read_bytes()), check=True,
                   stdout=subprocess.DEVNULL)  # fmt: skip
    with engine_for(place.url).connect() as connection:
        _remember(connection)
        rows = connection.execute(
            text("select run_id, key, before, after from product_changes order by id")
        ).all()
        catalog = connection.execute(text("select key, content from products")).all()
        connection.execute(
            text(
                "insert into kept_values (store_id, key, field, author, at) values "
                "(1, :key, 'price', 'Ines', now()), (1, 'never there', 'price', '', now())"
            ),
            {"key": catalog[0][0]},
        )
        connection.commit()
    migrate()
    return [tuple(row) for row in rows], dict(tuple(row) for row in catalog)


def catalog_now():
    with session() as db:
        found = db.connection().execute(text("select key, content from products"))
        return dict(tuple(row) for row in found)


def taken_back(run):
    """Takes a run back; gives the run that did."""
    made = start_undo(run).id
    prepare(made)
    request_apply(made)
    apply(made)
    with session() as db:
        return Runs.holding(db, made).get(made)


def differing(old, new):
    keys = sorted({*old, *new})
    return [(f, old.get(f), new.get(f)) for f in keys if old.get(f) != new.get(f)]


def test_look_ups_are_entries_and_revisions_and_versions_refer_to_them(before):
    """Each version is what it was, look-ups and all; what people had changed is still told."""
    old, saved, told = LOOKED_UP
    with session() as db:
        walks, lookups = Crosswalks(db, 1), LookupsRepository(db, 1)
        record = walks.from_feed(1)
        for version in walks.versions(record):
            kept = Bundle.model_validate(old[version.number])
            now = walks.bundle(version)
            assert now.crosswalk == kept.crosswalk and now.facts == kept.facts
            assert now.lookups() == kept.lookups()
        assert record.draft == saved.pop("draft")
        held = lookups.now()
        for (kind, name), document in saved.items():
            one = getattr(held.lookups, KIND[kind].where)[name]
            assert one == KIND[kind].model.model_validate(document)
            lines = [change.said for change in lookups.changes(kind, name)]
            assert lines[: len(told[kind, name])] == told[kind, name] or not told[kind, name]
        assert {a.name for a in db.exec(select(Actor))} == {"Ines"}


def test_the_history_of_every_kind_of_product_is_the_same(before):
    rows, catalog = before
    assert catalog_now() == catalog
    with session() as db:
        assert {Runs.holding(db, n).get(n).store_id for n in (FIRST, SECOND, THIRD)} == {1}
        assert Runs.holding(db, SECOND).get(SECOND).status == "undone"
    told = {}
    for run, key, old, new in rows:
        told.setdefault(key, []).append((run, old, new))
    made, changed = set(), set()
    for key in sorted(told)[::25]:
        if key not in catalog:
            continue
        shown = product_detail(1, key).history[::-1]
        creations = [h for h in shown if h.kind == "new"]
        others = [
            (h.run_id, h.undone_by is not None, [(c.field, c.before, c.after) for c in h.changes])
            for h in shown
            if h.kind == "changed"
        ]
        wanted = [(run, run == SECOND, differing(old, new)) for run, old, new in told[key] if old]
        assert others == [one for one in wanted if one[2]]
        first = [(run, new) for run, old, new in told[key] if old is None and run != SECOND]
        assert [h.run_id for h in creations] == [run for run, _ in first[-1:]]
        for entry, (_, content) in zip(creations, first[-1:], strict=True):
            assert {c.field: c.after for c in entry.changes} == content
            made.add(key)
        changed |= {key} if others else set()
    assert len(made) > 20 and len(changed) > 5


def test_values_come_from_the_run_that_wrote_them_last_and_stands(before):
    rows, catalog = before
    wrote = {}
    for run, key, old, new in rows:
        if run != SECOND and key in catalog:
            wrote |= {(key, f): run for f, _, _ in differing(old or {}, new)}
    with session() as db:
        asked = sorted(wrote)[::97]
        assert {one: Catalog(db, 1).writer(*one) for one in asked} == {
            one: wrote[one] for one in asked
        }
    assert set(wrote.values()) == {FIRST, THIRD}


def test_runs_of_before_can_still_be_taken_back(before):
    rows, catalog = before
    taken_back(THIRD)
    expected = dict(catalog)
    for run, key, old, _ in rows:
        if run == THIRD:
            expected[key] = old
    assert catalog_now() == {k: c for k, c in expected.items() if c is not None}
    undo = taken_back(FIRST)
    for run, key, old, _ in rows:
        if run == FIRST:
            expected[key] = old
    assert catalog_now() == {k: c for k, c in expected.items() if c is not None}
    assert undo.counts["stays"] == 0 and undo.counts["taken out"] > 800


def test_states_kept_values_and_snapshots_begin_where_the_old_catalog_stands(before):
    from nomotax.flows.restoring import start_restore
    from nomotax.flows.snapshots import request_snapshot, take_queued

    _, catalog = before
    snapshot = request_snapshot(1).id
    take_queued(snapshot)
    taken_back(THIRD)
    assert catalog_now() != catalog
    run = start_restore(snapshot).id
    prepare(run)
    request_apply(run)
    apply(run)
    assert catalog_now() == catalog
    with session() as db:
        assert Catalog(db, 1).kept() == {"price": [next(iter(catalog))]}
        states = db.connection().execute(text("select distinct state from products"))
        assert [tuple(row) for row in states] == [("live",)]
