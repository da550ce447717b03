"""Finding takes among everything that was ever read."""

import re
import unicodedata
from calendar import month_name
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date


@dataclass(frozen=True, slots=True)
class Described:
    """What can be looked for in a take: each text by itself, in words that people use."""

    words: str
    line: str
    number: int
    reader: str
    folder: str
    file: str
    made: date
    mark: str = ""
    note: str = ""
    aside: bool = False
    picked: bool = False

    @property
    def text(self) -> str:
        """All of it, folded: small letters without accents."""
        day = f"{self.made.isoformat()} {self.made.day} {month_name[self.made.month]} {self.made.year}"
        state = f"{self.mark} {'set aside' if self.aside else ''} {'picked' if self.picked else ''}"
        named = f"line {self.line} take {self.number}"
        return folded(f"{self.words}\n{named}\n{self.reader}\n{self.folder}\n{self.file}\n{day}\n{state}\n{self.note}")


def folded(text: str) -> str:
    """Small letters without accents, for comparing."""
    apart = unicodedata.normalize("NFKD", text.casefold())
    return "".join(c for c in apart if not unicodedata.combining(c))


def wanted(query: str) -> tuple[str, ...]:
    """What must all be there: words one by one, and what stands in quotation marks as it is."""
    parts = re.findall(r'["“”„]([^"“”„]+)["“”„]|(\S+)', query)
    return tuple(folded(quoted.strip() or word) for quoted, word in parts if (quoted.strip() or word))


def matches(parts: Iterable[str], take: Described) -> bool:
    """Whether a take holds all that is looked for; each part begins where a word does."""
    text = take.text
    return all(re.search(rf"(?<!\w){re.escape(part)}", text) for part in parts)
