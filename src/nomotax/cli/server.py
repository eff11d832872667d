"""Server commands: ``up``, ``down``, ``worker``, ``stand-ins``, ``migrate``, ``documents``."""

from __future__ import annotations

import json
import os
import sys
import time
import urllib.request
from pathlib import Path
from typing import TYPE_CHECKING
from urllib.error import URLError

import click

from nomotax.cli.home import Home, home, join_home
from nomotax.core.errors import NomotaxError
from nomotax.demo.outside.layout import FOLDER
from nomotax.records.postgres import Cluster, cluster_folder
from nomotax.settings import settings

if TYPE_CHECKING:
    from nomotax.demo.outside.stand_ins import StandIns

_DEFAULT_PORT = 8420
_PATIENCE = 60.0
_PROGRAM = (sys.executable, "-m", "nomotax.cli.main")
#: The workers that are started, each with what it does: a look never holds up a run, and a file is
#: read by whichever has time. A host that is slow holds up fetches alone.
_WORKERS = {
    "worker": ("runs", "reads"), "fetcher": ("fetches",), "looker": ("looks", "reads"),
}  # fmt: skip
_QUEUES = ["runs", "reads", "fetches", "looks"]


@click.command()
@click.option("--port", type=int, help=f"Web port ({_DEFAULT_PORT} by default).")
def up(port: int | None) -> None:
    """Start database, worker and web server with the demo store; print the address."""
    place = home()
    env = start_database(place)
    os.environ.update(env)
    from nomotax.demo.load import load_demo
    from nomotax.records.database import migrate

    migrate()
    web_port = port or place.port("web", _DEFAULT_PORT)
    outside = _stand_ins(place)
    # The demo's bank is a stand-in on the web server, its suppliers on servers of their own.
    inside = ",".join([f"127.0.0.1:{web_port}", *outside.addresses])
    env["NOMOTAX_FETCH_INSIDE"] = settings().fetch_inside or inside
    env["NOMOTAX_STAND_INS"] = str(outside.root)
    env["NOMOTAX_SMTP"] = settings().smtp or f"smtp://127.0.0.1:{outside.ports.smtp}"
    env["NOMOTAX_ADDRESS"] = os.environ.get("NOMOTAX_ADDRESS", f"http://127.0.0.1:{web_port}")
    env["NOMOTAX_FOLDERS"] = settings().folders or str(outside.root / FOLDER)
    os.environ.update(env)
    place.keep(env)
    if not place.running("stand-ins"):
        place.spawn("stand-ins", [*_PROGRAM, "stand-ins"], env)
    if load_demo(outside=outside) is not None:
        click.echo("The demo store is loaded.")
    for name, queues in _WORKERS.items():
        if not place.running(name):
            asked = [word for queue in queues for word in ("--queue", queue)]
            place.spawn(name, [*_PROGRAM, "worker", *asked], env)
    if not place.running("web"):
        place.spawn("web", _gunicorn(web_port), env)
    address = f"http://127.0.0.1:{web_port}"
    _wait_for(f"{address}/api/v1/health", place)
    click.echo(f"Nomotax is running: {address}")


def _stand_ins(place: Home) -> StandIns:
    """The demo's suppliers, on ports that stay the same."""
    from nomotax.demo.outside.layout import Ports
    from nomotax.demo.outside.sftp import host_key
    from nomotax.demo.outside.stand_ins import StandIns

    root = place.folder / "outside"
    root.mkdir(exist_ok=True)
    key = host_key(root / "host-key").get_fingerprint()
    wanted = {"web": 8430, "ftp": 8431, "sftp": 8432, "mail": 8433, "smtp": 8434}
    own = {name: place.port(f"stand-in-{name}", port) for name, port in wanted.items()}
    made = StandIns(root, Ports(**own, host_key=key))
    made.keep()
    return made


@click.command("stand-ins")
def stand_ins() -> None:
    """Be the demo's suppliers on loopback, until stopped."""
    from nomotax.demo.outside.run import run
    from nomotax.demo.outside.stand_ins import StandIns

    found = StandIns.running()
    if found is None:
        raise NomotaxError("No folder of stand-ins is named.", where="NOMOTAX_STAND_INS")
    run(found.root, found.ports)


def start_database(place: Home) -> dict[str, str]:
    """Start the database of an installation where none is named; gives the environment that says
    where its records, artifacts and key are."""
    own = {
        "NOMOTAX_ARTIFACTS": str(place.folder / "artifacts"),
        "NOMOTAX_SECRET_FILE": str(place.folder / "secret.key"),
    }
    env = {name: os.environ.get(name) or kept for name, kept in own.items()}
    url = settings().database_url
    if not url:
        cluster = _cluster(place)
        cluster.start()
        url = cluster.url
    return env | {"NOMOTAX_DATABASE_URL": url}


def _cluster(place: Home) -> Cluster:
    return Cluster(cluster_folder(place.folder), place.port("pg", 54320))


def _gunicorn(port: int) -> list[str]:
    return [
        sys.executable, "-m", "gunicorn", "--threads", "8", "--workers", "1", "--timeout", "300",
        "--bind", f"127.0.0.1:{port}", "--name", "nomotax", "nomotax.api.app:served_app()",
    ]  # fmt: skip


def _wait_for(address: str, place: Home) -> None:
    deadline = time.monotonic() + _PATIENCE
    while time.monotonic() < deadline:
        try:
            with urllib.request.urlopen(address, timeout=5):
                return
        except (URLError, ConnectionError, TimeoutError):
            time.sleep(0.15)
    raise NomotaxError(
        "The web server does not answer.", where=str(place.folder / "web.log"),
        remedy="Read that log; stop with `make stop` and start again.",
    )  # fmt: skip


@click.command()
def down() -> None:
    """Stop everything that ``up`` started."""
    place = home()
    stopped = [name for name in ("web", *_WORKERS, "stand-ins") if place.stop(name)]
    if not settings().database_url:
        cluster = _cluster(place)
        if cluster.data.exists() and cluster.running():
            cluster.stop()
            stopped.append("database")
    click.echo(f"stopped: {', '.join(stopped)}" if stopped else "nothing was running")


@click.command()
@click.option("--concurrency", type=click.IntRange(1, 16), default=1, show_default=True)
@click.option("--until-empty", is_flag=True, help="End when no job is left.")
@click.option(
    "--queue", "queues", multiple=True, type=click.Choice(_QUEUES),
    help="Work of these kinds alone: runs, files to be read, fetches, looks for suggestions.",
)  # fmt: skip
def worker(concurrency: int, until_empty: bool, queues: tuple[str, ...]) -> None:
    """Do background work until stopped. Start more of these for more throughput."""
    from nomotax.jobs.app import run_worker

    join_home()
    chosen = queues or tuple(_QUEUES)
    run_worker(wait=not until_empty, concurrency=concurrency, queues=chosen)


@click.command()
def migrate() -> None:
    """Bring the database to the newest version."""
    from nomotax.records.database import migrate as run

    join_home()
    run()


@click.command()
@click.argument("folder", type=click.Path(path_type=Path))
def documents(folder: Path) -> None:
    """Write the API description and the crosswalk's JSON Schema into FOLDER."""
    from nomotax.api.app import create_app
    from nomotax.core.crosswalk.model import Bundle

    schema = Bundle.model_json_schema()
    schema = {"$schema": "https://json-schema.org/draft/2020-12/schema", **schema}
    for name, document in (
        ("openapi.json", create_app().api_doc),
        ("crosswalk.schema.json", schema),
    ):
        text = json.dumps(document, indent=1, ensure_ascii=False)
        (folder / name).write_text(text + "\n", encoding="utf-8")


COMMANDS = (up, down, worker, stand_ins, migrate, documents)
