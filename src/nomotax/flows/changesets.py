"""Where what a run would do is kept: artifacts that are never changed."""

from __future__ import annotations

import secrets
from typing import Any

import polars as pl

from nomotax.artifacts.store import artifacts
from nomotax.core.changes.again import AGAIN, with_again
from nomotax.records.repository import known_id
from nomotax.records.tables import Run

#: Of what a feed no longer brings, the lines of those with which something happens.
MOVED = (pl.col("status") == "gone") & (pl.col("fields").list.len() > 0)


def changeset_name(run: Run) -> str:
    """The artifact with a run's changeset."""
    return f"{run.changes}.parquet"


def problems_name(run: Run) -> str:
    """The artifact with what is wrong in its rows."""
    return f"{run.changes}-problems.parquet"


def findings_name(run: Run) -> str:
    """The artifact with the lines that its guards have found, by their places."""
    return f"{run.changes}-findings.parquet"


def together(frame: pl.DataFrame) -> pl.LazyFrame:
    """Lines with those of one fate together: a page of the ten held ones reads those alone."""
    fates = frame["status"].unique(maintain_order=True)
    parts = [frame.lazy().filter(pl.col("status") == fate) for fate in fates]
    return pl.concat(parts or [frame.lazy()])


def keep_changeset(run: Run, lines: pl.LazyFrame, problems: pl.DataFrame) -> dict[str, Any]:
    """Keep what a preparation made, in which lines of one fate lie together; gives what the run
    knows of it: the name it is kept under, which is another one each time, as what another worker
    has made of the run stays as it is; and in how many lines it differs from what a person saw,
    when the catalog has changed since."""
    used = run.used
    if "since" in used:
        seen = artifacts().scan(changeset_name(run)).collect()
        marked = with_again(lines.collect(), seen)
        used = used | {"again": marked[AGAIN].sum()}
        lines = marked.lazy()
    run.changes = f"changesets/{known_id(run)}-{secrets.token_hex(4)}"
    artifacts().write_lazy(changeset_name(run), lines)
    artifacts().write_frame(problems_name(run), problems)
    moving = artifacts().scan(changeset_name(run)).filter(MOVED).select(pl.len())
    used = used | {"moving": int(moving.collect().item())}
    return {"changes": run.changes, "used": used}
