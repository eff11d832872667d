"""Where a feed's deliveries come from: set, tried, and told in plain words."""

from __future__ import annotations

import hashlib
import secrets as chance
from collections.abc import Mapping, Sequence
from datetime import datetime

from pydantic import BaseModel
from sqlmodel import Session

from nomotax.core.errors import NomotaxError, NotFound
from nomotax.core.reading.model import parse_reading
from nomotax.core.reading.read import Source as FileSource
from nomotax.core.reading.read import detect
from nomotax.core.reading.read import read as read_file
from nomotax.core.table import HIDDEN
from nomotax.intake.bringing import Brought, Known, bring, choose, opened
from nomotax.intake.describing import described
from nomotax.intake.failures import StrangeHost
from nomotax.intake.model import SecretName, Source, audience, parse_source, secrets_of
from nomotax.intake.naming import Found
from nomotax.intake.spool import Limits
from nomotax.records.database import session
from nomotax.records.feed_changes import note_change
from nomotax.records.repositories import Feeds
from nomotax.records.secrets import lock, unlock
from nomotax.records.tables import Feed

#: A try is for a person who waits: so many bytes, seconds, rows, files, letters of a cell.
_TRY_BYTES, _TRY_SECONDS, _ROWS, _FILES, _CELL = 64 << 20, 60.0, 5, 50, 80
#: How many random bytes a token has (RFC 6750 wants it not to be guessed).
_TOKEN_BYTES = 32
#: What every token of ours begins with, so that one that has got out can be found.
_TOKEN_SIGN = "nmx_"


class FeedSource(BaseModel):
    """Where a feed's deliveries come from. ``said`` is that in plain words; ``kept`` are the
    secrets that are known, which are never shown; ``token`` says whether the supplier has one to
    send deliveries with."""

    source: Source | None
    said: str
    kept: list[SecretName]
    token: bool


class SourceEdit(BaseModel):
    """A source as it is to be. Of ``secrets`` those that are not named stay as they are, unless
    they would be told to somebody else by now; "" takes one away."""

    source: Source | None
    secrets: dict[SecretName, str] = {}


class FileThere(BaseModel):
    """A file that was found, and whether it would be taken now."""

    name: str
    size: int | None
    modified: datetime | None
    taken: bool


class FileSample(BaseModel):
    """What the first file looks like: how it is read, its columns, and its first rows."""

    name: str
    size: int
    format: str
    columns: list[str]
    rows: list[list[str | None]]
    said: str


class SourceTried(BaseModel):
    """What was found: the newest files of ``count``. Where it did not go well, ``error`` says why
    and ``remedy`` what to do; of a host that is not known yet, ``host_key`` is what it shows."""

    files: list[FileThere] = []
    count: int = 0
    sample: FileSample | None = None
    error: str = ""
    remedy: str = ""
    host_key: str = ""


def source_of_feed(feed_id: int) -> FeedSource:
    """Raises ``NotFound``."""
    with session() as db:
        return _view(Feeds.holding(db, feed_id).get(feed_id))


def _view(feed: Feed) -> FeedSource:
    source = saved_source(feed)
    kept = [n for n in (secrets_of(source) if source else ()) if feed.secrets.get(n)]
    return FeedSource(
        source=source, said=described(source) if source else "", kept=kept, token=bool(feed.token)
    )


def saved_source(feed: Feed) -> Source | None:
    """The source of a feed; None where its deliveries are brought by hand or sent."""
    return parse_source(feed.source) if feed.source else None


def set_source(feed_id: int, wanted: SourceEdit) -> FeedSource:
    """Set where a feed's deliveries come from. Raises ``NotFound``."""
    with session() as db:
        feed = Feeds.holding(db, feed_id).get(feed_id)
        before = saved_source(feed)
        feed.secrets = {name: lock(text) for name, text in _secrets(feed, wanted).items() if text}
        feed.source = wanted.source.model_dump(mode="json") if wanted.source else None
        if wanted.source != before:
            feed.known = {}
            said = f"deliveries come from {described(wanted.source)}" if wanted.source else ""
            note_change(db, feed, said or "deliveries are brought by hand")
        elif wanted.secrets:
            note_change(db, feed, "what signs in where deliveries come from is another")
        db.add(feed)
        return _view(feed)


def _secrets(feed: Feed, wanted: SourceEdit) -> dict[SecretName, str]:
    """The secrets of a source as it is to be, in clear."""
    if wanted.source is None:
        return {}
    before = saved_source(feed)
    same = before is not None and audience(before) == audience(wanted.source)
    known = open_secrets(feed) if same else {}
    both = {**known, **wanted.secrets}
    return {name: both[name] for name in secrets_of(wanted.source) if name in both}


def open_secrets(feed: Feed) -> Mapping[SecretName, str]:
    """The secrets of a feed's source in clear. Raises ``UnreadableFile`` for those locked with
    another key."""
    source = saved_source(feed)
    names = secrets_of(source) if source else ()
    return {name: unlock(feed.secrets[name]) for name in names if feed.secrets.get(name)}


def try_source(feed_id: int, wanted: SourceEdit) -> SourceTried:
    """Look at a source without saving it or anything that is there. Raises ``NotFound``."""
    with session() as db:
        feed = Feeds.holding(db, feed_id).get(feed_id)
    if wanted.source is None:
        raise NotFound("There is nothing to try: these deliveries are brought by hand.")
    limits = Limits(_TRY_BYTES, _TRY_SECONDS, tries=1)
    tried = SourceTried()
    try:
        with opened(wanted.source, _secrets(feed, wanted), limits) as place:
            found = place.look()
            groups = choose(wanted.source, found, Known())
            tried = _listed(found, groups)
            if not groups:
                return tried
            with bring(wanted.source, place, groups[0], Known(), limits) as brought:
                assert brought is not None, "nothing is known of before"
                tried.sample = _sample(brought, feed)
    except StrangeHost as error:
        tried.error, tried.remedy, tried.host_key = error.message, error.remedy, error.host_key
    except NomotaxError as error:
        tried.error, tried.remedy = error.message, error.remedy
    return tried


def _listed(found: Sequence[Found], groups: Sequence[Sequence[Found]]) -> SourceTried:
    taken = {one.where for group in groups for one in group}
    shown = [
        FileThere(name=one.name, size=one.size, modified=one.modified, taken=one.where in taken)
        for one in reversed(found)
    ]
    return SourceTried(files=shown[:_FILES], count=len(found))


def _sample(brought: Brought, feed: Feed) -> FileSample:
    """How the feed would read it; as detected where it has no reading yet, or another one."""
    size = brought.path.stat().st_size
    file = FileSource(brought.path, brought.name, unlock(feed.password))
    try:
        reading = parse_reading(feed.reading) if feed.reading else detect(file).reading
        table = read_file(file, reading.model_copy(update={"companions": ()}), limit=_ROWS)
        frame = table.lazy.drop(HIDDEN).head(_ROWS).collect()
    except NomotaxError as error:
        said = f"{error.message} {error.remedy}".strip()
        return FileSample(name=brought.name, size=size, format="", columns=[], rows=[], said=said)
    rows = [[None if cell is None else cell[:_CELL] for cell in row] for row in frame.rows()]
    return FileSample(
        name=brought.name, size=size, format=reading.format, columns=frame.columns, rows=rows,
        said="",
    )  # fmt: skip


def make_token(feed_id: int) -> str:
    """A token that deliveries of a feed can be sent with; shown this once, and the one before it
    is of no use any more. Raises ``NotFound``."""
    token = _TOKEN_SIGN + chance.token_urlsafe(_TOKEN_BYTES)
    with session() as db:
        feed = Feeds.holding(db, feed_id).get(feed_id)
        feed.token = _hashed(token)
        note_change(db, feed, "deliveries may be sent with a new token")
        db.add(feed)
    return token


def drop_token(feed_id: int) -> None:
    """Nothing can be sent to a feed any more."""
    with session() as db:
        feed = Feeds.holding(db, feed_id).get(feed_id)
        feed.token = ""
        note_change(db, feed, "deliveries may not be sent any more")
        db.add(feed)


def is_token(feed_id: int, token: str) -> bool:
    """Whether a token is that of a feed; of one that is not there as well as of another one."""
    with session() as db:
        feed = db.get(Feed, feed_id)
    known = feed.token if feed and not feed.removed_at else ""
    return bool(known) and chance.compare_digest(known, _hashed(token))


def _hashed(token: str) -> str:
    """It has too much chance in it to be guessed from its hash."""
    return hashlib.sha256(token.encode()).hexdigest()


def companions_of(db: Session, feed: Feed) -> list[Feed]:
    """The feeds that one joins, and those that they join, the innermost first."""
    feeds, found, seen = Feeds(db, feed.store_id), [], set()

    def collect(one: Feed) -> None:
        reading = parse_reading(one.reading) if one.reading else None
        for companion in reading.companions if reading else ():
            if companion.feed is not None and companion.feed not in seen:
                seen.add(companion.feed)
                other = feeds.get(companion.feed)
                collect(other)
                found.append(other)

    collect(feed)
    return found
