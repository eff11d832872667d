"""The engine as a whole process: feed in, filled and checked products out, CSV to CSV."""

from __future__ import annotations

import sys
from pathlib import Path

from bench.job import BUNDLE, SCHEMA
from nomotax.core.writing.tables import write_lazily
from nomotax.flows.map_file import in_store_writing, map_file


def main() -> None:
    feed, out = Path(sys.argv[1]), Path(sys.argv[2])
    mapped = map_file(feed, BUNDLE, SCHEMA)
    assert mapped.accounted
    with out.open("wb") as stream:
        write_lazily(in_store_writing(mapped.products, SCHEMA), stream, "csv")
    print(mapped.counts)


if __name__ == "__main__":
    main()
