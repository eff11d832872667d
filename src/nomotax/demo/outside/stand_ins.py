"""The stand-ins from outside: what a supplier lays out there, and how a feed fetches it."""

from __future__ import annotations

import json
from dataclasses import asdict, dataclass
from datetime import UTC, datetime
from pathlib import Path
from typing import Self

from nomotax.demo.outside.layout import (
    FOLDER,
    FTP,
    MAIL,
    PASSWORD,
    SENDER,
    SFTP,
    USER,
    WEB,
    Ports,
    put,
)
from nomotax.flows.sources import SourceEdit
from nomotax.intake.model import (
    FolderSource,
    FtpSource,
    MailSource,
    SftpSource,
    Source,
    WebSource,
)
from nomotax.settings import settings

_HOST = "127.0.0.1"
_PORTS = "ports.json"


@dataclass(frozen=True)
class StandIns:
    """Those of one folder, and where they listen."""

    root: Path
    ports: Ports

    @classmethod
    def running(cls) -> Self | None:
        """Those of this installation (NOMOTAX_STAND_INS); None where there are none."""
        root = Path(settings().stand_ins) if settings().stand_ins else None
        if root is None or not (root / _PORTS).exists():
            return None
        return cls(root, Ports(**json.loads((root / _PORTS).read_text("utf-8"))))

    def keep(self) -> None:
        """Others of this installation find them."""
        self.root.mkdir(parents=True, exist_ok=True)
        (self.root / _PORTS).write_text(json.dumps(asdict(self.ports)), encoding="utf-8")

    @property
    def addresses(self) -> list[str]:
        """Where they listen, each as ``host:port``."""
        own = self.ports
        return [f"{_HOST}:{port}" for port in (own.web, own.ftp, own.sftp, own.mail, own.smtp)]

    @property
    def hook(self) -> str:
        """The address that is called with messages."""
        return f"http://{_HOST}:{self.ports.web}/hooks"

    def has(self, part: str, name: str) -> bool:
        """Whether a supplier has laid a file out."""
        return (self.root / part / (f"{name}.eml" if part == MAIL else name)).exists()

    def release(self, part: str, name: str, data: bytes) -> None:
        """A supplier lays a file out."""
        put(self.root, part, name, data, datetime.now(UTC))

    def source(self, part: str) -> SourceEdit:
        """How a feed fetches the newest file of a stand-in."""
        own = self.ports
        made: dict[str, Source] = {
            WEB: WebSource(
                addresses=[f"http://{_HOST}:{own.web}/lists/newest"], sign_in="basic", user=USER
            ),
            FTP: FtpSource(host=_HOST, port=own.ftp, protection="none", user=USER, names="*.xlsx"),
            SFTP: SftpSource(
                host=_HOST, port=own.sftp, user=USER, names="*.xml", host_key=own.host_key
            ),
            MAIL: MailSource(
                host=_HOST, port=own.mail, protection="none", user=USER, senders=[SENDER],
                names="*.zip",
            ),
            FOLDER: FolderSource(folder=str((self.root / FOLDER).resolve()), names="*.csv"),
        }  # fmt: skip
        secrets: dict[str, str] = {} if part == FOLDER else {"password": PASSWORD}
        return SourceEdit.model_validate({"source": made[part], "secrets": secrets})
