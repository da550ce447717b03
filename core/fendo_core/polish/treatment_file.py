"""A treatment as a file of its own, to be put away or given to somebody: JSON with a version."""

import json
from typing import Any

from fendo_core.polish.edits import checked
from fendo_core.production.refusal import EditRefused
from fendo_core.voice.chain import Chain, Stage

KIND, VERSION = "fendo treatment", 1
LARGEST = 64_000
"""Bytes."""
_NO = "This is no treatment that was put away by Fendo. Nothing was changed; choose a file that ends in .treatment.json."


def as_file(chain: Chain) -> bytes:
    """The file's bytes."""
    row = {"kind": KIND, "version": VERSION, **chain.as_row()}
    return json.dumps(row, indent=2, ensure_ascii=False).encode() + b"\n"


def of_file(data: bytes) -> Chain:
    """The treatment in a file.

    Raises:
        EditRefused: when it is no such file, one of a later version, or its numbers are out of their bounds.
    """
    if len(data) > LARGEST:
        raise EditRefused(_NO)
    try:
        row = json.loads(data)
    except (ValueError, RecursionError) as error:
        raise EditRefused(_NO) from error
    if not isinstance(row, dict) or row.get("kind") != KIND or not isinstance(row.get("name"), str):
        raise EditRefused(_NO)
    if row.get("version") != VERSION:
        raise EditRefused(f"This treatment is of version {row.get('version')!r:.20}, and version {VERSION} is known here.")
    stages = row.get("stages")
    if not isinstance(stages, list):
        raise EditRefused(_NO)
    return checked(Chain(row["name"], tuple(_stage(one) for one in stages)))


def _stage(row: Any) -> Stage:
    settings = row.get("settings") if isinstance(row, dict) else None
    if not isinstance(settings, dict) or not isinstance(row.get("kind"), str) or not isinstance(row.get("on"), bool):
        raise EditRefused(_NO)
    if any(isinstance(value, bool) or not isinstance(value, int | float) for value in settings.values()):
        raise EditRefused(_NO)
    return Stage(row["kind"], row["on"], {str(name): float(value) for name, value in settings.items()})
