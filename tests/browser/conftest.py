"""The real thing: `nomotax up` on free ports, driven by Debian's Chromium."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import tempfile
from pathlib import Path

import pytest

from nomotax.records.postgres import free_port

FLAGS = [
    "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run",
    "--disable-background-networking", "--disable-component-update", "--disable-sync",
]  # fmt: skip


@pytest.fixture(scope="session")
def browser_type_launch_args(browser_type_launch_args):
    return {**browser_type_launch_args, "executable_path": "/usr/bin/chromium", "args": FLAGS}


@pytest.fixture(scope="session")
def browser_context_args(browser_context_args):
    return {**browser_context_args, "viewport": {"width": 1280, "height": 800}}


class Installation:
    """A running Nomotax with the demo store, in a folder of its own."""

    def __init__(self) -> None:
        self.folder = Path(tempfile.mkdtemp(prefix="nomotax-browser-"))
        # The database runs as another user than root and must reach its folder.
        self.folder.chmod(0o755)
        self.port = free_port()
        (self.folder / "pg.port").write_text(str(free_port()))
        self.address = f"http://127.0.0.1:{self.port}"

    def command(self, *words: str) -> str:
        env = {k: v for k, v in os.environ.items() if k != "NOMOTAX_DATABASE_URL"}
        done = subprocess.run(
            [sys.executable, "-m", "nomotax.cli.main", *words],
            env=env | {"NOMOTAX_HOME": str(self.folder)},
            capture_output=True, text=True, check=False, timeout=120,
        )  # fmt: skip
        assert done.returncode == 0, done.stdout + done.stderr
        return done.stdout

    def remove(self) -> None:
        self.command("down")
        shutil.rmtree(self.folder, ignore_errors=True)


@pytest.fixture
def installation():
    """Started by the same command that `make start` runs; nothing is left running."""
    made = Installation()
    try:
        said = made.command("up", "--port", str(made.port))
        assert made.address in said
        yield made
    finally:
        made.remove()
