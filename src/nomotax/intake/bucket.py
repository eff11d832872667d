"""Objects of a bucket that speaks the S3 protocol, by fsspec."""

from __future__ import annotations

import asyncio
import socket
from collections.abc import Sequence
from datetime import datetime
from typing import Any
from urllib.parse import urlsplit

import fsspec
from aiohttp.abc import AbstractResolver, ResolveResult
from botocore.exceptions import BotoCoreError, ClientError, NoCredentialsError

from nomotax.intake.failures import FetchFailed, PassingFailure
from nomotax.intake.model import BucketSource
from nomotax.intake.naming import Found, matching, on_days
from nomotax.intake.outside import PATIENCE, addresses_of, reason
from nomotax.intake.place import Asked
from nomotax.intake.spool import Spool

_PIECE = 1 << 20
_PUBLIC = "s3.amazonaws.com"


class _Outside(AbstractResolver):
    """Finds addresses outside our own network only; what it finds is what is asked."""

    async def resolve(
        self, host: str, port: int = 0, family: socket.AddressFamily = socket.AF_UNSPEC
    ) -> list[ResolveResult]:
        found = await asyncio.to_thread(addresses_of, host, port)
        return [
            ResolveResult(
                hostname=host, host=one, port=port, proto=0, flags=socket.AI_NUMERICHOST,
                family=socket.AF_INET6 if ":" in one else socket.AF_INET,
            )
            for one in found
        ]  # fmt: skip

    async def close(self) -> None:
        """Nothing is open."""


class BucketPlace:
    """A part of a bucket. Without the id of a key it is asked as anybody may."""

    resumes = False

    def __init__(self, source: BucketSource, asked: Asked) -> None:
        self.source, self.today = source, asked.today
        end = urlsplit(source.endpoint or f"https://{_PUBLIC}")
        # An address that is written in numbers is never resolved: it is looked at here.
        addresses_of(end.hostname or "", end.port or (443 if end.scheme == "https" else 80))
        self._fs = fsspec.filesystem(
            "s3", skip_instance_cache=True, use_listings_cache=False, anon=not source.user,
            key=source.user or None, secret=asked.secrets.get("password") or None,
            endpoint_url=source.endpoint or None,
            client_kwargs={"region_name": source.region or None},
            config_kwargs={
                "connect_timeout": PATIENCE, "read_timeout": PATIENCE,
                "retries": {"max_attempts": 1}, "connector_args": {"resolver": _Outside()},
            },
        )  # fmt: skip

    def close(self) -> None:
        """The driver keeps connections of its own, and lets go of them."""

    def again(self) -> None:
        """There is no connection that lasts."""

    def look(self) -> Sequence[Found]:
        patterns = list(on_days(self.source.names, self.today, self.source.days_back))
        folder = "/".join(p for p in (self.source.bucket, self.source.folder.strip("/")) if p)
        try:
            listed = self._fs.ls(folder, detail=True)
        except Exception as error:
            raise self._translated(error) from error
        return matching([_found(o) for o in listed if o["type"] == "file"], patterns)

    def take(self, found: Found, spool: Spool, known: str = "") -> Found | None:
        if known and known == found.mark:
            return None
        spool.restart()
        spool.expect(found.size)
        try:
            with self._fs.open(found.where, "rb", block_size=_PIECE, cache_type="none") as stream:
                while piece := stream.read(_PIECE):
                    spool.write(piece)
        except (BotoCoreError, ClientError, OSError) as error:
            raise self._translated(error) from error
        return found

    def _translated(self, error: Exception) -> Exception:
        where = f"s3://{self.source.bucket}/{self.source.folder}"
        match error:
            case FetchFailed():
                return error
            case FileNotFoundError():
                return FetchFailed(
                    "There is no such bucket or folder.", where=where,
                    remedy="Check the name of the bucket and what its names begin with.",
                )  # fmt: skip
            case PermissionError() | NoCredentialsError():
                return FetchFailed(
                    "The bucket does not let this key in.", where=where,
                    remedy="Check the key's id and its secret, and what they may read.",
                )  # fmt: skip
            case BotoCoreError() | ClientError() | OSError():
                return PassingFailure(f"The bucket does not answer: {reason(error)}.", where=where)
            case _:
                return error


def _found(told: dict[str, Any]) -> Found:
    path = str(told["name"])
    modified = told.get("LastModified")
    return Found(
        path.rpartition("/")[2], path, told.get("size"),
        modified if isinstance(modified, datetime) else None, str(told.get("ETag", "")),
    )  # fmt: skip
