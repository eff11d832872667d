"""A correction that becomes a rule: the entry of the look-up that gave the value, and the run
prepared again by it, so that it is seen at once in all other lines."""

from __future__ import annotations

from pydantic import BaseModel

from nomotax.core.changes.by_hand import as_written
from nomotax.core.crosswalk.trace import Behind
from nomotax.core.errors import Conflict
from nomotax.flows import placing
from nomotax.flows.headings import label_of
from nomotax.flows.lines import prepared_run
from nomotax.flows.runs import prepare_anew
from nomotax.flows.trace import trace_in_run
from nomotax.records.database import session
from nomotax.records.lookups import LookupsRepository
from nomotax.records.repositories import Stores
from nomotax.records.tables import Run


class RuleAsked(BaseModel):
    """The value that a field of a product is to have, and all that arrive with the same word."""

    key: str
    field: str
    value: str


class RuleMade(Behind):
    """The entry that was written, and the answer that stood there ``before``; null for none."""

    before: str | None


def make_rule(run_id: int, asked: RuleAsked) -> RuleMade:
    """Write the entry behind a value, and prepare the run again. Raises ``UnfitValue`` for a value
    that the field does not take, ``Conflict`` where no single entry is behind it."""
    run = prepared_run(run_id)
    if run.status != "prepared" or run.kind != "delivery" or run.feed_id is None:
        raise Conflict(f"This run is {run.status}.", remedy="Make rules before it is applied.")
    with session() as db:
        stores = Stores(db)
        schema = stores.schema(run.store_id)
        categories = frozenset(stores.category_paths(run.store_id))
        label = label_of(schema, asked.field)
    found = trace_in_run(run_id, asked.key, asked.field).trace.behind
    if found is None or found.kind == "ladder":
        raise Conflict(
            f"No single entry of a table makes {label} of {asked.key}.",
            where=label,
            remedy="Correct it for this product, or change the fill on the bench.",
        )
    written = as_written(schema, asked.key, {asked.field: asked.value}, categories)[asked.field]
    before = _answer(run, found)
    _write(run.feed_id, found, written)
    prepare_anew(run_id, f"'{found.word}' is '{written}' in '{found.table}' now")
    return RuleMade(**found.model_dump(), before=before)


def _answer(run: Run, found: Behind) -> str | None:
    """What stands in an entry by now."""
    with session() as db:
        lookups = LookupsRepository(db, run.store_id).all()
    if found.kind == "value_table":
        return lookups.value_tables[found.table].entries.get(found.word)
    return lookups.category_tables[found.table].placements.get(found.word)


def _write(feed_id: int, found: Behind, value: str | None) -> None:
    if found.kind == "value_table":
        placing.set_words(feed_id, found.table, {found.word: value})
    else:
        edit = placing.PlaceEdit(table=found.table, places={found.word: value})
        placing.set_places(feed_id, edit)
