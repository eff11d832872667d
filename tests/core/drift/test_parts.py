"""The parts that findings are made of: figures, dates, chance, rows that are the same, harm."""

from __future__ import annotations

from math import comb

import numpy as np
import polars as pl
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from nomotax.core.crosswalk.model import Crosswalk, Fill, Part
from nomotax.core.drift.aligning import align
from nomotax.core.drift.cells import date_parts, decimal_mark, figures, matches
from nomotax.core.drift.chance import crowd, unusual
from nomotax.core.drift.imprint import Table, imprint
from nomotax.core.drift.model import DriftFinding
from nomotax.core.drift.texts import _way
from nomotax.core.drift.used import in_use
from nomotax.core.schema.model import StoreField, StoreSchema

few = settings(max_examples=40, deadline=None)


def written(number, mark, grouping):
    """A number in one of the ways that suppliers have."""
    whole, _, rest = f"{number:.2f}".partition(".")
    return f"{int(whole):,}".replace(",", grouping) + mark + rest


@given(
    st.lists(st.decimals(1, 9_999_999, places=2), min_size=3, max_size=20),
    st.sampled_from([(",", "."), (",", ""), (",", " "), (".", ","), (".", ""), (".", "'")]),
    st.sampled_from(["", " €", " kg", "$"]),
)
@few
def test_figures_are_read_in_every_style(numbers, style, beside):
    mark, grouping = style
    cells = [written(n, mark, grouping) for n in numbers]
    cells = [beside + c if beside == "$" else c + beside for c in cells]
    read = figures(pl.Series(cells), mark)
    assert read == pytest.approx([float(n) for n in numbers])
    assert decimal_mark(pl.Series(cells), "," if mark == "." else ".") == mark


def test_a_cell_of_the_other_style_is_read_by_it_and_words_are_none():
    read = figures(pl.Series(["12,50", "12.50", "auf Anfrage", None, "K12-7"]), ",")
    assert read[:2].tolist() == [12.5, 12.5]
    assert np.isnan(read[2:]).all()


def test_matching_many_cells_is_matching_each():
    cells = pl.Series(["ab", "b", None, "a1"] * 8000)
    assert matches(cells, "a").tolist() == [True, False, False, True] * 8000


@given(st.lists(st.dates(), min_size=1, max_size=20), st.booleans())
@few
def test_dates_are_taken_apart(days, iso):
    cells = [d.isoformat() if iso else f"{d.day}/{d.month}/{d.year:04d}" for d in days]
    parts, first = date_parts(pl.Series([*cells, None, "soon"]))
    expected = [(d.year, d.month, d.day) if iso else (d.year, d.day, d.month) for d in days]
    assert [tuple(p) for p in parts[:-2].tolist()] == expected
    assert first[:-2].tolist() == [int(iso)] * len(days)
    assert not parts[-2:].any()


@given(st.integers(1, 30), st.integers(0, 30), st.floats(0.01, 0.6))
@few
def test_what_is_unusual_hardly_ever_comes_by_chance(of, hits, rate):
    hits = min(hits, of)
    tail = sum(comb(of, k) * rate**k * (1 - rate) ** (of - k) for k in range(hits, of + 1))
    if abs(tail - 1e-3) > 1e-6:
        assert unusual(hits, of, rate, 1e-3) == (hits > 0 and tail < 1e-3)


@given(st.floats(-3, 3), st.integers(6, 30), st.randoms(use_true_random=False))
@few
def test_a_crowd_is_found_where_it_is(at, size, rng):
    spread = [float(n) for n in range(-9, 11, 2)]
    close = [at + rng.uniform(-0.004, 0.004) for _ in range(size)]
    found = crowd(np.array(spread + close), 0.02)
    assert found.middle == pytest.approx(at, abs=0.02)
    assert found.members[10:].all()
    assert crowd(np.empty(0), 0.1) is None


keys = st.lists(st.integers(1, 10**6), min_size=12, max_size=40, unique=True)
REWRITTEN = {
    "as it is": lambda k: k,
    "without zeros": lambda k: k.lstrip("0"),
    "in small letters": lambda k: k.lower(),
    "without hyphens": lambda k: k.replace("-", ""),
    "without letters": lambda k: k[3:],
    "as a decimal": lambda k: f"{k}.0",
}


@pytest.mark.parametrize("how", REWRITTEN)
@given(numbers=keys, rng=st.randoms(use_true_random=False))
@few
def test_rows_are_found_again_however_their_key_is_written(how, numbers, rng):
    """Each row is paired with the row of the same article, and no row twice."""
    old = [f"AB-{n:08d}" if how != "without zeros" else f"{n:08d}" for n in numbers]
    kept = old[3:]
    rng.shuffle(kept)
    new = [REWRITTEN[how](k) for k in kept] + ["ZZ-77777777", "ZZ-88888888"]
    last, now = (Table(pl.DataFrame({"Nr": k, "n": "x"}).lazy()) for k in (old, new))
    found = align(last, imprint(last), now, imprint(now))
    pairs = {(old[o], new[n]) for o, n in zip(found.at_old, found.at_new, strict=True)}
    assert pairs == {(k, REWRITTEN[how](k)) for k in kept}
    assert sorted([*found.at_old, *found.gone]) == list(range(len(old)))
    assert sorted([*found.at_new, *found.fresh]) == list(range(len(new)))
    assert bool(found.exact.all()) == (how == "as it is")


def test_repeated_keys_are_paired_one_by_one():
    last = Table(pl.DataFrame({"Nr": ["a1", "a1", *"bcdefghijklmnopqrst"]}).lazy())
    now = Table(pl.DataFrame({"Nr": ["a1", "a1", "a1", *"bcdefghijklmnopqrst"]}).lazy())
    found = align(last, imprint(last), now, imprint(now))
    assert (len(found.at_new), len(found.fresh), len(found.gone)) == (21, 1, 0)


HARM = [
    ("Größe", "GrÃ¶ße".replace("ß", "ÃŸ"), "garbled"),
    ("Лампа", "Ëàìïà", "garbled"),
    ("čistič", "?isti?", "? or"),
    ("résumé", "r\ufffdsum\ufffd", "? or"),
    ("Stęrače", "Sterace", "accents"),
    ("Łyżka", "Lyzka", "accents"),
    ("œuvre", "uvre", "lost their letters"),
    ("Crème", "Cr&egrave;me", "&…;"),
    ("Crème", "Cr&#232;me", "&…;"),
    ("rouge", "bleu", ""),
    ("Größe M", "Größe L", ""),
]


@pytest.mark.parametrize(("old", "new", "way"), HARM)
def test_harm_is_told_from_another_text(old, new, way):
    found = _way(old, new)
    assert (way in found) if way else not found


SCHEMA = StoreSchema(
    name="Chandlery",
    key="sku",
    fields=(
        StoreField(name="sku", title="Number", kind="identifier", role="key", required=True),
        StoreField(name="price", title="Price", kind="money", role="price", currency="EUR"),
        StoreField(name="colour", title="Colour", kind="text"),
    ),
)
WALK = Crosswalk(
    fills={
        "sku": Fill(parts=(Part(column="Nr"),)),
        "price": Fill(parts=(Part(column="Pris"),)),
        "colour": Fill(parts=(Part(column="Farge"),)),
    },
)  # fmt: skip


@pytest.mark.parametrize(
    ("kind", "column", "rows", "severity", "fields"),
    [
        ("column_gone", "Pris", 10, "hold", ("price",)),
        ("column_gone", "Farge", 10, "warn", ("colour",)),
        ("column_gone", "Notat", 10, "note", ()),
        ("kind_changed", "Pris", 9, "warn", ("price",)),
        ("kind_changed", "Pris", 50, "hold", ("price",)),
        ("fill_dropped", "Nr", 60, "hold", ("sku",)),
        ("rows_dropped", "", 60, "warn", ()),
        ("new_words", "Notat", 100, "note", ()),
    ],
)
def test_severity_hangs_on_what_a_column_feeds(kind, column, rows, severity, fields):
    told = DriftFinding(kind=kind, severity="warn", column=column, rows=rows, said="")
    (found,) = in_use([told], WALK, SCHEMA, 100)
    assert (found.severity, found.fields) == (severity, fields)
    assert in_use([told], Crosswalk(), SCHEMA, 100) == [told]
