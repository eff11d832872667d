"""All stand-ins in one process, on loopback."""

from __future__ import annotations

from pathlib import Path

from twisted.internet import reactor

from nomotax.demo.outside import ftp, mailbox, post, sftp, web
from nomotax.demo.outside.layout import FOLDER, FTP, MAIL, SFTP, WEB, Ports


def run(root: Path, ports: Ports) -> None:
    """Serve what lies in ``root`` until the process is ended."""
    for part in (WEB, FTP, SFTP, MAIL, FOLDER):
        (root / part).mkdir(parents=True, exist_ok=True)
    web.serve(root, ports.web)
    ftp.serve(root, ports.ftp)
    sftp.serve(root, ports.sftp)
    mailbox.listen(root, ports.mail)
    post.serve(root, ports.smtp)
    reactor.run()
