"""Texts as phonemes, by the espeak-ng library in a process of its own.

The library is foreign code on foreign text: some texts end the process that it runs in, or keep it for ever. So it runs in
one that may die, with limits of memory and time; what killed it is told apart, and never costs its caller more than that.
"""

import contextlib
import json
import logging
import subprocess
import sys
import threading
from collections.abc import Sequence
from pathlib import Path
from typing import Any

log = logging.getLogger("fendo.phonemes")

_MEMORY = 1 << 30
_CPU_SECONDS = 3_600
_STARTING = 20.0
_PATIENCE, _A_LETTER = 2.0, 0.002
"""Seconds that an answer may take: at least, and for each letter."""
_MOST_DEATHS = 6
"""After so many deaths over one batch the rest of it is given up: it was made to do that."""
_BATCH = 200
"""Texts in one request."""


class Phonemes:
    """The process, begun when it is first needed and again after it died."""

    def __init__(self) -> None:
        self._process: subprocess.Popen[str] | None = None
        self._missing = False
        self._lock = threading.Lock()

    def of(self, rows: Sequence[str], language: str) -> list[str | None]:
        """Each row as phones with `_` between them and blanks between words; None for a row that can't be spoken out.

        Args:
            rows: texts without line ends.
        """
        with self._lock:
            found: list[str | None] = []
            deaths = _Deaths()
            for first in range(0, len(rows), _BATCH):
                found += self._of(list(rows[first : first + _BATCH]), language, deaths)
            return found

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
        patience = _PATIENCE + _A_LETTER * sum(map(len, rows))
        if self._process is None:
            self._process, patience = self._begin(), patience + _STARTING
        process = self._process
        if process is None:
            return None
        assert process.stdin and process.stdout
        limit = threading.Timer(patience, process.kill)
        limit.start()
        try:
            process.stdin.write(json.dumps([language, rows]) + "\n")
            process.stdin.flush()
            found = json.loads(process.stdout.readline())
        except (OSError, ValueError):
            self.close()
            return None
        finally:
            limit.cancel()
        if found == "missing":
            self._missing = True
            return None
        return list(found) if isinstance(found, list) and len(found) == len(rows) else [None] * len(rows)

    @staticmethod
    def _begin() -> "subprocess.Popen[str] | None":
        limits = [f"--as={_MEMORY}", f"--cpu={_CPU_SECONDS}", "--core=0", "--nofile=64", "--fsize=67108864"]
        start = (
            f"import sys; sys.path.insert(0, {str(Path(__file__).parents[2])!r}); "
            "from fendo_core.script.phonemes import main; main()"
        )
        command = ["prlimit", *limits, "--", sys.executable, "-I", "-c", start]
        try:
            # The library's own words would be the texts of somebody's script.
            return subprocess.Popen(
                command, stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True
            )
        except OSError:
            return None

    def close(self) -> None:
        """End the process."""
        process, self._process = self._process, None
        if process:
            process.kill()
            with contextlib.suppress(OSError):
                process.communicate()


class _Deaths:
    """How often the process died over one batch."""

    count = 0


def main() -> None:
    """The process: a request a line, an answer a line."""
    # What the library prints goes nowhere: standard output is for answers.
    answers = sys.stdout
    sys.stdout = sys.stderr
    try:
        from phonemizer.backend import EspeakBackend
        from phonemizer.separator import Separator
    except ImportError:
        print('"missing"', file=answers, flush=True)
        return
    backends: dict[str, Any] = {}
    separator, quiet = Separator(phone="_", word=" "), logging.getLogger("quiet")
    quiet.setLevel(logging.CRITICAL)
    for request in sys.stdin:
        language, rows = json.loads(request)
        try:
            if language not in backends:
                more = {"language_switch": "remove-flags", "words_mismatch": "ignore", "logger": quiet}
                backends[language] = EspeakBackend(language, **more)
        except (RuntimeError, OSError):
            print('"missing"', file=answers, flush=True)
            continue
        spoken = backends[language].phonemize(rows, separator=separator, strip=True)
        if len(spoken) != len(rows):
            # The library drops rows that it finds empty.
            spoken = ["".join(backends[language].phonemize([row], separator=separator, strip=True)) for row in rows]
        print(json.dumps(spoken), file=answers, flush=True)
