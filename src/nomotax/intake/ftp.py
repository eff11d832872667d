"""Files of an FTP server (RFC 959, 2428, 3659, 4217)."""

from __future__ import annotations

import ftplib
import re
import socket
import ssl
from collections.abc import Iterator, Sequence
from datetime import UTC, date, datetime
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

    def __init__(self, at_once: bool, encoding: str) -> None:
        super().__init__(timeout=PATIENCE, context=trust(), encoding=encoding)
        self.at_once = at_once

    def ntransfercmd(
        self, cmd: str, rest: int | str | None = None
    ) -> tuple[socket.socket, int | None]:
        """Data come in the session of the control connection: servers ask for that, since it shows
        that both are of one client (RFC 4217, section 10.2)."""
        conn, size = ftplib.FTP.ntransfercmd(self, cmd, rest)
        if self._prot_p:
            held = self.sock.session if isinstance(self.sock, ssl.SSLSocket) else None
            conn = self.context.wrap_socket(conn, server_hostname=self.host, session=held)
        return conn, size

    #: Whether data are secured, as the library keeps it.
    _prot_p: bool

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
        self._encoding = "utf-8"
        self._ftp = self._open()

    def _open(self) -> _Outside:
        source = self.source
        made = _Outside(source.protection == "tls", self._encoding)
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
                return self._look(patterns)
            except UnicodeDecodeError:
                # Names of a server that knows no UTF-8: each byte stands for a letter.
                self._encoding = "latin-1"
                self.again()
                return self._look(patterns)

    def _look(self, patterns: Sequence[str]) -> Sequence[Found]:
        try:
            return matching(list(self._facts()), patterns)
        except ftplib.error_perm as error:
            if not str(error).startswith(("500", "501", "502", "504")):
                raise
        # Facts are not listed: names are, some with their age, which is told exactly when asked.
        home = self._ftp.pwd()
        # A folder that is not there is told here: many servers list it as an empty one.
        self._ftp.cwd(self.source.folder or ".")
        self._ftp.cwd(home)
        listed = self._listed()
        if listed is None:
            listed = [Found(PurePosixPath(n).name, n) for n in self._names()]
        return matching(map(self._asked, matching(listed, patterns)[-_ASKED:]), patterns)

    def _facts(self) -> Iterator[Found]:
        # Which facts are wanted is not said: some servers know them and refuse to be asked.
        told = list(self._ftp.mlsd(self.source.folder))
        kinds = {name: facts.get("type", "file").lower() for name, facts in told}
        linked = set[str]()
        if any("link" in kind for kind in kinds.values()):
            linked = {one.name for one in self._listed() or []}
        for name, facts in told:
            path = str(PurePosixPath(self.source.folder) / name)
            if kinds[name] == "file":
                size = int(facts["size"]) if "size" in facts else None
                yield Found(name, path, size, _moment(facts.get("modify", "")))
            elif "link" in kinds[name] and name in linked:
                yield self._asked(Found(name, path))

    def _listed(self) -> list[Found] | None:
        """Files and links within the folder, as servers of Unix list them, to the minute or the
        day; None of other lists."""
        lines: list[str] = []
        self._ftp.retrlines(f"LIST {self.source.folder}".strip(), lines.append)
        known = [line for line in map(str.rstrip, lines) if _LINE.match(line)]
        if lines and not known and not any(line.startswith(("d", "total")) for line in lines):
            return None
        found = (_of_line(line, self.source.folder, self.today) for line in known)
        return [one for one in found if one is not None]

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
        size, modified = found.size, found.modified
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


#: ``-rw-r--r-- 1 owner group 1234 Dec 02 14:47 list.csv``, or a year for the time.
_LINE = re.compile(
    r"^(?P<kind>[-l])\S{9}\S*\s+\d+\s+\S+\s+\S+\s+(?P<size>\d+)\s+(?P<month>[A-Z][a-z]{2})\s+"
    r"(?P<day>\d{1,2})\s+(?:(?P<time>\d{1,2}:\d{2})|(?P<year>\d{4}))\s(?P<name>.+)$"
)
_MONTHS = ("Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec")


def _of_line(line: str, folder: str, today: date) -> Found | None:
    """A file, or a link within the folder, as a list of Unix has it. What has a time and no year is
    of the last twelve months."""
    told = _LINE.match(line)
    if told is None or told["month"] not in _MONTHS:
        return None
    name, _, leads = (
        told["name"].partition(" -> ") if told["kind"] == "l" else (told["name"], "", "")
    )
    if "/" in leads:
        return None
    month, day = _MONTHS.index(told["month"]) + 1, int(told["day"])
    hour, minute = map(int, (told["time"] or "0:0").split(":"))
    later = (month, day) > (today.month, today.day + 1)
    year = int(told["year"] or (today.year - 1 if later else today.year))
    try:
        moment = datetime(year, month, day, hour, minute, tzinfo=UTC)
    except ValueError:
        return None
    size = None if told["kind"] == "l" else int(told["size"])
    return Found(name, str(PurePosixPath(folder) / name), size, moment)


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
            case ftplib.error_perm() if str(error).startswith(("530", "532")):
                raise FetchFailed(
                    f"The server wants to be signed in to first: {error}.", where=self.where,
                    remedy="Check user and password, and whether the account is still open.",
                ) from error  # fmt: skip
            case ftplib.error_perm() if str(error).startswith(("522", "521", "534", "536")):
                raise FetchFailed(
                    f"The server does not take data as they are secured: {error}.",
                    where=self.where,
                    remedy="Ask the supplier which protection is meant: TLS, or none.",
                ) from error
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
