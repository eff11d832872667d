"""FTP and SSH connections: protected, cut in the middle, hosts that are another one."""

from __future__ import annotations

import logging
import shutil
import socket
import ssl
import threading
from contextlib import suppress
from typing import ClassVar

import asyncssh
import pytest
import trustme
from pyftpdlib.handlers import DTPHandler

from nomotax.demo.outside import ftp as ftp_server
from nomotax.demo.outside import sftp as ssh_server
from nomotax.demo.outside.layout import FTP, PASSWORD, SFTP, USER
from nomotax.intake import ftp
from nomotax.intake.failures import FetchFailed, PassingFailure, StrangeHost
from nomotax.intake.model import FtpSource, SftpSource
from nomotax.intake.spool import Limits
from tests.intake.fetching import fetched

DATA = b"%05d;text of an article\n" * 60_000 % tuple(range(60_000))


@pytest.fixture
def laid(outside):
    for part in (FTP, SFTP):
        (outside.root / part / "list.csv").write_bytes(DATA)
    return outside


def ftp_source(port, protection="none", host="127.0.0.1"):
    return FtpSource(host=host, port=port, user=USER, protection=protection)


class Cutting(DTPHandler):
    """Breaks the first transfers off after so many bytes."""

    left: ClassVar[list[int]] = []

    def send(self, data):
        if self.left and self.tot_bytes_sent + len(data) > self.left[0]:
            self.left.pop(0)
            self._resp = ("426 The transfer broke off.", logging.warning)
            self.close()
            return 0
        return super().send(data)


def test_an_ftp_transfer_goes_on_where_it_broke_off(laid, monkeypatch):
    asked = []
    real = ftp.ftplib.FTP.transfercmd
    monkeypatch.setattr(
        ftp.ftplib.FTP, "transfercmd",
        lambda self, command, rest=None: asked.append(rest) or real(self, command, rest),
    )  # fmt: skip
    server = ftp_server.serve(laid.root, 0)
    server.handler.dtp_handler, server.handler.use_sendfile = Cutting, False
    Cutting.left = [300_000, 200_000]
    try:
        assert fetched(ftp_source(server.address[1]), password=PASSWORD)[0] == [("list.csv", DATA)]
        rests = [r for r in asked if r]
        assert len(rests) == 2 and 0 < rests[0] < rests[1]
        Cutting.left = [1000] * 9
        with pytest.raises(PassingFailure):
            fetched(ftp_source(server.address[1]), password=PASSWORD)
    finally:
        server.close_all()


def test_ftp_with_tls_and_whose_certificate_it_is(laid, monkeypatch, tmp_path):
    authority = trustme.CA()
    made = authority.issue_cert("localhost")
    made.private_key_and_cert_chain_pem.write_to_path(tmp_path / "cert.pem")
    monkeypatch.setenv("NOMOTAX_FETCH_INSIDE", "localhost,127.0.0.1")
    server = ftp_server.serve(laid.root, 0, tmp_path / "cert.pem")
    port = server.address[1]
    try:
        with pytest.raises(FetchFailed, match="not known to be itself"):
            fetched(ftp_source(port, "starttls", "localhost"), password=PASSWORD)
        with pytest.raises(FetchFailed, match=r"refuses|let"):
            fetched(ftp_source(port), password=PASSWORD)
        context = ssl.create_default_context()
        authority.configure_trust(context)
        monkeypatch.setattr(ftp, "trust", lambda: context)
        with pytest.raises(FetchFailed, match="not known to be itself"):
            fetched(ftp_source(port, "starttls"), password=PASSWORD)
        found = fetched(ftp_source(port, "starttls", "localhost"), password=PASSWORD)[0]
        assert found == [("list.csv", DATA)]
    finally:
        server.close_all()


def test_a_server_that_does_not_know_tls_is_not_signed_in_to(laid):
    with pytest.raises(FetchFailed) as told:
        fetched(ftp_source(laid.ports.ftp, "starttls"), password=PASSWORD)
    assert "without protection" in told.value.remedy


def test_a_server_that_lists_names_alone(laid, monkeypatch):
    """Files are then asked one by one for their age (RFC 3659)."""

    def unknown(*command, **more):
        raise ftp.ftplib.error_perm("500 MLSD not understood.")

    monkeypatch.setattr(ftp.ftplib.FTP, "mlsd", unknown)
    source = ftp_source(laid.ports.ftp)
    came, known = fetched(source, password=PASSWORD)
    assert came == [("list.csv", DATA)] and known.files[0].modified and known.files[0].size
    (laid.root / FTP / "list.csv").unlink()
    assert fetched(source, password=PASSWORD)[0] == []


@pytest.fixture
def cut(laid):
    """A way to the SSH server that breaks after so many bytes, each time there is another number;
    gives its port and those numbers."""
    numbers = []
    listener = socket.create_server(("127.0.0.1", 0))

    def pass_on(source, target, most):
        try:
            while piece := source.recv(1 << 15):
                target.sendall(piece)
                most -= len(piece)
                if most < 0:
                    break
        except OSError:
            pass
        for one in (source, target):
            with suppress(OSError):
                one.shutdown(socket.SHUT_RDWR)

    def serve():
        while True:
            try:
                client, _ = listener.accept()
            except OSError:
                return
            server = socket.create_connection(("127.0.0.1", laid.ports.sftp))
            most = numbers.pop(0) if numbers else 1 << 40
            for pair in ((client, server, 1 << 40), (server, client, most)):
                threading.Thread(target=pass_on, args=pair, daemon=True).start()

    threading.Thread(target=serve, daemon=True).start()
    yield listener.getsockname()[1], numbers
    listener.close()


def sftp_source(laid, port, **more):
    known = {"user": USER, "host_key": laid.ports.host_key} | more
    return SftpSource(host="127.0.0.1", port=port, **known)


def test_an_ssh_connection_that_breaks_takes_nothing(laid, cut):
    port, numbers = cut
    numbers += [400_000]
    with pytest.raises(PassingFailure):
        fetched(sftp_source(laid, port), limits=Limits(64 << 20, 20, tries=1), password=PASSWORD)


def test_an_ssh_connection_that_breaks_is_made_anew_and_gone_on_with(laid, cut):
    port, numbers = cut
    numbers += [700_000]
    assert fetched(sftp_source(laid, port), password=PASSWORD)[0] == [("list.csv", DATA)]


def test_one_signs_in_with_a_private_key(laid, tmp_path):
    """With its passphrase, at a host whose key is right."""
    key = asyncssh.generate_private_key("ssh-ed25519")
    (tmp_path / "allowed").write_bytes(key.export_public_key())
    (tmp_path / "root").mkdir()
    shutil.copytree(laid.root / SFTP, tmp_path / "root" / SFTP)
    server = ssh_server.serve(tmp_path / "root", 0, allowed=tmp_path / "allowed")
    source = sftp_source(laid, server.port, host_key=server.host_key)
    locked = key.export_private_key(passphrase="phrase").decode()
    assert fetched(source, key=locked, passphrase="phrase")[0] == [("list.csv", DATA)]
    for wrong in ({"key": locked, "passphrase": "other"}, {"key": "no key"}):
        with pytest.raises(FetchFailed, match="private key cannot be used"):
            fetched(source, **wrong)
    other = asyncssh.generate_private_key("ssh-ed25519").export_private_key().decode()
    with pytest.raises(FetchFailed, match="does not let"):
        fetched(source, key=other)
    with pytest.raises(StrangeHost, match="another key"):
        fetched(sftp_source(laid, server.port), key=locked, passphrase="phrase")


@pytest.mark.parametrize("make", [ftp_source, lambda port: SftpSource(host="127.0.0.1", port=port,
                                                                      user=USER)])  # fmt: skip
def test_a_host_that_is_down_or_says_something_else(outside, make, monkeypatch):
    monkeypatch.setattr(ftp, "PATIENCE", 0.3)
    with socket.create_server(("127.0.0.1", 0)) as silent:
        down = silent.getsockname()[1]
    with pytest.raises(PassingFailure, match="refuses the connection"):
        fetched(make(down), password=PASSWORD)
    with pytest.raises(FetchFailed):
        fetched(make(outside.ports.web), limits=Limits(1 << 20, 5, tries=1), password=PASSWORD)
