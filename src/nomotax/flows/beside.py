"""A delivery beside the ones before it: what is unusual in it, and the new name of a column."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from typing import Any

from pydantic import BaseModel
from sqlmodel import Session

from nomotax.artifacts.store import artifacts
from nomotax.core.contract.checking import Breach
from nomotax.core.crosswalk.model import Crosswalk
from nomotax.core.drift.broken import broke_off
from nomotax.core.drift.find import behold, first
from nomotax.core.drift.imprint import Imprint, Table
from nomotax.core.drift.model import NAMES, DriftFinding, DriftKind, Severity
from nomotax.core.drift.used import in_use
from nomotax.core.errors import NotFound
from nomotax.core.reading.model import Reading, parse_reading
from nomotax.core.reading.problem import ReadingProblem
from nomotax.core.schema.model import StoreSchema
from nomotax.records.crosswalks import Crosswalks
from nomotax.records.database import session
from nomotax.records.repositories import Deliveries, Stores
from nomotax.records.repository import known_id
from nomotax.records.runs import Runs
from nomotax.records.tables import Delivery

#: So many earlier deliveries say what is usual.
_USUAL = 6
#: So many deliveries before one are looked at, however many there are.
_LOOKED_AT = 40


class EarlierDelivery(BaseModel):
    """A delivery that came before."""

    id: int
    file_name: str
    received_at: datetime


class Unusual(BaseModel):
    """One thing that is unusual: what it is called, how severe it is for this store, and since
    which delivery it has been so. ``fields`` are labels of the store's."""

    kind: DriftKind
    name: str
    severity: Severity
    column: str
    to: str
    factor: float | None
    rows: int
    said: str
    fields: list[str]
    since: EarlierDelivery | None


class DeliveryBeside(BaseModel):
    """What is unusual in a delivery beside the one ``before`` it and what ``known`` ones were like,
    the worst first; ``before`` is null for a feed's first. ``breaches`` is in what it breaks its
    feed's contract. ``renames`` are the names that columns of this delivery are called by another
    by."""

    id: int
    file_name: str
    rows: int
    before: EarlierDelivery | None
    known: int
    things: list[Unusual]
    breaches: list[Breach]
    renames: dict[str, str]


def beside(delivery: Delivery) -> dict[str, Any]:
    """What is unusual in a delivery that could be read, beside those before it; its imprint is
    kept for those that follow."""
    with session() as db:
        before = _before(db, delivery)
    table = _table(delivery)
    told: dict[str, Any] = {"beside": None, "known": [], "findings": []}
    if before:
        imprints = _imprints(before)
        beheld = behold(table, _table(before[-1]), imprints, _cut(delivery))
        told = {
            "beside": known_id(before[-1]),
            "known": [known_id(one) for one in before],
            "findings": [one.model_dump(mode="json") for one in beheld.findings],
        }
        own = beheld.imprint
    else:
        own = first(table)
    _keep(delivery, own)
    return told


def _look(delivery: Delivery) -> Delivery:
    """A delivery of the time when nothing was held beside anything, held so and kept."""
    told = beside(delivery)
    with session() as db:
        deliveries = Deliveries(db, delivery.store_id)
        fresh = deliveries.get(known_id(delivery))
        if fresh.table_artifact == delivery.table_artifact:
            fresh.drift = told
        return deliveries.keep(fresh)


def _before(db: Session, delivery: Delivery) -> list[Delivery]:
    """The deliveries that say what is usual, the oldest first: those read into rows of the same
    shape, without any that was found wrong and never applied."""
    deliveries, before = Deliveries(db, delivery.store_id), known_id(delivery)
    read = deliveries.last(delivery.feed_id, _LOOKED_AT, read=True, before=before)
    own = [one for one in read if _alike(one, delivery)]
    runs = Runs(db, delivery.store_id).newest_of([known_id(one) for one in own])
    applied = {d for d, run in runs.items() if run.status == "applied"}
    trusted = [one for one in own if known_id(one) in applied or not _wrong(one)]
    return trusted[:_USUAL][::-1]


def _wrong(delivery: Delivery) -> bool:
    return any(one.severity == "hold" for one in found_in(delivery)) or not delivery.complete


def _alike(one: Delivery, other: Delivery) -> bool:
    """Whether two deliveries were read into the same shape: what differs is the supplier's doing,
    and not that of a reading that has been changed since."""
    return _shape(one) == _shape(other)


def _shape(delivery: Delivery) -> object:
    if not delivery.reading:
        return None
    reading = parse_reading(delivery.reading)
    return (
        tuple(change for change in reading.reshape if change.do != "rename"),
        tuple(companion.name for companion in reading.companions),
    )


def _table(delivery: Delivery) -> Table:
    reading = parse_reading(delivery.reading)
    return Table(artifacts().scan(delivery.table_artifact or ""), reading.decimal)


def _cut(delivery: Delivery) -> bool:
    problems = [ReadingProblem.model_validate(one) for one in delivery.problems]
    return broke_off(delivery.complete, delivery.rows, problems)


def _imprints(before: Sequence[Delivery]) -> list[Imprint]:
    """The imprints of earlier deliveries; of those that have none they are made."""
    made: list[Imprint] = []
    for at, one in enumerate(before):
        known = _kept(one)
        if known is None:
            table = _table(one)
            known = behold(table, _table(before[at - 1]), made).imprint if made else first(table)
            _keep(one, known)
        made.append(known)
    return made


def _name(delivery: Delivery) -> str:
    table = (delivery.table_artifact or "").removeprefix("tables/").removesuffix(".parquet")
    return f"imprints/{table}.json"


def _kept(delivery: Delivery) -> Imprint | None:
    name = _name(delivery)
    return Imprint.model_validate_json(artifacts().read(name)) if artifacts().exists(name) else None


def _keep(delivery: Delivery, own: Imprint) -> None:
    artifacts().write(_name(delivery), own.model_dump_json().encode())


def found_in(delivery: Delivery) -> list[DriftFinding]:
    """What was found unusual in a delivery, whatever uses it."""
    told = (delivery.drift or {}).get("findings", [])
    return [DriftFinding.model_validate(one) for one in told]


def unusual_for(
    delivery: Delivery, crosswalk: Crosswalk, schema: StoreSchema
) -> list[DriftFinding]:
    """What is unusual in a delivery as far as a crosswalk uses it."""
    return in_use(found_in(delivery), crosswalk, schema, delivery.rows)


def unusual(delivery_id: int) -> DeliveryBeside:
    """What is unusual in a delivery. Raises ``NotFound`` where it could not be read."""
    with session() as db:
        delivery = Deliveries.holding(db, delivery_id).get(delivery_id)
    if delivery.table_artifact is None:
        raise NotFound(f"{delivery.file_name} could not be read.", remedy="Change how it is read.")
    if delivery.drift is None:
        delivery = _look(delivery)
    with session() as db:
        schema = Stores(db).schema(delivery.store_id)
        draft = Crosswalks(db, delivery.store_id).by_feed()[delivery.feed_id].draft
        deliveries = Deliveries(db, delivery.store_id)
        earlier = deliveries.last(delivery.feed_id, _LOOKED_AT, before=delivery_id)
        stands = (delivery.drift or {}).get("beside")
        before = deliveries.get(stands) if stands else None
    found = unusual_for(delivery, Crosswalk.model_validate(draft), schema)
    told = delivery.drift or {}
    return DeliveryBeside(
        id=known_id(delivery),
        file_name=delivery.file_name,
        rows=delivery.rows,
        before=_earlier(before) if before else None,
        known=len(told["known"]),
        things=[_thing(one, delivery, earlier, schema) for one in found],
        breaches=[Breach.model_validate(one) for one in delivery.breaches or []],
        renames=_renames(parse_reading(delivery.reading)),
    )


def _thing(
    one: DriftFinding, delivery: Delivery, earlier: Sequence[Delivery], schema: StoreSchema
) -> Unusual:
    return Unusual(
        **one.model_dump(exclude={"fields"}),
        name=NAMES[one.kind],
        fields=[schema[f].label for f in one.fields],
        since=_since(one, delivery, earlier),
    )


def _earlier(one: Delivery) -> EarlierDelivery:
    return EarlierDelivery(id=known_id(one), file_name=one.file_name, received_at=one.received_at)


def _since(
    one: DriftFinding, delivery: Delivery, earlier: Sequence[Delivery]
) -> EarlierDelivery | None:
    """The first of the deliveries before this one, without a gap, that had the same; None where it
    is new."""
    found = None
    for other in earlier:
        if not any(o.kind == one.kind and o.column == one.column for o in found_in(other)):
            break
        found = other
    return _earlier(found) if found else None


def _renames(reading: Reading) -> dict[str, str]:
    return {c.column: c.into for c in reading.reshape if c.do == "rename"}


def with_new_name(delivery_id: int, column: str, to: str) -> Reading:
    """The delivery's reading with a column that arrives as ``to`` called ``column``, as it has
    been. Raises ``NotFound`` for a column that is not there."""
    with session() as db:
        delivery = Deliveries.holding(db, delivery_id).get(delivery_id)
    if to not in delivery.columns:
        raise NotFound(
            f"{delivery.file_name} has no column {to!r}.", remedy="Look at it again first."
        )
    reading = parse_reading(delivery.reading)
    change = {"do": "rename", "column": to, "into": column}
    others = [c.model_dump() for c in reading.reshape if not (c.do == "rename" and c.column == to)]
    return parse_reading(reading.model_dump() | {"reshape": [change, *others]})
