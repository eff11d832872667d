"""The engine on the demo's real files: every row has one fate, every change one reason."""

from __future__ import annotations

import polars as pl
import pytest

from nomotax.core.changes.marks import NEW, OLD, OWNER
from nomotax.core.changes.states import STATE, TAKEN_OUT
from nomotax.core.crosswalk.compiler import compile_plan
from nomotax.core.crosswalk.evidence import Evidence
from nomotax.core.crosswalk.model import Crosswalk
from nomotax.core.crosswalk.problems import problems_of
from nomotax.core.errors import CrosswalkError, UnreadableFile
from nomotax.core.flow.context import Context, Lookups
from nomotax.core.lookups.names import read_names, translated, write_names
from nomotax.core.lookups.tables import CategoryTable
from nomotax.core.reading.delimited import read_delimited
from nomotax.core.reading.model import DelimitedReading
from nomotax.core.reading.profile import profile_table
from nomotax.core.schema.model import StoreField, StoreSchema
from nomotax.core.suggest.facts import column_facts
from nomotax.core.suggest.fills import ranking, suggest
from nomotax.core.suggest.memory import Memory, likeliest
from nomotax.core.suggest.paths import Places
from nomotax.core.suggest.sayings import Arriving
from nomotax.demo.load import DATA
from nomotax.demo.store import CATEGORIES, STORE_PLACES
from nomotax.flows.map_file import in_store_writing, map_file
from tests.core.in_pieces import compare

WEEK_1, WEEK_2 = DATA / "quarrow-week-1.csv", DATA / "quarrow-week-2.csv"


def test_first_week_is_accounted_for(bundle, schema):
    """Planted faults are rejected by name; all else becomes products."""
    mapped = map_file(WEEK_1, bundle, schema)
    assert mapped.accounted and mapped.counts == {"good": 1170, "rejected": 18}
    kinds = dict(mapped.problems.group_by("kind").agg(pl.col("row").n_unique()).iter_rows())
    assert kinds == {
        "not_a_number": 6, "negative_cost": 1, "too_small": 1, "wrong_check_digit": 4,
        "missing": 2, "broken_row": 2, "repeated_key": 2, "repeated_row": 1,
    }  # fmt: skip


def test_values_are_exact(bundle, schema):
    mapped = map_file(WEEK_1, bundle, schema, limit=5)
    first = in_store_writing(mapped.products, schema).collect().row(0, named=True)
    assert first["sku"] == "QP-004000" and first["supplier_sku"] == "004000"
    assert (first["cost"], first["price"], first["net_weight"]) == ("2.08", "3.95", "0.006")
    assert first["category"] == "Painting > Watercolour > Pans" and first["hazardous"] == "false"


def test_second_week_asks_only_about_what_is_new(bundle, schema):
    """The saved crosswalk replays: one new colour and one new group are all that is asked."""
    mapped = map_file(WEEK_2, bundle, schema)
    asked = mapped.problems.filter(pl.col("severity") == "question")
    assert set(asked["seen"]) == {"T", "Paint/Casein"}
    assert mapped.accounted and mapped.counts["held"] == 21


def test_a_batch_does_not_change_the_result(bundle, schema):
    """Working through 7 rows at a time gives the same as all at once."""
    table = read_delimited(WEEK_1.read_bytes(), bundle.reading)
    ctx = Context(bundle.reading.decimal, bundle.lookups())
    plan = compile_plan(bundle.crosswalk, schema, ctx, table.columns)
    rows = table.frame.head(40)
    assert plan.fill(rows, batch=7).equals(plan.fill(rows))


def test_a_missing_column_is_named(bundle, schema):
    with pytest.raises(CrosswalkError, match=r"'Cost EUR' \(fills cost, price\)") as refused:
        compile_plan(bundle.crosswalk, schema, Context(lookups=bundle.lookups()), ["ArtNo"])
    assert refused.value.remedy


def test_an_unknown_field_or_look_up_is_named(schema):
    crosswalk = Crosswalk.model_validate({"fills": {"nope": {"parts": [{"text": "x"}]}}})
    with pytest.raises(CrosswalkError, match="no field 'nope'"):
        compile_plan(crosswalk, schema, Context(), [])
    steps = [{"do": "value_table", "table": "lost"}]
    crosswalk = Crosswalk.model_validate({"fills": {"colour": {"parts": [{"text": "x"}],
                                                               "steps": steps}}})  # fmt: skip
    with pytest.raises(CrosswalkError, match="'lost'") as refused:
        compile_plan(crosswalk, schema, Context(), [])
    assert "field colour" in refused.value.where


SMALL = StoreSchema(
    name="s", key="sku",
    fields=(StoreField(name="sku", required=True), StoreField(name="name"),
            StoreField(name="price", kind="money", currency="EUR"), StoreField(name="note")),
)  # fmt: skip


def changes(text, catalog, brought=None, **fill):
    """Compare rows of sku,name,price with a catalog of (key, owner, name, price)."""
    table = read_delimited(text.encode(), DelimitedReading())
    fills = {c: {"parts": [{"column": c}], **fill} for c in ("sku", "name", "price")}
    crosswalk = Crosswalk.model_validate({"fills": fills})
    plan = compile_plan(crosswalk, SMALL, Context(), table.columns)
    stored = pl.DataFrame(
        [(k, o, *(states or [None])[:1], k, n, p, "kept") for k, o, n, p, *states in catalog],
        schema=["key", OWNER, STATE, *(OLD + f for f in ("sku", "name", "price", "note"))],
        orient="row",
    ).cast(pl.String)  # fmt: skip
    named = pl.DataFrame({"key": brought, "times": [1] * len(brought)}) if brought else None
    return compare(table.frame, plan, stored, "me", None, named)


def statuses(changeset):
    return dict(changeset.frame.select("key", "status").iter_rows())


def test_every_row_is_new_changed_same_or_rejected_and_gone_ones_are_told():
    text = "sku,name,price\na,A,1\nb,B,2.00\nc,C,3\nd,D,x\nf,F,9\n"
    catalog = [("b", "me", "B", "2.00"), ("c", "me", "C", "2.50"), ("e", "me", "E", "1"),
               ("f", "you", "F", "9.01"), ("z", "you", "Z", "1")]  # fmt: skip
    assert "e" not in statuses(changes(text, catalog)), "the feed's first run knows of none before"
    result = changes(text, catalog, brought=["b", "e", "f", "sold out since"])
    assert statuses(result) == {"a": "new", "b": "same", "c": "changed", "d": "rejected",
                                "f": "rejected", "e": "gone"}  # fmt: skip
    reasons = dict(result.frame.select("key", "reason").iter_rows())
    assert "belongs to you" in reasons["f"] and "is no number" in reasons["d"]
    changed = result.frame.filter(pl.col("key") == "c")
    assert changed["fields"].to_list() == [["price"]]
    assert (changed["old:price"][0], changed["new:price"][0]) == ("2.50", "3.00")
    counts = result.counts()
    assert sum(counts.values()) - counts["gone"] == 5


def test_a_row_that_changes_nothing_is_the_same_whoever_owns_the_product():
    assert statuses(changes("sku,name,price\nf,F,9\n", [("f", "you", "F", "9.00")])) == {
        "f": "same"
    }


def test_a_product_that_was_taken_out_comes_back_with_its_row_and_is_never_gone():
    catalog = [("b", "me", "B", "2.00", TAKEN_OUT), ("c", "me", "C", "3.00", "hidden"),
               ("e", "me", "E", "1", TAKEN_OUT), ("f", "you", "F", "9.00", TAKEN_OUT)]  # fmt: skip
    text = "sku,name,price\nb,B,2\nc,C,3\nf,F,9\n"
    result = changes(text, catalog, brought=["b", "c", "e"])
    assert statuses(result) == {"b": "changed", "c": "same", "f": "rejected"}
    (line,) = result.frame.filter(pl.col("key") == "b").iter_rows(named=True)
    assert line["fields"] == [STATE]
    assert (line[OLD + STATE], line[NEW + STATE]) == (TAKEN_OUT, None)


def test_an_empty_cell_leaves_or_clears_as_the_fill_says():
    text = "sku,name,price\na,,1.00\n"
    catalog = [("a", "me", "Old", "1.00")]
    assert statuses(changes(text, catalog)) == {"a": "same"}
    cleared = changes(text, catalog, when_empty="clear")
    assert statuses(cleared) == {"a": "changed"} and cleared.frame["new:name"].to_list() == [None]


def test_a_skipped_field_keeps_the_stores_value():
    result = changes("sku,name,price\na,A,call us\n", [("a", "me", "A", "5.00")], on_problem="skip")
    assert statuses(result) == {"a": "same"}
    assert result.problems["severity"].to_list() == ["skipped"]


def test_a_required_field_that_nothing_fills_is_asked_for():
    table = read_delimited(b"x\n1\n", DelimitedReading())
    plan = compile_plan(Crosswalk(), SMALL, Context(), table.columns)
    problems = problems_of(plan.fill(table.frame), plan, table.frame)
    assert problems["severity"].to_list() == ["question"]


def test_suggestions_fill_the_demo_right(bundle, schema):
    """Nearly every column finds its field, with steps that make the value right."""
    table = read_delimited(WEEK_1.read_bytes(), bundle.reading)
    profiles = profile_table(table)
    facts = column_facts(profiles, table.frame)
    ranked = ranking(schema, facts, Evidence("Quarrow P", profiles, ","))
    found = {s.field: s for s in suggest(schema, ranked, Crosswalk())}
    right = {f: fill.columns[0] for f, fill in bundle.crosswalk.fills.items() if fill.columns}
    right.pop("price")  # worked out from the cost, by a suggestion of its own
    hits = [f for f, column in right.items() if f in found and found[f].column == column]
    assert len(hits) >= 0.9 * len(right)
    assert all(found[f].reasons for f in hits)
    weight = [s.do for s in found["net_weight"].fill.steps]
    assert weight == ["number", "convert"]


def test_places_are_suggested():
    ranked = dict(zip(STORE_PLACES, placed(*(p.split("/") for p in STORE_PLACES)), strict=True))
    hits = [p for p, place in STORE_PLACES.items() if ranked[p] and ranked[p][0].place == place]
    assert len(hits) >= 0.8 * len(STORE_PLACES)
    assert placed(["Garden furniture"]) == [[]]


def placed(*paths, names=None):
    """Likely places in the demo's tree."""
    return Places(CATEGORIES, names).rank([Arriving(tuple(p)) for p in paths])


def test_what_was_decided_elsewhere_counts_by_how_much_of_the_path_is_the_same():
    tree = CategoryTable(
        name="Mill",
        separator="/",
        placements={
            "Sheets/Watercolour": "Paper > Watercolour paper",
            "Hand/Tools/Knives": "Studio > Easels",
        },
    )
    before = Memory(Lookups(category_tables={"Mill": tree}), "own")
    (likely,) = placed(("Mediums", "Watercolour"))
    medium = likeliest([*before.places(("Mediums", "Watercolour"), CATEGORIES), *likely])
    assert medium[0].place == "Mediums and varnishes > For watercolour"
    assert "Paper > Watercolour paper" in [p.place for p in medium]
    assert all(p.score < 70 for p in medium if p.place.startswith("Paper"))
    again = before.places(("SHEETS", "Water-Colour"), CATEGORIES)[0]
    assert again.sure and again.place == "Paper > Watercolour paper"
    pair = before.places(("Shop", "Tools", "Knives"), CATEGORIES)[0]
    assert pair.place == "Studio > Easels" and "Tools > Knives" in pair.reason


def test_a_tree_in_another_language_is_recognised_by_the_stores_own_names():
    names = {
        "Painting": {"fr": "Peinture", "de": "Malen"},
        "Painting > Oil": {"fr": "Huile", "de": "Öl"},
        "Brushes > Watercolour brushes": {"de": "Aquarellpinsel"},
    }
    oil = placed(["Beaux-arts", "PEINTURES", "Huile"], ["Künstlerbedarf", "öl"], names=names)
    assert [found[0].place for found in oil] == ["Painting > Oil"] * 2
    (brush,) = placed(["Aquarellpinsel"], names=names)
    assert brush[0].place == "Brushes > Watercolour brushes"

    places = {"Painting": {}, "Painting > Oil": {}}
    listed = write_names({"Painting > Oil": {"fr": "Huile, fine", "pt-BR": "Óleo"}})
    assert read_names(listed, places) == {"Painting > Oil": {"fr": "Huile, fine", "pt-BR": "Óleo"}}
    assert translated("Painting > Oil > Sets", names) == {
        "fr": "Peinture > Huile > Sets",
        "de": "Malen > Öl > Sets",
    }


@pytest.mark.parametrize(
    ("data", "says", "where"),
    [
        ("category,name\nPainting,x", "no column 'language'", "line 1"),
        (
            "category,language,name\nPainting,fr,x\nPaintings,fr,x",
            "no category 'Paintings'",
            "line 3",
        ),
        ("language,category,name\nFrench!,Painting,x", "no language 'French!'", "line 2"),
    ],
)
def test_a_wrong_list_of_names_says_where(data, says, where):
    with pytest.raises(UnreadableFile, match=says) as refused:
        read_names(data.encode(), ["Painting"])
    assert refused.value.where == where
