"""Lists of decisions: what goes out comes in as it was, whoever saved it in between."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from nomotax.core.errors import UnreadableFile
from nomotax.core.lookups.decided import read_places, read_words, write_decided

words = st.text(st.characters(exclude_categories=("Cs", "Cc")), min_size=1, max_size=12)
words = words.map(str.strip).filter(bool)


@given(st.dictionaries(words, st.one_of(st.just(""), words)))
def test_what_goes_out_comes_in(decided):
    assert read_words(write_decided(decided)) == decided


@given(st.dictionaries(words, st.sampled_from(["", "Dogs", "Dogs > Beds"])))
def test_placements_too(decided):
    assert read_places(write_decided(decided), {"Dogs", "Dogs > Beds"}) == decided


@pytest.mark.parametrize("cut", [",", ";", "\t"])
def test_a_spreadsheet_may_cut_by_another_sign_and_change_the_order(cut):
    text = f"Store{cut}note{cut}arriving\nRed{cut}{cut}rouge\n{cut}{cut}\n"
    with pytest.raises(UnreadableFile, match="no column 'store'"):
        read_words(text.encode())
    assert read_words(text.lower().encode()) == {"rouge": "red"}


@pytest.mark.parametrize(
    ("text", "where"),
    [
        ("arriving,store\na,b\n,c\n", "line 3"),
        ("arriving,store\na,b,c\n", "line 2"),
        ("a,b\n", "line 1"),
        ("", "line 1"),
    ],
)
def test_what_is_no_list_says_where(text, where):
    with pytest.raises(UnreadableFile) as refused:
        read_words(text.encode())
    assert refused.value.where == where and refused.value.remedy


def test_bytes_of_another_encoding_are_refused():
    with pytest.raises(UnreadableFile, match="no list of placements"):
        read_places("arriving,store\nMöbel,Dogs\n".encode("cp1252"), {"Dogs"})
