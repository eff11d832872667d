"""Maps one file with a saved crosswalk: no server, no database."""

from __future__ import annotations

import json
from datetime import date
from pathlib import Path

import polars as pl
from pydantic import ValidationError

from nomotax.core.crosswalk.compiler import as_text, compile_plan
from nomotax.core.crosswalk.model import Bundle
from nomotax.core.errors import CrosswalkError, SchemaError, UnreadableFile
from nomotax.core.flow.context import Context
from nomotax.core.numbers import DecimalMark
from nomotax.core.reading.companions import marks_of
from nomotax.core.reading.model import ArrivingTable, Detection, Reading, parse_reading
from nomotax.core.reading.pictures import PictureIndex, index_of, pictures_in
from nomotax.core.reading.read import Source, detect, read
from nomotax.core.schema.model import StoreSchema
from nomotax.core.schema.table_schema import from_descriptor
from nomotax.flows.mapped import Mapped, filled


def read_bytes(path: Path) -> bytes:
    """The file's bytes. Raises ``UnreadableFile`` when there is no such file."""
    try:
        return path.read_bytes()
    except OSError as error:
        raise UnreadableFile(f"Cannot open {path}: {error.strerror}.") from error


def _source(path: Path, password: str = "") -> Source:
    if path.is_dir():
        raise UnreadableFile(f"Cannot open {path}: it is a folder.", remedy="Name a file in it.")
    if not path.is_file():
        raise UnreadableFile(f"Cannot open {path}: there is no such file.")
    return Source(path, path.name, password)


def inspect_file(path: Path, password: str = "") -> tuple[Detection, ArrivingTable]:
    """How a file would be read, and the table it becomes."""
    source = _source(path, password)
    found = detect(source)
    return found, read(source, found.reading)


def load_reading(path: Path) -> Reading:
    """A reading document. Raises ``UnreadableFile`` saying where it is wrong."""
    try:
        return parse_reading(json.loads(read_bytes(path)))
    except (ValidationError, json.JSONDecodeError, UnicodeDecodeError) as error:
        first = error.errors()[0] if isinstance(error, ValidationError) else None
        place = ".".join(str(p) for p in first["loc"]) if first else "its JSON"
        said = first["msg"] if first else str(error)
        if first and first["type"].startswith("union_tag"):
            said = "it must say its format: delimited, workbook, xml or json"
        raise UnreadableFile(
            f"This is no reading document: {said}.", where=f"{path.name}, {place or 'top level'}"
        ) from error


def read_file(
    path: Path, reading: Reading | None, password: str, companions: dict[str, Path]
) -> tuple[Detection, Reading, ArrivingTable]:
    """Read a file by a reading, or as detected. ``companions`` are files of other feeds by the
    name the reading gives them; each is read as detected."""
    source = _source(path, password)
    found = detect(source) if reading is None else Detection(reading)
    chosen = reading or found.reading
    return found, chosen, read(source, chosen, _companions(chosen, companions, password))


def _companions(
    reading: Reading, files: dict[str, Path], password: str
) -> dict[str, ArrivingTable]:
    known = {c.name for c in reading.companions}
    unknown = [n for n in files if n not in known]
    if unknown:
        raise UnreadableFile(
            f"The reading has no companion {unknown[0]!r}.",
            where="companions: " + (", ".join(sorted(known)) or "none"),
            remedy="Name one of these, as NAME=FILE.",
        )
    return {name: inspect_file(path, password)[1] for name, path in files.items()}


def load_bundle(path: Path) -> Bundle:
    """A crosswalk document. Raises ``CrosswalkError`` saying where it is wrong."""
    try:
        return Bundle.model_validate_json(read_bytes(path))
    except ValidationError as error:
        first = error.errors()[0]
        place = ".".join(str(p) for p in first["loc"])
        raise CrosswalkError(
            f"This is no crosswalk document: {first['msg']}.",
            where=f"{path.name}, {place or 'top level'}",
            remedy="See docs/crosswalk.schema.json.",
        ) from error


def load_schema(path: Path) -> StoreSchema:
    """A store schema document. Raises ``SchemaError`` saying where it is wrong."""
    try:
        return from_descriptor(json.loads(read_bytes(path)))
    except (json.JSONDecodeError, UnicodeDecodeError) as error:
        raise SchemaError(f"{path.name} is no JSON: {error}.") from error


def map_file(
    path: Path,
    bundle: Bundle,
    schema: StoreSchema,
    limit: int | None = None,
    companions: dict[str, Path] | None = None,
) -> Mapped:
    """Read ``path`` (as the bundle says, else as detected) and run the crosswalk over it."""
    _, reading, table = read_file(path, bundle.reading, "", companions or {})
    if limit is not None:
        table = ArrivingTable(table.lazy.head(limit), table.problems, keep=(table,))
    facts = {"received": date.today().isoformat()} | bundle.facts
    ctx = Context(
        reading.decimal,
        bundle.lookups(),
        facts=facts,
        pictures=_pictures(path),
        marks=marks_of(reading, table.columns, _marks(companions or {})),
    )
    plan = compile_plan(bundle.crosswalk, schema, ctx, table.columns)
    return filled(table, plan, bundle.lookups())


def _marks(companions: dict[str, Path]) -> dict[str, DecimalMark]:
    """How the files of companions write numbers, as detected."""
    return {n: inspect_file(p)[0].reading.decimal for n, p in companions.items()}


def _pictures(path: Path) -> PictureIndex:
    found = (p for p in pictures_in(path) if not isinstance(p, UnreadableFile))
    return index_of((p.name, p.address) for p in found)


def in_store_writing(products: pl.LazyFrame, schema: StoreSchema) -> pl.LazyFrame:
    """The products as text, in the store schema's column order."""
    filled_ones = products.collect_schema().names()
    names = [n for n in schema.names if n in filled_ones]
    return products.select(as_text(schema[n], pl.col(n)).alias(n) for n in names)
