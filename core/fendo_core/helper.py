"""A process of its own for foreign code on foreign input: it may die or never answer, and costs its caller no more.

It is begun when it is first needed, and again after it died. A request is a line of JSON, and so is its answer.
"""

import contextlib
import json
import subprocess
import sys
import threading
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

_STARTING = 20.0
"""Seconds more for the first answer: the process reads its libraries."""


class Helper:
    """The process that `main` of a module of the core is run in.

    Args:
        module: its name; its `main` calls `serve`.
        memory: bytes of address space.
        before: a program that starts it, with its arguments (`nice`).
    """

    def __init__(self, module: str, memory: int, cpu_seconds: int = 3_600, before: Sequence[str] = ()) -> None:
        limits = [f"--as={memory}", f"--cpu={cpu_seconds}", "--core=0", "--nofile=64", "--fsize=67108864"]
        start = f"import sys; sys.path.insert(0, {str(Path(__file__).parents[1])!r}); from {module} import main; main()"
        self._command = [*before, "prlimit", *limits, "--", sys.executable, "-I", "-c", start]
        self._process: subprocess.Popen[str] | None = None
        self._lock = threading.Lock()

    def ask(self, request: Any, patience: float) -> Any | None:
        """The answer; None when the process died over it, is not to be had, or took more than `patience` seconds."""
        with self._lock:
            if self._process is None:
                self._process, patience = self._begin(), patience + _STARTING
            process = self._process
            if process is None:
                return None
            assert process.stdin and process.stdout
            limit = threading.Timer(patience, process.kill)
            limit.start()
            try:
                process.stdin.write(json.dumps(request) + "\n")
                process.stdin.flush()
                return json.loads(process.stdout.readline())
            except (OSError, ValueError):
                self._end()
                return None
            finally:
                limit.cancel()

    def _begin(self) -> "subprocess.Popen[str] | None":
        try:
            # What a library prints would be the words of somebody's script.
            return subprocess.Popen(
                self._command, stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True
            )
        except OSError:
            return None

    def close(self) -> None:
        """End the process."""
        with self._lock:
            self._end()

    def _end(self) -> None:
        process, self._process = self._process, None
        if process:
            process.kill()
            with contextlib.suppress(OSError):
                process.communicate()


def serve(answer: Callable[[Any], Any]) -> None:
    """In the process: a request a line, an answer a line, until its caller is gone."""
    # What libraries print goes nowhere: standard output is for answers.
    answers = sys.stdout
    sys.stdout = sys.stderr
    for request in sys.stdin:
        print(json.dumps(answer(json.loads(request))), file=answers, flush=True)
