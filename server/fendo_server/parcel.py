"""A folder as one download: a zip that is made while it is sent, so that nothing is kept twice."""

import io
import zipfile
from collections.abc import Iterable, Iterator
from pathlib import Path

PIECE = 256 << 10


class _Passing(io.RawIOBase):
    """Takes what is written until somebody fetches it."""

    def __init__(self) -> None:
        self._held = bytearray()

    def writable(self) -> bool:
        return True

    def write(self, data) -> int:  # type: ignore[no-untyped-def]
        self._held += data
        return len(data)

    def fetched(self) -> bytes:
        held, self._held = bytes(self._held), bytearray()
        return held


def zipped(folder: Path, names: Iterable[str], root: str) -> Iterator[bytes]:
    """The files of a folder as an uncompressed zip in which they lie below `root`, piece by piece."""
    passing = _Passing()
    with zipfile.ZipFile(passing, "w", zipfile.ZIP_STORED, allowZip64=True) as archive:
        for name in names:
            path = folder / name
            told = zipfile.ZipInfo.from_file(path, f"{root}/{name}")
            with path.open("rb") as file, archive.open(told, "w", force_zip64=True) as packed:
                while data := file.read(PIECE):
                    packed.write(data)
                    yield passing.fetched()
    yield passing.fetched()
