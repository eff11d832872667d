"""``nomotax suggest``: a file of another trade and language, from nothing to a crosswalk."""

from __future__ import annotations

import json

import pytest
from click.testing import CliRunner
from tests.core.suggest.test_columns import CELLS, NAMED, STORE

from nomotax.cli.main import main
from nomotax.core.schema.model import StoreField
from nomotax.core.schema.table_schema import to_descriptor

TREE = "Dogs > Dry food\nDogs > Wet food\nBirds > Swings\nBirds > Ladders\nCats > Tunnels\n"


@pytest.fixture
def files(tmp_path):
    """A pet store's schema and tree, and a German file for it."""
    fields = (*STORE.fields, StoreField(name="shelf", title="Category", kind="category"))
    schema = STORE.model_copy(update={"fields": fields})
    paths = ["Hunde/Trockenfutter", "Hunde/Nassfutter", "Vögel/Schaukeln", "Vögel/Leitern",
             "Gutscheine"]  # fmt: skip
    table = {NAMED["de"][k]: v for k, v in CELLS.items()} | {"Warengruppe": paths}
    rows = zip(*table.values(), strict=True)
    lines = [";".join(table), *(";".join(row) for row in rows)]
    (tmp_path / "liste.csv").write_text("\n".join(lines), encoding="utf-8")
    (tmp_path / "schema.json").write_text(json.dumps(to_descriptor(schema)))
    (tmp_path / "tree.txt").write_text(TREE)
    return tmp_path


def run(files, *more):
    asked = ["suggest", files / "liste.csv", "--store-schema", files / "schema.json",
             "--categories", files / "tree.txt", "--without-meaning", *more]  # fmt: skip
    return CliRunner().invoke(main, [str(a) for a in asked])


def test_columns_words_and_paths_as_one_document(files):
    found = json.loads(run(files, "--json").output)
    assert found["columns"]["cost"][0]["column"] == "EK netto"
    assert found["words"]["animal"]["Hund"][0] | {"score": 0} == {
        "word": "Dog", "score": 0, "sure": True, "reason": "'Hund' means 'Dog'"}  # fmt: skip
    assert found["words"]["vegan"]["ja"][0]["word"] == "true"
    assert found["categories"]["Hunde/Trockenfutter"][0]["path"] == "Dogs > Dry food"
    assert found["categories"]["Gutscheine"] == []
    assert all(len(own) <= 3 for own in found["columns"].values())


def test_what_is_sure_becomes_a_crosswalk_that_maps(files):
    said = run(files, "--accept", files / "walk.json")
    assert said.exit_code == 0 and "EK netto" in said.output and "sure" in said.output
    walk = json.loads((files / "walk.json").read_text())
    assert walk["crosswalk"]["fills"]["cost"]["parts"][0]["column"] == "EK netto"
    out = files / "out.csv"
    mapped = CliRunner().invoke(
        main,
        ["map", str(files / "liste.csv"), "--crosswalk", str(files / "walk.json"),
         "--store-schema", str(files / "schema.json"), "--out", str(out)],
    )  # fmt: skip
    assert mapped.exit_code == 0, mapped.output
    assert "rows in 5" in mapped.output
