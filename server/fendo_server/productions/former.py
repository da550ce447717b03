"""Rows as versions before this one wrote them, in today's words."""

from typing import Any

BEDS = {"lowered": "ducked", "kept": "full", "silent": "muted"}
"""How a clip's sound, or a laid one, was said to be heard under a voice, and how that is called now."""


def in_todays_words(rows: dict[str, Any]) -> dict[str, Any]:
    """Rows of a record or of a change; those of the reel said *piece* for clip, and *heard* for bed."""
    told: dict[str, Any] = {}
    for key, row in rows.items():
        kind, colon, name = key.partition(":")
        if kind in ("piece", "clip", "sound") and isinstance(row, dict) and "heard" in row:
            row = {**row, "bed": BEDS.get(row["heard"], row["heard"])}
            del row["heard"]
        elif kind == "reel" and isinstance(row, dict) and "pieces" in row:
            row = {**{name: value for name, value in row.items() if name != "pieces"}, "clips": row["pieces"]}
        told[f"{'clip' if kind == 'piece' else kind}{colon}{name}"] = row
    return told
