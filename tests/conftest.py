"""A private PostgreSQL for the whole session, and a fresh demo store for each test that asks."""

from __future__ import annotations

import os
import shutil
import tempfile
from pathlib import Path

import pytest
from hypothesis import settings

from nomotax.demo.load import DATA
from nomotax.flows.map_file import load_bundle, load_schema


@pytest.fixture(scope="session")
def bundle():
    """Quarrow's crosswalk as shipped."""
    return load_bundle(DATA / "quarrow-crosswalk.json")


@pytest.fixture(scope="session")
def schema():
    """Ostrelle's product schema as shipped."""
    return load_schema(DATA / "store-schema.json")


@pytest.fixture(scope="session")
def cluster():
    """A real PostgreSQL on a free port; stopped and removed at the end."""
    from nomotax.records.postgres import Cluster, free_port

    # Under /tmp, since the server runs as another user than root and must reach its folder.
    folder = Path(tempfile.mkdtemp(prefix="nomotax-test-"))
    folder.chmod(0o755)
    server = Cluster(folder / "pg", free_port())
    server.start()
    yield server
    server.stop("immediate")
    shutil.rmtree(folder, ignore_errors=True)


@pytest.fixture
def database(cluster, tmp_path, monkeypatch):
    """An empty, migrated database and an empty artifact store."""
    from sqlalchemy import text

    from nomotax.jobs.app import _queue
    from nomotax.records.database import engine_for, migrate

    monkeypatch.setenv("NOMOTAX_DATABASE_URL", cluster.url)
    monkeypatch.setenv("NOMOTAX_ARTIFACTS", str(tmp_path / "artifacts"))
    # The queue's connections remember types of the schema that is dropped here.
    if _queue.cache_info().currsize:
        _queue(cluster.url).close()
        _queue.cache_clear()
    with engine_for(cluster.url).begin() as connection:
        connection.execute(text("drop schema public cascade; create schema public"))
    migrate()
    return cluster


@pytest.fixture
def suppliers():
    """Whose first delivery waits in the demo store: one is enough for most tests, and quick."""
    from nomotax.demo.load import SUPPLIER

    return [SUPPLIER]


@pytest.fixture
def demo(database, suppliers):
    """The demo store with the first delivery waiting; gives the store's id."""
    from nomotax.demo.load import load_demo

    return load_demo(suppliers)


@pytest.fixture
def client(demo):
    """A client of the API over the demo store."""
    from nomotax.api.app import create_app

    return create_app().test_client()


@pytest.fixture
def work():
    """Runs the queue until it is empty, as a worker would."""
    from nomotax.jobs.app import run_worker

    return lambda: run_worker(wait=False)


os.environ.setdefault("POLARS_MAX_THREADS", "2")
# The first example of a property loads what it tests; how long that takes says nothing.
settings.register_profile("ours", deadline=None)
settings.load_profile("ours")
