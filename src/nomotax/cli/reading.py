"""``nomotax inspect`` and ``nomotax read``: how a file is read, without a server."""

from __future__ import annotations

import json
import sys
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path
from typing import Any, BinaryIO

import click

from nomotax.core.errors import NotFound
from nomotax.core.reading.model import ArrivingTable, Detection, Reading
from nomotax.core.reading.problem import ReadingProblem
from nomotax.core.reading.profile import ColumnProfile, profile_table
from nomotax.core.writing.arriving import with_held_rows
from nomotax.core.writing.tables import format_of, write_table
from nomotax.flows import map_file as flow

#: The column that says why a row of a read file is held.
#: Alike problems that are printed one by one.
_SAID = 5
_FILE = click.Path(path_type=Path)
_PASSWORD = click.option("--password", default="", help="Opens an archive.")


def _reading_document(
    file: Path, found: Detection, reading: Reading, table: ArrivingTable
) -> dict[str, Any]:
    return {
        "file": file.name,
        "rows": table.rows,
        "complete": table.complete,
        "reading": reading.model_dump(mode="json"),
        "why": found.why,
        "offers": [o.model_dump() for o in found.offers],
        "problems": [p.model_dump(exclude_none=True) for p in table.problems],
        "columns": [p.model_dump(exclude_none=True) for p in profile_table(table)],
    }


@click.command("inspect")
@click.argument("file", type=_FILE)
@click.option("--json", "as_json", is_flag=True, help="Print one JSON document.")
@_PASSWORD
def inspect_command(file: Path, as_json: bool, password: str) -> None:
    """Print how FILE would be read, and a profile of each column."""
    found, table = flow.inspect_file(file, password)
    if as_json:
        document = _reading_document(file, found, found.reading, table)
        click.echo(json.dumps(document, ensure_ascii=False, indent=1))
        return
    profiles = profile_table(table)
    click.echo(f"{file.name}: {table.rows:,} rows, {len(profiles)} columns")
    _say_reading(found)
    _say_columns(profiles)
    for problem in table.problems:
        click.echo(f"{'-' if problem.level == 'note' else '!'} {problem.message}")


def _say_reading(found: Detection) -> None:
    for name, value in found.reading.model_dump(exclude_defaults=True).items():
        if name not in ("reshape", "companions"):
            said = ", ".join(map(str, value)) if isinstance(value, tuple | list) else value
            click.echo(f"  {name:<14}{said!s:<24} {found.why.get(name, '')}")
    for change in found.reading.reshape:
        click.echo(f"  {'reshape':<14}{change.describe()}")
    for own in found.reading.companions:
        keys = " and ".join(f"{k.column} = {k.theirs}" for k in own.keys)
        click.echo(f"  {'companion':<14}{own.name} on {keys}")
    for offer in found.offers:
        more = "+" if offer.more else ""
        click.echo(
            f"  {'also: ' + offer.kind:<14}{offer.name} ({offer.count:,}{more}) {offer.detail}"
        )


def _say_columns(profiles: list[ColumnProfile]) -> None:
    click.echo(f"\n{'column':<28}{'filled':>8}{'distinct':>10}  {'looks like':<28}most frequent")
    for p in profiles:
        share = f"{100 * p.filled / p.rows:.0f} %" if p.rows else "-"
        frequent = ", ".join(_short(v.value) for v in p.frequent[:3])
        more = [p.currency, *p.units, p.language, repr(p.separator) if p.separator else ""]
        looks = " ".join([p.looks_like, *(m for m in more if m)])
        click.echo(f"{p.name[:27]:<28}{share:>8}{p.distinct:>10}  {looks[:27]:<28}{frequent}")
        for odd in p.odd:
            click.echo(f"{'':<28}! {odd}")


def _short(value: str) -> str:
    flat = " ".join(value.split())
    return flat if len(flat) <= 24 else flat[:23] + "…"


@click.command("read")
@click.argument("file", type=_FILE)
@click.option("--reading", "reading_file", type=_FILE, help="A reading document, as JSON.")
@_PASSWORD
@click.option(
    "--companion",
    "companions",
    multiple=True,
    metavar="NAME=FILE",
    help="The file of a companion that the reading names.",
)
@click.option("--out", type=_FILE, required=True, help="Ends in .csv, .xlsx, .jsonl or .parquet.")
@click.option("--report", "report_file", type=_FILE, help="Write what was found, as JSON.")
def read_command(
    file: Path,
    reading_file: Path | None,
    password: str,
    companions: tuple[str, ...],
    out: Path,
    report_file: Path | None,
) -> None:
    """Read FILE and write the arriving table. Ends 0 when everything was read, 1 when there are
    problems to look at, 2 when the file is refused, 3 when the program itself is at fault."""
    kind = format_of(out)
    reading = flow.load_reading(reading_file) if reading_file else None
    found, chosen, table = flow.read_file(file, reading, password, companion_files(companions))
    with output(out) as stream:
        write_table(with_held_rows(table.frame), stream, kind)
    if report_file:
        document = _reading_document(file, found, chosen, table)
        text = json.dumps(document, ensure_ascii=False, indent=1)
        with output(report_file) as stream:
            stream.write(f"{text}\n".encode())
    problems = [p for p in table.problems if p.level != "note"]
    click.echo(f"{table.rows:,} rows, {len(table.columns)} columns, {len(problems)} problems")
    for line in summed_up(problems):
        click.echo(f"! {line}")
    sys.exit(1 if problems else 0)


@contextmanager
def output(path: Path) -> Iterator[BinaryIO]:
    """A file to write. Raises ``NotFound`` for one in a folder that is not there, or a folder."""
    if path.is_dir():
        raise NotFound(f"{path} is a folder.", remedy="Name a file in it.")
    if not path.parent.is_dir():
        raise NotFound(f"There is no folder {path.parent}.", remedy="Make it first.")
    try:
        stream = path.open("wb")
    except OSError as error:
        raise NotFound(f"Cannot write {path}: {error.strerror}.") from error
    with stream:
        yield stream


def summed_up(problems: Sequence[ReadingProblem]) -> Iterator[str]:
    """The problems in their order; of many of one kind the first few, and where more are."""
    by_kind: dict[str, list[ReadingProblem]] = {}
    for problem in problems:
        by_kind.setdefault(problem.kind, []).append(problem)
    for alike in by_kind.values():
        yield from (p.message for p in alike[:_SAID])
        rest = alike[_SAID:]
        if rest:
            places = [str(p.line or p.row) for p in rest if p.line or p.row]
            where = f", in lines {', '.join(places[:10])}" if places else ""
            more = " ..." if len(places) > 10 else ""
            yield f"and {len(rest):,} more like these{where}{more} (see --report)"


def companion_files(given: tuple[str, ...]) -> dict[str, Path]:
    """NAME=FILE pairs; a file alone goes under its name without the ending."""
    files = {}
    for text in given:
        name, _, path = text.rpartition("=")
        files[name or Path(path).stem] = Path(path)
    return files
