"""Deliveries: receiving files, and how each is read."""

from __future__ import annotations

import mimetypes

import polars as pl
from flask import Response
from flask_openapi3 import APIBlueprint, FileStorage, Tag
from pydantic import BaseModel, Field

from nomotax.api.answers import (
    MEDIA_TYPES,
    RESPONSES,
    DeliveryPath,
    Done,
    FeedPath,
    FileQuery,
    answer,
    attachment,
)
from nomotax.core.reading.model import Offer, Reading
from nomotax.core.reading.problem import ReadingProblem
from nomotax.core.reading.profile import ColumnProfile
from nomotax.core.table import FAULT, ROW
from nomotax.flows import beside, pictures, reading, receive, removals
from nomotax.flows.beside import DeliveryBeside
from nomotax.records.tables import Delivery

api = APIBlueprint(
    "deliveries",
    __name__,
    url_prefix="/api/v1",
    abp_tags=[Tag(name="deliveries")],
    abp_responses=RESPONSES,
)


class Upload(BaseModel):
    file: FileStorage


class MoveTo(BaseModel):
    feed_id: int


class DeliveryView(BaseModel):
    """A delivery, how it was read and why, and the head of its table."""

    id: int
    feed_id: int
    file_name: str
    size: int
    status: str
    error: str
    reading: Reading | None
    why: dict[str, str]
    rows: int
    columns: list[str]
    problems: list[ReadingProblem]
    profile: list[ColumnProfile]
    offers: list[Offer]
    uses: dict[str, int]
    because: str
    stage: str
    complete: bool
    accepted: bool
    has_password: bool


class PartQuery(BaseModel):
    """A file of an archive or a sheet of a workbook; the whole delivery by default."""

    part: str = ""


class PicturePath(BaseModel):
    """A kept picture: its address without ``picture:``."""

    name: str


class ArchiveFile(BaseModel):
    """A file inside an archive, by its kind: table, picture, archive, other."""

    name: str
    size: int
    kind: str
    encrypted: bool


class RawView(BaseModel):
    """The head of the file as it is. Text: one string a line, each character standing for one
    byte. A workbook: cells of a sheet. An archive: its files, and the head of one of them."""

    file: str
    lines: list[str]
    cells: list[list[str | None]]
    files: list[ArchiveFile]


class DetectionView(BaseModel):
    """How the file would be read without any saved choice, and what else is in it."""

    reading: Reading
    why: dict[str, str]
    offers: list[Offer]


class ReadingEdit(BaseModel):
    reading: Reading


class NewName(BaseModel):
    """A column as it is known, and the name that it arrives under (``to``)."""

    column: str = Field(min_length=1, max_length=500)
    to: str = Field(min_length=1, max_length=500)


class PreviewView(BaseModel):
    """The head of the table that a reading gives."""

    columns: list[str]
    rows: list[list[str | None]]
    faults: list[str | None]
    problems: list[ReadingProblem]


class PasswordEdit(BaseModel):
    password: str


class TableQuery(BaseModel):
    offset: int = Field(default=0, ge=0)
    limit: int = Field(default=100, ge=1, le=400)


class TableView(BaseModel):
    """Rows of an arriving table, their numbers and what is wrong with them as read."""

    offset: int
    numbers: list[int]
    faults: list[str | None]
    rows: list[list[str | None]]


def _view(d: Delivery) -> DeliveryView:
    more = {"reading": d.reading, "has_password": receive.has_password(d.feed_id)}
    return DeliveryView.model_validate(d.model_dump() | more)


@api.post("/feeds/<int:feed_id>/deliveries", responses={201: DeliveryView})
def upload(path: FeedPath, form: Upload) -> Response:
    """Receive a file for a feed and read it."""
    name = form.file.filename or "delivery"
    return answer(_view(receive.receive(path.feed_id, name, form.file.stream)), 201)


@api.put("/feeds/<int:feed_id>/password", responses={200: Done})
def set_password(path: FeedPath, body: PasswordEdit) -> Response:
    """The password of this feed's archives; "" for none."""
    receive.set_password(path.feed_id, body.password)
    return answer(Done())


@api.get("/deliveries/<int:delivery_id>", responses={200: DeliveryView})
def get_delivery(path: DeliveryPath) -> Response:
    """A delivery and how it was read."""
    return answer(_view(receive.delivery(path.delivery_id)))


@api.get("/deliveries/<int:delivery_id>/unusual", responses={200: DeliveryBeside})
def get_unusual(path: DeliveryPath) -> Response:
    """What is unusual in a delivery beside the ones before it."""
    return answer(beside.unusual(path.delivery_id))


@api.post("/deliveries/<int:delivery_id>/names", responses={200: DeliveryView})
def take_new_name(path: DeliveryPath, body: NewName) -> Response:
    """Call a column as everything saved does, in this delivery and those to come."""
    return answer(_view(receive.take_new_name(path.delivery_id, body.column, body.to)))


@api.put("/deliveries/<int:delivery_id>/reading", responses={200: DeliveryView})
def read_again(path: DeliveryPath, body: ReadingEdit) -> Response:
    """Read a delivery another way; the choice is saved on its feed."""
    return answer(_view(receive.change_reading(path.delivery_id, body.reading)))


@api.get("/deliveries/<int:delivery_id>/detection", responses={200: DetectionView})
def get_detection(path: DeliveryPath, query: PartQuery) -> Response:
    """How the delivery, or a part of it, would be read as detected."""
    found = reading.detection(path.delivery_id, query.part)
    return answer(DetectionView(reading=found.reading, why=found.why, offers=list(found.offers)))


@api.post("/deliveries/<int:delivery_id>/preview", responses={200: PreviewView})
def preview(path: DeliveryPath, body: ReadingEdit) -> Response:
    """The head of the table that a reading would give; nothing is saved."""
    table = reading.preview(path.delivery_id, body.reading)
    return answer(
        PreviewView(
            columns=table.columns,
            rows=[list(r) for r in table.frame.select(table.columns).iter_rows()],
            faults=table.frame[FAULT].to_list(),
            problems=table.problems,
        )
    )


@api.post("/deliveries/<int:delivery_id>/read", responses={200: DeliveryView})
def read_as_saved(path: DeliveryPath) -> Response:
    """Read a delivery once more by its feed's saved reading, or as detected."""
    return answer(_view(receive.read_anew(path.delivery_id)))


@api.post("/deliveries/<int:delivery_id>/accept", responses={200: DeliveryView})
def accept_incomplete(path: DeliveryPath) -> Response:
    """Take a file that broke off as it is."""
    return answer(_view(receive.accept_incomplete(path.delivery_id)))


@api.post("/deliveries/<int:delivery_id>/stop", responses={200: DeliveryView})
def stop_reading(path: DeliveryPath) -> Response:
    """Stop a reading under way."""
    return answer(_view(receive.stop_reading(path.delivery_id)))


@api.get("/deliveries/<int:delivery_id>/raw", responses={200: RawView})
def get_raw(path: DeliveryPath, query: PartQuery) -> Response:
    """The head of the file as it is, or of a part of it."""
    found = reading.raw(path.delivery_id, query.part)
    files = [ArchiveFile.model_validate(f, from_attributes=True) for f in found.files]
    return answer(RawView(file=found.file, lines=found.lines, cells=found.cells, files=files))


@api.get("/deliveries/<int:delivery_id>/rows", responses={200: TableView})
def get_rows(path: DeliveryPath, query: TableQuery) -> Response:
    """Rows of the table a delivery became."""
    part = receive.table_rows(path.delivery_id, query.offset, query.limit)
    cells = part.select(pl.exclude(ROW, FAULT))
    return answer(
        TableView(
            offset=query.offset,
            numbers=part[ROW].to_list(),
            faults=part[FAULT].to_list(),
            rows=[list(r) for r in cells.iter_rows()],
        )
    )


@api.get("/deliveries/<int:delivery_id>/table")
def download_table(path: DeliveryPath, query: FileQuery) -> Response:
    """The table a delivery became, companions joined, as a file."""
    name, data = receive.table_file(path.delivery_id, query.format)
    return attachment(data, name, MEDIA_TYPES[query.format])


@api.post("/deliveries/<int:delivery_id>/move", responses={200: DeliveryView})
def move_delivery(path: DeliveryPath, body: MoveTo) -> Response:
    """Give a delivery to another feed, and read it as that feed reads."""
    return answer(_view(removals.move_delivery(path.delivery_id, body.feed_id)))


@api.get("/pictures/<name>")
def picture(path: PicturePath) -> Response:
    """A picture that came in an archive. It never changes under its name."""
    return Response(
        pictures.picture_bytes(path.name),
        mimetype=mimetypes.guess_type(path.name)[0] or "application/octet-stream",
        headers={
            "Cache-Control": "public, max-age=31536000, immutable",
            "X-Content-Type-Options": "nosniff",
            # A drawing (SVG) from a supplier may hold a script, which has no business here.
            "Content-Security-Policy": "default-src 'none'; style-src 'unsafe-inline'; sandbox",
        },
    )
