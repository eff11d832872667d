"""The stand-ins of suppliers as a process of their own, and a host that does everything wrong."""

from __future__ import annotations

import http.server
import os
import socket
import subprocess
import sys
import threading
import time
from contextlib import contextmanager

import pytest

from nomotax.demo.outside.layout import FOLDER, Ports
from nomotax.demo.outside.post import HOOKS, POST
from nomotax.demo.outside.sftp import host_key
from nomotax.demo.outside.stand_ins import StandIns
from nomotax.intake import bringing
from nomotax.records.postgres import free_port


def reachable(port, patience=30):
    until = time.monotonic() + patience
    while time.monotonic() < until:
        with socket.socket() as probe:
            if probe.connect_ex(("127.0.0.1", port)) == 0:
                return True
        time.sleep(0.05)
    return False


@pytest.fixture(scope="session")
def servers(tmp_path_factory):
    """Web, FTP, SFTP and mail of one supplier, as `make start` runs them."""
    root = tmp_path_factory.mktemp("outside")
    key = host_key(root / "host-key").get_fingerprint()
    made = StandIns(root, Ports(*(free_port() for _ in range(5)), key))
    made.keep()
    command = [sys.executable, "-m", "nomotax.cli.main", "stand-ins"]
    env = os.environ | {"NOMOTAX_STAND_INS": str(root)}
    with (root / "log").open("wb") as log:
        process = subprocess.Popen(command, env=env, stdout=log, stderr=log)
    ports = (made.ports.web, made.ports.ftp, made.ports.sftp, made.ports.mail, made.ports.smtp)
    assert all(reachable(port) for port in ports), (root / "log").read_text()
    yield made
    process.terminate()
    process.wait(10)


@pytest.fixture
def outside(servers, monkeypatch):
    """The stand-ins with nothing laid out, and leave to fetch from them."""
    (servers.root / HOOKS).unlink(missing_ok=True)
    for part in ("web", "ftp", "sftp", "mail", "folder", POST):
        for file in (servers.root / part).iterdir():
            file.unlink()
    monkeypatch.setenv("NOMOTAX_FETCH_INSIDE", "127.0.0.1")
    monkeypatch.setenv("NOMOTAX_FOLDERS", str(servers.root / FOLDER))
    monkeypatch.setattr(bringing, "FIRST_WAIT", 0.01)
    return servers


class Host:
    """A web host whose answers are given one after the other, the last one for ever; ``asked``
    are the headers of each request."""

    def __init__(self, port):
        self.port, self.answers, self.asked = port, [], []

    def address(self, path="list.csv"):
        return f"http://127.0.0.1:{self.port}/{path}"


@contextmanager
def serving(tls=None):
    host = Host(0)

    class Answering(http.server.BaseHTTPRequestHandler):
        protocol_version = "HTTP/1.1"

        def do_GET(self):
            host.asked.append({"path": self.path, **self.headers})
            answer = host.answers.pop(0) if len(host.answers) > 1 else host.answers[0]
            answer(self)
            self.close_connection = True

        def log_message(self, *args):
            pass

    with http.server.ThreadingHTTPServer(("127.0.0.1", 0), Answering) as server:
        server.daemon_threads, host.port = True, server.server_port
        if tls:
            server.socket = tls.wrap_socket(server.socket, server_side=True)
        threading.Thread(target=server.serve_forever, args=(0.02,), daemon=True).start()
        yield host
        server.shutdown()


@pytest.fixture
def host(monkeypatch):
    monkeypatch.setenv("NOMOTAX_FETCH_INSIDE", "127.0.0.1,localhost")
    monkeypatch.setattr(bringing, "FIRST_WAIT", 0.01)
    with serving() as made:
        yield made
