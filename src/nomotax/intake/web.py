"""Files at web addresses (RFC 9110): asked once for each content, and gone on with."""

from __future__ import annotations

import re
import ssl
import zlib
from base64 import b64encode
from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager
from datetime import UTC, datetime
from email.message import Message
from email.utils import parsedate_to_datetime
from pathlib import PurePosixPath
from urllib.parse import unquote

import httpx

from nomotax.intake.failures import MASK, FetchFailed, PassingFailure
from nomotax.intake.model import WebSource
from nomotax.intake.naming import Found, has_date, on_days
from nomotax.intake.outside import PATIENCE, addresses_of, reason, trust, wrong_certificate
from nomotax.intake.place import Asked
from nomotax.intake.spool import Spool

_MOST_REDIRECTS = 5
_PIECE = 1 << 18
#: Answers that may well be others a little later (RFC 9110, 6585).
_PASSING = frozenset({408, 425, 429, 500, 502, 503, 504})
_LONGEST_WAIT = 60.0
_SUFFIXES = {
    "text/csv": ".csv", "application/json": ".json", "application/xml": ".xml", "text/xml": ".xml",
    "application/zip": ".zip", "text/plain": ".txt", "text/tab-separated-values": ".tsv",
    "application/gzip": ".csv.gz",
    "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet": ".xlsx",
}  # fmt: skip


class _Outside(httpx.BaseTransport):
    """Asks addresses outside our own network only. A name is resolved once, and what it resolved
    to is both checked and asked, so that a second look-up cannot lead elsewhere; redirects come
    through here as well."""

    def __init__(self) -> None:
        self._inner = httpx.HTTPTransport(verify=trust())

    def handle_request(self, request: httpx.Request) -> httpx.Response:
        url = request.url
        port = url.port or (443 if url.scheme == "https" else 80)
        failure: Exception | None = None
        for address in addresses_of(url.host, port):
            shown = f"[{address}]" if ":" in address else address
            request.headers["Host"] = url.netloc.decode()
            asked = httpx.Request(
                request.method, url.copy_with(host=shown), headers=request.headers,
                stream=request.stream,
                extensions={**request.extensions, "sni_hostname": url.host},
            )  # fmt: skip
            try:
                return self._inner.handle_request(asked)
            except httpx.ConnectError as error:
                failure = error
        assert failure is not None
        raise failure

    def close(self) -> None:
        self._inner.close()


class WebPlace:
    """Web addresses, each with one file."""

    resumes = True

    def __init__(self, source: WebSource, asked: Asked) -> None:
        self.source, self.today, self.limits = source, asked.today, asked.limits
        if any(MASK in text for text in (*source.addresses, *(h.value for h in source.headers))):
            raise FetchFailed(
                f"Where '{MASK}' stands in its address or headers, a secret has been left out.",
                remedy="Type it in anew.",
            )
        self._own = dict(_headers(source, asked.secrets.get("password", "")))
        self._client = httpx.Client(transport=_Outside(), timeout=PATIENCE)

    def close(self) -> None:
        self._client.close()

    def again(self) -> None:
        """Each answer is a connection of its own, where the one before broke."""

    def look(self) -> Sequence[Found]:
        """One for each address; of one with a date in it the newest day that is there."""
        return [self._there(pattern) for pattern in self.source.addresses]

    def _there(self, pattern: str) -> Found:
        names = list(on_days(pattern, self.today, self.source.days_back))
        for address in names if has_date(pattern) and len(names) > 1 else ():
            with self._answer(address, {}) as answer:
                if answer.status_code not in (404, 410):
                    return Found(_name_in(address), address)
        return Found(_name_in(names[0]), names[0])

    def take(self, found: Found, spool: Spool, known: str = "") -> Found | None:
        wanted = {"Accept-Encoding": "gzip", **_conditions(known)}
        if spool.size and spool.told:
            # What goes on is only asked for if it is still of the same content.
            wanted = {
                "Accept-Encoding": "identity", "Range": f"bytes={spool.size}-",
                "If-Range": spool.told,
            }  # fmt: skip
        else:
            spool.restart()
        with self._answer(found.where, wanted) as answer:
            if answer.status_code == 304:
                return None
            _refuse(answer, found.where)
            if answer.status_code != 206:
                spool.restart()
            elif not _goes_on(answer, spool):
                spool.restart()
                raise PassingFailure("The rest that came does not fit to what was there.")
            self._body(answer, spool)
            return _told(answer, found, spool.size)

    def _body(self, answer: httpx.Response, spool: Spool) -> None:
        packed = answer.headers.get("Content-Encoding", "").strip().lower()
        length = answer.headers.get("Content-Length")
        if not packed:
            spool.told = _strong(answer)
            if length is not None and length.isdecimal():
                spool.expect(spool.size + int(length))
        elif packed not in ("gzip", "x-gzip", "identity"):
            raise FetchFailed(f"It is packed in a way nobody asked for: {packed}.")
        # As they come: what a chunk waits for would be lost with a connection that breaks.
        pieces = answer.iter_raw()
        try:
            for piece in pieces if packed in ("", "identity") else _unpacked(pieces):
                spool.write(piece)
        except httpx.HTTPError as error:
            raise _broken(error, str(answer.url)) from error

    @contextmanager
    def _answer(self, address: str, wanted: Mapping[str, str]) -> Iterator[httpx.Response]:
        """What an address answers in the end; own headers go to its own host alone."""
        try:
            request = self._client.build_request("GET", address, headers={**self._own, **wanted})
            home = _origin(request.url)
            for _ in range(_MOST_REDIRECTS + 1):
                self.limits.check()
                answer = self._client.send(request, stream=True)
                try:
                    if answer.next_request is None:
                        yield answer
                        return
                    request = answer.next_request
                finally:
                    answer.close()
                if request.url.scheme not in ("http", "https"):
                    raise FetchFailed("It leads to something else than the web.", where=address)
                if _origin(request.url) != home:
                    for name in self._own:
                        request.headers.pop(name, None)
        except (httpx.InvalidURL, UnicodeError) as error:
            raise FetchFailed(f"This is no web address: {error}.", where=address) from error
        except httpx.HTTPError as error:
            raise _broken(error, address) from error
        raise FetchFailed(
            "It leads from one address to the next without an end.",
            where=address,
            remedy="Open it in a browser and take the address that is shown in the end.",
        )


def post(address: str, body: bytes, headers: Mapping[str, str]) -> int:
    """Send something to an address outside; gives its answer's status. Raises ``FetchFailed``."""
    try:
        with httpx.Client(transport=_Outside(), timeout=PATIENCE) as client:
            return client.post(address, content=body, headers=dict(headers)).status_code
    except (httpx.InvalidURL, UnicodeError) as error:
        raise FetchFailed(f"This is no web address: {error}.", where=address) from error
    except httpx.HTTPError as error:
        raise _broken(error, address) from error


def _headers(source: WebSource, secret: str) -> Iterator[tuple[str, str]]:
    for one in source.headers:
        yield one.name, one.value
    match source.sign_in:
        case "basic":
            told = b64encode(f"{source.user}:{secret}".encode()).decode()
            yield "Authorization", f"Basic {told}"
        case "bearer":
            yield "Authorization", f"Bearer {secret}"
        case "header":
            yield source.header, secret


def _origin(url: httpx.URL) -> tuple[str, str, int | None]:
    return url.scheme, url.host, url.port


def _conditions(known: str) -> dict[str, str]:
    """Only if it is another content than the one that is known (RFC 9110, 13.1)."""
    kind, _, value = known.partition(" ")
    names = {"etag": "If-None-Match", "date": "If-Modified-Since"}
    return {names[kind]: value} if kind in names else {}


def _strong(answer: httpx.Response) -> str:
    """What a content may be gone on with by: a strong ETag only, as two contents of one second
    have the same date."""
    tag: str = answer.headers.get("ETag", "")
    return tag if tag.startswith('"') and answer.headers.get("Accept-Ranges") != "none" else ""


def _goes_on(answer: httpx.Response, spool: Spool) -> bool:
    found = re.match(r"bytes (\d+)-\d+/", answer.headers.get("Content-Range", ""))
    return found is not None and int(found[1]) == spool.size


def _told(answer: httpx.Response, found: Found, size: int) -> Found:
    tag, day = answer.headers.get("ETag", ""), answer.headers.get("Last-Modified", "")
    mark = f"etag {tag}" if tag else f"date {day}" if day else ""
    return Found(_name(answer, found.name), found.where, size, _moment(day), mark)


def _moment(day: str) -> datetime | None:
    try:
        made = parsedate_to_datetime(day)
    except ValueError:
        return None
    return made if made.tzinfo else made.replace(tzinfo=UTC)


def _name(answer: httpx.Response, given: str) -> str:
    """What the file is called: as the host says (RFC 6266), or as its address ends."""
    message = Message()
    message["Content-Disposition"] = answer.headers.get("Content-Disposition", "")
    said = message.get_filename() or ""
    name = PurePosixPath(said.replace("\\", "/")).name or given
    if not PurePosixPath(name).suffix:
        kind = answer.headers.get("Content-Type", "").partition(";")[0].strip().lower()
        name += _SUFFIXES.get(kind, "")
    return name[:200]


def _name_in(address: str) -> str:
    return PurePosixPath(unquote(httpx.URL(address).path)).name or "file"


def _unpacked(pieces: Iterator[bytes]) -> Iterator[bytes]:
    """The content of a gzip stream (RFC 1952), which has to come to its end."""
    unpack = zlib.decompressobj(wbits=31)
    try:
        for piece in pieces:
            left = piece
            while left:
                yield unpack.decompress(left, _PIECE)
                left = unpack.unconsumed_tail
                if unpack.eof and unpack.unused_data:
                    left, unpack = unpack.unused_data, zlib.decompressobj(wbits=31)
    except zlib.error as error:
        raise PassingFailure(f"What came is damaged on its way: {error}.") from error
    if not unpack.eof:
        raise PassingFailure("It broke off in the middle.")


def _refuse(answer: httpx.Response, address: str) -> None:
    """Raises ``FetchFailed`` for an answer without a file."""
    status = answer.status_code
    if status in (200, 206):
        return
    said = f"{httpx.URL(address).host} answers {status} {answer.reason_phrase}".strip()
    if status in _PASSING:
        after = answer.headers.get("Retry-After", "")
        wait = min(float(after), _LONGEST_WAIT) if after.isdecimal() else 0
        raise PassingFailure(f"{said}.", where=address, after=wait)
    remedy = "Open the address in a browser: does the file come?"
    if status in (401, 403):
        remedy = "Check the sign-in: user, password or token, and that it may read this file."
    if status in (404, 410):
        remedy = "Ask for the file's new address, or wait until it is there."
    raise FetchFailed(f"{said}.", where=address, remedy=remedy)


def _broken(error: httpx.HTTPError, address: str) -> FetchFailed:
    cause: BaseException | None = error
    while cause is not None:
        if isinstance(cause, ssl.SSLCertVerificationError):
            return wrong_certificate(httpx.URL(address).host, cause)
        cause = cause.__cause__ or cause.__context__
    if isinstance(error, httpx.TimeoutException):
        said = f"no word came in {PATIENCE:.0f} seconds"
    elif isinstance(error, httpx.RemoteProtocolError):
        said = "it broke off in the middle, or does not keep to the protocol"
    elif isinstance(error, httpx.ConnectError):
        said = "it does not answer"
    else:
        said = reason(error)
    return PassingFailure(
        f"Nothing could be fetched: {said}.",
        where=address,
        remedy="Check the address; if it is right, the host may be down.",
    )
