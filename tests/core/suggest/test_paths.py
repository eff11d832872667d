"""Which of the store's categories stands for an arriving path."""

from __future__ import annotations

from hypothesis import given, settings
from hypothesis import strategies as st

from nomotax.core.flow.context import Lookups
from nomotax.core.lookups.tables import CategoryTable, ValueTable
from nomotax.core.suggest.memory import Memory, likeliest
from nomotax.core.suggest.paths import Places
from nomotax.core.suggest.sayings import Arriving
from nomotax.core.suggest.weighing import Proposal, share

TREE = [
    "Dogs", "Dogs > Dry food", "Dogs > Wet food", "Dogs > Collars and leads", "Dogs > Beds",
    "Cats", "Cats > Dry food", "Cats > Wet food", "Cats > Litter", "Cats > Scratching posts",
    "Birds", "Birds > Seed", "Birds > Cages", "Birds > Toys",
    "Aquarium", "Aquarium > Filters", "Aquarium > Pumps", "Aquarium > Fish food",
]  # fmt: skip
GERMAN = {
    "Hunde / Trockenfutter": "Dogs > Dry food",
    "Hunde / Nassfutter": "Dogs > Wet food",
    "Hunde / Halsbänder und Leinen": "Dogs > Collars and leads",
    "Katzen / Trockenfutter": "Cats > Dry food",
    "Katzen / Katzenstreu": "Cats > Litter",
    "Katzen / Kratzbäume": "Cats > Scratching posts",
    "Vögel / Käfige": "Birds > Cages",
    "Aquaristik / Pumpen": "Aquarium > Pumps",
    "Aquaristik / Filter": "Aquarium > Filters",
}


def split(path):
    return tuple(p.strip() for p in path.split("/"))


def placed(paths, language="de", tree=TREE, titles=None):
    arriving = [Arriving(split(p), (titles or {}).get(p, ())) for p in paths]
    ranked = Places(tree, languages=frozenset({"en"})).rank(arriving, frozenset({language}))
    return dict(zip(paths, ranked, strict=True))


def test_a_tree_in_another_language_is_placed_leaf_by_leaf():
    found = placed(GERMAN)
    right = [p for p, place in GERMAN.items() if found[p] and found[p][0].place == place]
    assert len(right) >= len(GERMAN) - 1
    assert all(found[p][0].place == GERMAN[p] for p in GERMAN if found[p] and found[p][0].sure)
    assert all(p.reason for own in found.values() for p in own)


def test_what_is_no_ware_goes_nowhere():
    nowhere = ["Hunde / Gutscheine", "Versandkosten", "Restposten", "Wartung"]
    assert placed([*GERMAN, *nowhere]).items() >= {p: [] for p in nowhere}.items()


def test_a_branch_is_never_sure_of_a_parent():
    (found,) = placed(["Hunde"]).values()
    assert found[0].place == "Dogs" and not found[0].sure


def test_a_container_of_one_thing_is_not_sure_to_go_to_that_of_another():
    tree = ["Paint > Gouache", "Pigments > Jars", "Pigments > Bags", "Glue > Bottles"]
    titles = {"Gouache / Jars": ("Gouache white, jar", "Gouache red, jar", "Gouache blue, jar")}
    alone = placed(["Pigments / Jars"], "en", tree)["Pigments / Jars"]
    assert alone[0].place == "Pigments > Jars" and alone[0].sure
    (other,) = placed(["Gouache / Jars"], "en", tree, titles).values()
    assert not any(p.sure for p in other)


def test_where_two_wares_want_one_place_neither_is_sure():
    """One word of a lexicon may stand for two wares."""
    one = placed(["Vögel / Käfige"])["Vögel / Käfige"]
    assert one[0].sure
    two = placed(["Vögel / Käfige", "Vögel / Volieren"])
    assert not two["Vögel / Käfige"][0].sure or two["Vögel / Volieren"][:1] != two["Vögel / Käfige"]
    same = placed(["Vögel / Käfige", "Ziervögel / KÄFIGE"])
    assert all(p[0].sure for p in same.values() if p and p[0].score >= 95)


def test_names_in_other_languages_place_a_tree_as_the_stores_own_do():
    names = {"Dogs": {"da": "Hunde"}, "Dogs > Beds": {"da": "Kurvmøbler"}}
    places = Places(TREE, names, languages=frozenset({"en"}))
    (found,) = places.rank([Arriving(("Hunde", "Kurvmøbler"))], frozenset({"da"}))
    assert found[0].place == "Dogs > Beds" and "kurvmobler" in found[0].reason


def test_the_titles_beneath_tell_what_a_name_does_not():
    titles = {"Sortiment / 17": ("Kratzbaum Ahorn", "Kratzbaum Birke", "Kratzbaum Eiche")}
    assert placed(["Sortiment / 17"])["Sortiment / 17"] == []
    (found,) = placed(["Sortiment / 17"], titles=titles).values()
    assert found[0].place == "Cats > Scratching posts" and "beneath" in found[0].reason


def test_the_rest_of_a_branch_says_where_one_of_it_goes():
    """Alone, dry food may be a dog's or a cat's."""
    alone = placed(["X / Trockenfutter"])["X / Trockenfutter"]
    assert not alone or not alone[0].sure
    whole = placed(["X / Trockenfutter", "X / Katzenstreu", "X / Kratzbäume"])
    assert whole["X / Trockenfutter"][0].place == "Cats > Dry food"


@settings(max_examples=8, deadline=None)
@given(st.permutations(list(GERMAN)), st.booleans())
def test_the_order_of_paths_and_their_case_do_not_matter(paths, upper):
    plain = placed(GERMAN)
    asked = {p: p.upper() if upper else p for p in paths}
    found = placed(list(asked.values()))
    for path, written in asked.items():
        assert [p.place for p in found[written]][:1] == [p.place for p in plain[path]][:1]


@settings(max_examples=12, deadline=None)
@given(
    st.lists(st.text(max_size=12), min_size=1, max_size=5),
    st.lists(st.text(min_size=1, max_size=12), min_size=1, max_size=6, unique=True),
)
def test_any_tree_can_be_asked_for_any_path(parts, tree):
    paths = [Arriving(tuple(parts)), Arriving(tuple(parts[:1]))]
    for own in Places(tree).rank(paths):
        assert all(p.place in tree and 0 <= p.score <= 100 for p in own) and len(own) <= 3


def test_what_was_decided_before_counts_most_in_any_spelling():
    words = {
        "Fjord": ValueTable(name="Fjord", entries={"Blå-Grøn": "Teal"}),
        "Own": ValueTable(name="Own", entries={"blå grøn": "Red"}),
    }
    trees = {"Fjord": CategoryTable(name="Fjord", placements={"Hund/Snacks": "Dogs > Dry food"})}
    memory = Memory(Lookups(value_tables=words, category_tables=trees), "Own")
    (teal,) = memory.words("BLÅ GRØN", ("Teal", "Red"))
    assert (teal.place, teal.sure) == ("Teal", True) and "Fjord" in teal.reason
    assert memory.words("blå grøn", ("Red",)) == []
    (same,) = memory.places(("hund", "SNACKS"), TREE)
    assert same.sure and same.place == "Dogs > Dry food"
    (named,) = memory.places(("Katt", "Snacks"), TREE)
    assert not named.sure


@given(st.lists(st.floats(-20, 20), max_size=6), st.floats(-20, 20))
def test_shares_of_rivals_and_of_nothing_add_up(rivals, own):
    everyone = [own, *rivals]
    shares = [share(x, everyone[:i] + everyone[i + 1 :]) for i, x in enumerate(everyone)]
    assert all(0 <= s <= 1 for s in shares) and sum(shares) <= 1 + 1e-9
    assert share(own, [own]) <= 0.5


def test_the_likeliest_come_first_each_once():
    found = [Proposal(place=p, score=s, sure=False, reason="") for p, s in
             (("A", 10), ("B", 90), ("A", 60), ("C", 5), ("D", 4))]  # fmt: skip
    assert [(p.place, p.score) for p in likeliest(found)] == [("B", 90), ("A", 60), ("C", 5)]
