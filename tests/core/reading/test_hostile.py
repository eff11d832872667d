"""Files that are made to eat what reads them: each is refused with its reason, or read, within a
bound of memory and time, whatever it says of itself."""

from __future__ import annotations

import gzip
import io
import random
import subprocess
import sys
import zipfile

import pytest

#: Seconds, and megabytes of a process that does nothing else.
SECONDS, MEGABYTES = 60, 1_500
READ = """
import resource, sys
from pathlib import Path
from nomotax.core.errors import UnreadableFile
from nomotax.core.reading.read import Source, detect, read
source = Source(Path(sys.argv[1]), Path(sys.argv[1]).name)
try:
    print("rows", read(source, detect(source).reading).frame.height)
except UnreadableFile as error:
    print("refused", error)
print(resource.getrusage(resource.RUSAGE_SELF).ru_maxrss // 1024)
"""


def zipped(parts):
    made = io.BytesIO()
    with zipfile.ZipFile(made, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, pieces in parts.items():
            with archive.open(name, "w", force_zip64=True) as stream:
                for piece in pieces:
                    stream.write(piece)
    return made.getvalue()


def workbook_of_words():
    from openpyxl import Workbook

    plain = io.BytesIO()
    book = Workbook()
    book.active.append(["sku", "name"])
    book.save(plain)
    with zipfile.ZipFile(plain) as own:
        parts = {name: [own.read(name)] for name in own.namelist()}
    word = b"<si><t>" + b"x" * 1_000_000 + b"</t></si>"
    parts["xl/sharedStrings.xml"] = [b"<sst>", *[word] * 1_500, b"</sst>"]
    return zipped(parts)


def packed():
    made = io.BytesIO()
    with gzip.open(made, "wb", 9) as stream:
        for _ in range(3_000):
            stream.write(b"A;" + b"x" * 1_000_000 + b"\n")
    return made.getvalue()


def attributes():
    names = " ".join(f'a{n}="{n}"' for n in range(300_000))
    return f"<items><item {names}/><item a1='2'/><item a1='3'/></items>".encode()


def includes():
    one = b'<item><n>1</n><xi:include href="/etc/passwd" parse="text"/></item>'
    return b'<items xmlns:xi="http://www.w3.org/2001/XInclude">' + one * 100_000 + b"</items>"


def noise(seed):
    """Without zero bytes, by which others are known."""
    made = random.Random(seed).randbytes(400_000)
    return made.replace(b"\0", b"\x01")


HOSTILE = {
    "words.xlsx": (workbook_of_words, "refused The texts of the workbook unpack"),
    "packed.csv.gz": (packed, "refused The file unpacks to more"),
    "members.zip": (lambda: zipped({f"{n}.csv": [b"a;b\n1;2\n"] for n in range(20_000)}),
                    "refused The archive holds 20,000 files"),
    "nothing.zip": (lambda: zipped({"inner.zip": [zipped({})]}), "refused The archive holds no"),
    "attributes.xml": (attributes, ("refused", "rows")),
    "includes.xml": (includes, "rows 100000"),
    "quotes.csv": (lambda: b"a;b\n" + b'"' * 20_000_000, ("refused", "rows")),
    "noise-1.csv": (lambda: noise(1), "refused"),
    "noise-2.csv": (lambda: noise(2), "refused"),
    "noise-3.csv": (lambda: noise(3), "refused"),
}  # fmt: skip


@pytest.mark.parametrize("name", HOSTILE)
def test_a_hostile_file_is_bounded(name, tmp_path):
    make, said = HOSTILE[name]
    file = tmp_path / name
    file.write_bytes(make())
    done = subprocess.run(
        [sys.executable, "-c", READ, str(file)],
        capture_output=True, text=True, timeout=SECONDS, check=False,
    )  # fmt: skip
    assert done.returncode == 0, done.stderr[-500:]
    told, used = done.stdout.strip().rsplit("\n", 1)
    assert told.startswith(said) and int(used) < MEGABYTES, (told, used)
