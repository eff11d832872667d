"""Writes a table in every format and dialect that is read; each writer stands on a library that
has nothing to do with our readers."""

from __future__ import annotations

import csv
import gzip
import io
import json
import zipfile
from pathlib import Path
from xml.sax.saxutils import escape

import pyzipper
import xlsxwriter
import xlwt
from odf.opendocument import OpenDocumentSpreadsheet
from odf.table import Table, TableCell, TableRow
from odf.text import P


def delimited(names, rows, delimiter=";", encoding="utf-8", ending="\r\n", quoting=csv.QUOTE_ALL):
    out = io.StringIO(newline="")
    writer = csv.writer(out, delimiter=delimiter, lineterminator=ending, quoting=quoting)
    writer.writerows([names, *[[c or "" for c in r] for r in rows]])
    return out.getvalue().encode(encoding)


def xlsx(names, rows):
    out = io.BytesIO()
    book = xlsxwriter.Workbook(out)
    sheet = book.add_worksheet("Items")
    for r, row in enumerate([names, *rows]):
        for c, cell in enumerate(row):
            if cell:
                sheet.write_string(r, c, cell)
    book.close()
    return out.getvalue()


def xls(names, rows):
    book = xlwt.Workbook()
    sheet = book.add_sheet("Items")
    for r, row in enumerate([names, *rows]):
        for c, cell in enumerate(row):
            if cell:
                sheet.write(r, c, cell)
    out = io.BytesIO()
    book.save(out)
    return out.getvalue()


def ods(names, rows):
    book = OpenDocumentSpreadsheet()
    table = Table(name="Items")
    book.spreadsheet.addElement(table)
    for row in [names, *rows]:
        line = TableRow()
        table.addElement(line)
        for cell in row:
            made = TableCell(valuetype="string") if cell else TableCell()
            if cell:
                made.addElement(P(text=cell))
            line.addElement(made)
    out = io.BytesIO()
    book.save(out)
    return out.getvalue()


def xml(names, rows):
    lines = []
    for row in rows:
        cells = [f"<{n}>{escape(c)}</{n}>" for n, c in zip(names, row, strict=True) if c]
        lines.append(f"<item>{''.join(cells)}</item>")
    return f"<?xml version='1.0' encoding='UTF-8'?><list>{''.join(lines)}</list>".encode()


def json_list(names, rows):
    return json.dumps({"items": [dict(zip(names, r, strict=True)) for r in rows]}).encode()


def json_lines(names, rows):
    records = [json.dumps(dict(zip(names, r, strict=True)), ensure_ascii=False) for r in rows]
    return ("\n".join(records) + "\n").encode()


def zipped(files, password="", method=pyzipper.ZIP_DEFLATED):
    out = io.BytesIO()
    if password:
        with pyzipper.AESZipFile(
            out, "w", compression=method, encryption=pyzipper.WZ_AES
        ) as archive:
            archive.setpassword(password.encode())
            for name, data in files.items():
                archive.writestr(name, data)
    else:
        with zipfile.ZipFile(out, "w", method) as archive:
            for name, data in files.items():
                archive.writestr(name, data)
    return out.getvalue()


class _Pipe(io.RawIOBase):
    """What can only be written to: an archive made through it gives sizes behind the data."""

    def __init__(self):
        self.bytes = bytearray()

    def writable(self):
        return True

    def write(self, data):
        self.bytes += data
        return len(data)


def zipped_streaming(files, method=zipfile.ZIP_DEFLATED):
    out = _Pipe()
    with zipfile.ZipFile(out, "w", method) as archive:
        for name, data in files.items():
            archive.writestr(name, data)
    return bytes(out.bytes)


def ends_in(data):
    """Where each file of an archive ends, what follows its data included."""
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        starts = [i.header_offset for i in archive.infolist()]
        return [*starts[1:], archive.start_dir]


def packed(data):
    return gzip.compress(data, mtime=0)


def put(folder: Path, name: str, data: bytes) -> Path:
    path = folder / name
    path.write_bytes(data)
    return path
