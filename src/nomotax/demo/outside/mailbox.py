"""A shop's mailbox: the messages in a folder, over IMAP (RFC 3501)."""

from __future__ import annotations

import email
import email.policy
from collections.abc import Callable, Iterator, Sequence
from email.utils import format_datetime, parsedate_to_datetime
from io import BytesIO
from pathlib import Path
from typing import Any

from twisted.cred import checkers, portal
from twisted.internet import protocol, reactor
from twisted.mail import imap4
from zope.interface import implementer

from nomotax.demo.outside.layout import MAIL, PASSWORD, USER


@implementer(imap4.IMessage)
class _Message:
    def __init__(self, uid: int, data: bytes) -> None:
        self.uid, self.data = uid, data
        self.parsed = email.message_from_bytes(data, policy=email.policy.default)

    def getUID(self) -> int:  # noqa: N802 - the names of the protocol's library
        return self.uid

    def getFlags(self) -> Sequence[str]:  # noqa: N802
        return ()

    def getInternalDate(self) -> str:  # noqa: N802
        return format_datetime(parsedate_to_datetime(str(self.parsed["Date"])))

    def getHeaders(self, negate: bool, *names: str) -> dict[str, str]:  # noqa: N802
        wanted = {(n.decode() if isinstance(n, bytes) else n).lower() for n in names}
        headers = {k.lower(): str(v) for k, v in self.parsed.items()}
        if not wanted and not negate:
            return headers
        return {k: v for k, v in headers.items() if (k in wanted) != negate}

    def getBodyFile(self) -> BytesIO:  # noqa: N802
        return BytesIO(self.data.partition(b"\n\n")[2])

    def getSize(self) -> int:  # noqa: N802
        return len(self.data)

    def isMultipart(self) -> bool:  # noqa: N802
        return False

    def getSubPart(self, part: int) -> Any:  # noqa: N802
        raise IndexError(part)

    def open(self) -> BytesIO:
        return BytesIO(self.data)


@implementer(imap4.IMailbox, imap4.ISearchableMailbox)
class _Mailbox:
    """The messages of a folder by the order of their moments; nobody can change them."""

    def __init__(self, folder: Path) -> None:
        read = [one.read_bytes() for one in sorted(folder.glob("*.eml"))]
        self.messages = sorted(
            (_Message(0, data) for data in read),
            key=lambda m: parsedate_to_datetime(str(m.parsed["Date"])),
        )
        for uid, message in enumerate(self.messages, start=1):
            message.uid = uid

    def getFlags(self) -> Sequence[str]:  # noqa: N802
        return ()

    def getHierarchicalDelimiter(self) -> str:  # noqa: N802
        return "/"

    def getUIDValidity(self) -> int:  # noqa: N802
        return 1

    def getUIDNext(self) -> int:  # noqa: N802
        return len(self.messages) + 1

    def getUID(self, message: int) -> int:  # noqa: N802
        return message

    def getMessageCount(self) -> int:  # noqa: N802
        return len(self.messages)

    def getRecentCount(self) -> int:  # noqa: N802
        return 0

    def getUnseenCount(self) -> int:  # noqa: N802
        return len(self.messages)

    def isWriteable(self) -> bool:  # noqa: N802
        return False

    def requestStatus(self, names: Sequence[str]) -> dict[str, int]:  # noqa: N802
        told: dict[str, int] = imap4.statusRequestHelper(self, names)
        return told

    def addListener(self, listener: object) -> None:  # noqa: N802
        """Nothing comes while somebody looks."""

    def removeListener(self, listener: object) -> None:  # noqa: N802
        """There is none."""

    def fetch(self, messages: imap4.MessageSet, uid: bool) -> list[tuple[int, _Message]]:
        messages.last = len(self.messages)
        return [(m.uid, m) for m in self.messages if m.uid in set(messages)]

    def search(self, query: Sequence[object], uid: bool) -> list[int]:
        """By sender, subject and number; the library's own search stumbles over dates."""
        words = [str(w, "utf-8") if isinstance(w, bytes) else str(w) for w in _flat(query)]
        asked = {
            name.upper(): words[n + 1].lower()
            for n, name in enumerate(words[:-1])
            if name.upper() in ("FROM", "SUBJECT", "UID")
        }
        number = asked.pop("UID", "")
        return [
            m.uid
            for m in self.messages
            if number in ("", str(m.uid))
            and all(text in str(m.parsed[name] or "").lower() for name, text in asked.items())
        ]

    def destroy(self) -> None:
        """Nothing is held."""


def _flat(query: Sequence[object]) -> Iterator[object]:
    for one in query:
        if isinstance(one, list | tuple):
            yield from _flat(one)
        else:
            yield one


@implementer(imap4.IAccount)
class _Account:
    def __init__(self, folder: Path) -> None:
        self.folder = folder

    def select(self, name: str, rw: bool = True) -> _Mailbox | None:
        return _Mailbox(self.folder) if name.upper() == "INBOX" else None

    def listMailboxes(self, ref: str, wildcard: str) -> list[tuple[str, _Mailbox]]:  # noqa: N802
        return [("INBOX", _Mailbox(self.folder))]

    def isSubscribed(self, name: str) -> bool:  # noqa: N802
        return name.upper() == "INBOX"


@implementer(portal.IRealm)
class _Realm:
    def __init__(self, folder: Path) -> None:
        self.folder = folder

    def requestAvatar(  # noqa: N802
        self, avatar: object, mind: object, *interfaces: object
    ) -> tuple[object, _Account, Callable[[], None]]:
        return imap4.IAccount, _Account(self.folder), lambda: None


class _Factory(protocol.Factory):  # type: ignore[misc]
    def __init__(self, folder: Path) -> None:
        people = checkers.InMemoryUsernamePasswordDatabaseDontUse()
        people.addUser(USER.encode(), PASSWORD.encode())
        self.portal = portal.Portal(_Realm(folder), [people])

    def buildProtocol(self, addr: object) -> imap4.IMAP4Server:  # noqa: N802
        server = imap4.IMAP4Server()
        server.portal, server.factory = self.portal, self
        return server


def listen(root: Path, port: int) -> int:
    """Listens once the reactor runs; ``port`` 0 takes any. Gives the port."""
    made = reactor.listenTCP(port, _Factory(root / MAIL), interface="127.0.0.1")
    return int(made.getHost().port)
