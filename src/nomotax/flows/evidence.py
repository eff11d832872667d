"""What a workbench knows when a fill is made: its columns, and how codes stand to the catalog."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import polars as pl
from sqlalchemy import bindparam, text

from nomotax.core.changes.states import TAKEN_OUT
from nomotax.core.crosswalk.evidence import Evidence, KeyFacts
from nomotax.core.crosswalk.plain import prefix_of
from nomotax.core.numbers import DecimalMark
from nomotax.core.reading.profile import ColumnProfile
from nomotax.core.schema.model import StoreSchema
from nomotax.core.suggest.words import yes_or_no
from nomotax.records.database import session

#: Codes of a column that are looked up in the catalog.
_TRIED = 120
#: Shapes of columns that hold no codes.
_NO_CODES = ("html", "link", "picture link", "picture file", "list (JSON)", "yes/no", "empty")
_KNOWN = text(
    "select p.key, s.name from products p left join suppliers s on s.id = p.supplier_id "
    f"where p.store_id = :store and p.state <> '{TAKEN_OUT}' and p.key in :keys"
).bindparams(bindparam("keys", expanding=True))


def gather_evidence(
    store_id: int,
    supplier: str,
    schema: StoreSchema,
    profiles: Sequence[ColumnProfile],
    sample: pl.DataFrame,
    decimal: DecimalMark,
    categories: frozenset[str],
    marks: Mapping[str, DecimalMark],
) -> Evidence:
    """The evidence for one delivery's columns; one look into the catalog for all of them."""
    keys = key_facts(store_id, supplier, profiles, sample)
    return Evidence(
        supplier=supplier,
        among=profiles,
        decimal=decimal,
        marks=marks,
        keys=keys,
        categories=categories,
        own_export=_is_own_export(schema, profiles, keys),
        says_yes=yes_or_no,
    )


def key_facts(
    store_id: int, supplier: str, profiles: Sequence[ColumnProfile], sample: pl.DataFrame
) -> dict[str, KeyFacts]:
    """How the codes of each column that may hold codes stand to the store's keys."""
    codes = {c.name: _codes(sample[c.name]) for c in profiles if _may_be_codes(c)}
    prefix = prefix_of(supplier)
    wanted = {w for words in codes.values() for word in words for w in (word, prefix + word)}
    if not wanted:
        return {}
    with session() as db:
        found = db.connection().execute(_KNOWN, {"store": store_id, "keys": sorted(wanted)})
        owners: dict[str, str] = {key: owner or "" for key, owner in found}
    return {name: _facts(words, prefix, owners, supplier) for name, words in codes.items()}


def _may_be_codes(column: ColumnProfile) -> bool:
    distinct = column.distinct * 10 >= column.filled * 8
    return bool(column.filled) and distinct and column.looks_like not in _NO_CODES


def _codes(cells: pl.Series) -> list[str]:
    words = cells.drop_nulls().str.strip_chars().unique(maintain_order=True)
    words = words.filter(words.str.len_chars().is_between(1, 64))
    return words.gather_every(max(1, words.len() // _TRIED)).head(_TRIED).to_list()


def _facts(words: list[str], prefix: str, owners: Mapping[str, str], supplier: str) -> KeyFacts:
    return KeyFacts(
        tried=len(words),
        as_is=sum(w in owners for w in words),
        prefixed=sum(prefix + w in owners for w in words),
        others=sum(owners.get(w, supplier) != supplier for w in words),
    )


def _is_own_export(
    schema: StoreSchema, profiles: Sequence[ColumnProfile], keys: Mapping[str, KeyFacts]
) -> bool:
    """Headings that are the store's own names, and keys that are in its catalog."""
    own = {name.casefold() for f in schema.fields for name in (f.name, f.label)}
    named = [p for p in profiles if p.name.strip().casefold() in own]
    key = schema[schema.key]
    held = next((p for p in named if p.name.strip().casefold() in (
        key.name.casefold(), key.label.casefold())), None)  # fmt: skip
    if held is None or len(named) * 10 < len(profiles) * 9 or len(named) < 3:
        return False
    facts = keys.get(held.name, KeyFacts())
    return facts.tried > 0 and facts.as_is * 10 >= facts.tried * 9
