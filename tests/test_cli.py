"""The command line: no server, no database."""

from __future__ import annotations

import json
import os
import re
import subprocess
import sys
import zipfile
from pathlib import Path

import openpyxl
import polars as pl
import pytest

from nomotax.demo.load import DATA

ENV = {k: v for k, v in os.environ.items() if not k.startswith("NOMOTAX_")}


def nomotax(*arguments):
    command = [sys.executable, "-m", "nomotax.cli.main", *map(str, arguments)]
    return subprocess.run(command, capture_output=True, text=True, check=False, env=ENV)


def map_week(out, *more, week=1):
    return nomotax(
        "map", DATA / f"quarrow-week-{week}.csv", "--crosswalk", DATA / "quarrow-crosswalk.json",
        "--store-schema", DATA / "store-schema.json", "--out", out, *more,
    )  # fmt: skip


def test_inspect_tells_people_and_programs():
    said = nomotax("inspect", DATA / "quarrow-week-1.csv")
    assert said.returncode == 0
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
    assert said.returncode == 0 and "rows in 50, out 49, with problems 1" in said.stdout
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
    assert said.returncode == 0 and "21 held" in said.stdout
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
    assert said.returncode == 2 and says in said.stderr and "Traceback" not in said.stderr


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
    assert nomotax("documents", tmp_path).returncode == 0
    for name in ("openapi.json", "crosswalk.schema.json"):
        assert (tmp_path / name).read_text() == (docs / name).read_text(), "run: make client"
