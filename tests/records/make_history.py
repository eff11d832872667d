"""Makes ``data/history-0009.sql.gz``: the demo as the version before changes were kept field by
field left it, with two weeks applied, one of them taken back, and the second week applied again.

It goes through the API alone, so that it ran on that version: there, ``python -m
tests.records.make_history FILE`` with the tests of this one beside.
"""

from __future__ import annotations

import gzip
import os
import subprocess
import sys
import tempfile
from pathlib import Path


def history(client, work) -> None:
    """Two weeks of Quarrow: the first applied, the second applied, undone, applied again."""
    from tests.api.test_path import BUNDLE, send

    def applied() -> int:
        run = send(client, "post", "/feeds/1/runs", status=201)["id"]
        work()
        send(client, "post", f"/runs/{run}/apply", status=202)
        work()
        return run

    send(client, "put", "/feeds/1/crosswalk", BUNDLE)
    applied()
    send(client, "post", "/demo/feeds/1/next", status=201)
    second = applied()
    send(client, "post", f"/runs/{second}/undo", status=202)
    work()
    applied()


def main(out: Path) -> None:
    """Write the dump."""
    folder = Path(tempfile.mkdtemp(prefix="nomotax-history-"))
    folder.chmod(0o755)
    os.environ["NOMOTAX_ARTIFACTS"] = str(folder / "artifacts")
    os.environ["NOMOTAX_SECRET_FILE"] = str(folder / "secret.key")
    from nomotax.api.app import create_app
    from nomotax.demo.load import SUPPLIER, load_demo
    from nomotax.jobs.app import run_worker
    from nomotax.records.database import migrate
    from nomotax.records.postgres import Cluster, free_port

    server = Cluster(folder / "pg", free_port())
    server.start()
    os.environ["NOMOTAX_DATABASE_URL"] = server.url
    try:
        migrate()
        load_demo([SUPPLIER])
        history(create_app().test_client(), lambda: run_worker(wait=False, queues=("runs",)))
        dump = subprocess.run(
            ["pg_dump", "--no-owner", server.url], check=True, capture_output=True
        ).stdout
        out.write_bytes(gzip.compress(dump, 9, mtime=0))
    finally:
        server.stop("immediate")


if __name__ == "__main__":
    main(Path(sys.argv[1]))
