"""A whole fetch: the place opened, the files chosen, brought with patience, and checked."""

from __future__ import annotations

import re
import time
import zipfile
from collections.abc import Iterator, Mapping, Sequence
from contextlib import ExitStack, contextmanager
from dataclasses import dataclass
from datetime import datetime
from hashlib import file_digest
from pathlib import Path, PurePosixPath
from tempfile import TemporaryDirectory
from zoneinfo import ZoneInfo

from pydantic import BaseModel

from nomotax.core.errors import UnreadableFile
from nomotax.core.reading.signature import is_web_page
from nomotax.intake.failures import FetchFailed, PassingFailure
from nomotax.intake.model import (
    BucketSource,
    FolderSource,
    FtpSource,
    MailSource,
    SftpSource,
    Source,
    WebSource,
)
from nomotax.intake.naming import Found, is_settled
from nomotax.intake.place import Asked, Place, Secrets
from nomotax.intake.spool import Limits, Spool, Tell, nobody

#: So many seconds are between two tries at first; twice as many each time.
FIRST_WAIT = 1.0
#: The most files of one delivery, and of one fetch.
MOST_FILES = 200
_HEAD = 4096
_TITLE = re.compile(rb"<title[^>]*>\s*([^<]{1,120})", re.IGNORECASE)


class FetchedFile(BaseModel):
    """A file that was fetched: what the place said of it, and what it hashes to."""

    name: str
    where: str
    size: int | None = None
    modified: datetime | None = None
    mark: str = ""
    sha256: str = ""

    @property
    def found(self) -> Found:
        return Found(self.name, self.where, self.size, self.modified, self.mark)


class Known(BaseModel):
    """What a source is known to hold since it was last fetched from: the files that were taken,
    and with *each* all that there were (``passed``, by their identity)."""

    files: list[FetchedFile] = []
    passed: list[str] = []
    looked_at: datetime | None = None


@dataclass(frozen=True)
class Brought:
    """A delivery on this machine: one file, or an archive of several."""

    name: str
    path: Path
    files: list[FetchedFile]


@contextmanager
def opened(source: Source, secrets: Secrets, limits: Limits) -> Iterator[Place]:
    """The place of a source. Raises ``FetchFailed``."""
    today = datetime.now(ZoneInfo(source.zone)).date()
    place = _place(source, Asked(secrets, today, limits))
    try:
        yield place
    finally:
        place.close()


@contextmanager
def looked(
    source: Source, secrets: Secrets, limits: Limits, tell: Tell = nobody
) -> Iterator[tuple[Place, Sequence[Found]]]:
    """The place of a source and what is there; asked again where it could not be reached in
    passing. Raises ``FetchFailed``, ``FetchStopped``."""
    wait = FIRST_WAIT
    for left in reversed(range(limits.tries)):
        with ExitStack() as stack:
            try:
                place = stack.enter_context(opened(source, secrets, limits))
                found = place.look()
            except PassingFailure as error:
                if not left:
                    raise
                failed = error
            else:
                yield place, found
                return
        pause(max(wait, failed.after), limits, tell, f"{failed.message} Trying again")
        wait *= 2


def _place(source: Source, asked: Asked) -> Place:
    """Opened by its driver, which is loaded when it is needed: some take long to."""
    match source:
        case WebSource():
            from nomotax.intake.web import WebPlace

            return WebPlace(source, asked)
        case FtpSource():
            from nomotax.intake.ftp import FtpPlace

            return FtpPlace(source, asked)
        case SftpSource():
            from nomotax.intake.sftp import SftpPlace

            return SftpPlace(source, asked)
        case MailSource():
            from nomotax.intake.mail import MailPlace

            return MailPlace(source, asked)
        case FolderSource():
            from nomotax.intake.folder import FolderPlace

            return FolderPlace(source, asked)
        case BucketSource():
            from nomotax.intake.bucket import BucketPlace

            return BucketPlace(source, asked)


def choose(source: Source, found: Sequence[Found], known: Known) -> list[list[Found]]:
    """The files of each delivery that is to be made, oldest first. Raises ``FetchFailed``."""
    if isinstance(source, WebSource):
        return [list(found)]
    if not found:
        return []
    if source.take == "newest":
        return [[found[-1]]]
    if source.take == "together":
        _refuse_many(found)
        return [list(found)]
    if known.looked_at is None:
        # What lies there from before this feed began is not a queue of deliveries.
        return [[found[-1]]]
    passed = set(known.passed)
    fresh = [one for one in found if identity(one) not in passed]
    # Where more have come than are fetched at a time, the next fetch goes on behind these.
    return [[one] for one in fresh[:MOST_FILES]]


def identity(found: Found) -> str:
    """A file and its content, as far as the place tells them."""
    moment = found.modified.isoformat() if found.modified else ""
    return "|".join((found.where, str(found.size), moment, found.mark))


def _refuse_many(found: Sequence[Found]) -> None:
    if len(found) > MOST_FILES:
        raise FetchFailed(
            f"{len(found):,} files are meant, from {found[0].name} to {found[-1].name}; at most "
            f"{MOST_FILES} are fetched at a time.",
            remedy="Name them more closely, or take the newest one.",
        )


def same_as_known(chosen: Sequence[Found], known: Known) -> bool:
    """Whether a place itself says that nothing has changed since it was last fetched from."""
    if known.looked_at is None or len(chosen) != len(known.files):
        return False
    before = {identity(one.found): one.found for one in known.files}
    return all(
        identity(one) in before and is_settled(one, known.looked_at) and bool(one.size)
        for one in chosen
    )


@contextmanager
def bring(
    source: Source,
    place: Place,
    chosen: Sequence[Found],
    known: Known,
    limits: Limits,
    tell: Tell = nobody,
) -> Iterator[Brought | None]:
    """The files of one delivery, brought whole; None when the place says they are the same as
    before. They are gone again at the end. Raises ``FetchFailed``, ``TooLarge``,
    ``FetchStopped``."""
    marks = {one.where: one.mark for one in known.files if one.mark}
    if len(marks) < len(chosen):
        marks = {}
    with TemporaryDirectory(prefix="nomotax-fetch-") as folder:
        got = list(_each(place, chosen, marks, limits, tell, Path(folder)))
        if all(one is None for one in got):
            yield None
            return
        if None in got:
            # One of several has changed: the others are needed as well.
            got = list(_each(place, chosen, {}, limits, tell, Path(folder)))
        whole = [one for one in got if one is not None]
        yield _packed(whole, Path(folder)) if len(whole) > 1 else whole[0]


def _each(
    place: Place, chosen: Sequence[Found], marks: Mapping[str, str], limits: Limits, tell: Tell,
    folder: Path,
) -> Iterator[Brought | None]:  # fmt: skip
    for n, found in enumerate(chosen):
        path = folder / f"file-{n}"
        taken = _patiently(place, found, path, marks.get(found.where, ""), limits, tell)
        if taken is None:
            yield None
            continue
        _refuse_page(path, taken)
        with path.open("rb") as stream:
            digest = file_digest(stream, "sha256").hexdigest()
        told = FetchedFile(
            name=taken.name, where=taken.where, size=taken.size, modified=taken.modified,
            mark=taken.mark, sha256=digest,
        )  # fmt: skip
        yield Brought(taken.name, path, [told])


def _patiently(
    place: Place, found: Found, path: Path, known: str, limits: Limits, tell: Tell
) -> Found | None:
    """One file, asked for again where it failed in passing, and gone on with where that can be."""
    wait = FIRST_WAIT
    with Spool(path, limits, tell, found.name) as spool:
        for left in reversed(range(limits.tries)):
            try:
                taken = place.take(found, spool, known)
                if taken is not None:
                    _whole(spool, taken)
                spool.done()
                return taken
            except PassingFailure as error:
                if not left:
                    raise
                pause(max(wait, error.after), limits, tell, f"{error.message} Trying again")
                wait *= 2
                if not place.resumes:
                    spool.restart()
                place.again()
    raise AssertionError("a try is returned or raised")


def pause(seconds: float, limits: Limits, tell: Tell, why: str) -> None:
    """Wait a while, hearing of a stop."""
    until = time.monotonic() + seconds
    while (left := until - time.monotonic()) > 0:
        limits.check()
        tell(why)
        time.sleep(min(left, 0.5))


def _whole(spool: Spool, taken: Found) -> None:
    """Raises ``PassingFailure`` for a file of another length than the place said it has."""
    if not spool.size:
        raise PassingFailure(
            "The file that came is empty.", where=taken.where,
            remedy="It may just be written; the next fetch tries again.",
        )  # fmt: skip
    told = spool.total if spool.total is not None else taken.size
    if told is not None and told != spool.size:
        came = spool.size
        spool.restart()
        raise PassingFailure(
            f"{came:,} bytes came of {told:,}: it broke off, or was being written.",
            where=taken.where,
            remedy="Nothing was taken; the next fetch tries again.",
        )


def _refuse_page(path: Path, taken: Found) -> None:
    """Raises ``FetchFailed`` for a web page in place of a file."""
    with path.open("rb") as stream:
        head = stream.read(_HEAD)
    if not is_web_page(head):
        return
    title = _TITLE.search(head)
    named = f", {title[1].decode('utf-8', 'replace').strip()!r}," if title else ""
    raise FetchFailed(
        f"A web page{named} came in place of a file.",
        where=taken.where,
        remedy="Open the address in a browser: it may ask for a sign-in, or show the file instead "
        "of giving it. Of a published sheet take the link that gives CSV.",
    )


def _packed(files: Sequence[Brought], folder: Path) -> Brought:
    """Several files as one archive, the same bytes whenever they are the same files."""
    path = folder / "together.zip"
    names: dict[str, int] = {}
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as archive:
        for one in sorted(files, key=lambda f: (f.name, f.files[0].where)):
            n = names[one.name] = names.get(one.name, 0) + 1
            pure = PurePosixPath(one.name)
            name = one.name if n == 1 else f"{pure.stem}-{n}{pure.suffix}"
            with one.path.open("rb") as stream, archive.open(_entry(name), "w") as out:
                while piece := stream.read(1 << 20):
                    out.write(piece)
    stem = PurePosixPath(files[0].name).stem
    taken = [t for one in files for t in one.files]
    return Brought(f"{stem} and {len(files) - 1} more.zip", path, taken)


def _entry(name: str) -> zipfile.ZipInfo:
    # The same moment for all: an archive shall not be another one for having been packed later.
    made = zipfile.ZipInfo(name, date_time=(1980, 1, 1, 0, 0, 0))
    made.compress_type = zipfile.ZIP_DEFLATED
    return made


def fetch_small(address: str, most_bytes: int) -> bytes:
    """What one web address answers, small enough for memory. Raises ``FetchFailed``,
    ``TooLarge``."""
    limits = Limits(most_bytes, 60)
    try:
        source = WebSource(addresses=[address])
    except ValueError as error:
        raise UnreadableFile(
            "Only web addresses are fetched from.", where=address,
            remedy="Such an address begins with http:// or https://.",
        ) from error  # fmt: skip
    with (
        opened(source, {}, limits) as place,
        bring(source, place, place.look(), Known(), limits) as brought,
    ):
        assert brought is not None, "nothing is known of before"
        return brought.path.read_bytes()


def now_known(
    source: Source,
    found: Sequence[Found],
    before: Known,
    done: Sequence[Sequence[Found]],
    taken: Sequence[FetchedFile],
    looked_at: datetime,
) -> Known:
    """What is known once a delivery of several has been ``taken``. Of what was found those are
    passed that were ``before`` or that this fetch is ``done`` with; the others wait for their turn.
    At first nothing waits: what lies there is older than the feed."""
    each = not isinstance(source, WebSource) and source.take == "each"
    passed = {*before.passed, *(identity(one) for group in done for one in group)}
    behind = [one for one in map(identity, found) if before.looked_at is None or one in passed]
    return Known(files=list(taken), passed=behind if each else [], looked_at=looked_at)
