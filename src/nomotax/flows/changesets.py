"""Where what a run would do is kept: artifacts that are never changed."""

from __future__ import annotations

import secrets

import polars as pl

from nomotax.artifacts.store import artifacts
from nomotax.records.repositories import known_id
from nomotax.records.tables import Run


def changeset_name(run: Run) -> str:
    """The artifact with a run's changeset."""
    return f"{run.changes}.parquet"


def problems_name(run: Run) -> str:
    """The artifact with what is wrong in its rows."""
    return f"{run.changes}-problems.parquet"


def keep_changeset(run: Run, frame: pl.DataFrame, problems: pl.DataFrame) -> str:
    """Keep what a preparation made; gives the name it is kept under, which is another one each
    time: what another worker has made of the run stays as it is."""
    run.changes = f"changesets/{known_id(run)}-{secrets.token_hex(4)}"
    artifacts().write_frame(changeset_name(run), frame)
    artifacts().write_frame(problems_name(run), problems)
    return run.changes
