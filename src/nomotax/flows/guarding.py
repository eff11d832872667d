"""A feed's guards: how they are set, what they saw of a run, and what they would have seen."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from datetime import datetime
from typing import Any

import polars as pl
from pydantic import BaseModel, model_validator
from sqlmodel import Session

from nomotax.artifacts.store import artifacts
from nomotax.core.changes.held import Held
from nomotax.core.crosswalk.model import Crosswalk
from nomotax.core.guards.facts import PLACE, Earlier, Facts
from nomotax.core.guards.looks import blind, findings, middle_price
from nomotax.core.guards.model import SORTS, Finding, Guard, GuardKind, GuardSort, guards_of
from nomotax.flows.beside import unusual_for
from nomotax.flows.changesets import changeset_name, findings_name
from nomotax.flows.contracts import breaches_of
from nomotax.flows.offers import scope_of
from nomotax.flows.preparing import delivery_used
from nomotax.records.crosswalks import Crosswalks
from nomotax.records.database import session
from nomotax.records.feed_changes import note_change
from nomotax.records.repositories import Feeds, Stores
from nomotax.records.repository import known_id
from nomotax.records.runs import Runs
from nomotax.records.tables import Run

#: So many deliveries say what is usual.
_USUAL = 5
#: So many deliveries a guard is tried on.
_TRIED = 10
#: So many new words of a field are named.
_NAMED = 12
_WHERE = {"guard": pl.String, PLACE: pl.UInt32}


class Guards(BaseModel):
    """The guards of a feed, one of each kind."""

    guards: list[Guard]

    @model_validator(mode="after")
    def _once(self) -> Guards:
        kinds = [guard.kind for guard in self.guards]
        if len({*kinds}) < len(kinds):
            raise ValueError("a kind of guard stands there twice")
        return self


class FeedGuards(Guards):
    """With what each kind of them holds, and when; ``blind`` are those that can see nothing in
    this store, and why."""

    sorts: list[GuardSort]
    blind: dict[GuardKind, str]


class TriedRun(BaseModel):
    """A run, and what guards would have seen of it."""

    run_id: int
    file_name: str
    at: datetime
    findings: list[Finding]


class Tried(BaseModel):
    """The last runs of a feed, the newest first. New words are not told of them: what the catalog
    had then is not known any more."""

    runs: list[TriedRun]


def guards(feed_id: int) -> FeedGuards:
    """The guards of a feed. Raises ``NotFound``."""
    with session() as db:
        feed = Feeds.holding(db, feed_id).get(feed_id)
        schema = Stores(db).schema(feed.store_id)
    return FeedGuards(guards=_set(feed.guards), sorts=list(SORTS.values()), blind=blind(schema))


def _set(own: Sequence[Mapping[str, Any]]) -> list[Guard]:
    return guards_of([Guard.model_validate(one) for one in own])


def set_guards(feed_id: int, wanted: Guards) -> FeedGuards:
    """Set the guards of a feed, for what is prepared from now on; kinds that are not named are as
    they are for all feeds. Raises ``NotFound``."""
    with session() as db:
        feed = Feeds.holding(db, feed_id).get(feed_id)
        usual = guards_of([])
        for said in _changed(guards_of(_set(feed.guards)), guards_of(wanted.guards)):
            note_change(db, feed, said)
        feed.guards = [g.model_dump(mode="json") for g in wanted.guards if g not in usual]
        db.add(feed)
    return guards(feed_id)


def _changed(before: Sequence[Guard], after: Sequence[Guard]) -> Iterator[str]:
    """What of guards is another, in words."""
    for old, new in zip(before, after, strict=True):
        name = SORTS[new.kind].name
        if old.on != new.on:
            yield f"the guard {name} is {'on' if new.on else 'off'}"
        if old.limit != new.limit:
            yield (
                f"the guard {name} holds from {new.limit.normalize():f} on, and not from "
                f"{old.limit.normalize():f}"
            )


def guarded(
    run: Run, counts: Mapping[str, int], products: Held, crosswalk: Crosswalk, trial: bool
) -> dict[str, Any]:
    """Look over the changeset that a run has just made by a ``crosswalk`` beside the ``products``
    of the store; gives
    what was found, the words that are new to the store and the middle price, and keeps which lines
    each finding is about."""
    with session() as db:
        runs = Runs(db, run.store_id)
        schema = Stores(db).schema(run.store_id)
        feed = runs.feed(run)
        own, earlier = _set(feed.guards), _earlier(_alike(runs, run))
        delivery = delivery_used(db, run)

    def words(fields: Sequence[str]) -> dict[str, pl.Series]:
        return {f: products.values(f) for f in fields}

    facts = Facts(
        artifacts().scan(changeset_name(run)), schema, counts, run.used["filled"], earlier,
        words, trial, unusual_for(delivery, crosswalk, schema), breaches_of(delivery),
    )  # fmt: skip
    found = list(findings(facts, own))
    places = [
        pl.DataFrame({PLACE: at}).select(pl.lit(one.called).alias("guard"), PLACE)
        for one, at in found
    ]
    artifacts().write_frame(findings_name(run), pl.concat([pl.DataFrame(schema=_WHERE), *places]))
    return {
        "findings": [one.model_dump(mode="json") for one, _ in found],
        "strange": {
            one.field.name: {"count": one.words.len(), "some": one.words[:_NAMED].to_list()}
            for one in facts.strange
        },
        "middle_price": middle_price(facts),
    }


def _alike(runs: Runs, run: Run) -> list[Run]:
    """The last runs of the same fields that were applied."""
    scope = scope_of(run)
    return runs.last_applied(run.feed_id or 0, _USUAL, scope.name if scope else "")


def _earlier(applied: Sequence[Run]) -> list[Earlier]:
    return [
        Earlier(sum(n for s, n in one.counts.items() if s != "gone"), one.used.get("filled", {}))
        for one in applied
    ]


def try_guards(feed_id: int, wanted: Guards) -> Tried:
    """What guards would have seen in the last deliveries of a feed, each beside those that were
    applied before it. Raises ``NotFound``."""
    with session() as db:
        feed = Feeds.holding(db, feed_id).get(feed_id)
        schema = Stores(db).schema(feed.store_id)
        made = _whole(db, feed.store_id, feed_id)
        draft = Crosswalk.model_validate(Crosswalks(db, feed.store_id).by_feed()[feed_id].draft)
        brought = {known_id(one): delivery_used(db, one) for one in made[:_TRIED]}
    asked, tried = guards_of(wanted.guards), []
    for n, run in enumerate(made[:_TRIED]):
        before = [one for one in made[n + 1 :] if one.status == "applied"][:_USUAL]
        facts = Facts(
            artifacts().scan(changeset_name(run)), schema, run.counts, run.used.get("filled", {}),
            _earlier(before), unusual=unusual_for(brought[known_id(run)], draft, schema),
            breaches=breaches_of(brought[known_id(run)]),
        )  # fmt: skip
        tried.append(
            TriedRun(
                run_id=known_id(run), file_name=run.used["file_name"], at=run.created_at,
                findings=[one for one, _ in findings(facts, asked)],
            )
        )  # fmt: skip
    return Tried(runs=tried)


def _whole(db: Session, store_id: int, feed_id: int) -> list[Run]:
    """Runs of whole deliveries that can be looked at again, the newest first, one a delivery."""
    found: dict[int | None, Run] = {}
    for run in Runs(db, store_id).filling(feed_id):
        if run.counts and artifacts().exists(changeset_name(run)):
            found.setdefault(run.delivery_id, run)
    return list(found.values())


def findings_of(run: Run) -> list[Finding]:
    """What the guards of its feed have seen of a run."""
    return [Finding.model_validate(one) for one in run.used.get("findings", [])]


def places_found(run: Run) -> dict[str, pl.Series]:
    """Where the lines stand that each finding is about; nothing of runs of earlier versions."""
    if not run.used.get("findings"):
        return {}
    found = artifacts().scan(findings_name(run)).collect()
    own = {str(g): part[PLACE] for (g,), part in found.group_by("guard", maintain_order=True)}
    none = pl.Series([], dtype=pl.UInt32)
    return {one.called: own.get(one.called, none) for one in findings_of(run)}
