"""Connections outward, and never into our own network unless that is allowed."""

from __future__ import annotations

import ipaddress
import socket
import ssl
from collections.abc import Mapping
from functools import cache

import certifi

from nomotax.intake.failures import FetchFailed, PassingFailure
from nomotax.settings import settings

#: So many seconds the other side may be silent.
PATIENCE = 30.0
_Address = ipaddress.IPv4Address | ipaddress.IPv6Address
#: IPv6 addresses that hold one of IPv4 (RFC 6052): it is where they lead.
_NAT64 = ipaddress.ip_network("64:ff9b::/96")


def addresses_of(host: str, port: int) -> list[str]:
    """Where a name leads, all of it outside. Raises ``PassingFailure`` for a name that nobody
    knows, ``FetchFailed`` for one that leads inside and is not allowed to."""
    try:
        found = socket.getaddrinfo(host, port, type=socket.SOCK_STREAM)
    except (OSError, UnicodeError) as error:
        raise PassingFailure(
            f"There is no address called {host!r}.", remedy="Check the name of the host."
        ) from error
    addresses = list(dict.fromkeys(str(entry[4][0]).split("%")[0] for entry in found))
    inside = [one for one in addresses if is_inside(one)]
    known = settings()
    allowed = known.names(known.fetch_inside)
    if inside and not {host.lower(), f"{host.lower()}:{port}"} & allowed:
        raise FetchFailed(
            f"{host!r} leads into our own network ({inside[0]}); nothing is fetched from there.",
            where=f"{host}:{port}",
            remedy="Whoever runs Nomotax can allow it in NOMOTAX_FETCH_INSIDE.",
        )
    return addresses


def is_inside(address: str) -> bool:
    """Whether an address is private, of this link, of this machine, or of no single host."""
    one = ipaddress.ip_address(address)
    return any(not a.is_global or a.is_multicast for a in _meant(one)) or _is_ours(one)


def _meant(one: _Address) -> list[_Address]:
    """An address, and the one of IPv4 that it stands for (RFC 4291, 3056, 4380, 6052)."""
    if not isinstance(one, ipaddress.IPv6Address):
        return [one]
    if one.ipv4_mapped is not None:
        return [one.ipv4_mapped]
    held = [one.sixtofour, *(one.teredo or ())]
    if one in _NAT64:
        held.append(ipaddress.IPv4Address(int(one) & 0xFFFFFFFF))
    return [one, *(a for a in held if a is not None)]


def _is_ours(one: _Address) -> bool:
    """Whether it is an address of this very machine: one that leads to itself. A datagram socket
    is told where to send and sends nothing."""
    family = socket.AF_INET6 if one.version == 6 else socket.AF_INET
    try:
        with socket.socket(family, socket.SOCK_DGRAM) as probe:
            probe.connect((str(one), 9))
            return bool(probe.getsockname()[0] == str(one))
    except OSError:
        return False


def connect(host: str, port: int, patience: float = PATIENCE) -> socket.socket:
    """A connection to a host outside. A name is resolved once, and what it led to is both checked
    and asked. Raises ``FetchFailed``."""
    failure: OSError | None = None
    for address in addresses_of(host, port):
        try:
            return socket.create_connection((address, port), timeout=patience)
        except OSError as error:
            failure = error
    raise PassingFailure(
        f"{host} does not answer: {reason(failure)}.",
        where=f"{host}:{port}",
        remedy="Check host and port; if they are right, it may be down.",
    ) from failure


def reason(error: BaseException | None) -> str:
    """What an error of a connection says, in a few words."""
    if isinstance(error, ssl.SSLCertVerificationError):
        return f"its certificate is not accepted ({error.verify_message})"
    for kind, said in _SAID.items():
        if isinstance(error, kind):
            return said
    if isinstance(error, OSError) and error.strerror:
        return error.strerror.lower()
    return str(error) or type(error).__name__


_SAID: Mapping[type[BaseException], str] = {
    TimeoutError: "no word came in time",
    ConnectionRefusedError: "it refuses the connection",
    ConnectionResetError: "it broke the connection off",
    BrokenPipeError: "it broke the connection off",
    EOFError: "it broke the connection off",
}


def wrong_certificate(host: str, error: ssl.SSLCertVerificationError) -> FetchFailed:
    """What to do about a certificate that nobody vouches for."""
    return FetchFailed(
        f"{host} is not known to be itself: {error.verify_message}.",
        where=host,
        remedy="Ask the supplier. An authority of their own can be named in SSL_CERT_FILE by "
        "whoever runs Nomotax.",
    )


@cache
def trust() -> ssl.SSLContext:
    """Who is trusted: the authorities of browsers, and those of this machine (SSL_CERT_FILE)."""
    made = ssl.create_default_context(cafile=certifi.where())
    made.load_default_certs()
    return made
