"""A source in plain words."""

from __future__ import annotations

from nomotax.intake.failures import MASK, masked
from nomotax.intake.model import (
    BucketSource,
    FolderSource,
    FtpSource,
    MailSource,
    SftpSource,
    Source,
    WebSource,
)

_TAKE = {
    "newest": "the newest file {}",
    "together": "all files {}, together as one delivery,",
    "each": "each new file {}, as a delivery of its own,",
}


def described(source: Source) -> str:
    """Where deliveries come from: "the newest file called list-*.csv in /out of an SFTP server"."""
    if isinstance(source, WebSource):
        return _web(source)
    called = "" if source.names == "*" else f"called {source.names}"
    files = " ".join(_TAKE[source.take].format(called).replace(" ,", ",").split())
    return f"{files} {_from(source)}{_signed_in(source)}"


def _web(source: WebSource) -> str:
    first, more = masked(source.addresses[0]), len(source.addresses) - 1
    if not more:
        return f"the file at {first}{_signed_in(source)}"
    return f"the files at {first} and {more} more, together as one delivery{_signed_in(source)}"


def _from(source: Source) -> str:
    match source:
        case FtpSource():
            secure = "" if source.protection == "none" else " with TLS"
            inside = f"in {source.folder} of" if source.folder.strip("/") else "on"
            return f"{inside} {source.host}, by FTP{secure}"
        case SftpSource():
            inside = f"in {source.folder} of" if source.folder else "on"
            return f"{inside} {source.host}, by SFTP"
        case MailSource():
            about = f" about {source.subject!r}" if source.subject else ""
            return f"sent by {' or '.join(source.senders)}{about} to {source.mailbox}"
        case FolderSource():
            return f"in the folder {source.folder}"
        case BucketSource():
            inside = f"/{source.folder.strip('/')}" if source.folder.strip("/") else ""
            return f"in the bucket {source.bucket}{inside}"
        case WebSource():
            return ""


def _signed_in(source: Source) -> str:
    match source:
        case WebSource(sign_in="bearer"):
            return ", with a token"
        case WebSource(sign_in="header"):
            return f", with a secret in {source.header}"
        case WebSource(sign_in="none") | FolderSource() | BucketSource(user=""):
            return ""
        case WebSource() | FtpSource() | SftpSource() | MailSource() | BucketSource():
            return f", as {source.user}"


def without_secrets(source: Source) -> Source:
    """A source to be given out: what may let somebody in is masked in its addresses and its own
    headers, as passwords are never shown."""
    if not isinstance(source, WebSource):
        return source
    headers = [one.model_copy(update={"value": MASK}) for one in source.headers]
    addresses = [masked(one) for one in source.addresses]
    return source.model_copy(update={"addresses": addresses, "headers": headers})
