"""What is asked of a person while a file is read, what they chose, and what they should look at."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from fendo_core.script.lines import MOST_LINES


class ScriptRefused(ValueError):
    """A file no script can be made of; the message says why and what to do."""


NOTES_OR_WORDS = (("notes", "notes for the reader"), ("words", "words"))
OUT_OR_LINES = (("out", "left out"), ("lines", "lines"))
OUT_OR_READ = (("out", "left out"), ("in", "read"))
NUMBERS_OR_WORDS = (("out", "numbers, not read"), ("words", "words"))


@dataclass(frozen=True, slots=True)
class Question:
    """Something that the file does not say by itself.

    Attributes:
        key: what it is about; a choice is given back under it.
        label: the question, short, as it stands before the choices.
        options: what may be chosen: (value, in words).
        chosen: the value that was taken: the person's choice, else the likeliest.
    """

    key: str
    label: str
    options: tuple[tuple[str, str], ...]
    chosen: str


@dataclass(slots=True)
class Inquiry:
    """One reading of a file: choices go in, questions and doubts come out."""

    choices: Mapping[str, str] = field(default_factory=dict)
    language: str = ""
    """In which the words are going to be read, by the phoneme library's codes; empty: not known."""
    questions: list[Question] = field(default_factory=list)
    doubts: list[str] = field(default_factory=list)

    def ask(self, key: str, label: str, options: Sequence[tuple[str, str]], likeliest: str) -> str:
        """The choice for a question, else its likeliest answer; asked once, it keeps its answer."""
        for question in self.questions:
            if question.key == key:
                return question.chosen
        chosen = self.choices.get(key, likeliest)
        if chosen not in {value for value, _ in options}:
            chosen = likeliest
        self.questions.append(Question(key, label, tuple(options), chosen))
        return chosen

    def doubt(self, said: str) -> None:
        """Say something that a person should look at; the same is said once."""
        if said not in self.doubts:
            self.doubts.append(said)


def enough(lines: int) -> None:
    """Refuse more lines than a production holds, before they are looked at closely.

    Raises:
        ScriptRefused: when there are more.
    """
    if lines > MOST_LINES:
        raise ScriptRefused(
            f"This file makes more than {MOST_LINES:,} lines; a production holds at most as many. Bring it in in parts."
        )


def counted(number: int, one: str, many: str) -> str:
    """A number with its noun."""
    return f"{number:,} {one if number == 1 else many}"
