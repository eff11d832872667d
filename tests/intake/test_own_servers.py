"""The servers of the distribution, as its packages set them up, on loopback: what they do that our
stand-ins do not. They are unpacked beside the tests; where no package can be had, that is said."""

from __future__ import annotations

import ftplib
import os
import shutil
import signal
import socket
import ssl
import subprocess
import tempfile
import time
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from pathlib import Path

import pytest

from nomotax.intake import sftp
from nomotax.intake.failures import FetchFailed, PassingFailure, StrangeHost
from nomotax.intake.model import FtpSource, SftpSource
from nomotax.intake.spool import Limits
from nomotax.records.postgres import free_port
from tests.intake.fetching import fetched

# They listen and make a user of the machine: one after the other, in one process.
pytestmark = pytest.mark.xdist_group("servers of the distribution")
PACKAGES = [
    "vsftpd", "proftpd-core", "proftpd-mod-crypto", "openssh-server", "openssh-sftp-server",
    "libwrap0", "libhiredis0.14", "libhashkit2", "libmemcached11", "libmemcachedutil2",
    "libsodium23", "libpcre2-posix3",
]  # fmt: skip
LISTS = {f"list-{n}.csv": f"sku;price\nA;{n},00\n".encode() for n in range(1, 13)}
#: Of this process alone: others may try the same at the same time.
USER, PASSWORD = f"nomotax-{os.getpid()}", "Seagull-93"


def run(*command, **more):
    return subprocess.run(command, check=True, capture_output=True, text=True, **more)


@pytest.fixture(scope="module")
def root():
    """The packages, unpacked where the user whom they serve may look."""
    if os.geteuid() != 0 or not shutil.which("apt-get"):
        pytest.skip("servers of the distribution need root and apt")
    folder = Path(tempfile.mkdtemp(prefix="nomotax-packages-"))
    folder.chmod(0o755)
    try:
        run("apt-get", "download", *PACKAGES, cwd=folder, timeout=120)
    except (subprocess.SubprocessError, OSError):
        pytest.skip("no package can be had from here")
    for package in folder.glob("*.deb"):
        run("dpkg-deb", "-x", str(package), str(folder / "root"))
    yield folder / "root"
    shutil.rmtree(folder)


@pytest.fixture(scope="module")
def home():
    """The home of a user who has files for us, the newest last."""
    subprocess.run(["userdel", "--remove", USER], check=False, capture_output=True)
    run("useradd", "--create-home", "--shell", "/bin/sh", USER)
    run("chpasswd", input=f"{USER}:{PASSWORD}\n")
    folder = Path("/home") / USER
    now = datetime.now(UTC).timestamp()
    for n, (name, data) in enumerate(LISTS.items()):
        file = folder / name
        file.write_bytes(data)
        # By name list-7 is neither the first nor the last.
        age = 0 if name == "list-7.csv" else 3_600 * (40 - n)
        os.utime(file, (now - 600 - age, now - 600 - age))
    (folder / "grün.csv").write_bytes(b"sku\n1\n")
    (folder / os.fsdecode(b"bl\xe5.csv")).write_bytes(b"sku\n2\n")
    (folder / "latest.csv").symlink_to("list-9.csv")
    (folder / "outside.csv").symlink_to("/etc/passwd")
    yield folder
    # A server of theirs that stands still would keep the user.
    subprocess.run(["pkill", "-KILL", "-u", USER], check=False)
    subprocess.run(["userdel", "--remove", USER], check=False, capture_output=True)


@dataclass
class Server:
    process: subprocess.Popen
    port: int


def started(command, port, folder, env):
    process = subprocess.Popen(
        command, env=os.environ | env, stdout=(folder / "out").open("wb"), stderr=subprocess.STDOUT
    )
    for _ in range(100):
        with socket.socket() as probe:
            if probe.connect_ex(("127.0.0.1", port)) == 0:
                return Server(process, port)
        time.sleep(0.1)
    process.kill()
    raise AssertionError((folder / "out").read_text())


def lets_in(port, tls):
    """Waits until a user that was just made can sign in."""
    unchecked = ssl.create_default_context()
    unchecked.check_hostname, unchecked.verify_mode = False, ssl.CERT_NONE
    for _ in range(20):
        made = ftplib.FTP_TLS(context=unchecked) if tls else ftplib.FTP()
        try:
            made.connect("127.0.0.1", port, timeout=10)
            made.login(USER, PASSWORD)
            made.close()
            return
        except ftplib.error_perm:
            made.close()
            time.sleep(0.3)


@pytest.fixture(scope="module")
def certificate(tmp_path_factory):
    folder = tmp_path_factory.mktemp("certificate")
    key, made = folder / "key.pem", folder / "cert.pem"
    run("openssl", "req", "-x509", "-newkey", "rsa:2048", "-nodes", "-days", "2", "-keyout",
        str(key), "-out", str(made), "-subj", "/CN=127.0.0.1", "-addext",
        "subjectAltName=IP:127.0.0.1")  # fmt: skip
    return key, made


@pytest.fixture
def trusted(certificate, monkeypatch):
    from nomotax.intake import outside

    monkeypatch.setenv("SSL_CERT_FILE", str(certificate[1]))
    outside.trust.cache_clear()
    yield
    outside.trust.cache_clear()


@pytest.fixture(autouse=True)
def inside(monkeypatch):
    monkeypatch.setenv("NOMOTAX_FETCH_INSIDE", "127.0.0.1")


def vsftpd(root, tmp_path, certificate, tls):
    """With the package's own configuration, but for the port, the empty folder and TLS."""
    port, own = free_port(), tmp_path / "vsftpd.conf"
    empty = tmp_path / "empty"
    empty.mkdir()
    changes = [f"listen_port={port}", "listen_ipv6=NO", "listen=YES", "background=NO",
               f"secure_chroot_dir={empty}", f"pam_service_name={USER}", "listen_address=127.0.0.1",
               "seccomp_sandbox=NO"]  # fmt: skip
    if tls:
        changes += ["ssl_enable=YES", f"rsa_cert_file={certificate[1]}",
                    f"rsa_private_key_file={certificate[0]}"]  # fmt: skip
    shipped = (root / "etc/vsftpd.conf").read_text()
    own.write_text(shipped + "\n" + "\n".join(changes) + "\n")
    pam = Path("/etc/pam.d") / USER
    pam.write_text("auth required pam_unix.so\naccount required pam_unix.so\n"
                   "session required pam_permit.so\n")  # fmt: skip
    env = {"LD_LIBRARY_PATH": f"{root}/lib/x86_64-linux-gnu:{root}/usr/lib/x86_64-linux-gnu"}
    server = started([str(root / "usr/sbin/vsftpd"), str(own)], port, tmp_path, env)
    yield server
    server.process.kill()
    pam.unlink()


def proftpd(root, tmp_path, certificate, tls):
    port, own = free_port(), tmp_path / "proftpd.conf"
    lines = [
        "ServerType standalone", f"Port {port}", "DefaultAddress 127.0.0.1", "UseIPv6 off",
        "User root", "Group root", "Umask 022 022", "AllowOverwrite on",
        "AuthOrder mod_auth_unix.c",
        f"PidFile {tmp_path}/pid", f"ScoreboardFile {tmp_path}/score", "RequireValidShell off",
        f"ModulePath {root}/usr/lib/proftpd", "WtmpLog off", "DelayEngine off",
    ]  # fmt: skip
    if tls:
        lines += ["LoadModule mod_tls.c", "TLSEngine on", "TLSRequired on",
                  f"TLSRSACertificateFile {certificate[1]}",
                  f"TLSRSACertificateKeyFile {certificate[0]}",
                  f"TLSLog {tmp_path}/tls"]  # fmt: skip
    own.write_text("\n".join(lines) + "\n")
    env = {"LD_LIBRARY_PATH": f"{root}/lib/x86_64-linux-gnu:{root}/usr/lib/x86_64-linux-gnu"}
    command = [str(root / "usr/sbin/proftpd"), "-n", "-c", str(own)]
    server = started(command, port, tmp_path, env)
    yield server
    server.process.terminate()


@pytest.fixture(params=["vsftpd", "vsftpd with TLS", "proftpd", "proftpd with TLS"])
def ftp(request, root, home, tmp_path, certificate, trusted):
    make = {"v": vsftpd, "p": proftpd}[request.param[0]]
    tls = request.param.endswith("TLS")
    tmp_path.chmod(0o755)
    for server in make(root, tmp_path, certificate, tls):
        lets_in(server.port, tls)
        yield FtpSource(
            host="127.0.0.1", port=server.port, user=USER, names="list-*.csv",
            protection="starttls" if tls else "none",
        )  # fmt: skip


def test_an_ftp_server_gives_the_newest_each_and_all(ftp):
    came, known = fetched(ftp, password=PASSWORD)
    assert came == [("list-7.csv", LISTS["list-7.csv"])]
    assert fetched(ftp, known, password=PASSWORD)[0] == []
    each = ftp.model_copy(update={"take": "each"})
    came, known = fetched(each, password=PASSWORD)
    assert [name for name, _ in came] == ["list-7.csv"]
    together = ftp.model_copy(update={"take": "together", "names": "list-1*.csv"})
    assert len(fetched(together, password=PASSWORD)[0]) == 1


def test_names_beyond_ascii_and_links_of_an_ftp_server(ftp):
    """A name in Latin-1 does not end a feed, a link within the folder is followed, one that leads
    out of it is not."""
    linked = ftp.model_copy(update={"names": "latest.csv"})
    assert fetched(linked, password=PASSWORD)[0] == [("latest.csv", LISTS["list-9.csv"])]
    outside = ftp.model_copy(update={"names": "outside.csv"})
    assert fetched(outside, password=PASSWORD)[0] == []


def test_a_folder_that_is_not_there_is_told(ftp):
    with pytest.raises(FetchFailed, match="does not give it"):
        fetched(ftp.model_copy(update={"folder": "/home/nowhere"}), password=PASSWORD)


def test_an_ftp_server_that_lets_nobody_in_says_so(ftp):
    with pytest.raises(FetchFailed, match="does not let"):
        fetched(ftp, password="wrong")


@pytest.fixture
def ssh(root, home, tmp_path):
    """With the package's own configuration, but for port, keys and where its parts lie."""
    port, own, key = free_port(), tmp_path / "sshd_config", tmp_path / "host_key"
    run("ssh-keygen", "-q", "-t", "ed25519", "-N", "", "-f", str(key))
    shipped = (root / "usr/share/openssh/sshd_config").read_text()
    parts = root / "usr/lib/openssh"
    shipped = shipped.replace("/usr/lib/openssh", str(parts))
    changes = f"Port {port}\nListenAddress 127.0.0.1\nHostKey {key}\nPidFile {tmp_path}/pid\n"
    own.write_text(changes + shipped)
    Path("/run/sshd").mkdir(exist_ok=True)
    # The system's user that the package makes; it stays.
    command = ["useradd", "--system", "--no-create-home", "--shell", "/usr/sbin/nologin", "sshd"]
    subprocess.run(command, check=False, capture_output=True)
    env = {"LD_LIBRARY_PATH": f"{root}/lib/x86_64-linux-gnu:{root}/usr/lib/x86_64-linux-gnu"}
    command = [str(root / "usr/sbin/sshd"), "-D", "-e", "-f", str(own)]
    server = started(command, port, tmp_path, env)
    source = SftpSource(host="127.0.0.1", port=port, user=USER, names="list-*.csv")
    try:
        fetched(source, password=PASSWORD)
    except StrangeHost as error:
        source = source.model_copy(update={"host_key": error.host_key})
    yield source
    server.process.terminate()


def test_openssh_gives_the_newest_and_follows_links_within(ssh):
    assert fetched(ssh, password=PASSWORD)[0] == [("list-7.csv", LISTS["list-7.csv"])]
    linked = ssh.model_copy(update={"names": "latest.csv"})
    assert fetched(linked, password=PASSWORD)[0] == [("latest.csv", LISTS["list-9.csv"])]
    outside = ssh.model_copy(update={"names": "outside.csv"})
    assert fetched(outside, password=PASSWORD)[0] == []
    with pytest.raises(FetchFailed, match="does not let"):
        fetched(ssh, password="wrong")


def test_a_server_that_stops_in_the_middle_is_given_up(ssh, home, monkeypatch):
    """It stands still for ever; the fetch does not."""
    monkeypatch.setattr(sftp, "PATIENCE", 3.0)
    big = home / "list-99.csv"
    with big.open("wb") as stream:
        stream.truncate(3 << 30)
    stopped = []

    def stop(_stage, done=0, _total=None):
        if done and not stopped:
            found = run("pgrep", "-x", "sftp-server").stdout.split()
            stopped.extend(int(one) for one in found)
            for one in stopped:
                os.kill(one, signal.SIGSTOP)

    from nomotax.intake.bringing import Known, bring, choose, looked

    started_at, limits = time.monotonic(), Limits(8 << 30, 120, tries=1)
    try:
        with (
            pytest.raises(PassingFailure, match="silent for"),
            looked(ssh, {"password": PASSWORD}, limits) as (place, found),
            bring(ssh, place, choose(ssh, found, Known())[0], Known(), limits, stop),
        ):
            pass
        assert stopped and time.monotonic() - started_at < 60
    finally:
        for one in stopped:
            os.kill(one, signal.SIGKILL)
        big.unlink()
    assert timedelta(seconds=time.monotonic() - started_at) < timedelta(minutes=1)
