"""Reading against the bare parsers of each format, every contender a process of its own, in turn:
``python -m bench.reading``. Prints median times, the median ratio of pairs, peak memory, and the
time of a preview."""

from __future__ import annotations

import importlib
import json
import multiprocessing
import os
import statistics
import subprocess
import sys
import time
from pathlib import Path

import click
import polars as pl

from bench.make_feed import COLUMNS, make_feed

OUT = Path(__file__).parent / "out"
#: Contender, its baseline, the most its time may be of the baseline's, the most memory in MB.
PAIRS = [
    ("our_csv", "plain_csv", 2.0, None),
    ("our_xlsx", "plain_xlsx", 1.6, None),
    ("our_xml", "plain_xml", 2.0, 1024),
    ("our_json", "plain_json", 2.0, 1024),
]


def make_files(rows: int, sheet_rows: int) -> None:
    """The files, once: the same content in CSV, XML and JSON, less of it in a workbook."""
    OUT.mkdir(exist_ok=True)
    feed = OUT / f"feed-{rows}.csv"
    if not feed.exists():
        make_feed(feed, rows)
    frame = pl.read_csv(feed, separator=";", infer_schema=False, encoding="utf8-lossy")
    narrow = frame.select(frame.columns[:12]).rename(lambda c: c.replace(" ", "_"))
    if not (OUT / "read.json").exists():
        names = narrow.columns
        with (OUT / "read.json").open("w") as js, (OUT / "read.xml").open("w") as xml:
            js.write('{"items": [')
            xml.write("<list>")
            for n, row in enumerate(narrow.iter_rows()):
                record = {k: v for k, v in zip(names, row, strict=True) if v}
                js.write(("," if n else "") + json.dumps(record))
                cells = "".join(f"<{k}>{v.replace('&', '&amp;')}</{k}>" for k, v in record.items())
                xml.write(f'<item n="{n}">{cells}</item>\n')
            js.write("]}")
            xml.write("</list>")
    if not (OUT / "read.xlsx").exists():
        _workbook(frame.head(sheet_rows))


def _workbook(frame: pl.DataFrame) -> None:
    import xlsxwriter

    book = xlsxwriter.Workbook(str(OUT / "read.xlsx"), {"constant_memory": True})
    sheet = book.add_worksheet("Items")
    zeros = book.add_format({"num_format": "0000000"})
    sheet.write_row(0, 0, frame.columns)
    for r, row in enumerate(frame.iter_rows(), 1):
        sheet.write_number(r, 0, int(row[0]), zeros)
        for c, cell in enumerate(row[1:], 1):
            number = c > 8 and cell and cell.replace(",", "").isdigit()
            sheet.write(r, c, float(cell.replace(",", ".")) if number else cell)
    book.close()


def contend(name: str, rows: int) -> None:
    """One contender's work, timed without the start of the interpreter: what it imports, and the
    model that tells languages apart, are loaded once a process and not once a file."""
    feed = OUT / f"feed-{rows}.csv"
    for module in MODULES[name]:
        importlib.import_module(module)
    if name.startswith("our"):
        sys.modules["py3langid"].classify("a few words")
    begin, worked = time.perf_counter(), time.process_time()
    made = CONTENDERS[name](feed)
    seconds, worked = time.perf_counter() - begin, time.process_time() - worked
    print(json.dumps({"seconds": seconds, "worked": worked, "rows": made}))


def _ours(path: Path) -> int:
    from nomotax.core.reading.profile import profile_columns
    from nomotax.core.reading.read import Source, detect, read

    source = Source(path)
    table = read(source, detect(source).reading)
    if path.suffix == ".csv":
        profile_columns(table.lazy)
    return table.rows


def _plain_csv(feed: Path) -> int:
    return pl.read_csv(feed, separator=";", infer_schema=False, encoding="utf8-lossy").height


def _plain_xlsx(_: Path) -> int:
    from python_calamine import CalamineWorkbook

    return len(CalamineWorkbook.from_path(str(OUT / "read.xlsx")).get_sheet_by_index(0).to_python())


def _plain_xml(_: Path) -> int:
    from lxml import etree

    count = 0
    for _event, item in etree.iterparse(str(OUT / "read.xml"), tag="item"):
        record = {child.tag: child.text for child in item}
        count += bool(record)
        item.clear()
        while item.getprevious() is not None:
            del item.getparent()[0]
    return count


def _plain_json(_: Path) -> int:
    import ijson

    with (OUT / "read.json").open("rb") as stream:
        return sum(bool(record) for record in ijson.items(stream, "items.item"))


CONTENDERS = {
    "our_csv": _ours,
    "our_xlsx": lambda _: _ours(OUT / "read.xlsx"),
    "our_xml": lambda _: _ours(OUT / "read.xml"),
    "our_json": lambda _: _ours(OUT / "read.json"),
    "plain_csv": _plain_csv,
    "plain_xlsx": _plain_xlsx,
    "plain_xml": _plain_xml,
    "plain_json": _plain_json,
}


_OURS = ("nomotax.core.reading.read", "nomotax.core.reading.profile", "py3langid")
MODULES = dict.fromkeys(("our_csv", "our_xlsx", "our_xml", "our_json"), _OURS) | {
    "plain_csv": ("polars",),
    "plain_xlsx": ("python_calamine",),
    "plain_xml": ("lxml.etree",),
    "plain_json": ("ijson",),
}


def run(name: str, rows: int) -> tuple[float, float, int]:
    """Seconds, those of them that the processors worked, and peak resident memory (MB) of one
    contender."""
    command = [sys.executable, "-m", "bench.reading", "--contend", name, "--rows", str(rows)]
    child = subprocess.Popen(command, stdout=subprocess.PIPE, text=True)
    said = child.stdout.read() if child.stdout else ""
    _, status, usage = os.wait4(child.pid, 0)
    child.returncode = 0
    if status:
        raise SystemExit(f"{name} ended with {status}")
    found = json.loads(said)
    return found["seconds"], found["worked"], usage.ru_maxrss // 1024


def preview(feed: Path) -> float:
    """Seconds until the head of a 1 GB file is a table: detection and all."""
    from nomotax.core.reading.read import Source, detect, read

    large = OUT / "large.csv"
    if not large.exists():
        body = feed.read_bytes()
        head, rest = body.split(b"\n", 1)
        with large.open("wb") as out:
            out.write(head + b"\n")
            while out.tell() < 1 << 30:
                out.write(rest)
    source = Source(large)
    begin = time.perf_counter()
    table = read(source, detect(source).reading, limit=200)
    assert table.rows == 200
    return time.perf_counter() - begin


def _in_pairs(ours: list[float], plain: list[float]) -> float:
    """The median of the ratios of runs that stood one right after the other: a shared machine's
    speed moves by half within minutes."""
    return statistics.median(a / b for a, b in zip(ours, plain, strict=True))


@click.command()
@click.option("--rows", default=1_000_000, show_default=True)
@click.option("--sheet-rows", default=100_000, show_default=True)
@click.option("--rounds", default=5, show_default=True)
@click.option("--contend", "name", default="", hidden=True)
def main(rows: int, sheet_rows: int, rounds: int, name: str) -> None:
    """Compare reading with the bare parsers."""
    if name:
        contend(name, rows)
        return
    # In a process of its own: a child's peak counts from what its parent held.
    maker = multiprocessing.get_context("spawn").Process(target=make_files, args=(rows, sheet_rows))
    maker.start()
    maker.join()
    print(f"CSV {rows:,} x {COLUMNS}, XLSX {sheet_rows:,} x {COLUMNS}, XML and JSON {rows:,} x 12")
    for ours, plain, aim, most in PAIRS:
        times: dict[str, list[float]] = {ours: [], plain: []}
        worked: dict[str, list[float]] = {ours: [], plain: []}
        memory = dict.fromkeys(times, 0)
        for contender in [ours, plain] * rounds:
            seconds, work, peak = run(contender, rows)
            times[contender].append(seconds)
            worked[contender].append(work)
            memory[contender] = max(memory[contender], peak)
        mine, other = (statistics.median(times[n]) for n in (ours, plain))
        ratio, work = _in_pairs(times[ours], times[plain]), _in_pairs(worked[ours], worked[plain])
        limit = f", at most {most} MB" if most else ""
        print(
            f"{ours:<10}{mine:>7.2f} s{memory[ours]:>7} MB   {plain:<11}{other:>7.2f} s"
            f"{memory[plain]:>7} MB   ratio {ratio:.2f}, of work {work:.2f} "
            f"(aim: at most {aim}{limit})"
        )
    print(f"preview of a 1 GB file: {preview(OUT / f'feed-{rows}.csv'):.2f} s (aim: at most 1)")


if __name__ == "__main__":
    main()
