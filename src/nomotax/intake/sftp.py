"""Files of an SSH server whose own key is known (RFC 4251, SFTP version 3)."""

from __future__ import annotations

import asyncio
from collections.abc import Coroutine, Sequence
from datetime import UTC, datetime
from pathlib import PurePosixPath
from stat import S_ISLNK, S_ISREG
from typing import Any, TypeVar

import asyncssh

from nomotax.intake.failures import FetchFailed, PassingFailure, StrangeHost
from nomotax.intake.model import SftpSource
from nomotax.intake.naming import Found, matching, on_days
from nomotax.intake.outside import PATIENCE, connect, reason
from nomotax.intake.place import Asked
from nomotax.intake.spool import Spool

_PIECE = 1 << 18
#: So many pieces are asked for at once: the way there and back is waited for once.
_AHEAD = 8
T = TypeVar("T")


class _Client(asyncssh.SSHClient):
    """Takes the key of the host that is known, and no other."""

    def __init__(self, wanted: str) -> None:
        self.wanted, self.shown = wanted, ""

    def validate_host_public_key(
        self, host: str, addr: str, port: int, key: asyncssh.SSHKey
    ) -> bool:
        self.shown = key.get_fingerprint()
        return self.shown == self.wanted


def _bytes(piece: str | bytes) -> bytes:
    assert isinstance(piece, bytes), "files are opened for bytes"
    return piece


class SftpPlace:
    """A folder of an SSH server. The driver is asynchronous; each call runs until it is done."""

    resumes = True

    def __init__(self, source: SftpSource, asked: Asked) -> None:
        self.source, self.today, self.secrets = source, asked.today, asked.secrets
        self._loop = asyncio.new_event_loop()
        self._connection: asyncssh.SSHClientConnection | None = None
        try:
            self._sftp = self._run(self._open())
        except BaseException:
            self.close()
            raise

    def again(self) -> None:
        self._break_off()
        self._sftp = self._run(self._open())

    def close(self) -> None:
        self._break_off()
        self._loop.close()

    def _break_off(self) -> None:
        if self._connection is not None:
            self._connection.abort()
        # What the driver has under way is told that it is over.
        self._loop.run_until_complete(asyncio.sleep(0))

    async def _open(self) -> asyncssh.SFTPClient:
        source, client = self.source, _Client(self.source.host_key)
        key, phrase = self.secrets.get("key", ""), self.secrets.get("passphrase", "")
        try:
            keys = [asyncssh.import_private_key(key, phrase or None)] if key else None
        except (asyncssh.KeyImportError, asyncssh.KeyEncryptionError) as error:
            raise FetchFailed(
                f"The private key cannot be used: {error}.", where="private key",
                remedy="Give a key in OpenSSH or PEM form, with its passphrase.",
            ) from error  # fmt: skip
        sock = connect(source.host, source.port)
        try:
            self._connection = await asyncssh.connect(
                source.host, source.port, sock=sock, username=source.user,
                password=self.secrets.get("password") or None, client_keys=keys,
                client_factory=lambda: client, known_hosts=([], [], []), config=None,
                agent_path=None, login_timeout=PATIENCE, connect_timeout=PATIENCE,
                keepalive_interval=PATIENCE / 2,
            )  # fmt: skip
            return await asyncio.wait_for(self._client(self._connection), PATIENCE)
        except asyncssh.HostKeyNotVerifiable as error:
            raise self._strange(client.shown) from error
        except BaseException:
            sock.close()
            raise

    async def _client(self, connection: asyncssh.SSHClientConnection) -> asyncssh.SFTPClient:
        # A name that is no UTF-8 is one all the same.
        return await connection.start_sftp_client(path_errors="surrogateescape")

    def _strange(self, shown: str) -> StrangeHost:
        where = f"{self.source.host}:{self.source.port}"
        if not self.source.host_key:
            return StrangeHost(
                f"The host shows the key {shown}, which nobody has confirmed yet.", where=where,
                remedy="Compare it with what the supplier says, then trust it.", host_key=shown,
            )  # fmt: skip
        return StrangeHost(
            f"The host shows another key than the one that is trusted: {shown}.", where=where,
            remedy="Ask the supplier whether it was changed. If it was not, somebody stands "
            "between; no password was sent.",
            host_key=shown,
        )  # fmt: skip

    def look(self) -> Sequence[Found]:
        patterns = list(on_days(self.source.names, self.today, self.source.days_back))
        return matching(self._run(asyncio.wait_for(self._listed(), 2 * PATIENCE)), patterns)

    async def _listed(self) -> list[Found]:
        folder = self.source.folder or "."
        found = []
        async for entry in self._sftp.scandir(folder):
            attrs = entry.attrs
            name = str(entry.filename)
            if attrs.permissions is not None and S_ISLNK(attrs.permissions):
                attrs = await self._behind(folder, name) or attrs
            if attrs.permissions is not None and not S_ISREG(attrs.permissions):
                continue
            seconds = attrs.mtime
            modified = None if seconds is None else datetime.fromtimestamp(seconds, UTC)
            found.append(Found(name, str(PurePosixPath(folder) / name), attrs.size, modified))
        return found

    async def _behind(self, folder: str, name: str) -> asyncssh.SFTPAttrs | None:
        """What a link leads to, where that is within the folder: ``latest.csv``."""
        try:
            home = str(await self._sftp.realpath(folder)).rstrip("/")
            there = str(await self._sftp.realpath(str(PurePosixPath(folder) / name)))
            if not there.startswith(f"{home}/"):
                return None
            return await self._sftp.stat(there)
        except asyncssh.SFTPError:
            return None  # it leads nowhere

    def take(self, found: Found, spool: Spool, known: str = "") -> Found | None:
        told = repr(found.identity)
        if spool.told != told:
            spool.restart()
        spool.told = told
        spool.expect(found.size)
        self._run(self._bring(found, spool))
        return found

    async def _bring(self, found: Found, spool: Spool) -> None:
        stream = await asyncio.wait_for(self._opened(found.where), PATIENCE)
        done = False
        while not done:
            # Several pieces on the way at once; a short one is the last of them.
            at = spool.size
            asked = [stream.read(_PIECE, at + n * _PIECE) for n in range(_AHEAD)]
            # A server may be there and yet say nothing more. Then the connection is given up: it
            # would not answer to a file that is closed either.
            came = await asyncio.wait_for(asyncio.gather(*asked), PATIENCE)
            for piece in map(_bytes, came):
                if piece:
                    spool.write(piece)
                if len(piece) < _PIECE:
                    done = not piece
                    break
        await asyncio.wait_for(stream.close(), PATIENCE)

    async def _opened(self, where: str) -> asyncssh.SFTPClientFile:
        return await self._sftp.open(where, "rb")

    def _run(self, work: Coroutine[Any, Any, T]) -> T:
        where = f"sftp://{self.source.host}:{self.source.port}/{self.source.folder.lstrip('/')}"
        try:
            return self._loop.run_until_complete(work)
        except asyncssh.PermissionDenied as error:
            raise FetchFailed(
                f"The server does not let {self.source.user!r} in.", where=where,
                remedy="Check user and password, or the private key.",
            ) from error  # fmt: skip
        except TimeoutError as error:
            said = f"The server was silent for {PATIENCE:.0f} seconds."
            raise PassingFailure(said, where=where) from error
        except (asyncssh.SFTPNoSuchFile, asyncssh.SFTPPermissionDenied) as error:
            raise FetchFailed(
                f"The server does not give it: {error.reason}.", where=where,
                remedy="Check the folder and the name, and that the user may read there.",
            ) from error  # fmt: skip
        except (asyncssh.Error, OSError, EOFError) as error:
            said = getattr(error, "reason", "") or reason(error)
            raise PassingFailure(f"The connection broke: {said}.", where=where) from error
