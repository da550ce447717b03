"""24-bit little-endian samples as bytes and as arrays, bit for bit."""

import numpy as np
from numpy.typing import NDArray

BYTES_A_SAMPLE = 3
FULL_SCALE = 1 << 23


def to_integers(pcm: bytes | memoryview) -> NDArray[np.int32]:
    """Packed s24le bytes as int32 in -2**23 .. 2**23-1, shape (n,).

    Raises:
        ValueError: when the bytes are no whole number of samples.
    """
    if len(pcm) % BYTES_A_SAMPLE:
        raise ValueError(f"{len(pcm)} bytes are no whole number of 24-bit samples")
    packed = np.frombuffer(pcm, dtype=np.uint8).reshape(-1, BYTES_A_SAMPLE)
    wide = np.zeros((len(packed), 4), dtype=np.uint8)
    wide[:, 1:] = packed
    shifted: NDArray[np.int32] = wide.view("<i4").reshape(-1) >> 8
    return shifted


def from_integers(samples: NDArray[np.int32]) -> bytes:
    """int32 in 24-bit range, shape (n,), as packed s24le bytes."""
    wide = np.ascontiguousarray(samples, dtype="<i4").view(np.uint8).reshape(-1, 4)
    return wide[:, :BYTES_A_SAMPLE].tobytes()


def to_floats(samples: NDArray[np.int32]) -> NDArray[np.float32]:
    """24-bit integers as float32 in [-1, 1)."""
    return (samples.astype(np.float64) / FULL_SCALE).astype(np.float32)


def from_floats(samples: NDArray[np.floating]) -> NDArray[np.int32]:
    """Floats as 24-bit integers, rounded to nearest and clipped at full scale."""
    scaled = np.rint(np.asarray(samples, dtype=np.float64) * FULL_SCALE)
    return np.clip(scaled, -FULL_SCALE, FULL_SCALE - 1).astype(np.int32)
