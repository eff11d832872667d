"""The command line: no server, no database."""

from __future__ import annotations

import json
import os
import re
import zipfile
from pathlib import Path

import openpyxl
import polars as pl
import pytest
from click.testing import CliRunner

from nomotax.cli.main import main
from nomotax.demo.formula_docs import with_functions
from nomotax.demo.load import DATA

#: Settings of this machine, which no command of a test may know.
UNSET = {name: None for name in os.environ if name.startswith("NOMOTAX_")}


def nomotax(*arguments):
    """What a command prints and ends with; a process of its own would load all libraries anew."""
    return CliRunner(env=UNSET).invoke(main, [str(a) for a in arguments])


def map_week(out, *more, week=1):
    return nomotax(
        "map", DATA / f"quarrow-week-{week}.csv", "--crosswalk", DATA / "quarrow-crosswalk.json",
        "--store-schema", DATA / "store-schema.json", "--out", out, *more,
    )  # fmt: skip


def test_formula_gives_a_value_an_error_of_the_row_or_the_place_of_a_mistake():
    right = nomotax("formula", "[Cost] * 2", "--row", '{"Cost": "2,08"}', "--decimal", ",")
    assert (right.exit_code, right.stdout) == (0, "4.16\n")
    row = nomotax("formula", "1 / [n]", "--row", '{"n": 0}')
    assert row.exit_code == 1 and "divides by zero" in row.stderr
    mistake = nomotax("formula", "1 + ROUNDED(2)")
    assert mistake.exit_code == 2 and "    ^^^^^^^^^^\n" in mistake.stderr
    assert nomotax("formula", "1", "--row", "[]").exit_code == 2


def test_trace_prints_each_step_of_a_product(tmp_path):
    said = map_week(tmp_path / "p.csv", "--trace", "QP-004000").stdout
    assert "Price = 3.95   (row 1)" in said and "from [Cost EUR]: 2,08" in said
    assert "price ladder 'Standard': 3.95   (from 0: markup 110)" in said
    assert "by the rung: 4.368" in said and "the branch 'Paint/Watercolour/" in said


def test_the_page_of_formulas_lists_what_there_is():
    page = (Path(__file__).parents[1] / "docs" / "formulas.md").read_text()
    assert with_functions(page) == page and "`ROUND(number; places)`" in page


def test_inspect_tells_people_and_programs():
    said = nomotax("inspect", DATA / "quarrow-week-1.csv")
    assert said.exit_code == 0
    assert re.search(r"encoding\s+cp1252", said.stdout) and "line 335: 28 cells" in said.stdout
    document = json.loads(nomotax("inspect", DATA / "quarrow-week-1.csv", "--json").stdout)
    columns = {c["name"]: c for c in document["columns"]}
    assert document["rows"] == 1188 and columns["EAN"]["looks_like"] == "GTIN"
    assert "4 with a wrong check digit" in columns["EAN"]["odd"]
    assert columns["Cost EUR"]["greatest"] == "1.234,50"


@pytest.mark.parametrize("kind", ["csv", "xlsx", "jsonl", "parquet"])
def test_map_writes_every_format(tmp_path, kind):
    out = tmp_path / f"products.{kind}"
    said = map_week(out, "--limit", "50")
    assert said.exit_code == 0 and "rows in 50, out 49, with problems 1" in said.stdout
    if kind == "csv":
        rows = pl.read_csv(out, infer_schema=False)
    elif kind == "jsonl":
        rows = pl.read_ndjson(out)
    elif kind == "parquet":
        rows = pl.read_parquet(out)
        assert rows.schema["price"] == pl.Decimal(38, 2)
    else:
        sheet = openpyxl.load_workbook(out).active.values
        header = next(sheet)
        rows = pl.DataFrame(list(sheet), schema=list(header), orient="row")
        assert rows["supplier_sku"][0] == "004000"
    assert rows.height == 49 and str(rows["price"][0]) == "3.95"


def test_problems_are_written_with_row_and_reason(tmp_path):
    said = map_week(tmp_path / "o.csv", "--problems", tmp_path / "p.csv", week=2)
    problems = pl.read_csv(tmp_path / "p.csv", infer_schema=False)
    assert said.exit_code == 0 and "21 held" in said.stdout
    held = problems.filter(pl.col("severity") == "question")
    assert set(held["seen"]) == {"T", "Paint/Casein"} and held["row"].null_count() == 0


@pytest.mark.parametrize(
    ("arguments", "says"),
    [
        (["inspect", "/nowhere.csv"], "Cannot open"),
        (["inspect", DATA / "empty"], "Cannot open"),
        (["map", DATA / "quarrow-week-1.csv", "--crosswalk", DATA / "store-schema.json",
          "--store-schema", DATA / "store-schema.json", "--out", "/tmp/x.csv"], "no crosswalk"),
        (["map", DATA / "quarrow-week-1.csv", "--crosswalk", DATA / "quarrow-crosswalk.json",
          "--store-schema", DATA / "catalog.csv", "--out", "/tmp/x.csv"], "no JSON"),
        (["map", DATA / "quarrow-week-1.csv", "--crosswalk", DATA / "quarrow-crosswalk.json",
          "--store-schema", DATA / "store-schema.json", "--out", "/tmp/x.doc"], "Cannot write"),
    ],
)  # fmt: skip
def test_mistakes_end_with_two_and_one_clear_line(arguments, says):
    said = nomotax(*arguments)
    assert said.exit_code == 2 and says in said.stderr and "Traceback" not in said.stderr


def test_demo_files_are_what_the_script_makes(tmp_path, monkeypatch):
    """The committed demo data is the script's, byte for byte."""
    from nomotax.demo import make

    monkeypatch.setattr(make, "DATA", tmp_path)
    make.main()
    for made in tmp_path.iterdir():
        kept = DATA / made.name
        if made.suffix == ".xlsx":  # how well it is packed depends on the machine's zlib
            assert unpacked(made) == unpacked(kept), made.name
        else:
            assert made.read_bytes() == kept.read_bytes(), made.name


def unpacked(path):
    with zipfile.ZipFile(path) as book:
        return {name: book.read(name) for name in book.namelist()}


def test_documents_are_current(tmp_path):
    """docs/openapi.json, the crosswalk's JSON Schema and the typed client are not behind."""
    docs = Path(__file__).parents[1] / "docs"
    assert nomotax("documents", tmp_path).exit_code == 0
    for name in ("openapi.json", "crosswalk.schema.json"):
        assert (tmp_path / name).read_text() == (docs / name).read_text(), "run: make client"


def test_read_writes_the_arriving_table_and_a_report(tmp_path):
    """Ends 1 with problems to look at, 0 without, 2 when refused."""
    out, report = tmp_path / "t.parquet", tmp_path / "r.json"
    done = nomotax("read", DATA / "castelune-week-1.zip", "--out", out, "--report", report)
    assert done.exit_code == 1 and "828 rows" in done.stdout
    document = json.loads(report.read_text())
    assert document["rows"] == pl.read_parquet(out).height == 828 and document["complete"]
    assert {c["name"] for c in document["reading"]["companions"]} == {
        "prices", "stock", "texts", "tree",
    }  # fmt: skip
    assert {"no_partner", "companion_repeated_key"} <= {p["kind"] for p in document["problems"]}
    reading = DATA / "former-platform-reading.json"
    clean = nomotax(
        "read",
        DATA / "former-platform-week-1.csv",
        "--reading",
        reading,
        "--out",
        tmp_path / "f.csv",
    )
    assert clean.exit_code == 0 and "484 rows" in clean.stdout
    refused = nomotax("read", DATA / "categories.json", "--out", tmp_path / "x.csv")
    assert refused.exit_code == 2 and "no records" in refused.stderr


def test_read_joins_companions_by_name(tmp_path):
    (tmp_path / "p.csv").write_text("sku;cost\n01;5\n02;6\n")
    (tmp_path / "stock.csv").write_text("sku;qty\n1;7\n2;8\n")
    own = {"name": "stock", "keys": [{"column": "sku", "theirs": "sku"}], "ignore_zeros": True}
    reading = {"format": "delimited", "delimiter": ";", "companions": [own]}
    (tmp_path / "r.json").write_text(json.dumps(reading))
    call = [
        "read",
        tmp_path / "p.csv",
        "--reading",
        tmp_path / "r.json",
        "--out",
        tmp_path / "o.jsonl",
    ]
    done = nomotax(*call, "--companion", f"stock={tmp_path / 'stock.csv'}")
    assert done.exit_code == 0, done.stdout + done.stderr
    rows = [json.loads(line) for line in (tmp_path / "o.jsonl").read_text().splitlines()]
    assert [r["stock: qty"] for r in rows] == ["7", "8"]
    assert nomotax(*call).exit_code == 1  # the companion is missing, and that is said
    wrong = nomotax(*call, "--companion", f"texts={tmp_path / 'stock.csv'}")
    assert wrong.exit_code == 2 and "no companion 'texts'" in wrong.stderr
    (tmp_path / "r.json").write_text('{"format": "delimited", "delimiter": ""}')
    assert "delimiter" in nomotax(*call).stderr


def test_inspect_says_how_a_workbook_is_read():
    said = nomotax("inspect", DATA / "brindlecombe-week-1.xlsx").stdout
    assert "512 rows, 17 columns" in said and "damaged by a spreadsheet" in said
    assert "3 lines of titles stand above the names" in said and "also: sheet" in said


def test_read_marks_held_rows_and_sums_up_alike_problems(tmp_path):
    rows = "".join(f"a{n};1;2;3\n" for n in range(30))
    (tmp_path / "wide.csv").write_text(f"a;b;c\n1;2;3\n{rows}")
    said = nomotax("read", tmp_path / "wide.csv", "--out", tmp_path / "o.csv")
    assert said.exit_code == 1 and "and 25 more like these, in lines 8, 9" in said.stdout
    table = pl.read_csv(tmp_path / "o.csv", infer_schema=False)
    assert table.columns == ["a", "b", "c", "Held because"]
    assert table["Held because"][0] is None and "4 cells" in table["Held because"][1]


@pytest.mark.parametrize(
    ("out", "reading", "says"),
    [
        ("no/such/o.csv", None, "There is no folder"),
        (".", None, "Use a name that ends in"),
        ("o.csv", "{}", "it must say its format"),
        ("o.csv", '{"format": "spoken"}', "it must say its format"),
    ],
)
def test_what_cannot_be_written_or_read_is_said_clearly(tmp_path, out, reading, says):
    (tmp_path / "f.csv").write_text("a;b\n1;2\n")
    more = []
    if reading:
        (tmp_path / "r.json").write_text(reading)
        more = ["--reading", tmp_path / "r.json"]
    said = nomotax("read", tmp_path / "f.csv", "--out", tmp_path / out, *more)
    assert said.exit_code == 2 and says in said.stderr, said.stderr
    folder = nomotax("read", tmp_path, "--out", tmp_path / "o.csv")
    assert folder.exit_code == 2 and "it is a folder" in folder.stderr


def test_a_fault_of_the_program_is_no_doubt_about_the_file(monkeypatch):
    def broken(*_):
        raise ZeroDivisionError("oops")

    monkeypatch.setattr("nomotax.cli.reading.flow.inspect_file", broken)
    said = CliRunner().invoke(main, ["inspect", "any.csv"])
    assert said.exit_code == 3 and "a fault of the program: oops" in said.output
