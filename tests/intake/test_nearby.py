"""Files that lie nearby, asked for by many at once."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from tempfile import mkdtemp
from threading import Lock

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from nomotax.artifacts.nearby import Nearby

SIZE = 10


class Bucket:
    """Files of so many bytes each; counts what is fetched, and may break off."""

    def __init__(self, broken=()):
        self.fetched, self.broken, self._lock = [], set(broken), Lock()

    def get_file(self, path, to):
        with self._lock:
            self.fetched.append(path)
        data = path.encode() * SIZE
        if path in self.broken:
            Path(to).write_bytes(data[:3])
            raise OSError("the connection broke")
        Path(to).write_bytes(data)


@given(st.lists(st.sampled_from("abcdef"), max_size=30), st.integers(1, 6))
@settings(suppress_health_check=[HealthCheck.function_scoped_fixture])
def test_the_folder_holds_no_more_than_it_may_and_each_file_is_whole(tmp_path, asked, room):
    """And one that was just asked for is there the next time without being fetched."""
    folder = Path(mkdtemp(dir=tmp_path))
    bucket = Bucket()
    near = Nearby(bucket, folder, room * SIZE)
    for path in asked:
        assert near.file(path).read_bytes() == path.encode() * SIZE
        before = len(bucket.fetched)
        assert near.file(path).exists() and len(bucket.fetched) == before
        assert sum(one.stat().st_size for one in folder.iterdir()) <= room * SIZE
    assert not [one for one in folder.iterdir() if one.suffix == ".part"] if asked else True


def test_many_who_ask_at_once_have_the_same_whole_file(tmp_path):
    bucket = Bucket()
    near = [Nearby(bucket, tmp_path / "near", 1000) for _ in range(4)]
    with ThreadPoolExecutor(8) as pool:
        found = list(pool.map(lambda n: near[n % 4].file("ab"[n % 2]).read_bytes(), range(64)))
    assert found == [b"ab"[n % 2 : n % 2 + 1] * SIZE for n in range(64)]
    assert len(list((tmp_path / "near").iterdir())) == 2


def test_one_that_breaks_off_leaves_nothing_and_is_fetched_again(tmp_path):
    bucket = Bucket(broken="a")
    near = Nearby(bucket, tmp_path / "near", 1000)
    with pytest.raises(OSError, match="broke"):
        near.file("a")
    assert list((tmp_path / "near").iterdir()) == []
    bucket.broken.clear()
    assert near.file("a").read_bytes() == b"a" * SIZE
