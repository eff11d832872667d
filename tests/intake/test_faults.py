"""Real servers with something wrong between them and us: a line that is dead, breaks off or says
nothing, in front of each of them. Nothing broken is ever a delivery."""

from __future__ import annotations

import socket
import threading
from contextlib import contextmanager, suppress
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta

import pytest

from nomotax.core.errors import TooLarge
from nomotax.demo.outside.layout import FTP, MAIL, PASSWORD, SFTP, USER, put
from nomotax.intake import bringing, ftp, mail, sftp
from nomotax.intake import outside as addresses
from nomotax.intake.failures import FetchFailed, PassingFailure
from nomotax.intake.model import FtpSource, MailSource, SftpSource
from nomotax.intake.spool import Limits
from tests.intake.fetching import fetched
from tests.intake.test_places import SENDER

LIST = b"Varenr;Pris\n" + b"".join(b"%05d;12,50\n" % n for n in range(60_000))


@dataclass
class Line:
    """A line to a server; ``cuts`` says after how many bytes each connection, one after the other,
    is broken; those after them are whole. ``silent`` ones are open, and nothing comes."""

    to: int
    cuts: list[int] = field(default_factory=list)
    silent: bool = False
    port: int = 0
    calls: int = 0

    def serve(self, listening: socket.socket) -> None:
        while True:
            try:
                ours, _ = listening.accept()
            except OSError:
                return
            self.calls += 1
            after = self.cuts.pop(0) if self.cuts else None
            threading.Thread(target=self._connect, args=(ours, after), daemon=True).start()

    def _connect(self, ours: socket.socket, after: int | None) -> None:
        if self.silent:
            return
        theirs = socket.create_connection(("127.0.0.1", self.to))
        both = (ours, theirs)
        threading.Thread(target=_pump, args=(ours, theirs, None, both), daemon=True).start()
        _pump(theirs, ours, after, both)


def _pump(one, other, after, both) -> None:
    """Passes on what comes, up to so many bytes; then the line is dead."""
    left = after
    try:
        while data := one.recv(4096 if left is None else min(4096, max(left, 1))):
            if left is not None:
                if left <= 0:
                    break
                left -= len(data)
            other.sendall(data)
    except OSError:
        pass
    for end in both:
        with suppress(OSError):
            end.shutdown(socket.SHUT_RDWR)


@contextmanager
def line(to, **more):
    made = Line(to, **more)
    with socket.create_server(("127.0.0.1", 0)) as listening:
        made.port = listening.getsockname()[1]
        threading.Thread(target=made.serve, args=(listening,), daemon=True).start()
        yield made
        listening.shutdown(socket.SHUT_RDWR)


@dataclass(frozen=True)
class Server:
    """One of a supplier's servers: where it lays files out, and how it is reached by a port."""

    part: str
    known_as: str
    source: object

    def fetch(self, port, known=None, limits=None, password=PASSWORD):
        return fetched(self.source(port), known, limits, password=password)


@pytest.fixture(params=["ftp", "sftp", "mail"])
def server(outside, request):
    key = outside.ports.host_key
    made = {
        "ftp": Server(FTP, "ftp", lambda port: FtpSource(
            host="127.0.0.1", port=port, protection="none", user=USER, names="*.csv")),
        "sftp": Server(SFTP, "sftp", lambda port: SftpSource(
            host="127.0.0.1", port=port, user=USER, host_key=key, names="*.csv")),
        "mail": Server(MAIL, "mail", lambda port: MailSource(
            host="127.0.0.1", port=port, protection="none", user=USER, senders=[SENDER],
            names="*.csv")),
    }[request.param]  # fmt: skip
    put(outside.root, made.part, "liste.csv", LIST, datetime.now(UTC) - timedelta(hours=1))
    return made


@pytest.fixture
def port(outside, server):
    return getattr(outside.ports, server.known_as)


def test_a_whole_line_brings_the_file_once(server, port):
    with line(port) as whole:
        came, known = server.fetch(whole.port)
        assert came == [("liste.csv", LIST)]
        assert server.fetch(whole.port, known)[0] in ([], [("liste.csv", LIST)])


def test_a_host_that_is_away_for_a_moment_is_asked_again(server, port):
    """Broken off before the first word, and within the first ones."""
    with line(port, cuts=[0, 30]) as bad:
        assert server.fetch(bad.port)[0] == [("liste.csv", LIST)]
        assert bad.calls >= 3


@pytest.mark.parametrize("after", [0, 30, 120, 200])
def test_a_line_that_always_breaks_brings_nothing_and_says_so(server, port, after):
    limits = Limits(64 << 20, 120, tries=2)
    with line(port, cuts=[after] * 50) as bad, pytest.raises(PassingFailure) as told:
        server.fetch(bad.port, limits=limits)
    assert bad.calls >= 2
    assert told.value.where or "127.0.0.1" in told.value.message


def test_a_host_that_says_nothing_is_not_waited_for(server, port, monkeypatch):
    for module in (addresses, ftp, mail, sftp):
        monkeypatch.setattr(module, "PATIENCE", 1.0, raising=False)
    limits = Limits(64 << 20, 8, tries=1)
    began = datetime.now(UTC)
    with line(port, silent=True) as dead, pytest.raises(FetchFailed):
        server.fetch(dead.port, limits=limits)
    assert datetime.now(UTC) - began < timedelta(seconds=30)


def test_a_wrong_password_is_said_at_once_and_not_tried_again(server, port):
    with line(port) as whole, pytest.raises(FetchFailed, match="does not let") as told:
        server.fetch(whole.port, password="forkert")
    assert whole.calls == 1 and not told.value.passing and "password" in told.value.remedy


def test_more_than_may_come_is_refused_and_leaves_nothing(server, port, monkeypatch, tmp_path):
    """By what is told of it, before it is fetched."""
    monkeypatch.setenv("TMPDIR", str(tmp_path))
    monkeypatch.setattr("tempfile.tempdir", str(tmp_path))
    with pytest.raises(TooLarge):
        server.fetch(port, limits=Limits(100_000, 120))
    assert list(tmp_path.iterdir()) == []


def test_a_page_in_place_of_a_list_is_none_wherever_it_lies(outside, server, port):
    page = b"<html><head><title>Logg inn</title></head><body></body></html>"
    put(outside.root, server.part, "ny.csv", page, datetime.now(UTC) - timedelta(minutes=30))
    with pytest.raises(FetchFailed, match="'Logg inn'") as told:
        server.fetch(port)
    assert "ny.csv" in told.value.where and told.value.remedy


def test_between_two_tries_it_is_waited_ever_longer(server, port, monkeypatch):
    waits = []
    monkeypatch.setattr(bringing, "FIRST_WAIT", 1.0)
    monkeypatch.setattr(bringing, "pause", lambda seconds, *more: waits.append(seconds))
    with line(port, cuts=[0] * 9) as bad, pytest.raises(PassingFailure):
        server.fetch(bad.port, limits=Limits(64 << 20, 120, tries=4))
    assert waits == [1.0, 2.0, 4.0]
