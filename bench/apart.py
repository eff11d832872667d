"""Machines of their own for workers: each with a share of a processor, and in a network namespace,
from which it reaches the database and a stand-in for a bucket, and nothing else. For root alone."""

from __future__ import annotations

import asyncio
import os
import subprocess
import sys
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, replace
from pathlib import Path

import boto3

from nomotax.records.postgres import free_port

_KEY = {"AWS_ACCESS_KEY_ID": "bench", "AWS_SECRET_ACCESS_KEY": "bench",
        "AWS_DEFAULT_REGION": "eu-west-1"}  # fmt: skip
_BUCKET = "artifacts"


@dataclass(frozen=True)
class Machine:
    """Where a worker runs: the command that leads there, and what its surroundings are."""

    enter: tuple[str, ...] = ()
    environment: tuple[tuple[str, str], ...] = ()


#: Microseconds after which what a machine may use of its processor begins anew.
_PERIOD = 100_000
#: Enters a control group, then runs what comes after it.
_ENTER = ("sh", "-c", 'echo $$ > "$0"; exec "$@"')


@contextmanager
def with_processors(where: Sequence[Machine], share: float) -> Iterator[list[Machine]]:
    """The machines, each with so much of a processor and no more (Linux control groups): a second
    one brings as much power as the first, which is not so of two processes that share what the
    database leaves them."""
    made: list[Path] = []
    try:
        for n in range(len(where)):
            made.append(_group(f"nomotax-bench-{n}", int(share * _PERIOD)))
        yield [
            replace(one, enter=(*_ENTER, str(group / "cgroup.procs"), *one.enter))
            for one, group in zip(where, made, strict=True)
        ]
    finally:
        for group in made:
            group.rmdir()


def _group(name: str, quota: int) -> Path:
    root = Path("/sys/fs/cgroup")
    if (root / "cpu").is_dir():
        group = root / "cpu" / name
        group.mkdir(exist_ok=True)
        (group / "cpu.cfs_period_us").write_text(str(_PERIOD))
        (group / "cpu.cfs_quota_us").write_text(str(quota))
        return group
    (root / "cgroup.subtree_control").write_text("+cpu")
    group = root / name
    group.mkdir(exist_ok=True)
    (group / "cpu.max").write_text(f"{quota} {_PERIOD}")
    return group


@contextmanager
def bucket() -> Iterator[int]:
    """A server that speaks as S3 does, with a bucket that this process keeps its artifacts in from
    now on; gives its port."""
    port = free_port()
    command = [sys.executable, "-m", "moto.server", "-H", "0.0.0.0", "-p", str(port)]
    server = subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    try:
        _wait_for(port)
        os.environ |= _KEY | {"AWS_ENDPOINT_URL": f"http://127.0.0.1:{port}"}
        boto3.client("s3").create_bucket(
            Bucket=_BUCKET, CreateBucketConfiguration={"LocationConstraint": "eu-west-1"}
        )
        os.environ["NOMOTAX_ARTIFACTS"] = f"s3://{_BUCKET}"
        yield port
    finally:
        server.terminate()
        server.wait(10)


def _wait_for(port: int) -> None:
    async def reach() -> None:
        while True:
            try:
                _, writer = await asyncio.open_connection("127.0.0.1", port)
            except OSError:
                await asyncio.sleep(0.05)
                continue
            writer.close()
            return

    asyncio.run(asyncio.wait_for(reach(), 30))


@contextmanager
def machines(many: int, folder: Path, bucket_port: int) -> Iterator[list[Machine]]:
    """So many machines, each on a network of its own."""
    url = os.environ["NOMOTAX_DATABASE_URL"]
    server, port = url.rsplit("@", 1)[1].split("/")[0], free_port()
    relay = subprocess.Popen([sys.executable, "-m", "bench.apart", str(port), server])
    made: list[Machine] = []
    try:
        for n in range(1, many + 1):
            _connect(n)
            host = f"10.177.{n}.1"
            own = {
                "NOMOTAX_DATABASE_URL": url.replace(server, f"{host}:{port}"),
                "AWS_ENDPOINT_URL": f"http://{host}:{bucket_port}",
                "NOMOTAX_NEARBY": str(folder / f"nearby-{n}"),
            }
            made.append(Machine(("ip", "netns", "exec", _name(n)), tuple(own.items())))
        yield made
    finally:
        for n in range(1, many + 1):
            subprocess.run(["ip", "netns", "del", _name(n)], check=False)
        relay.terminate()
        relay.wait(10)


def _name(n: int) -> str:
    return f"nomotax-bench-{n}"


def _connect(n: int) -> None:
    """A namespace and a cable to it."""
    name, here, there = _name(n), f"nmxb{n}", f"nmxc{n}"
    inside = ["netns", "exec", name, "ip"]
    for words in (
        ["netns", "add", name],
        ["link", "add", here, "type", "veth", "peer", "name", there],
        ["link", "set", there, "netns", name],
        ["addr", "add", f"10.177.{n}.1/24", "dev", here],
        ["link", "set", here, "up"],
        [*inside, "addr", "add", f"10.177.{n}.2/24", "dev", there],
        [*inside, "link", "set", there, "up"],
        [*inside, "link", "set", "lo", "up"],
    ):
        subprocess.run(["ip", *words], check=True)


async def _relay(port: int, server: str) -> None:
    """Pass on what comes on a port to a server that only this machine reaches."""
    host, _, at = server.partition(":")

    async def pipe(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        try:
            while data := await reader.read(1 << 16):
                writer.write(data)
                await writer.drain()
        except OSError:
            pass
        finally:
            writer.close()

    async def accept(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        own, theirs = await asyncio.open_connection(host, int(at))
        await asyncio.gather(pipe(reader, theirs), pipe(own, writer))

    served = await asyncio.start_server(accept, "0.0.0.0", port)
    await served.serve_forever()


if __name__ == "__main__":
    asyncio.run(_relay(int(sys.argv[1]), sys.argv[2]))
