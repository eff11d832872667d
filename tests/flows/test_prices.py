"""Prices over the real products agree with the products the engine makes."""

from __future__ import annotations

from collections import Counter
from decimal import Decimal

import pytest

from nomotax.core.crosswalk.model import Bundle
from nomotax.core.crosswalk.saved import named_by
from nomotax.core.errors import Conflict, CrosswalkError, NotFound
from nomotax.core.pricing.ladder import Ladder
from nomotax.demo.load import DATA
from nomotax.flows import bench, placing, stores
from nomotax.flows.crosswalks import take_bundle
from nomotax.flows.map_file import map_file
from nomotax.flows.prices import price_view, save_ladder
from nomotax.flows.questions import count_open
from nomotax.flows.runs import start_run
from nomotax.flows.workbench import open_workbench


@pytest.fixture
def mapped(demo, bundle):
    take_bundle(1, bundle)
    return demo


def test_the_price_place_and_the_engine_agree(mapped, bundle, schema):
    """The same ladder over the same costs gives the same prices, rung by rung."""
    view = price_view(1)
    file = map_file(DATA / "quarrow-week-1.csv", bundle, schema)
    by_key = {
        (k or ""): (c, p)
        for k, c, p in file.products.select("sku", "cost", "price").collect().rows()
    }
    for product in view.worst + view.steepest:
        if product.key in by_key:
            assert by_key[product.key] == (product.cost, product.price)
    costs = [c for c, _ in by_key.values()]
    starts = [r.start for r in view.ladder.rungs]
    rungs = Counter(sum(c >= start for start in starts) - 1 for c in costs)
    shown = [r.count for r in view.rungs]
    assert all(abs(shown[i] - rungs[i]) <= 10 for i in range(len(shown)))
    assert sum(b.count for b in view.margins) == view.products


def test_a_fall_between_rungs_is_told(mapped):
    rungs = [{"start": "0", "amount": "100"}, {"start": "10", "amount": "20"}]
    view = price_view(1, ladder=Ladder.model_validate({"name": "Steep", "rungs": rungs}))
    assert view.rungs[0].below is None
    assert (view.rungs[1].below, view.rungs[1].here) == (Decimal("19.98"), Decimal("12.00"))
    assert next(p.price for p in view.curve if p.cost >= 10) < Decimal("19.98")


def test_a_saved_ladder_changes_what_the_bench_shows(mapped):
    before = bench.field_detail(1, "price", 1).stages[-1].value
    ladder = open_workbench(1).lookups.ladders["Standard"]
    save_ladder(mapped, ladder.model_copy(update={"ending": "99"}))
    assert (before, bench.field_detail(1, "price", 1).stages[-1].value) == ("3.95", "3.99")


def test_a_feed_without_a_ladder_step_says_so(demo):
    view = price_view(1)
    assert not view.used and view.products == 0 and view.ladder.name == "Standard"


def test_accepting_suggestions_twice_changes_nothing_more(demo):
    first = bench.accept_suggestions(1)
    state = bench.bench_state(1)
    assert first >= 25 and bench.accept_suggestions(1) == 0
    again = bench.bench_state(1)
    assert again.crosswalk == state.crosswalk


def test_look_ups_in_use_are_bundled_and_no_others(mapped, bundle):
    save_ladder(mapped, bundle.ladders[0].model_copy(update={"name": "Spring"}))
    made = open_workbench(1).bundle()
    assert {t.name for t in made.value_tables} == {
        "Quarrow Pigments colour",
        "Quarrow Pigments opacity",
    }
    assert [x.name for x in made.ladders] == ["Standard"]
    named = named_by(made.crosswalk, made.lookups())
    assert named["category_table"] == {"Quarrow Pigments categories"}
    assert Bundle.model_validate_json(made.model_dump_json()) == made


def test_a_crosswalk_that_cannot_run_is_told_on_the_bench(mapped):
    """A ladder nobody has made: the list still opens, the reason stands at the field, its rows are
    held, and nothing can be prepared."""
    crosswalk = open_workbench(1).crosswalk
    fill = crosswalk.fills["price"]
    steps = (*fill.steps[:-1], fill.steps[-1].model_copy(update={"ladder": "Lost"}))
    fills = crosswalk.fills | {"price": fill.model_copy(update={"steps": steps})}
    revision = bench.bench_state(1).revision
    bench.save_draft(1, crosswalk.model_copy(update={"fills": fills}), revision)
    state = bench.bench_state(1)
    told = next(f for f in state.fields if f.field.name == "price")
    assert "'Lost'" in told.error and "field price" in told.error
    assert told.questions == state.sample_rows and state.error == ""
    assert count_open(1) >= 1
    assert bench.window(1, None, 0, 5).results[0]
    with pytest.raises(CrosswalkError, match="'Lost'"):
        start_run(1)
    with pytest.raises(Conflict):
        bench.save_draft(1, crosswalk, revision)
    bench.save_draft(1, crosswalk, revision + 1)
    assert bench.bench_state(1).error == ""


def test_unknown_things_are_named(mapped):
    for wrong in (
        lambda: bench.field_detail(1, "nope", 1),
        lambda: placing.set_words(1, "nope", {"a": "b"}),
        lambda: placing.set_places(1, placing.PlaceEdit(table="nope", places={"a": "b"})),
        lambda: open_workbench(1, 99),
        lambda: stores.schema_of(9),
    ):
        with pytest.raises(NotFound) as missing:
            wrong()
        assert any(word in str(missing.value) for word in ("nope", "99", "9"))


def test_new_store_categories_bring_their_parents(mapped):
    paths = stores.add_categories(mapped, ["Studio > Lamps > Daylight", "Studio > Easels"])
    assert {"Studio > Lamps", "Studio > Lamps > Daylight"} <= set(paths)
    assert paths.count("Studio > Easels") == 1
