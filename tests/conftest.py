"""A private PostgreSQL for the whole session, and a fresh demo store for each test that asks."""

from __future__ import annotations

import shutil
import tempfile
from collections.abc import Callable
from copy import deepcopy
from pathlib import Path
from typing import Any

import psycopg
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
    # What a test writes need not outlive a power cut of the machine.
    _administer(server, "alter system set fsync = off", "select pg_reload_conf()")
    yield server
    server.stop("immediate")
    shutil.rmtree(folder, ignore_errors=True)


def _administer(server, *statements: str) -> None:
    """Run statements about whole databases, from outside the one that is used."""
    with psycopg.connect(server.url.replace("/nomotax", "/postgres"), autocommit=True) as admin:
        for statement in statements:
            admin.execute(statement)


def _copy_database(server, source: str, target: str) -> None:
    from nomotax.records.database import engine_for

    engine_for(server.url).dispose()
    _administer(
        server,
        f"drop database if exists {target} with (force)",
        f"select pg_terminate_backend(pid) from pg_stat_activity where datname = '{source}'",
        f"create database {target} template {source}",
    )


@pytest.fixture(scope="session")
def migrated(cluster):
    """The name of a migrated database without a record, to be copied."""
    from nomotax.records.database import engine_for, migrate

    # Tests that came before may have left something in it.
    engine_for(cluster.url).dispose()
    _administer(
        cluster,
        "drop database if exists nomotax with (force)",
        "create database nomotax",
    )
    with pytest.MonkeyPatch.context() as patch:
        patch.setenv("NOMOTAX_DATABASE_URL", cluster.url)
        patch.setenv("NOMOTAX_SECRET_FILE", str(cluster.folder / "secret.key"))
        migrate()
    _copy_database(cluster, "nomotax", "migrated")
    return "migrated"


@pytest.fixture
def place(cluster, tmp_path, monkeypatch):
    """Where the records, artifacts and secrets of one test are kept; no database is there yet."""
    monkeypatch.setenv("NOMOTAX_DATABASE_URL", cluster.url)
    monkeypatch.setenv("NOMOTAX_ARTIFACTS", str(tmp_path / "artifacts"))
    monkeypatch.setenv("NOMOTAX_SECRET_FILE", str(tmp_path / "secret.key"))
    return cluster


@pytest.fixture
def database(place, migrated):
    """An empty, migrated database and an empty artifact store."""
    _copy_database(place, migrated, "nomotax")
    return place


@pytest.fixture
def suppliers():
    """Whose first delivery waits in the demo store: one is enough for most tests, and quick."""
    from nomotax.demo.load import SUPPLIER

    return [SUPPLIER]


@pytest.fixture(scope="session")
def made():
    """The states of records that tests began with so far: what they gave, the name of the copy of
    the database, and the copy of the artifacts."""
    return {}


@pytest.fixture
def begin(place, made, tmp_path, tmp_path_factory):
    """Builds what many tests begin with once, and copies it for each: ``begin(key, build)`` gives
    what ``build`` gave, with the records and artifacts as they were after it."""
    artifacts = tmp_path / "artifacts"

    def restored_or_built(key: object, build: Callable[[], Any]) -> Any:
        if key not in made:
            given, copy, files = build(), f"made{len(made)}", tmp_path_factory.mktemp("made")
            _copy_database(place, "nomotax", copy)
            shutil.copytree(artifacts, files, dirs_exist_ok=True)
            made[key] = given, copy, files
            return deepcopy(given)
        given, copy, files = made[key]
        _copy_database(place, copy, "nomotax")
        shutil.rmtree(artifacts, ignore_errors=True)
        shutil.copytree(files, artifacts)
        return deepcopy(given)

    return restored_or_built


@pytest.fixture
def demo(place, migrated, suppliers, begin):
    """The demo store with the first delivery waiting; gives the store's id."""
    from nomotax.demo.load import load_demo

    def load() -> int:
        _copy_database(place, migrated, "nomotax")
        return load_demo(suppliers)

    return begin(tuple(suppliers), load)


@pytest.fixture
def once(begin, suppliers):
    """Decorates a function of a fixture that is to be done once for all tests that ask for it, in
    the demo store: in its place stands what it gave."""
    return lambda build: begin((build.__module__, build.__qualname__, *suppliers), build)


@pytest.fixture(scope="session")
def app():
    """The API; it keeps nothing of its own between requests."""
    from nomotax.api.app import create_app

    return create_app()


@pytest.fixture
def client(demo, app, monkeypatch):
    """A client of the API over the demo store; what is sent is read as a worker that has nothing
    else to do would."""
    from nomotax.flows import receive

    def at_once(delivery):
        small = delivery.size <= receive.AT_ONCE
        return receive.read_queued(delivery.id) if small else delivery

    monkeypatch.setattr(receive, "awaited", at_once)
    return app.test_client()


@pytest.fixture
def work():
    """Runs the queue until it is empty, as a worker would."""
    from nomotax.jobs.app import run_worker
    from nomotax.records.queue import FETCHES, READS, RUNS

    return lambda: run_worker(wait=False, queues=(RUNS, READS, FETCHES))


@pytest.fixture
def look():
    """Has all looked at that suggestions wait for, as the worker for that would."""
    from nomotax.jobs.app import run_worker
    from nomotax.records.queue import LOOKS

    return lambda: run_worker(wait=False, queues=(LOOKS,))


# The first example of a property loads what it tests; how long that takes says nothing. Each run
# draws other examples, so that few at a time come to many.
settings.register_profile("ours", deadline=None, max_examples=50)
settings.load_profile("ours")
