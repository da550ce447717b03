"""Samples out of finished recordings: the one place that reads them."""

from collections.abc import Callable, Iterable, Iterator
from functools import lru_cache
from pathlib import Path

import numpy as np

from fendo_core.audio import pcm, wav
from fendo_core.voice import Read
from fendo_server.productions.models import Production
from fendo_server.voice.models import Recording


@lru_cache(maxsize=512)
def _data_offset(path: Path, stamp: tuple[int, int]) -> tuple[int, int]:
    with path.open("rb") as file:
        found = wav.describe(file.read(wav.HEADER_BYTES))
    return found.data_offset, found.samples


def samples_of(path: Path) -> int:
    """Samples that a finished recording's file says it has."""
    return _described(path)[1]


def _described(path: Path) -> tuple[int, int]:
    """Where the samples of a file begin, and how many there are."""
    stat = path.stat()
    return _data_offset(path, (stat.st_mtime_ns, stat.st_size))


def packed(path: Path, start: int, end: int) -> bytes:
    """Samples start..end of a finished recording as they lie in its file."""
    offset, samples = _described(path)
    with path.open("rb") as file:
        file.seek(offset + start * pcm.BYTES_A_SAMPLE)
        return file.read(max(0, min(end, samples) - start) * pcm.BYTES_A_SAMPLE)


def read_sound(path: Path, start: int = 0, end: int | None = None) -> np.ndarray:
    """Samples start..end of a finished recording as float32."""
    return pcm.to_floats(pcm.to_integers(packed(path, start, samples_of(path) if end is None else end)))


def blocks_of(
    path: Path, block: int, span: tuple[int, int] | None = None, progress: Callable[[float], None] = lambda share: None
) -> Iterator[np.ndarray]:
    """The sound of a finished recording, or of a stretch of it, `block` samples at a time."""
    first, last = span or (0, samples_of(path))
    for start in range(first, last, block):
        yield read_sound(path, start, min(start + block, last))
        progress(min(1.0, (start + block - first) / (last - first)))


def reader_for(production: Production, recordings: Iterable[str]) -> Read:
    """The core's way to the samples of some recordings of this production, and of none of another."""
    found = Recording.objects.select_related("production", "folder").filter(pk__in=list(recordings), production=production)
    paths = {str(one.id): one.path for one in found}

    def read(recording: str, start: int, end: int) -> np.ndarray:
        if recording not in paths:
            raise FileNotFoundError(f"recording {recording} is not there")
        return read_sound(paths[recording], start, end)

    return read
