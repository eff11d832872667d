"""Texts are found where they stand, whatever they are and however they are asked for."""

import polars as pl
from hypothesis import given
from hypothesis import strategies as st

from nomotax.core.changes.held import Held, held_columns
from nomotax.core.places import Places

TEXTS = st.text(max_size=4)


@given(st.lists(TEXTS, unique=True), st.lists(st.none() | TEXTS))
def test_each_text_is_found_at_its_place_or_nowhere(there, asked):
    places = Places(pl.Series(there, dtype=pl.String)).of(pl.Series(asked, dtype=pl.String))
    expected = [there.index(one) if one in there else None for one in asked]
    assert places.to_list() == expected


@given(st.dictionaries(TEXTS, st.none() | TEXTS), st.lists(st.none() | TEXTS))
def test_products_stand_beside_the_keys_that_are_asked_for(catalog, asked):
    rows = [(key, "Quarrow", None, value, None) for key, value in catalog.items()]
    held = Held(pl.DataFrame(rows, schema=held_columns(["name"]), orient="row"))
    beside = held.beside(pl.Series(asked, dtype=pl.String), ["name"])
    assert beside["old:name"].to_list() == [catalog.get(one) for one in asked]
    assert beside["__owner"].to_list() == ["Quarrow" if k in catalog else None for k in asked]
    wanted = pl.Series([k for k in asked if k is not None], dtype=pl.String)
    pieces = pl.concat(held.pieces(["name"], wanted))
    assert set(pieces["key"]) == {k for k in asked if k in catalog}
    assert pl.concat(held.pieces(["name"]))["key"].to_list() == list(catalog)
