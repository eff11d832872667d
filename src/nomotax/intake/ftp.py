"""Files of an FTP server (RFC 959, 2428, 3659, 4217)."""

from __future__ import annotations

import ftplib
import ssl
from collections.abc import Iterator, Sequence
from datetime import UTC, datetime
from pathlib import PurePosixPath

from nomotax.intake.failures import FetchFailed, PassingFailure
from nomotax.intake.model import FtpSource
from nomotax.intake.naming import Found, matching, on_days
from nomotax.intake.outside import PATIENCE, connect, reason, trust, wrong_certificate
from nomotax.intake.place import Asked
from nomotax.intake.spool import Spool

_PIECE = 1 << 18
#: So many files of a server that lists names alone are asked for their age, one by one.
_ASKED = 300


class _Outside(ftplib.FTP_TLS):
    """Connects outside only; data come from the very address that answered, whatever it says of
    another one. ``at_once`` speaks TLS from the first byte on."""

    def __init__(self, at_once: bool) -> None:
        super().__init__(timeout=PATIENCE, context=trust(), encoding="utf-8")
        self.at_once = at_once

    def reach(self, host: str, port: int) -> None:
        self.host, self.port = host, port
        self.sock = connect(host, port, PATIENCE)
        self.af = self.sock.family
        if self.at_once:
            self.sock = trust().wrap_socket(self.sock, server_hostname=host)
        self.file = self.sock.makefile("r", encoding=self.encoding)
        self.welcome = self.getresp()


class FtpPlace:
    """A folder of an FTP server."""

    resumes = True

    def __init__(self, source: FtpSource, asked: Asked) -> None:
        self.source, self.today = source, asked.today
        self._password = asked.secrets.get("password", "")
        self._ftp = self._open()

    def _open(self) -> _Outside:
        source, made = self.source, _Outside(self.source.protection == "tls")
        try:
            with _translated(source):
                made.reach(source.host, source.port)
                try:
                    if source.protection == "starttls":
                        made.auth()
                    ftplib.FTP.login(made, source.user, self._password)
                    if source.protection != "none":
                        made.prot_p()
                except ftplib.error_perm as error:
                    raise _signing_in(error, source) from error
        except FetchFailed:
            made.close()
            raise
        return made

    def again(self) -> None:
        self.close()
        self._ftp = self._open()

    def close(self) -> None:
        self._ftp.close()

    def look(self) -> Sequence[Found]:
        patterns = list(on_days(self.source.names, self.today, self.source.days_back))
        with _translated(self.source):
            try:
                listed = list(self._facts())
            except ftplib.error_perm as error:
                if not str(error).startswith(("500", "502", "504")):
                    raise
                listed = [Found(PurePosixPath(n).name, n) for n in self._names()]
                return matching(map(self._asked, matching(listed, patterns)[-_ASKED:]), patterns)
        return matching(listed, patterns)

    def _facts(self) -> Iterator[Found]:
        for name, facts in self._ftp.mlsd(self.source.folder, ["type", "size", "modify"]):
            if facts.get("type", "file").lower() == "file":
                size = int(facts["size"]) if "size" in facts else None
                path = str(PurePosixPath(self.source.folder) / name)
                yield Found(name, path, size, _moment(facts.get("modify", "")))

    def _names(self) -> list[str]:
        """The names alone, of a server that does not list facts."""
        home = self._ftp.pwd()
        # A folder that is not there is told here; none in it is 550 as well on many servers.
        self._ftp.cwd(self.source.folder or ".")
        try:
            given = self._ftp.nlst()
        except ftplib.error_perm as error:
            if not str(error).startswith("550"):
                raise
            given = []
        self._ftp.cwd(home)
        folder = PurePosixPath(self.source.folder)
        return [str(folder / PurePosixPath(n).name) for n in given]

    def _asked(self, found: Found) -> Found:
        """A file with its size and age (RFC 3659), where the server tells them."""
        size, modified = None, None
        try:
            self._ftp.voidcmd("TYPE I")
            size = self._ftp.size(found.where)
            modified = _moment(self._ftp.voidcmd(f"MDTM {found.where}")[4:])
        except ftplib.error_perm:
            pass
        return Found(found.name, found.where, size, modified)

    def take(self, found: Found, spool: Spool, known: str = "") -> Found | None:
        told = repr(found.identity)
        if spool.told != told or found.size is None:
            spool.restart()
        spool.told = told
        spool.expect(found.size)
        with _translated(self.source, found.where):
            self._ftp.retrbinary(
                f"RETR {found.where}", spool.write, _PIECE, rest=spool.size or None
            )
        return found


def _moment(text: str) -> datetime | None:
    """A moment of RFC 3659, which is of universal time."""
    try:
        return datetime.strptime(text.strip()[:14], "%Y%m%d%H%M%S").replace(tzinfo=UTC)
    except ValueError:
        return None


class _translated:  # noqa: N801 - used like a function
    """Errors of the driver as ours."""

    def __init__(self, source: FtpSource, file: str = "") -> None:
        self.where = f"ftp://{source.host}:{source.port}/{(file or source.folder).lstrip('/')}"
        self.host = source.host

    def __enter__(self) -> None:
        return None

    def __exit__(self, kind: object, error: BaseException | None, trace: object) -> None:
        match error:
            case ssl.SSLCertVerificationError():
                raise wrong_certificate(self.host, error) from error
            case ftplib.error_perm() if str(error).startswith(("501", "550", "553")):
                raise FetchFailed(
                    f"The server does not give it: {error}.", where=self.where,
                    remedy="Check the folder and the name, and that the user may read there.",
                ) from error  # fmt: skip
            case ftplib.error_perm():
                raise FetchFailed(
                    f"The server refuses: {error}.", where=self.where,
                    remedy="Ask the supplier what the user may do there.",
                ) from error  # fmt: skip
            case ftplib.Error():
                raise PassingFailure(f"The server says: {error}.", where=self.where) from error
            case OSError() | EOFError():
                raise PassingFailure(
                    f"The connection broke: {reason(error)}.", where=self.where
                ) from error
            case ValueError() if not isinstance(error, UnicodeError):
                raise FetchFailed(
                    f"That cannot be said to a server: {error}.", where=self.where
                ) from error


def _signing_in(error: ftplib.error_perm, source: FtpSource) -> FetchFailed:
    said = str(error)
    if said.startswith("530"):
        return FetchFailed(
            f"The server does not let {source.user!r} in: {said}.", where=source.host,
            remedy="Check user and password.",
        )  # fmt: skip
    remedy = "Ask the supplier how it is protected."
    if source.protection == "starttls":
        remedy = "It may not know TLS: ask the supplier; without protection passwords are open."
    return FetchFailed(f"The server refuses: {said}.", where=source.host, remedy=remedy)
