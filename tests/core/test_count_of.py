"""A count and its word agree."""

import pytest

from upwelling.core.count_of import count_of


@pytest.mark.parametrize(
    ("count", "words", "said"),
    [
        (0, ("file",), "0 files"),
        (1, ("file",), "1 file"),
        (2, ("file",), "2 files"),
        (1, ("match", "matches"), "1 match"),
        (3, ("match", "matches"), "3 matches"),
    ],
)
def test_words_agree(count, words, said):
    assert count_of(count, *words) == said
