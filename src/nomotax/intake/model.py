"""Where a feed's deliveries are fetched from, as it is saved; passwords stand elsewhere."""

from __future__ import annotations

from typing import Annotated, Literal
from urllib.parse import urlsplit

from pydantic import BaseModel, ConfigDict, Field, TypeAdapter, field_validator, model_validator

from nomotax.core.zones import zones

Take = Literal["newest", "together", "each"]
Protection = Literal["tls", "starttls", "none"]
#: What may be kept locked beside a source.
SecretName = Literal["password", "key", "passphrase"]

_Name = Annotated[str, Field(min_length=1, max_length=253, pattern=r"^[^\s/@\\]+$")]
_Text = Annotated[str, Field(max_length=1000, pattern=r"^[^\r\n\x00]*$")]


class _Source(BaseModel):
    """``zone`` is the time zone whose day stands in a name with a date in it, and of so many
    ``days_back`` as well, the newest first."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    zone: str = "UTC"
    days_back: int = Field(default=0, ge=0, le=60)

    @field_validator("zone")
    @classmethod
    def _known(cls, zone: str) -> str:
        if zone not in zones():
            raise ValueError(f"there is no time zone {zone!r}")
        return zone


class _Folder(_Source):
    """A place that lists its files. ``names`` is the pattern of those that count, with ``*``,
    ``?`` and dates like ``{YYYY-MM-DD}``; ``take`` says which of them make a delivery."""

    folder: _Text = ""
    names: Annotated[str, Field(min_length=1, max_length=200, pattern=r"^[^\r\n\x00/]+$")] = "*"
    take: Take = "newest"


class Header(BaseModel):
    """A header that is sent along."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    name: str = Field(pattern=r"^[!#$%&'*+.^_`|~0-9A-Za-z-]{1,100}$")
    value: _Text = ""


class WebSource(_Source):
    """Files at web addresses; several make one delivery together. The password of *basic* and the
    token of *bearer* are secrets, and so is the value of a header that is called one."""

    kind: Literal["web"] = "web"
    addresses: list[_Text] = Field(min_length=1, max_length=20)
    sign_in: Literal["none", "basic", "bearer", "header"] = "none"
    user: _Text = ""
    header: str = Field(default="", pattern=r"^[!#$%&'*+.^_`|~0-9A-Za-z-]{0,100}$")
    headers: list[Header] = Field(default=[], max_length=20)

    @field_validator("addresses")
    @classmethod
    def _web(cls, addresses: list[str]) -> list[str]:
        for one in addresses:
            try:
                found = urlsplit(one)
                sound = found.scheme in ("http", "https") and bool(found.hostname)
                inline = found.username is not None
            except ValueError as error:
                raise ValueError(f"{one!r} is no web address: {error}") from error
            if not sound:
                raise ValueError(f"{one!r} is no web address; they begin with http:// or https://")
            if inline:
                raise ValueError("a password does not belong into an address; sign in instead")
        return addresses

    @model_validator(mode="after")
    def _named(self) -> WebSource:
        if self.sign_in == "header" and not self.header:
            raise ValueError("name the header that the secret goes into")
        return self


class FtpSource(_Folder):
    """Files of an FTP server (RFC 959); with TLS from the start, begun by AUTH TLS (RFC 4217), or
    without any."""

    kind: Literal["ftp"] = "ftp"
    host: _Name
    port: int = Field(default=21, ge=1, le=65535)
    protection: Protection = "starttls"
    user: _Text = "anonymous"


class SftpSource(_Folder):
    """Files of an SSH server, whose own key is known: ``host_key`` is its fingerprint, as
    ``SHA256:…``. The secret is a password, or a private key."""

    kind: Literal["sftp"] = "sftp"
    host: _Name
    port: int = Field(default=22, ge=1, le=65535)
    user: _Text
    host_key: str = Field(default="", pattern=r"^(SHA256:[A-Za-z0-9+/]{43})?$")


class MailSource(_Source):
    """Attachments of messages in an IMAP mailbox (RFC 9051) that come from a known sender."""

    kind: Literal["mail"] = "mail"
    host: _Name
    port: int = Field(default=993, ge=1, le=65535)
    protection: Protection = "tls"
    user: _Text
    mailbox: _Text = "INBOX"
    senders: list[Annotated[str, Field(pattern=r"^[^\s@\"]+@[^\s@\"]+$", max_length=254)]] = Field(
        min_length=1, max_length=20
    )
    subject: _Text = ""
    names: Annotated[str, Field(min_length=1, max_length=200, pattern=r"^[^\r\n\x00/]+$")] = "*"
    take: Take = "newest"


class FolderSource(_Folder):
    """A folder of this machine, or one that is mounted on it."""

    kind: Literal["folder"] = "folder"
    folder: Annotated[str, Field(min_length=1, max_length=1000, pattern=r"^/[^\r\n\x00]*$")]


class BucketSource(_Folder):
    """Objects of a bucket that speaks the S3 protocol; ``folder`` is what their names begin
    with. ``user`` is the key's id, and its secret is the password; neither for a public one."""

    kind: Literal["bucket"] = "bucket"
    bucket: Annotated[str, Field(pattern=r"^[a-z0-9][a-z0-9.-]{1,61}[a-z0-9]$")]
    endpoint: Annotated[str, Field(max_length=300, pattern=r"^(https?://[^\s/@]+/?)?$")] = ""
    region: Annotated[str, Field(pattern=r"^[a-z0-9-]{0,40}$")] = ""
    user: _Text = ""


Source = Annotated[
    WebSource | FtpSource | SftpSource | MailSource | FolderSource | BucketSource,
    Field(discriminator="kind"),
]
_SOURCE: TypeAdapter[Source] = TypeAdapter(Source)


def parse_source(document: object) -> Source:
    """A saved source. Raises ``ValidationError``."""
    return _SOURCE.validate_python(document)


def audience(source: Source) -> tuple[str, ...]:
    """Whom the secrets of a source are told to. A source that tells them to somebody else needs
    them anew: whoever may edit it shall not have them sent where they please."""
    match source:
        case WebSource():
            hosts = sorted({_origin(one) for one in source.addresses})
            return ("web", source.sign_in, source.user, source.header.lower(), *hosts)
        case FolderSource():
            return ("folder",)
        case BucketSource():
            return ("bucket", source.endpoint, source.user)
        case FtpSource() | MailSource():
            at = f"{source.host.lower()}:{source.port}"
            return (source.kind, at, source.protection, source.user)
        case SftpSource():
            at = f"{source.host.lower()}:{source.port}"
            return ("sftp", at, source.user)


def _origin(address: str) -> str:
    found = urlsplit(address)
    return f"{found.scheme}://{found.netloc.lower()}"


def secrets_of(source: Source) -> tuple[SecretName, ...]:
    """The secrets that a source can have."""
    match source:
        case WebSource():
            return () if source.sign_in == "none" else ("password",)
        case SftpSource():
            return ("password", "key", "passphrase")
        case FolderSource():
            return ()
        case _:
            return ("password",)
