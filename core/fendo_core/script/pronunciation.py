"""How words of a production are said: the list, and where its words stand in a line."""

import re
from collections.abc import Mapping

from fendo_core.production.refusal import EditRefused

LONGEST_WORD, LONGEST_SAID = 60, 120
MOST_SAYINGS = 500


def set_saying(sayings: Mapping[str, tuple[str, str]], word: str, said: str) -> dict[str, tuple[str, str]]:
    """The list with a word said another way, or without it (an empty `said`).

    Args:
        sayings: (word, how it is said) by the word in small letters.

    Raises:
        EditRefused: for no word, or one too long to be one.
    """
    word, said = " ".join(word.split()), " ".join(said.split())
    if not word:
        raise EditRefused("Type the word whose pronunciation is to be kept.")
    if len(word) > LONGEST_WORD or len(said) > LONGEST_SAID:
        raise EditRefused(
            f"A word may have {LONGEST_WORD} letters and its pronunciation {LONGEST_SAID}. Nothing was changed."
        )
    kept = {key: value for key, value in sayings.items() if key != word.casefold()}
    if not said:
        return kept
    if len(kept) >= MOST_SAYINGS:
        raise EditRefused(f"The list holds {MOST_SAYINGS} words. Take one off first.")
    return {**kept, word.casefold(): (word, said)}


def hints(text: str, sayings: Mapping[str, tuple[str, str]]) -> list[tuple[int, int, str]]:
    """Where words of the list stand in a text: (first character, character after the last, how it is said), in order.

    Words are found whole, in capitals or not, with a plural or possessive s; a longer entry goes before one inside it.
    """
    if not sayings or not text:
        return []
    body = "|".join(re.escape(key).replace(r"\ ", r"\s+") for key in sorted(sayings, key=len, reverse=True))
    pattern = re.compile(rf"(?<!\w)({body})(?:['’]?s)?(?!\w)", re.IGNORECASE)
    found = []
    for match in pattern.finditer(text):
        entry = sayings.get(" ".join(match[1].casefold().split()))
        if entry:
            found.append((match.start(1), match.end(1), entry[1]))
    return found
