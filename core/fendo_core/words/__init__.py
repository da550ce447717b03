"""What was said: the words of a text found in a reading, and what a reading left out, said again, or put in."""

from fendo_core.words.check import MARKS, Mark, ReadCheck, Word, faults, read_check, remarks
from fendo_core.words.listener import LISTENS, Listener
from fendo_core.words.text import Spoken, spoken_words

__all__ = [
    "LISTENS",
    "MARKS",
    "Listener",
    "Mark",
    "ReadCheck",
    "Spoken",
    "Word",
    "faults",
    "read_check",
    "remarks",
    "spoken_words",
]
