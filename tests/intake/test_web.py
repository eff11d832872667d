"""Web addresses: what goes wrong on the way, and that nothing broken is ever a delivery."""

from __future__ import annotations

import gzip
import socket
import ssl
import time

import pytest
import trustme

from nomotax.core.errors import TooLarge
from nomotax.demo.outside.layout import PASSWORD, TOKEN, USER, WEB
from nomotax.intake import outside as addresses
from nomotax.intake import web
from nomotax.intake.bringing import fetch_small
from nomotax.intake.failures import FetchFailed
from nomotax.intake.model import WebSource
from nomotax.intake.spool import Limits
from tests.intake.conftest import serving
from tests.intake.fetching import fetched

DATA = b"sku;cost\n" + b"".join(b"%05d;1,00\n" % n for n in range(40_000))


def answers(status=200, body=DATA, **headers):
    """An answer whose length is told unless it is given."""

    def answer(handler):
        handler.send_response(status)
        told = {"Content-Length": str(len(body)), "Connection": "close"}
        for name, value in (told | {k.replace("_", "-"): v for k, v in headers.items()}).items():
            if value is not None:
                handler.send_header(name, value)
        handler.end_headers()
        handler.wfile.write(body)

    return answer


def breaks_off(after, **headers):
    """Tells the whole length and sends a part."""
    return answers(body=DATA[:after], Content_Length=str(len(DATA)), **headers)


def goes_on(handler):
    """The rest of what was asked for (RFC 9110, 14)."""
    start = int(handler.headers["Range"].removeprefix("bytes=").removesuffix("-"))
    rest = DATA[start:]
    span = f"bytes {start}-{len(DATA) - 1}/{len(DATA)}"
    answers(206, rest, Content_Range=span, ETag='"a"')(handler)


def endless(handler):
    handler.send_response(200)
    handler.end_headers()
    try:
        while True:
            handler.wfile.write(DATA)
    except OSError:
        pass


def slow(handler):
    handler.send_response(200)
    handler.send_header("Content-Length", "1000000")
    handler.end_headers()
    try:
        for _ in range(1200):
            handler.wfile.write(b"x")
            time.sleep(0.05)
    except OSError:
        pass


def fetch(host, *given, path="list.csv", known=None, limits=None, **more):
    host.answers = list(given)
    return fetched(WebSource(addresses=[host.address(path)], **more), known, limits)


def test_a_file_comes_under_its_name_and_once(host):
    given = answers(ETag='"1"', Content_Disposition='attachment; filename="../week 48.csv"')
    came, known = fetch(host, given)
    assert came == [("week 48.csv", DATA)]
    assert fetch(host, answers(304, b""), known=known)[0] == []
    assert host.asked[-1]["If-None-Match"] == '"1"'
    dated = answers(Last_Modified="Sat, 28 Nov 2026 05:00:00 GMT", Content_Type="text/csv")
    came, known = fetch(host, dated, path="download?id=7")
    assert came[0][0] == "download.csv"
    fetch(host, answers(304, b""), known=known, path="download?id=7")
    assert host.asked[-1]["If-Modified-Since"] == "Sat, 28 Nov 2026 05:00:00 GMT"


def test_one_of_two_that_has_changed_brings_both(host):
    two = WebSource(addresses=[host.address("a.csv"), host.address("b.csv")])
    host.answers = [answers(body=b"a", ETag='"a"'), answers(body=b"b", ETag='"b"')]
    (first,), known = fetched(two)
    host.answers = [answers(304, b""), answers(304, b"")]
    assert fetched(two, known)[0] == []
    host.answers = [answers(304, b""), answers(body=b"B", ETag='"B"'), answers(body=b"a"),
                    answers(body=b"B")]  # fmt: skip
    (second,), _ = fetched(two, known)
    assert second[0] == first[0] and second[1] != first[1] and "If-None-Match" not in host.asked[-1]


@pytest.mark.parametrize("status", [408, 429, 500, 502, 503, 504])
def test_what_passes_is_tried_again(host, status):
    given = answers(status, b"", Retry_After="0")
    assert fetch(host, given, given, answers())[0] == [("list.csv", DATA)]
    assert len(host.asked) == 3


def test_a_broken_answer_is_gone_on_with_where_it_is_the_same_content(host):
    came, _ = fetch(host, breaks_off(100_000, ETag='"a"'), goes_on)
    assert came == [("list.csv", DATA)]
    last = host.asked[-1]
    assert last["If-Range"] == '"a"' and 0 < int(last["Range"][6:-1]) <= 100_000


def shifted(handler):
    """A rest that begins elsewhere than it was asked to."""
    answers(206, DATA[7:], Content_Range=f"bytes 7-{len(DATA) - 1}/{len(DATA)}")(handler)


@pytest.mark.parametrize(
    "then",
    [[answers()], [answers(ETag='"b"')], [shifted, answers()], [breaks_off(9), answers()]],
    ids=["no range", "another content", "wrong rest", "once more"],
)
def test_a_rest_that_does_not_fit_is_let_go(host, then):
    """Never two halves of two contents."""
    assert fetch(host, breaks_off(100_000, ETag='"a"'), *then)[0] == [("list.csv", DATA)]


def test_a_weak_tag_is_not_gone_on_with(host):
    assert fetch(host, breaks_off(100_000, ETag='W/"a"'), answers())[0] == [("list.csv", DATA)]
    assert "Range" not in host.asked[-1]


PACKED = gzip.compress(DATA)


def test_packed_answers_are_unpacked_whole_or_not_at_all(host):
    packed = answers(body=PACKED + gzip.compress(b"more"), Content_Encoding="gzip")
    assert fetch(host, packed)[0] == [("list.csv", DATA + b"more")]
    cut = answers(body=PACKED[:-9], Content_Encoding="gzip", Content_Length=None)
    with pytest.raises(FetchFailed, match="broke off"):
        fetch(host, cut)
    assert fetch(host, cut, packed)[0] == [("list.csv", DATA + b"more")]
    bomb = answers(body=gzip.compress(b"0" * (80 << 20)), Content_Encoding="gzip")
    with pytest.raises(TooLarge):
        fetch(host, bomb)


NOTHING = [
    ("not there", answers(404, b""), "answers 404", "new address"),
    ("signed in wrongly", answers(401, b""), "answers 401", "sign-in"),
    ("down", answers(503, b""), "answers 503", ""),
    ("empty", answers(body=b""), "empty", "next fetch"),
    ("cut each time", breaks_off(1000), "broke off", "down"),
    ("a page", answers(body=b"<!DOCTYPE html><title>Sign in</title>"), "'Sign in'", "CSV"),
    ("a page in capitals", answers(body=b"\n\n<HTML><body>x"), "web page", "browser"),
    ("in a circle", answers(302, b"", Location="/list.csv"), "without an end", "browser"),
    ("to a file", answers(302, b"", Location="file:///etc/passwd"), "else than the web", ""),
    ("packed otherwise", answers(body=b"x", Content_Encoding="br"), "nobody asked", ""),
    ("damaged", answers(body=b"no gzip", Content_Encoding="gzip"), "damaged", ""),
    ("no HTTP", lambda h: h.wfile.write(b"SSH-2.0-x\r\n\r\n"), "protocol", ""),
    ("no address", answers(302, b"", Location="http://[::1"), "", ""),
]


@pytest.mark.parametrize(("given", "says", "remedy"), [n[1:] for n in NOTHING],
                         ids=[n[0] for n in NOTHING])  # fmt: skip
def test_nothing_is_taken_and_why_is_said(host, given, says, remedy):
    with pytest.raises(FetchFailed) as told:
        fetch(host, given)
    assert says in told.value.message and remedy in told.value.remedy


def test_limits_hold_for_what_is_told_and_for_what_is_not(host):
    with pytest.raises(TooLarge, match="51,200 MB"):
        fetch(host, answers(body=b"x", Content_Length=str(50 << 30)))
    with pytest.raises(TooLarge):
        fetch(host, endless, limits=Limits(5 << 20, 20))
    began = time.monotonic()
    with pytest.raises(FetchFailed, match="was not there after"):
        fetch(host, slow, limits=Limits(5 << 20, 0.5))
    assert time.monotonic() - began < 30


def test_silence_is_not_waited_for(host, monkeypatch):
    monkeypatch.setattr(web, "PATIENCE", 0.2)
    with pytest.raises(FetchFailed, match="no word came"):
        fetch(host, lambda handler: time.sleep(1), limits=Limits(1 << 20, 20, tries=2))


@pytest.mark.parametrize(
    "onward", ["http://10.0.0.1/x", "http://[::ffff:127.0.0.1]:80/x", "http://127.0.0.1:1/x"]
)
def test_a_redirect_inside_is_refused(monkeypatch, host, onward):
    monkeypatch.setenv("NOMOTAX_FETCH_INSIDE", f"127.0.0.1:{host.port}")
    with pytest.raises(FetchFailed, match="our own network"):
        fetch(host, answers(302, b"", Location=onward))


def test_a_name_is_resolved_once_and_what_it_led_to_is_asked(monkeypatch, host):
    """A second look-up cannot lead elsewhere than what was checked."""
    monkeypatch.setenv("NOMOTAX_FETCH_INSIDE", "lists.example")
    real, asked = socket.getaddrinfo, []

    def resolve(name, port, *more, **others):
        if "example" not in str(name):
            return real(name, port, *more, **others)
        asked.append(name)
        return [(socket.AF_INET, socket.SOCK_STREAM, 6, "", ("127.0.0.1", port))]

    monkeypatch.setattr(addresses.socket, "getaddrinfo", resolve)
    host.answers = [answers(body=b"rates")]
    address = f"http://lists.example:{host.port}/x"
    assert fetch_small(address, 100) == b"rates" and asked == ["lists.example"]
    assert host.asked[0]["Host"] == f"lists.example:{host.port}"
    monkeypatch.setenv("NOMOTAX_FETCH_INSIDE", "")
    for wrong in (address, "ftp://lists.example/x", "nonsense"):
        with pytest.raises(Exception, match=r"our own network|web addresses"):
            fetch_small(wrong, 100)


def test_secrets_go_to_their_own_host_alone(host):
    with serving() as other:
        other.answers = [answers()]
        onward = answers(302, b"", Location=f"http://localhost:{other.port}/there")
        host.answers = [onward]
        for own in (
            {"sign_in": "basic", "user": "us"},
            {"sign_in": "bearer"},
            {"sign_in": "header", "header": "X-Key", "headers": [{"name": "X-More", "value": "m"}]},
        ):
            source = WebSource(addresses=[host.address()], **own)
            assert fetched(source, password="secret")[0]
    told = [{k for k in a if k in ("Authorization", "X-Key", "X-More")} for a in host.asked]
    assert told == [{"Authorization"}, {"Authorization"}, {"X-Key", "X-More"}]
    assert len(other.asked) == 3
    assert not any("Authorization" in a or "X-Key" in a or "X-More" in a for a in other.asked)


@pytest.fixture
def authority(monkeypatch):
    """Certificates of an authority that is not known to anybody, and how to make it known."""
    made = trustme.CA()

    def known():
        context = ssl.create_default_context()
        made.configure_trust(context)
        monkeypatch.setattr(web, "trust", lambda: context)

    yield made, known


def test_a_certificate_is_looked_at(monkeypatch, host, authority):
    """Of an authority nobody knows, and of another name, nothing is taken."""
    made, known = authority
    monkeypatch.setenv("NOMOTAX_FETCH_INSIDE", "localhost")
    for name, is_known in (("localhost", False), ("lists.example", True), ("localhost", True)):
        server = ssl.create_default_context(ssl.Purpose.CLIENT_AUTH)
        made.issue_cert(name).configure_cert(server)
        if is_known:
            known()
        with serving(server) as secure:
            secure.answers = [answers()]
            source = WebSource(addresses=[f"https://localhost:{secure.port}/list.csv"])
            if (name, is_known) == ("localhost", True):
                assert fetched(source)[0] == [("list.csv", DATA)]
                continue
            with pytest.raises(FetchFailed, match="not known to be itself") as told:
                fetched(source)
            assert "SSL_CERT_FILE" in told.value.remedy


def test_dated_addresses_go_back_to_the_last_day_that_is_there(host):
    host.answers = [answers(404, b""), answers(404, b""), answers(), answers()]
    source = WebSource(addresses=[host.address("list-{YYYYMMDD}.csv")], days_back=5)
    ((name, data),), _ = fetched(source)
    assert data == DATA and name == host.asked[2]["path"][1:] == host.asked[3]["path"][1:]
    assert host.asked[0]["path"] > host.asked[1]["path"] > host.asked[2]["path"]


def test_the_stand_in_asks_who_one_is_and_knows_what_has_changed(outside):
    (outside.root / WEB / "list.csv").write_bytes(DATA)
    address = f"http://127.0.0.1:{outside.ports.web}/lists/list.csv"
    with pytest.raises(FetchFailed, match="401"):
        fetched(WebSource(addresses=[address]))
    signed = [
        (WebSource(addresses=[address], sign_in="basic", user=USER), PASSWORD),
        (WebSource(addresses=[address], sign_in="bearer"), TOKEN),
    ]
    for source, secret in signed:
        came, known = fetched(source, password=secret)
        assert came == [("list.csv", DATA)]
        assert fetched(source, known, password=secret)[0] == []
