"""``nomotax drift`` over files as suppliers send them."""

from __future__ import annotations

import csv
import io
import json
import random

import pytest
from click.testing import CliRunner

from nomotax.cli.main import main
from tests.core.reading import files

COLUMNS = ["Artikl", "Název", "Skupina", "Cena", "Sklad"]


def listed(week, many=30):
    made = []
    for n in range(many):
        own, chance = random.Random(n), random.Random(f"{n} {week}")
        stock = int(own.randint(0, 80) * chance.uniform(0.5, 1))
        price = f"{own.uniform(50, 900):.2f}".replace(".", ",")
        made.append([f"A{n:04d}", f"Štětec č. {n}", ("Štětce", "Barvy")[n % 2], price, str(stock)])
    return made


def text(rows, delimiter=";", quoting=csv.QUOTE_MINIMAL):
    out = io.StringIO()
    csv.writer(out, delimiter=delimiter, quoting=quoting).writerows([COLUMNS, *rows])
    return out.getvalue()


def xml(rows):
    items = "".join(
        "<i>" + "".join(f"<{c}>{v}</{c}>" for c, v in zip(COLUMNS, row, strict=True)) + "</i>"
        for row in rows
    )
    return f"<?xml version='1.0' encoding='UTF-8'?><l>{items}</l>".encode()


def as_json(rows):
    return json.dumps([dict(zip(COLUMNS, row, strict=True)) for row in rows]).encode()


@pytest.fixture
def earlier(tmp_path):
    paths = []
    for week in range(3):
        paths.append(tmp_path / f"old-{week}.csv")
        paths[-1].write_bytes(text(listed(week)).encode("cp1250"))
    return paths


def drift(new, earlier, *more):
    words = ["drift", str(new), "--against", *map(str, earlier), *more]
    done = CliRunner().invoke(main, words)
    return done.exit_code, done.stdout, done.stderr


def told(folder, earlier, data, name="new.csv", *more):
    (folder / name).write_bytes(data)
    code, out, err = drift(folder / name, earlier, "--json", *more)
    assert code == 0, err
    return {(one["kind"], one["column"], one["severity"]) for one in json.loads(out)}


WRITTEN = {
    "another encoding": lambda rows: text(rows).encode(),
    "with a mark of byte order": lambda rows: text(rows).encode("utf-8-sig"),
    "in UTF-16": lambda rows: text(rows).encode("utf-16"),
    "with all in quotes": lambda rows: text(rows, quoting=csv.QUOTE_ALL).encode("cp1250"),
    "with commas between": lambda rows: text(rows, ",", csv.QUOTE_ALL).encode("cp1250"),
    "with blank lines": lambda rows: (text(rows[:9]) + "\r\n" + text(rows[9:]).split("\r\n", 1)[1])
    .encode("cp1250"),
    "the other way round": lambda rows: text(rows[::-1]).encode("cp1250"),
}  # fmt: skip


@pytest.mark.parametrize("how", WRITTEN)
def test_the_same_written_otherwise_is_quiet(tmp_path, earlier, how):
    assert not told(tmp_path, earlier, WRITTEN[how](listed(3)))


def test_a_web_page_and_a_message_are_told_and_not_refused(tmp_path, earlier):
    page = b"\n<!DOCTYPE html><html><body>P\xc5\x99ihlaste se</body></html>"
    assert told(tmp_path, earlier, page) == {("html_instead", "", "hold")}
    assert told(tmp_path, earlier, b"\x00\x01\x02\xff" * 40) == {("wrong_file", "", "hold")}


def test_a_file_that_ends_in_the_middle_is_told(tmp_path, earlier):
    data = text(listed(3)).encode("cp1250")
    assert ("truncated", "", "hold") in told(tmp_path, earlier, data[: len(data) // 2])
    rows = listed(3)[:18]
    said = text(rows).encode("cp1250") + b"-- cas vyprsel --\r\n"
    assert ("truncated", "", "hold") in told(tmp_path, earlier, said)


@pytest.mark.parametrize(("name", "write"), [("xml", xml), ("json", as_json)])
def test_records_are_held_beside_each_other_as_rows_are(tmp_path, name, write):
    paths = []
    for week in range(3):
        paths.append(tmp_path / f"old-{week}.{name}")
        paths[-1].write_bytes(write(listed(week)))
    assert not told(tmp_path, paths, write(listed(3)), f"new.{name}")
    empty = [[*row[:4], "0"] for row in listed(3)]
    found = told(tmp_path, paths, write(empty), f"new.{name}")
    assert {("stock_emptied", "hold")} == {(kind, how) for kind, _, how in found}


def test_a_workbook_beside_workbooks(tmp_path):
    paths = []
    for week in range(3):
        paths.append(tmp_path / f"old-{week}.xlsx")
        paths[-1].write_bytes(files.xlsx(COLUMNS, listed(week)))
    dear = [[*row[:3], f"{float(row[3].replace(',', '.')) * 100:.2f}", row[4]] for row in listed(3)]
    found = told(tmp_path, paths, files.xlsx(COLUMNS, dear), "new.xlsx")
    assert ("scale_shifted", "Cena", "hold") in found


def test_without_json_it_says_sentences_and_how_it_ends(tmp_path, earlier):
    new = tmp_path / "new.csv"
    new.write_bytes(text(listed(3)).encode("cp1250"))
    assert drift(new, earlier) == (0, "Nothing strange.\n", "")
    new.write_bytes(text([[*row[:4], "0"] for row in listed(3)]).encode("cp1250"))
    code, out, _ = drift(new, earlier)
    assert code == 1 and out.startswith("hold  'Sklad' is nothing for ")


def test_each_earlier_file_may_have_its_own_option(tmp_path, earlier):
    new = tmp_path / "new.csv"
    new.write_bytes(text(listed(3)[:9]).encode("cp1250"))
    words = [word for path in earlier[1:] for word in ("--against", str(path))]
    code, out, _ = drift(new, earlier[:1], *words, "--json")
    assert code == 0 and "rows_dropped" in out


def test_what_is_missing_is_said(tmp_path, earlier):
    code, _, err = drift(tmp_path / "none.csv", earlier)
    assert code == 2 and "Cannot open" in err
    code, _, err = drift(earlier[0], [tmp_path / "none.csv"])
    assert code == 2 and "there is no such file" in err


def test_a_crosswalk_says_which_columns_matter(tmp_path, earlier):
    """A column that feeds the price holds when it is gone; one that feeds nothing is a note."""
    fields = [
        {"name": "sku", "type": "string", "constraints": {"required": True}},
        {"name": "price", "type": "number", "constraints": {"required": True}},
    ]
    (tmp_path / "schema.json").write_text(
        json.dumps({"name": "Store", "fields": fields, "primaryKey": "sku"})
    )
    fills = {"sku": "Artikl", "price": "Cena"}
    walk = {"fills": {f: {"parts": [{"column": c}]} for f, c in fills.items()}}
    bundle = {"format": "nomotax-crosswalk/1", "crosswalk": walk}
    (tmp_path / "walk.json").write_text(json.dumps(bundle))
    rows = [[row[0], row[1], row[4]] for row in listed(3)]
    data = "\r\n".join(";".join(row) for row in [["Artikl", "Název", "Sklad"], *rows]).encode(
        "cp1250"
    )
    more = ["--crosswalk", str(tmp_path / "walk.json")]
    more += ["--store-schema", str(tmp_path / "schema.json")]
    assert told(tmp_path, earlier, data, "new.csv", *more) == {
        ("column_gone", "Cena", "hold"), ("column_gone", "Skupina", "note")
    }  # fmt: skip
