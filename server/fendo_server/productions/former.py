"""Rows as versions before this one wrote them, in today's words."""

from typing import Any

BEDS = {"lowered": "ducked", "kept": "full", "silent": "muted"}
"""How a clip's sound, or a laid one, was said to be heard under a voice, and how that is called now."""


def in_todays_words(rows: dict[str, Any]) -> dict[str, Any]:
    """Rows of a record or of a change; those of the reel said *piece* for clip, and *heard* for bed."""
    told: dict[str, Any] = {}
    for key, row in rows.items():
        kind, colon, name = key.partition(":")
        if isinstance(row, dict):
            if kind in ("piece", "sound") and "heard" in row:
                row = _renamed(row, "heard", "bed") | {"bed": BEDS.get(row["heard"], row["heard"])}
            elif kind == "reel" and "pieces" in row:
                row = _renamed(row, "pieces", "clips")
        told[f"{'clip' if kind == 'piece' else kind}{colon}{name}"] = row
    return told


def _renamed(row: dict[str, Any], before: str, now: str) -> dict[str, Any]:
    return {now if name == before else name: value for name, value in row.items()}
