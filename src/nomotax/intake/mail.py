"""Attachments in an IMAP mailbox (RFC 9051), from senders that are known. Nothing in the mailbox
is changed: not even that a message has been seen."""

from __future__ import annotations

import imaplib
import socket
import ssl
from collections.abc import Iterator, Sequence
from datetime import UTC, datetime, timedelta

from imap_tools import AND, BaseMailBox, MailboxLoginError, MailMessage
from imap_tools.errors import ImapToolsError

from nomotax.intake.failures import FetchFailed, PassingFailure
from nomotax.intake.model import MailSource
from nomotax.intake.naming import Found, matching, on_days
from nomotax.intake.outside import PATIENCE, connect, reason, trust, wrong_certificate
from nomotax.intake.place import Asked
from nomotax.intake.spool import Spool

#: So many messages are looked at, the newest first, and of so many days: of those that are each
#: taken, more than ever come between two looks.
_MOST, _MOST_EACH, _DAYS = 40, 2_000, 92


class _Plain(imaplib.IMAP4):
    def _create_socket(self, timeout: float | None) -> socket.socket:
        return connect(self.host, self.port, PATIENCE)


class _Tls(imaplib.IMAP4_SSL):
    def _create_socket(self, timeout: float | None) -> socket.socket:
        plain = connect(self.host, self.port, PATIENCE)
        return trust().wrap_socket(plain, server_hostname=self.host)


class _Box(BaseMailBox):
    """A mailbox that is reached outside our own network only."""

    def __init__(self, source: MailSource) -> None:
        self.source = source
        super().__init__()

    def _get_mailbox_client(self) -> imaplib.IMAP4:
        source = self.source
        if source.protection == "tls":
            return _Tls(source.host, source.port, ssl_context=trust(), timeout=PATIENCE)
        client = _Plain(source.host, source.port, timeout=PATIENCE)
        if source.protection == "starttls":
            client.starttls(trust())
        return client


class MailPlace:
    """Messages of one mailbox. Attachments are held in memory: mail is never large."""

    resumes = False

    def __init__(self, source: MailSource, asked: Asked) -> None:
        self.source, self.asked = source, asked
        with _translated(source):
            self._box = _Box(source)
            self._box.login(source.user, asked.secrets.get("password", ""), initial_folder=None)
            self._box.folder.set(source.mailbox, readonly=True)

    def again(self) -> None:
        """What was found is at hand."""

    def close(self) -> None:
        self._box.client.shutdown()

    def look(self) -> Sequence[Found]:
        """The attachments of the newest message that has some; with *each* those of all."""
        patterns = list(on_days(self.source.names, self.asked.today, self.source.days_back))
        found: list[Found] = []
        with _translated(self.source):
            for message in self._messages():
                found += matching(_attachments(message), patterns)
                if found and self.source.take != "each":
                    break
        return matching(found, patterns)

    def _messages(self) -> Iterator[MailMessage]:
        """Newest first, from known senders, small enough."""
        since = self.asked.today - timedelta(days=_DAYS)
        uids: set[str] = set()
        for sender in self.source.senders:
            about = self.source.subject or None
            uids |= set(
                self._box.uids(AND(from_=sender, date_gte=since, subject=about), charset="UTF-8")
            )
        most = _MOST_EACH if self.source.take == "each" else _MOST
        if len(uids) > most and self.source.take == "each":
            raise FetchFailed(
                f"{len(uids):,} messages of these senders are there; {most:,} are looked at.",
                where=self.source.mailbox,
                remedy="Move those that are taken to another mailbox, or name the files closer.",
            )
        for uid in sorted(uids, key=int, reverse=True)[:most]:
            self.asked.limits.check()
            self.asked.limits.refuse(self._size(uid), f"message {uid}")
            for message in self._box.fetch(AND(uid=uid), mark_seen=False):
                if self._known(message):
                    yield message

    def _size(self, uid: str) -> int | None:
        _, told = self._box.client.uid("FETCH", uid, "(RFC822.SIZE)")
        digits = b"".join(p for p in told if isinstance(p, bytes)).rpartition(b"RFC822.SIZE ")[2]
        number = digits.split(b")")[0].split(b" ")[0]
        return int(number) if number.isdigit() else None

    def _known(self, message: MailMessage) -> bool:
        """A mailbox searches for parts of addresses; the whole of it has to be right."""
        return message.from_.lower() in {one.lower() for one in self.source.senders}

    def take(self, found: Found, spool: Spool, known: str = "") -> Found | None:
        if known == found.mark:
            return None
        spool.restart()
        spool.expect(len(found.more))
        spool.write(found.more)
        return found


def _attachments(message: MailMessage) -> Iterator[Found]:
    moment = message.date if message.date.tzinfo else message.date.replace(tzinfo=UTC)
    if moment.year < 1990:
        moment = datetime.now(UTC)
    for n, one in enumerate(message.attachments):
        name = one.filename.replace("\\", "/").rpartition("/")[2] or f"attachment-{n + 1}"
        where = f"message {message.uid}: {name}"
        yield Found(name, where, len(one.payload), moment, f"{message.uid} {n}", one.payload)


class _translated:  # noqa: N801 - used like a function
    """Errors of the driver as ours."""

    def __init__(self, source: MailSource) -> None:
        self.source = source

    def __enter__(self) -> None:
        return None

    def __exit__(self, kind: object, error: BaseException | None, trace: object) -> None:
        where = f"imap://{self.source.host}:{self.source.port}/{self.source.mailbox}"
        match error:
            case MailboxLoginError():
                raise FetchFailed(
                    f"The mailbox does not let {self.source.user!r} in.", where=where,
                    remedy="Check user and password; many hosts ask for a password of its own "
                    "for programs.",
                ) from error  # fmt: skip
            case ssl.SSLCertVerificationError():
                raise wrong_certificate(self.source.host, error) from error
            case ImapToolsError() | imaplib.IMAP4.error() if not isinstance(
                error, imaplib.IMAP4.abort
            ):
                raise FetchFailed(
                    f"The mailbox refuses: {error}.", where=where,
                    remedy="Check the name of the mailbox and how it is protected.",
                ) from error  # fmt: skip
            case imaplib.IMAP4.abort() | OSError():
                raise PassingFailure(
                    f"The connection broke: {reason(error)}.", where=where
                ) from error
