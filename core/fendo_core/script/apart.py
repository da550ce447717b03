"""A script file read in a process of its own, with limits of memory and time.

What a file costs is known only when it was read: a table of a million columns or a document that unpacks without end takes
this process with it, and nothing else.
"""

import json
import subprocess
import sys
from collections.abc import Mapping
from fractions import Fraction
from pathlib import Path
from typing import Any

from fendo_core.script.intake import Columns, Intake, Question, ScriptRefused, read_script
from fendo_core.script.lines import Draft
from fendo_core.timebase import FrameRate, Span

MEMORY = 1 << 30
"""Bytes of address space, the interpreter's own among them."""
CPU_SECONDS, PATIENCE = 10, 30.0
_TOO_MUCH = (
    "Reading this file takes more time or memory than a script needs, so it was given up. Nothing was changed. "
    "Save it as plain text or CSV, or bring it in in parts."
)


def read_script_apart(
    name: str,
    data: bytes,
    rate: FrameRate,
    start_frame: int = 0,
    columns: Columns | None = None,
    longest: int | None = None,
    choices: Mapping[str, str] | None = None,
    language: str = "",
) -> Intake:
    """What `read_script` makes of a file, at a cost that is bounded.

    Raises:
        ScriptRefused: for what is no script, too large, empty, or too costly to read.
    """
    asked = {
        "name": name,
        "rate": [rate.fps.numerator, rate.fps.denominator, rate.drop],
        "start_frame": start_frame,
        "columns": columns,
        "longest": longest,
        "choices": dict(choices or {}),
        "language": language,
    }
    limits = [f"--as={MEMORY}", f"--cpu={CPU_SECONDS}", "--core=0", "--nofile=64", "--fsize=0"]
    start = f"import sys; sys.path.insert(0, {str(Path(__file__).parents[2])!r}); "
    command = [
        "prlimit",
        *limits,
        "--",
        sys.executable,
        "-I",
        "-c",
        f"{start}from fendo_core.script.apart import main; main()",
    ]
    try:
        # What the reading complains of would be words of somebody's script.
        done = subprocess.run(
            command,
            input=json.dumps(asked).encode() + b"\n" + data,
            stdout=subprocess.PIPE,
            stderr=subprocess.DEVNULL,
            timeout=PATIENCE,
            check=False,
        )
        found = json.loads(done.stdout) if done.returncode == 0 else None
    except (subprocess.TimeoutExpired, ValueError) as error:
        raise ScriptRefused(_TOO_MUCH) from error
    if found is None:
        raise ScriptRefused(_TOO_MUCH)
    if "refused" in found:
        raise ScriptRefused(found["refused"])
    return _of_row(found)


def main() -> None:
    """The process: a line that says what is asked, then the file; answers with one line."""
    asked = json.loads(sys.stdin.buffer.readline())
    above, below, drop = asked["rate"]
    columns = asked["columns"]
    try:
        found = read_script(
            asked["name"],
            sys.stdin.buffer.read(),
            FrameRate(Fraction(above, below), drop),
            asked["start_frame"],
            Columns(*columns) if columns else None,
            asked["longest"],
            asked["choices"],
            asked["language"],
        )
    except ScriptRefused as error:
        answer: dict[str, Any] = {"refused": str(error)}
    else:
        answer = _as_row(found)
    sys.stdout.write(json.dumps(answer))


def _as_row(found: Intake) -> dict[str, Any]:
    return {
        "kind": found.kind,
        "encoding": found.encoding,
        "drafts": [
            [each.text, [each.slot.start, each.slot.end] if each.slot else None, each.notes, each.reader, each.page]
            for each in found.drafts
        ],
        "doubts": found.doubts,
        "questions": [[each.key, each.label, each.options, each.chosen] for each in found.questions],
        "header": found.header,
        "columns": found.columns,
    }


def _of_row(row: dict[str, Any]) -> Intake:
    drafts = (Draft(text, Span(*slot) if slot else None, *more) for text, slot, *more in row["drafts"])
    questions = (
        Question(key, label, tuple((value, said) for value, said in options), chosen)
        for key, label, options, chosen in row["questions"]
    )
    return Intake(
        row["kind"],
        row["encoding"],
        tuple(drafts),
        tuple(row["doubts"]),
        tuple(questions),
        tuple(row["header"]),
        Columns(*row["columns"]),
    )
