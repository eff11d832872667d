"""A supplier's SSH server, for files alone."""

from __future__ import annotations

import asyncio
import threading
from dataclasses import dataclass
from pathlib import Path

import asyncssh

from nomotax.demo.outside.layout import PASSWORD, SFTP, USER


@dataclass(frozen=True)
class SftpServer:
    """A server that runs in a thread of its own."""

    port: int
    host_key: str


class _People(asyncssh.SSHServer):
    def begin_auth(self, username: str) -> bool:
        return True

    def password_auth_supported(self) -> bool:
        return True

    def validate_password(self, username: str, password: str) -> bool:
        return (username, password) == (USER, PASSWORD)


def host_key(file: Path) -> asyncssh.SSHKey:
    """The server's key, made once and kept."""
    if not file.exists():
        asyncssh.generate_private_key("ssh-ed25519").write_private_key(file)
    return asyncssh.read_private_key(file)


def serve(root: Path, port: int, allowed: Path | None = None) -> SftpServer:
    """Serves as long as the program lives; ``port`` 0 takes any. ``allowed`` names the public
    keys that may sign in."""
    key = host_key(root / "host-key")
    chroot = str((root / SFTP).resolve()).encode()
    started: list[int] = []
    ready = threading.Event()

    async def run() -> None:
        listener = await asyncssh.listen(
            "127.0.0.1", port, server_host_keys=[key], server_factory=_People,
            sftp_factory=lambda channel: asyncssh.SFTPServer(channel, chroot=chroot),
            authorized_client_keys=str(allowed) if allowed else None, allow_scp=False,
        )  # fmt: skip
        started.append(listener.get_port())
        ready.set()
        await listener.wait_closed()

    threading.Thread(target=lambda: asyncio.run(run()), daemon=True).start()
    if not ready.wait(20):
        raise OSError("the SSH server does not start")
    return SftpServer(started[0], key.get_fingerprint())
