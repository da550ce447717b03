"""Paragraphs into lines."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from fendo_core.script.splitting import sentences, split

words = st.lists(
    st.text(st.characters(categories=["Lu", "Ll", "Nd"], include_characters=".,;:!?–…'"), min_size=1, max_size=14),
    max_size=80,
)


@given(words, st.integers(20, 300))
def test_no_word_is_lost_and_no_line_is_longer_than_told(found, longest):
    text = " ".join(found)
    lines = split(text, longest)
    assert " ".join(lines) == " ".join(text.split())
    for line in lines:
        assert line == line.strip() and (len(line) <= longest or " " not in line)


@pytest.mark.parametrize(
    ("text", "count"),
    [
        ("Dr. Tull met Mrs. Orsey at 10.30 a.m. on the quay. They spoke.", 2),
        ("It cost 3.5 million. Nobody paid.", 2),
        ("In the spring of 1911. Then nothing.", 2),
        ("He wrote No. 7 twice. J. R. Marsh read it.", 2),
        ("“Listen!” she said. He did… and left. Why? Nobody knows.", 4),
        ("Wood, water, weight, e.g. elm. End.", 2),
        ("Am 3. Mai kam die Flut. Sie blieb.", 2),
        ("No stop at all", 1),
        ("", 0),
    ],
)
def test_sentences_end_where_they_do(text, count):
    assert len(sentences(text)) == count


def test_a_long_sentence_is_parted_between_its_clauses():
    text = (
        "The sea comes up the creek twice a day, fills the pond behind the wall, and waits there; when it falls again, "
        "the keeper lifts one oak board and the wheel remembers what to do."
    )
    assert split(text, 120) == [
        "The sea comes up the creek twice a day, fills the pond behind the wall, and waits there;",
        "when it falls again, the keeper lifts one oak board and the wheel remembers what to do.",
    ]
    assert split("Short one. Another. " * 3, 45) == ["Short one. Another. Short one. Another.", "Short one. Another."]
    plain = "the miller took the grain and his son took the flour but nobody took the time to write it down"
    assert all(line.split()[0] in ("the", "and", "but", "nobody", "to") for line in split(plain, 50))
    with pytest.raises(ValueError, match="fewer than"):
        split("x", 5)
