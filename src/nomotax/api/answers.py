"""How views answer: models as JSON, errors as problem documents (RFC 9457)."""

from __future__ import annotations

import io
from collections.abc import Iterator
from http import HTTPStatus
from typing import Any, Literal

import structlog
from flask import Flask, Response, request, send_file
from pydantic import BaseModel, Field, ValidationError
from werkzeug.exceptions import HTTPException

from nomotax.core.errors import NomotaxError

log = structlog.get_logger()


class Problem(BaseModel):
    """An RFC 9457 problem document. ``where`` and ``remedy`` are our extensions."""

    type: str = "about:blank"
    title: str
    status: int
    detail: str = ""
    where: str = ""
    remedy: str = ""


class Done(BaseModel):
    """An edit was kept."""

    done: bool = True


class Made(BaseModel):
    """What was made."""

    id: int


class FeedPath(BaseModel):
    feed_id: int


class StorePath(BaseModel):
    store_id: int


class RunPath(BaseModel):
    run_id: int


class DeliveryPath(BaseModel):
    delivery_id: int


class FileQuery(BaseModel):
    format: Literal["csv", "xlsx", "jsonl", "parquet"] = "csv"


class OfDelivery(BaseModel):
    """Which delivery the bench stands on; the newest readable one by default."""

    delivery_id: int | None = Field(default=None)


def answer(model: BaseModel, status: int = 200) -> Response:
    """A model as JSON."""
    return Response(
        model.model_dump_json(by_alias=True), status=status, mimetype="application/json"
    )


MEDIA_TYPES = {
    "csv": "text/csv; charset=utf-8",
    "xlsx": "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
    "jsonl": "application/x-ndjson",
    "parquet": "application/vnd.apache.parquet",
}


def attachment(data: bytes, name: str, media_type: str) -> Response:
    """Bytes to save under a name."""
    return send_file(io.BytesIO(data), mimetype=media_type, as_attachment=True, download_name=name)


def streamed(pieces: Iterator[bytes], name: str, media_type: str) -> Response:
    """Bytes to save under a name, sent as they are made."""
    headers = {"Content-Disposition": f'attachment; filename="{name}"'}
    return Response(pieces, mimetype=media_type, headers=headers)


def problem(document: Problem) -> Response:
    return Response(
        document.model_dump_json(), status=document.status, mimetype="application/problem+json"
    )


def invalid(error: ValidationError) -> Response:
    """What flask-openapi3 calls when a request does not fit its model."""
    first = error.errors()[0]
    place = ".".join(str(p) for p in first["loc"])
    return problem(
        Problem(
            title="The request does not fit.",
            status=422,
            detail=str(first["msg"]).removeprefix("Value error, "),
            where=place,
        )
    )


def attach(app: Flask) -> None:
    """Turn every error into a problem document."""

    @app.errorhandler(NomotaxError)
    def _ours(error: NomotaxError) -> Response:
        return problem(
            Problem(
                title=error.title,
                status=error.status,
                detail=error.message,
                where=error.where,
                remedy=error.remedy,
            )
        )

    @app.errorhandler(ValidationError)
    def _model(error: ValidationError) -> Response:
        return invalid(error)

    @app.errorhandler(HTTPException)
    def _http(error: HTTPException) -> Any:
        if not request.path.startswith("/api/"):
            return error
        status = error.code or 500
        return problem(Problem(title=error.name, status=status, detail=error.description or ""))

    @app.errorhandler(Exception)
    def _unforeseen(error: Exception) -> Response:
        log.exception("unforeseen error", path=request.path)
        return problem(
            Problem(
                title="Something went wrong in Nomotax.",
                status=500,
                detail=type(error).__name__,
                remedy="The log says more; nothing was half-written.",
            )
        )


RESPONSES: dict[str | int | HTTPStatus, type[BaseModel] | dict[Any, Any] | None] = {
    404: Problem,
    409: Problem,
    422: Problem,
}
