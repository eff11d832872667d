"""Articles whose products people would not have made, until their rows say something else."""

from __future__ import annotations

import polars as pl

from nomotax.artifacts.store import artifacts
from nomotax.core.changes.offers import OF_ARTICLE
from nomotax.core.errors import Conflict, NotFound
from nomotax.flows.changesets import changeset_name
from nomotax.flows.lines import prepared_run
from nomotax.flows.runs import prepare_anew
from nomotax.records.database import session
from nomotax.records.remembered import Declined
from nomotax.records.tables import Run


def take_again(run_id: int, row: int) -> Run:
    """Have the product of a row made after all, which was declined before, and prepare the run
    again. Raises ``Conflict`` for a run that is not prepared, ``NotFound`` where nothing was
    declined."""
    run = prepared_run(run_id)
    if run.status != "prepared" or run.feed_id is None:
        raise Conflict(f"This run is {run.status}.", remedy="Prepare the delivery again.")
    lines = artifacts().scan(changeset_name(run)).filter(pl.col("row") == row)
    articles = lines.select(pl.col(OF_ARTICLE).drop_nulls()).collect().to_series()
    with session() as db:
        memory = Declined(db, run.store_id)
        taken = [one for one in articles.unique() if memory.take_again(run.feed_id, one)]
    if not taken:
        raise NotFound(f"No product of row {row} was declined before.")
    return prepare_anew(run_id, f"{taken[0]} makes a product after all")
