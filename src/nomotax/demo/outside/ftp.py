"""A supplier's FTP server."""

from __future__ import annotations

import threading
from pathlib import Path

from pyftpdlib.authorizers import DummyAuthorizer
from pyftpdlib.handlers import FTPHandler, TLS_FTPHandler
from pyftpdlib.servers import FTPServer

from nomotax.demo.outside.layout import FTP, PASSWORD, USER


def serve(root: Path, port: int, certificate: Path | None = None) -> FTPServer:
    """Serves until it is closed; ``port`` 0 takes any. With a ``certificate`` and its key in one
    file it speaks TLS, and nothing else."""
    people = DummyAuthorizer()
    people.add_user(USER, PASSWORD, str((root / FTP).resolve()), perm="elr")

    class Handler(TLS_FTPHandler if certificate else FTPHandler):  # type: ignore[misc]
        authorizer = people
        banner = "Stand-in of a supplier."
        auth_failed_timeout = 0

    if certificate:
        Handler.certfile = str(certificate)
        Handler.tls_control_required = Handler.tls_data_required = True
    server = FTPServer(("127.0.0.1", port), Handler)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    return server
