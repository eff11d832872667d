"""Fetching from the web, without reaching into our own network."""

from __future__ import annotations

import ipaddress
import socket

import httpx

from nomotax.core.errors import UnreadableFile
from nomotax.settings import settings

_PATIENCE = 10  # seconds
_MOST_REDIRECTS = 5


class _Outside(httpx.BaseTransport):
    """Asks addresses outside our own network only. A name is resolved once, and what it resolved
    to is both checked and asked, so that a second look-up cannot lead elsewhere; redirects come
    through here as well."""

    def __init__(self) -> None:
        self._inner = httpx.HTTPTransport()

    def handle_request(self, request: httpx.Request) -> httpx.Response:
        url = request.url
        port = url.port or (443 if url.scheme == "https" else 80)
        address = _address(url.host, port)
        shown = f"[{address}]" if ":" in address else address
        request.headers["Host"] = url.netloc.decode()
        extensions = {**request.extensions, "sni_hostname": url.host}
        asked = httpx.Request(
            request.method, url.copy_with(host=shown), headers=request.headers,
            stream=request.stream, extensions=extensions,
        )  # fmt: skip
        return self._inner.handle_request(asked)

    def close(self) -> None:
        self._inner.close()


def _address(host: str, port: int) -> str:
    """Where a name leads. Raises ``UnreadableFile`` for an address inside, unless it is allowed."""
    try:
        found = socket.getaddrinfo(host, port, type=socket.SOCK_STREAM)
    except OSError as error:
        raise UnreadableFile(
            f"There is no address called {host!r}.", remedy="Check the address."
        ) from error
    addresses = [str(entry[4][0]).split("%")[0] for entry in found]
    known = settings()
    allowed = known.names(known.fetch_inside)
    inside = [a for a in addresses if not ipaddress.ip_address(a).is_global]
    if inside and not {host.lower(), f"{host.lower()}:{port}"} & allowed:
        raise UnreadableFile(
            f"{host!r} leads into our own network ({inside[0]}); nothing is fetched from there.",
            where=f"{host}:{port}",
            remedy="Whoever runs Nomotax can allow it in NOMOTAX_FETCH_INSIDE.",
        )
    return addresses[0]


def fetch(address: str, most_bytes: int) -> bytes:
    """What an address answers. Raises ``UnreadableFile`` when nothing comes, or too much."""
    try:
        url = httpx.URL(address)
    except (httpx.InvalidURL, ValueError) as error:
        raise UnreadableFile(f"This is no web address: {error}.", where=address) from error
    if url.scheme not in ("http", "https") or not url.host:
        raise UnreadableFile(
            "Only web addresses are fetched from.",
            where=address,
            remedy="Such an address begins with http:// or https://.",
        )
    try:
        with (
            httpx.Client(
                transport=_Outside(), timeout=_PATIENCE, follow_redirects=True,
                max_redirects=_MOST_REDIRECTS,
            ) as client,
            client.stream("GET", url) as answer,
        ):  # fmt: skip
            answer.raise_for_status()
            return _body(answer, address, most_bytes)
    except httpx.HTTPStatusError as error:
        raise _nothing(address, f"it answers {error.response.status_code}") from error
    except (httpx.HTTPError, OSError, ValueError) as error:
        raise _nothing(address, str(error) or type(error).__name__) from error


def _body(answer: httpx.Response, address: str, most_bytes: int) -> bytes:
    data = bytearray()
    for piece in answer.iter_bytes():
        data += piece
        if len(data) > most_bytes:
            raise UnreadableFile("What came is too large for this.", where=address)
    return bytes(data)


def _nothing(address: str, said: str) -> UnreadableFile:
    return UnreadableFile(
        f"Nothing could be fetched: {said}.",
        where=address,
        remedy="Check the address, or take it from a file.",
    )
