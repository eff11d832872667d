"""JSON and JSON Lines to flat records, streamed. Numbers keep the digits they are written with."""

from __future__ import annotations

import codecs
import io
import math
import re
from collections.abc import Iterator
from contextlib import suppress
from dataclasses import dataclass, field
from itertools import chain, islice
from pathlib import Path
from typing import IO, Any

import ijson

from nomotax.core.errors import UnreadableFile
from nomotax.core.reading.flatten import Flat, Value, put, put_all
from nomotax.core.reading.json_walk import BrokenJson, JsonWalk, parse_value
from nomotax.core.reading.model import ArrivingTable, Detection, JsonReading, Offer
from nomotax.core.reading.problem import ReadingProblem
from nomotax.core.reading.spool import Spool, Tell, silent

HEAD_BYTES = 2 << 20
_DEEPEST = 100
#: The name under which the key of a record arrives when records are members of an object.
KEY = "@key"
_TOLD = 50
_NUMBER = re.compile(r"-?\d+([.,]\d+)?")
_LINES_AT_ONCE = 500


def read_json(
    path: Path, reading: JsonReading, limit: int | None = None, tell: Tell = silent
) -> ArrivingTable:
    """Every record of the file, or the first ``limit``.

    Raises ``UnreadableFile`` when there is no such record. A file that breaks off gives what
    stood before the break, marked incomplete.
    """
    spool = Spool(tell)
    problems: list[ReadingProblem] = []
    complete = True
    found = _lines(path, problems) if reading.lines else _streamed(path, reading.records)
    found = _by_place(found, reading.header)
    try:
        for records in found:
            some = records if limit is None else records[: limit - spool.rows]
            if _only_texts(some):
                spool.add_texts(some)
            else:
                spool.add(map(_record, some))
            if limit is not None and spool.rows >= limit:
                break
    except (BrokenJson, UnicodeDecodeError, RecursionError) as error:
        complete = False
        problems.append(_broken(error, spool.rows))
    if spool.rows == 0 and complete and not problems:
        raise UnreadableFile(
            f"There are no records at {reading.records or 'the top'!r} in this file.",
            where="records",
            remedy=_elsewhere(path),
        )
    complete = complete and not any(p.kind == "broken_off" for p in problems)
    return ArrivingTable(spool.finish(), problems, complete, keep=(spool,))


def _by_place(found: Iterator[list[Any]], header: bool) -> Iterator[list[Any]]:
    """Records that are lists, as objects: named by the first of them, or by their places."""
    names: list[str] | None = None
    for records in found:
        some = records
        if header and names is None and some and isinstance(some[0], list):
            names = [_text(n) for n in some[0]]
            some = some[1:]
        yield [_placed(r, names or []) if isinstance(r, list) else r for r in some]


def _placed(cells: list[Any], names: list[str]) -> dict[str, Any]:
    rest = [f"Column {n}" for n in range(len(names) + 1, len(cells) + 1)]
    return dict(zip([*names, *rest], cells, strict=False))


def _broken(error: Exception, rows: int) -> ReadingProblem:
    said = str(error).strip().splitlines()[0] if str(error).strip() else "it ends too early"
    return ReadingProblem(
        kind="broken_off",
        level="broken",
        count=rows,
        message=f"The JSON breaks after record {rows:,}: {said}. The {rows:,} records before it "
        "can be looked at; ask the supplier for the whole file.",
    )


def _elsewhere(path: Path) -> str:
    names = ", ".join(repr(o.name) for o in _offers(path)[0][:6])
    return f"Records are at: {names}." if names else "Nothing in it repeats."


def open_text_bytes(path: Path) -> IO[bytes]:
    """The file as UTF-8 bytes without a byte order mark, whatever Unicode it comes in."""
    stream = path.open("rb")
    start = stream.read(4)
    stream.seek(0)
    if start.startswith(codecs.BOM_UTF8):
        stream.seek(3)
        return stream
    wide = start.startswith((codecs.BOM_UTF16_LE, codecs.BOM_UTF16_BE))
    if wide or start[:2].count(0) == 1:
        name = "utf-16" if wide else ("utf-16-be" if start[0] == 0 else "utf-16-le")
        recoded = codecs.EncodedFile(stream, "utf-8", name)
        return io.BufferedReader(_Raw(recoded))
    return stream


class _Raw(io.RawIOBase):
    """A recoding stream as a raw one, which buffers and parsers can read from."""

    def __init__(self, stream: Any) -> None:
        self._stream, self._rest = stream, b""

    def readable(self) -> bool:
        return True

    def readinto(self, buffer: Any) -> int:
        if not self._rest:
            self._rest = self._stream.read(1 << 16)
        part, self._rest = self._rest[: len(buffer)], self._rest[len(buffer) :]
        buffer[: len(part)] = part
        return len(part)


def _streamed(path: Path, records: str) -> Iterator[list[Any]]:
    steps = [s for s in records.removesuffix("*").strip("/").split("/") if s]
    with open_text_bytes(path) as stream:
        walk = JsonWalk(io.TextIOWrapper(stream, "utf-8", newline=""))
        if records == "*" or records.endswith("/*"):
            for members in walk.members(steps):
                yield [{KEY: key, **_record(value)} for key, value in members]
        else:
            yield from walk.elements(steps)


def _lines(path: Path, problems: list[ReadingProblem]) -> Iterator[list[Any]]:
    wrong = number = 0
    values: list[Any] = []
    with open_text_bytes(path) as stream:
        for number, line in enumerate(stream, 1):
            if not line.strip():
                continue
            try:
                value = _parse(line)
            except (BrokenJson, UnicodeDecodeError) as error:
                wrong += 1
                last = not line.endswith(b"\n")
                if wrong <= _TOLD:
                    problems.append(_bad_line(number, error, last))
                continue
            values.append(value)
            if len(values) == _LINES_AT_ONCE:
                yield values
                values = []
    yield values
    if wrong > _TOLD:
        problems.append(
            ReadingProblem(
                kind="bad_line",
                level="broken",
                count=wrong - _TOLD,
                message=f"{wrong - _TOLD:,} more lines are no JSON.",
            )
        )


def _bad_line(number: int, error: Exception, last: bool) -> ReadingProblem:
    return ReadingProblem(
        kind="broken_off" if last else "bad_line",
        level="broken",
        line=number,
        message=f"Line {number:,} is no JSON{' and ends too early' if last else ''}: {error}. "
        "It is not in the table.",
    )


def _parse(line: bytes) -> Any:
    return parse_value(line.decode())


def _only_texts(records: list[Any]) -> bool:
    """True where all are objects of texts, which are flat already: the bulk of most files, so
    this is looked at for many at a time."""
    if set(map(type, records)) != {dict}:
        return False
    return set(map(type, chain.from_iterable(map(dict.values, records)))) == {str}


def _record(value: Any) -> Flat:
    if type(value) is dict:
        return _object(value, 0)
    flat = _flat(value, 0)
    return flat if isinstance(flat, dict) else {"value": flat} if flat else {}


def _flat(value: Any, depth: int) -> Flat | Value:
    """An object as flat columns; a list as a list, of objects as aligned columns."""
    if depth > _DEEPEST:
        raise UnreadableFile(f"Values are nested more than {_DEEPEST} deep.")
    if isinstance(value, dict):
        return _object(value, depth)
    if isinstance(value, list):
        inner: Flat = {}
        _put(inner, "", value, depth)
        return inner if set(inner) - {""} else inner.get("", "")
    return _text(value)


def _object(value: dict[str, Any], depth: int) -> Flat:
    """An object as flat columns; texts and numbers, the bulk of every file, are done in place."""
    out: Flat = {}
    for name, child in value.items():
        kind = type(child)
        if kind is str:
            if child:
                out[name] = child
        elif kind is dict or kind is list or kind is bool:
            _put(out, name, child, depth)
        elif child is not None:
            out[name] = str(child)
    return out


def _put(out: Flat, name: str, child: Any, depth: int) -> None:
    if isinstance(child, dict):
        put(out, name, _flat(child, depth + 1))  # type: ignore[arg-type]
    elif isinstance(child, list):
        rows = [_flat(c, depth + 1) for c in child]
        if any(isinstance(r, dict) for r in rows):
            put_all(out, name, [r if isinstance(r, dict) else {"": r} if r else {} for r in rows])
        elif rows:
            out[name] = [r or None for r in rows]  # type: ignore[misc]
    else:
        text = _text(child)
        if text:
            out[name] = text


def _text(value: Any) -> str:
    if value is None:
        return ""
    if isinstance(value, bool):
        return "true" if value else "false"
    return str(value)


def detect_json(path: Path) -> Detection:
    """The lists of objects in the head of the file, the likeliest chosen."""
    documents = _documents(path)
    offers, whole = _offers(path) if documents < 2 else ([], False)
    if documents > 1 or (documents and not offers):
        why = {"format": "every line is a JSON document of its own", "records": "one a line"}
        return Detection(JsonReading(lines=True), why)
    if not offers:
        raise UnreadableFile(
            "This JSON holds no records: there is no list of objects in it.",
            where="first bytes",
            remedy="Ask the supplier for the file with products.",
        )
    best = _outermost(offers)
    offers = [best, *(o for o in offers if o is not best)]
    why = {
        "format": "it starts like JSON",
        "records": f"{best.count:,}{'' if whole else ' and more'} of them",
    }
    header = best.kind == "lists" and _names_first(path, best.name)
    if header:
        why["header"] = "the first list holds nothing but texts, each once"
    return Detection(JsonReading(records=best.name, header=header), why, tuple(offers[:20]))


def _outermost(offers: list[Offer]) -> Offer:
    """The records around the likeliest ones: where a product holds its sizes, the product, so
    that its own values come along and one without any size is not lost."""
    best = offers[0]
    for one in offers:
        stem = f"{one.name}/" if one.name else ""
        inside = best.name.removeprefix(stem).removeprefix("[]/").split("/")[0]
        held = one is not best and best.name.startswith(stem or "[]/") and one.count > 1
        own = [n for n in one.detail.split(", ") if n and n != inside]
        if held and own and not best.name.endswith("*"):
            best = one
    return best


def _names_first(path: Path, records: str) -> bool:
    """Whether the first record of lists holds the names of the others' places."""
    with suppress(BrokenJson, UnicodeDecodeError, RecursionError):
        head = islice(chain.from_iterable(_streamed(path, records)), 2)
        lists = [[_text(c) for c in r] for r in head if isinstance(r, list)]
        if len(lists) < 2 or len(set(lists[0])) < max(len(lists[0]), 2):
            return False
        first, second = ([bool(_NUMBER.fullmatch(c)) for c in cells] for cells in lists)
        return not any(first) and all(lists[0]) and any(second)
    return False


def _documents(path: Path) -> int:
    """How many of the first lines are objects of their own."""
    with open_text_bytes(path) as stream:
        lines = [s for s in (stream.readline(1 << 20).strip() for _ in range(5)) if s]
    found = 0
    for line in lines:
        try:
            found += isinstance(_parse(line), dict)
        except (BrokenJson, UnicodeDecodeError):
            return found if found > 1 else 0
    return found


@dataclass
class _Seen:
    counts: dict[str, int] = field(default_factory=dict)
    names: dict[str, dict[str, None]] = field(default_factory=dict)
    #: How many lists stand in each list.
    lists: dict[str, int] = field(default_factory=dict)


def _offers(path: Path) -> tuple[list[Offer], bool]:
    with open_text_bytes(path) as stream:
        head = stream.read(HEAD_BYTES)
        whole = not stream.read(1)
    seen = _walk(head)
    found = [p for p, n in seen.counts.items() if n and (not p.endswith("*") or n > 1)]
    found.sort(key=lambda p: -len(seen.names.get(p, {})) * math.sqrt(seen.counts[p]))
    # Objects within lists within a list are values of the lists, which are the records.
    inner = {p.removesuffix("[]").strip("/") for p in found[:1] if p.endswith("[]")}
    lists = [p for p, n in seen.lists.items() if n > 1 and (not found or p in inner)]
    listed = [Offer(kind="lists", name=p, count=seen.lists[p], more=not whole) for p in lists]
    objects = [
        Offer(
            kind="records",
            name=p,
            count=seen.counts[p],
            detail=", ".join(list(seen.names.get(p, {}))[:8]),
            more=not whole,
        )
        for p in found
    ]
    return [*listed, *objects], whole


def _walk(head: bytes) -> _Seen:
    """Objects in lists, and objects that are members of an object, by path."""
    seen, stack = _Seen(), list[tuple[str, str]]()
    try:
        for prefix, event, value in ijson.parse(io.BytesIO(head)):
            path = "/".join("[]" if s == "item" else s for s in prefix.split(".") if s)
            if event in ("start_map", "start_array"):
                if event == "start_map":
                    _note(seen, stack, path)
                elif stack and stack[-1][1] == "start_array":
                    seen.lists[stack[-1][0]] = seen.lists.get(stack[-1][0], 0) + 1
                stack.append((path, event))
            elif event in ("end_map", "end_array"):
                stack.pop()
            elif event == "map_key" and stack:
                seen.names.setdefault(_as_record(stack), {})[value] = None
    except (ijson.JSONError, UnicodeDecodeError):
        pass  # the head is cut, or the read itself tells where it breaks
    return seen


def _note(seen: _Seen, stack: list[tuple[str, str]], path: str) -> None:
    if not stack:
        return
    above, kind = stack[-1]
    name = above if kind == "start_array" else f"{above}/*".lstrip("/")
    seen.counts[name] = seen.counts.get(name, 0) + 1


def _as_record(stack: list[tuple[str, str]]) -> str:
    """How the innermost object would be named as a record."""
    if len(stack) < 2:
        return "\0"
    above, kind = stack[-2]
    return above if kind == "start_array" else f"{above}/*".lstrip("/")
