"""What was heard of lines' words, by recording: read once for several readings of a line."""

from collections.abc import Collection
from dataclasses import dataclass, field
from typing import Any

from fendo_core.words import ReadCheck
from fendo_server.takes.models import Take


@dataclass
class LineWords:
    """The words of a line as they were read last, and what was heard of them, by recording and in its samples. Takes that
    were read with other words are left out: their ordinals mean other words."""

    text: str = ""
    checks: dict[str, ReadCheck] = field(default_factory=dict)


def words_of(lines: Collection[Any]) -> dict[str, LineWords]:
    """What was heard, by line."""
    found: dict[str, LineWords] = {}
    rows = Take.objects.filter(line__in=list(lines), read__has_key="words").order_by("-number")
    for take in rows.values_list("line_id", "recording_id", "words", "read", named=True):
        known = found.setdefault(str(take.line_id), LineWords(take.words))
        if take.words != known.text:
            continue
        check, key = ReadCheck.from_row(take.read or {}), str(take.recording_id)
        # Of a pass that was cut, several takes of a line may be stretches of one recording.
        before = known.checks.get(key)
        known.checks[key] = ReadCheck((*before.words, *check.words)) if before else check
    return found
