"""Where the stand-ins keep what they give, and how one signs in to them."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from email.message import EmailMessage
from email.utils import format_datetime
from pathlib import Path

#: One shop signs in with all of them; the passwords are no secret, as nothing else is here.
USER, PASSWORD = "ostrelle", "paint-and-paper"
TOKEN = "quarrow-list-token"
SENDER = "lists@castelune.example"
#: Each part of the folder is given by a server of its own; *folder* by none.
WEB, FTP, SFTP, MAIL, FOLDER = "web", "ftp", "sftp", "mail", "folder"


@dataclass(frozen=True)
class Ports:
    """Where the stand-ins listen, all on loopback. ``host_key`` is the fingerprint of the SSH
    server's key."""

    web: int
    ftp: int
    sftp: int
    mail: int
    smtp: int
    host_key: str = ""


def put(root: Path, part: str, name: str, data: bytes, at: datetime) -> None:
    """A supplier lays a file out, whole from the first moment; by mail it is sent."""
    folder = root / part
    folder.mkdir(parents=True, exist_ok=True)
    if part == MAIL:
        name, data = f"{name}.eml", _message(name, data, at)
    waiting = folder.parent / f".{name}.part"
    waiting.write_bytes(data)
    waiting.rename(folder / name)


def _message(name: str, data: bytes, at: datetime) -> bytes:
    made = EmailMessage()
    made["From"], made["To"] = f"Castelune Wholesale <{SENDER}>", "orders@ostrelle.example"
    made["Subject"], made["Date"] = f"Your price parcel {name}", format_datetime(at)
    made.set_content("Please find our range, prices and stock in the attachment.\n")
    made.add_attachment(data, maintype="application", subtype="octet-stream", filename=name)
    return bytes(made)
