"""The folder of an installation: what runs in it, on which ports, and how commands reach it."""

from __future__ import annotations

import json
import os
import signal
import socket
import subprocess
import time
from dataclasses import dataclass
from pathlib import Path

from nomotax.records.postgres import free_port
from nomotax.settings import settings

#: The environment of what was started; the address of the database in it has its password.
_ENVIRONMENT = "environment.json"


@dataclass(frozen=True)
class Home:
    """The folder where this installation keeps its database, files, logs and process ids."""

    folder: Path

    def pid_file(self, name: str) -> Path:
        return self.folder / f"{name}.pid"

    def running(self, name: str) -> int | None:
        """The id of a process we started and that still lives, else None."""
        file = self.pid_file(name)
        if not file.exists():
            return None
        pid = int(file.read_text() or 0)
        command = Path(f"/proc/{pid}/cmdline")
        if command.exists() and b"nomotax" in command.read_bytes():
            return pid
        file.unlink()
        return None

    def spawn(self, name: str, command: list[str], env: dict[str, str]) -> None:
        """Start a process that outlives us; its output goes to a log file."""
        log = (self.folder / f"{name}.log").open("ab")
        process = subprocess.Popen(
            command, stdin=subprocess.DEVNULL, stdout=log, stderr=log,
            env=os.environ | env, start_new_session=True,
        )  # fmt: skip
        self.pid_file(name).write_text(str(process.pid))

    def stop(self, name: str) -> bool:
        pid = self.running(name)
        if pid is None:
            return False
        os.kill(pid, signal.SIGTERM)
        for _ in range(100):
            if self.running(name) is None:
                break
            time.sleep(0.1)
        else:
            os.kill(pid, signal.SIGKILL)
        self.pid_file(name).unlink(missing_ok=True)
        return True

    def keep(self, env: dict[str, str]) -> None:
        """Remember where what is started here is, for commands of the same folder."""
        file = self.folder / _ENVIRONMENT
        file.touch(mode=0o600)
        file.write_text(json.dumps(env, indent=1))

    def kept(self) -> dict[str, str]:
        """What was remembered last; nothing where nothing was started yet."""
        file = self.folder / _ENVIRONMENT
        return json.loads(file.read_text()) if file.exists() else {}

    def port(self, name: str, wanted: int) -> int:
        """The port kept for ``name``: the wanted one when it is free at first, else any."""
        file = self.folder / f"{name}.port"
        if file.exists():
            return int(file.read_text())
        chosen = wanted if _is_free(wanted) else free_port()
        file.write_text(str(chosen))
        return chosen


def _is_free(port: int) -> bool:
    with socket.socket() as probe:
        return probe.connect_ex(("127.0.0.1", port)) != 0


def home() -> Home:
    """NOMOTAX_HOME, by default ``var`` in the current folder."""
    folder = settings().home.resolve()
    folder.mkdir(parents=True, exist_ok=True)
    return Home(folder)


def join_home() -> None:
    """Work on what ``up`` has started in this folder, with all that goes with its database, where
    no database is named."""
    if not settings().database_url:
        os.environ.update(Home(settings().home.resolve()).kept())
