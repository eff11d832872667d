"""Many products made live, hidden or archived, or taken out of the catalog: a run like any other,
seen before it is applied."""

from __future__ import annotations

from typing import Literal

import polars as pl

from nomotax.core.changes.marks import NEW, OLD
from nomotax.core.changes.states import LIVE, STATE, State, said
from nomotax.core.crosswalk.problems import PROBLEM_SCHEMA
from nomotax.core.errors import Conflict
from nomotax.core.showing import Selection
from nomotax.flows.changesets import keep_changeset
from nomotax.flows.listing import listing_of
from nomotax.flows.needs import asked_of
from nomotax.flows.run_states import Progress, move
from nomotax.records.database import session
from nomotax.records.queue import enqueue
from nomotax.records.repositories import Stores
from nomotax.records.repository import known_id
from nomotax.records.runs import Runs
from nomotax.records.tables import Run

_NONE = pl.lit(None, dtype=pl.String)


class StatesEdit(Selection):
    """The products that are shown, and the state that they are to have; *out* are those that are
    deleted: their history is kept, and a feed that brings one again puts it back."""

    to: State | Literal["out"]

    @property
    def shown(self) -> Selection:
        """Which products these are."""
        return Selection.model_validate(self.model_dump(exclude={"to"}))


def start_states(store_id: int, edit: StatesEdit) -> Run:
    """A run that gives many products a state, to be prepared and looked at. Raises ``Conflict``
    where it would change none."""
    with session() as db:
        found = listing_of(db, store_id).shown(edit.shown, asked_of(db, store_id, edit.shown.where))
        others = found.filter(pl.col("state") != edit.to).height
        if not others:
            raise Conflict(
                f"All {found.height:,} products are {said(edit.to)} already." if found.height
                else "There is no product here.",
                where=edit.category or edit.search or "the catalog",
                remedy="Choose other products, or another state.",
            )  # fmt: skip
        named = " in ".join(filter(None, [repr(edit.search) if edit.search else "", edit.category]))
        run = Runs(db, store_id).add(
            kind="edit",
            stage="waiting for a worker",
            used={
                "states": edit.model_dump(),
                "file_name": f"{named or _several(edit, found)} {said(edit.to)}",
            },
        )
        enqueue(db, "prepare", run_id=known_id(run))
        return run


def _several(edit: StatesEdit, found: pl.DataFrame) -> str:
    """Products that no search and no branch names."""
    if not edit.where:
        return "all products"
    return str(found["key"][0]) if found.height == 1 else f"{found.height:,} products"


def prepare_states(run_id: int, tell: Progress) -> None:
    """Which products would get the state, kept for a person to look at."""
    tell(10, "loading the catalog")
    with session() as db:
        run, stores = Runs.holding(db, run_id).get(run_id), Stores(db)
        store = stores.get(run.store_id)
        edit = StatesEdit.model_validate(run.used["states"])
        asked = asked_of(db, run.store_id, edit.shown.where)
        found = listing_of(db, run.store_id).shown(edit.shown, asked)
    lines = found.filter(pl.col("state") != edit.to).select(
        pl.lit(None, pl.Int64).alias("row"), "key", "title",
        pl.lit("changed").alias("status"), _NONE.alias("reason"),
        pl.lit([STATE]).alias("fields"),
        (_NONE if edit.to == LIVE else pl.lit(edit.to)).alias(NEW + STATE),
        pl.when(pl.col("state") != LIVE).then("state").alias(OLD + STATE),
    )  # fmt: skip
    kept = keep_changeset(run, lines.lazy(), pl.DataFrame(schema=PROBLEM_SCHEMA))
    with session() as db:
        told = f"prepared: {lines.height} would be {said(edit.to)}"
        move(db, run_id, "prepared", told, progress=100, counts={"changed": lines.height}, **kept,
             rules_revision=store.rules_revision)  # fmt: skip
