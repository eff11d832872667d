"""The contract of a feed: drafted, kept, told to its supplier; deliveries are held against it."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from jinja2 import Environment, PackageLoader, StrictUndefined
from pydantic import BaseModel

from nomotax.artifacts.store import artifacts
from nomotax.core.contract.checking import Breach, Written, check
from nomotax.core.contract.drafting import draft
from nomotax.core.contract.model import Contract, parse_contract
from nomotax.core.contract.words import about_column, about_file
from nomotax.core.errors import Conflict, NotFound
from nomotax.core.reading.model import Reading, parse_reading
from nomotax.core.reading.profile import ColumnProfile
from nomotax.flows.map_file import read_bytes, read_file
from nomotax.records.database import session
from nomotax.records.feed_changes import note_change
from nomotax.records.repositories import Deliveries, Feeds, Stores
from nomotax.records.repository import known_id
from nomotax.records.tables import Delivery, Feed

#: So many of the last deliveries are what a contract is drafted from.
_DRAFTED_FROM = 6


class ColumnTold(BaseModel):
    """A column of a contract, and what it says of it."""

    name: str
    said: str


class FeedContract(BaseModel):
    """What a feed's files must look like, null for anything, and in plain words; and in what its
    newest delivery that could be read breaks it. ``delivery_id`` is null while none came."""

    contract: Contract | None
    file: list[str]
    columns: list[ColumnTold]
    delivery_id: int | None
    file_name: str
    breaches: list[Breach]


class ContractEdit(BaseModel):
    contract: Contract | None


class ContractDraft(BaseModel):
    """A draft, and how many deliveries all of which keep it."""

    contract: Contract
    deliveries: int


def saved_contract(feed: Feed) -> Contract | None:
    return Contract.model_validate(feed.contract) if feed.contract else None


def breaches_of(delivery: Delivery) -> list[Breach]:
    """In what a delivery breaks its contract, as far as it has been checked."""
    return [Breach.model_validate(one) for one in delivery.breaches or []]


def contract_of(feed_id: int) -> FeedContract:
    """Raises ``NotFound``."""
    with session() as db:
        feed = Feeds.holding(db, feed_id).get(feed_id)
        read = Deliveries(db, feed.store_id).last(feed_id, read=True)
    contract, newest = saved_contract(feed), read[0] if read else None
    told = contract.fields if contract else ()
    return FeedContract(
        contract=contract,
        file=about_file(contract) if contract else [],
        columns=[ColumnTold(name=one.name, said=about_column(one)) for one in told],
        delivery_id=known_id(newest) if newest else None,
        file_name=newest.file_name if newest else "",
        breaches=breaches_of(newest) if newest and contract else [],
    )


def draft_contract(feed_id: int) -> ContractDraft:
    """A contract that the last deliveries of a feed have kept; nothing is saved. Raises
    ``Conflict`` where none could be read."""
    with session() as db:
        feeds = Feeds.holding(db, feed_id)
        feed = feeds.get(feed_id)
        read = Deliveries(db, feed.store_id).last(feed_id, _DRAFTED_FROM, read=True)[::-1]
        title = f"{feeds.supplier(feed).name}: {feed.name}"
    if not read:
        raise Conflict(
            "No delivery of this feed could be read yet.",
            remedy="Bring one; a contract is drafted from the last ones.",
        )
    made = draft(
        [artifacts().scan(one.table_artifact or "") for one in read],
        [[ColumnProfile.model_validate(p) for p in one.profile] for one in read],
        parse_reading(read[-1].reading),
        title,
    )
    return ContractDraft(contract=made, deliveries=len(read))


def set_contract(feed_id: int, contract: Contract | None) -> FeedContract:
    """Keep a contract, or none, and hold the newest delivery against it. Raises ``NotFound``,
    ``UnfitValue`` for bounds that nothing keeps."""
    if contract is not None:
        contract.refuse_crossed()
    with session() as db:
        feed = Feeds.holding(db, feed_id).locked(feed_id)
        told = contract.model_dump(mode="json", exclude_defaults=True) if contract else None
        if told != feed.contract:
            changed = "is changed" if feed.contract else "is kept"
            note_change(db, feed, f"its contract {changed if told else 'is taken away'}")
        feed.contract = told
        db.add(feed)
        read = Deliveries(db, feed.store_id).last(feed_id, read=True)
    if read:
        _hold_against(read[0])
    return contract_of(feed_id)


def broken(delivery: Delivery) -> list[dict[str, Any]] | None:
    """In what a delivery that could be read breaks its feed's contract; None where it has none."""
    with session() as db:
        contract = saved_contract(Feeds(db, delivery.store_id).get(delivery.feed_id))
    if contract is None:
        return None
    table = artifacts().scan(delivery.table_artifact or "")
    found = check(table, contract, _written(parse_reading(delivery.reading)))
    return [one.model_dump() for one in found]


def _hold_against(delivery: Delivery) -> None:
    """Hold a delivery that could be read against the contract as it is now."""
    found = broken(delivery)
    with session() as db:
        deliveries = Deliveries(db, delivery.store_id)
        fresh = deliveries.get(known_id(delivery))
        if fresh.table_artifact == delivery.table_artifact:
            fresh.breaches = found
        deliveries.keep(fresh)


def _written(reading: Reading) -> Written:
    if reading.format != "delimited":
        return Written(format=reading.format)
    return Written(reading.format, reading.encoding, reading.delimiter)


def table_schema(feed_id: int) -> str:
    """A feed's contract as a Table Schema. Raises ``NotFound`` where it has none."""
    return _kept(feed_id)[1].descriptor()


def _kept(feed_id: int) -> tuple[Feed, Contract]:
    with session() as db:
        feed = Feeds.holding(db, feed_id).get(feed_id)
    contract = saved_contract(feed)
    if contract is None:
        raise NotFound("This feed has no contract.", remedy="Draft one on its profile.")
    return feed, contract


_PAGES = Environment(
    loader=PackageLoader("nomotax.flows", "pages"), autoescape=True, undefined=StrictUndefined,
    trim_blocks=True, lstrip_blocks=True,
)  # fmt: skip


def contract_page(feed_id: int) -> str:
    """A feed's contract as a page that its supplier reads, complete in itself. Raises ``NotFound``
    where it has none."""
    feed, contract = _kept(feed_id)
    with session() as db:
        feeds = Feeds(db, feed.store_id)
        supplier, store = feeds.supplier(feed).name, Stores(db).get(feed.store_id).name
    return _PAGES.get_template("contract.html").render(
        contract=contract, supplier=supplier, feed=feed.name, store=store,
        file=about_file(contract),
        columns=[(one, about_column(one)) for one in contract.fields],
        descriptor=contract.descriptor(),
    )  # fmt: skip


def check_file(
    path: Path, contract_path: Path, reading: Reading | None = None
) -> tuple[Contract, int, list[Breach]]:
    """A file held against a contract, without server or database; gives the contract and how many
    rows there were. It is read by the ``reading``, or as detected. Raises ``UnreadableFile``."""
    contract = parse_contract(read_bytes(contract_path))
    _, chosen, table = read_file(path, reading, "", {})
    return contract, table.rows, check(table.lazy, contract, _written(chosen))
