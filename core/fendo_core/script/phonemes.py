"""Texts as phonemes, by the espeak-ng library in processes of its own.

The library is foreign code on foreign text: some texts end the process that it runs in, or keep it for ever. So it runs in
one that may die, with limits of memory and time; what killed it is told apart, and never costs its caller more than that.
"""

import logging
import threading
from collections.abc import Iterable
from concurrent.futures import ThreadPoolExecutor
from itertools import chain, islice
from queue import LifoQueue
from typing import Any

from fendo_core.helper import Helper, serve

log = logging.getLogger("fendo.phonemes")

_MEMORY = 1 << 30
_PATIENCE, _A_LETTER = 2.0, 0.002
"""Seconds that an answer may take: at least, and for each letter."""
_MOST_DEATHS = 6
"""After so many deaths over one batch the rest of it is given up: it was made to do that."""
_BATCH = 200
"""Texts in one request."""


class Phonemes:
    """The processes, and what they could not say. A second one is begun where there is much to say."""

    def __init__(self) -> None:
        self._helpers = [Helper("fendo_core.script.phonemes", _MEMORY) for _ in range(2)]
        self._free: LifoQueue[Helper] = LifoQueue()
        for helper in reversed(self._helpers):
            self._free.put(helper)
        self._missing = False
        self._lock = threading.Lock()

    def of(self, rows: Iterable[str], language: str) -> list[str | None]:
        """Each row as phones with `_` between them and blanks between words; None for a row that can't be spoken out.

        Args:
            rows: texts without line ends; those that follow are taken while the first are said.
            language: one of the library's codes.
        """
        with self._lock:
            deaths, left = _Deaths(), iter(rows)
            first = list(islice(left, _BATCH))
            if len(first) < _BATCH:
                return self._of(first, language, deaths)
            more = iter(lambda: list(islice(left, _BATCH)), [])
            with ThreadPoolExecutor(len(self._helpers)) as pool:
                said = pool.map(lambda batch: self._of(batch, language, deaths), chain([first], more))
                return [row for batch in said for row in batch]

    def _of(self, rows: list[str], language: str, deaths: "_Deaths") -> list[str | None]:
        if self._missing or deaths.count >= _MOST_DEATHS:
            return [None] * len(rows)
        answer = self._ask(rows, language)
        if answer is not None:
            return answer
        deaths.count += not self._missing
        if len(rows) == 1:
            if not self._missing:
                log.warning("a text of %d letters can't be spoken out in %s", len(rows[0]), language)
            return [None]
        half = len(rows) // 2
        return [*self._of(rows[:half], language, deaths), *self._of(rows[half:], language, deaths)]

    def _ask(self, rows: list[str], language: str) -> list[str | None] | None:
        """One request; None when the process died over it, or is not to be had."""
        helper = self._free.get()
        try:
            found = helper.ask([language, rows], _PATIENCE + _A_LETTER * sum(map(len, rows)))
        finally:
            self._free.put(helper)
        if found is None:
            return None
        if found == "missing":
            self._missing = True
            return None
        return list(found) if isinstance(found, list) and len(found) == len(rows) else [None] * len(rows)

    def close(self) -> None:
        """End the processes."""
        for helper in self._helpers:
            helper.close()


class _Deaths:
    """How often the process died over one batch."""

    count = 0


def main() -> None:
    """The process: [language, rows] is answered by the rows as phones, or by "missing" without the library."""
    try:
        from phonemizer.backend import EspeakBackend
        from phonemizer.separator import Separator
    except ImportError:
        return serve(lambda request: "missing")
    backends: dict[str, Any] = {}
    separator, quiet = Separator(phone="_", word=" "), logging.getLogger("quiet")
    quiet.setLevel(logging.CRITICAL)

    def spoken(request: tuple[str, list[str]]) -> list[str] | str:
        language, rows = request
        try:
            if language not in backends:
                more = {"language_switch": "remove-flags", "words_mismatch": "ignore", "logger": quiet}
                backends[language] = EspeakBackend(language, **more)
        except (RuntimeError, OSError):
            return "missing"
        found = backends[language].phonemize(rows, separator=separator, strip=True)
        if len(found) == len(rows):
            return list(found)
        # The library drops rows that it finds empty.
        return ["".join(backends[language].phonemize([row], separator=separator, strip=True)) for row in rows]

    serve(spoken)
