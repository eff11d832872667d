"""Who may ask: the names we answer to, the pages that may send, and what a browser may do with an
answer. Accounts come later; until then every page of another origin is kept out."""

from __future__ import annotations

import json
import re
from typing import Any, cast
from urllib.parse import unquote, urlsplit

from flask import Flask, Response, request

from nomotax.api.answers import Problem, problem
from nomotax.flows.people import Of, why_not
from nomotax.flows.stores import known_store
from nomotax.records.actors import set_person
from nomotax.settings import settings

_LOOPBACK = frozenset({"127.0.0.1", "localhost", "[::1]"})
_OWN_PAGES = "Do it in Nomotax's own pages."
_READING = ("GET", "HEAD", "OPTIONS")
#: Styles are made while the page runs; pictures come from suppliers' hosts.
_POLICY = (
    "default-src 'self'; script-src 'self'; style-src 'self' 'unsafe-inline'; "
    "img-src 'self' data: blob: http: https:; font-src 'self' data:; connect-src 'self'; "
    "object-src 'none'; base-uri 'none'; form-action 'self'; frame-ancestors 'none'"
)
_HEADERS = {
    "Content-Security-Policy": _POLICY,
    "X-Content-Type-Options": "nosniff",
    "X-Frame-Options": "DENY",
    "Referrer-Policy": "no-referrer",
    "Cross-Origin-Opener-Policy": "same-origin",
    "Cross-Origin-Resource-Policy": "same-origin",
}


def guard(app: Flask) -> None:
    """Check every request, and send every answer with its headers."""
    app.before_request(_foreign_host)
    app.before_request(_foreign_page)
    app.before_request(_strange_text)
    app.before_request(_unknown_store)
    app.before_request(_who)
    app.before_request(_not_theirs)

    @app.after_request
    def _headers(response: Response) -> Response:
        for name, value in _HEADERS.items():
            response.headers.setdefault(name, value)
        return response


#: What is asked of a feed, or of something of it.
_OF_FEED = re.compile(
    r"/api/v1/(?:demo/)?(feeds|runs|deliveries|fetches|schedules)/(\d+)(/.*)?"
    r"|/api/v1/removals/(feed|delivery)/(\d+)"
)
_REMOVED: dict[str, Of] = {"feed": "feeds", "delivery": "deliveries"}
#: What runs a feed and does not change it; and what changes nothing, or signs in by itself.
_RUNS = re.compile(
    r"(feeds/(runs|fetches|deliveries|next)|(runs|fetches)(/.*)?|deliveries/(read|accept|stop|move))"
)
_FREE = ("feeds/incoming", "feeds/source/try", "deliveries/preview")


def _who() -> None:
    set_person(unquote(request.headers.get("X-Person", "")))


def _not_theirs() -> Response | None:
    """A feed may be run, or changed, by those alone that its profile names."""
    found = _OF_FEED.fullmatch(request.path)
    if request.method in _READING or found is None:
        return None
    of = cast("Of", found[1]) if found[1] else _REMOVED[found[4]]
    what = f"{of}{found[3] or ''}" if found[1] else "removal"
    if what in _FREE:
        return None
    why = why_not(of, int(found[2] or found[5]), _RUNS.fullmatch(what) is None)
    if not why:
        return None
    remedy = "Ask one of them, or say at the top of the page who you are."
    refused = Problem(title="This is not yours to do.", status=403, detail=why, remedy=remedy)
    return problem(refused)


def _foreign_host() -> Response | None:
    """A page may point a name of its own at us: only our own names are answered."""
    known = settings()
    name = urlsplit(f"//{request.host}").hostname or ""
    shown = f"[{name}]" if ":" in name else name
    if shown in _LOOPBACK or name.lower() in known.names(known.hosts):
        return None
    remedy = "Whoever runs Nomotax can name the host in NOMOTAX_HOSTS."
    return _refused(f"This server is not called {request.host!r}.", "Host", remedy)


def _foreign_page() -> Response | None:
    """Changes are taken from our own pages, and from programs, which name no page at all."""
    if request.method in _READING:
        return None
    origin = request.headers.get("Origin")
    if origin is None:
        site = request.headers.get("Sec-Fetch-Site", "none")
        if site in ("none", "same-origin"):
            return None
        return _refused("Another page asked for this.", "Sec-Fetch-Site", _OWN_PAGES)
    if urlsplit(origin).netloc == request.host:
        return None
    said = f"The page {origin!r} may not change anything here."
    return _refused(said, "Origin", _OWN_PAGES)


def _refused(detail: str, where: str, remedy: str) -> Response:
    return problem(
        Problem(
            title="This request is not answered.",
            status=403,
            detail=detail,
            where=where,
            remedy=remedy,
        )
    )


def _strange_text() -> Response | None:
    """Text that no database can keep: with zero bytes, or halves of characters."""
    values: list[Any] = [request.path, *request.args.keys(), *request.args.values()]
    if request.is_json:
        try:
            values.append(json.loads(request.get_data(cache=True) or b"null"))
        except (ValueError, RecursionError):
            return None  # whoever reads it says that it is no JSON
    if any(_is_strange(v) for v in values):
        return problem(
            Problem(
                title="The request does not fit.",
                status=422,
                detail="A text holds a zero byte or half a character.",
                remedy="Send text without them.",
            )
        )
    return None


def _is_strange(value: Any) -> bool:
    if isinstance(value, str):
        return "\0" in value or any("\ud800" <= c <= "\udfff" for c in value)
    if isinstance(value, dict):
        return any(_is_strange(k) or _is_strange(v) for k, v in value.items())
    return isinstance(value, list) and any(map(_is_strange, value))


def _unknown_store() -> None:
    """Raises ``NotFound`` for a path below a store that is not there."""
    store_id = (request.view_args or {}).get("store_id")
    if store_id is not None:
        known_store(store_id)
