"""Exact frame rates, and frames against samples."""

from dataclasses import dataclass
from fractions import Fraction

import numpy as np
from numpy.typing import NDArray

from fendo_core.timebase.samples import SAMPLE_RATE


@dataclass(frozen=True, slots=True)
class FrameRate:
    """Frames a second as an exact fraction; `drop` chooses drop-frame counting (29.97 and 59.94 only).

    Frame `n` begins at n/fps seconds, which may lie between two samples. Its first sample is the first one that is
    not before that moment, so `frame_at(first_sample(n)) == n` for every n and rate.

    Raises:
        ValueError: for a rate that is not positive, or drop counting at a rate that has none.
    """

    fps: Fraction
    drop: bool = False

    def __post_init__(self) -> None:
        if self.fps <= 0:
            raise ValueError(f"a frame rate must be above 0, not {self.fps}")
        if self.drop and self.fps not in (Fraction(30000, 1001), Fraction(60000, 1001)):
            raise ValueError(f"drop-frame counting exists at 29.97 and 59.94 frames a second only, not {self.fps}")

    @property
    def nominal(self) -> int:
        """Frames counted in a timecode second: 24 for 23.976, 30 for 29.97."""
        return round(self.fps)

    def first_sample(self, frame: int) -> int:
        """First sample of frame `frame` (negative frames lie before the programme)."""
        whole = frame * SAMPLE_RATE * self.fps.denominator
        return -(-whole // self.fps.numerator)

    def first_samples(self, frames: NDArray[np.int64]) -> NDArray[np.int64]:
        """First samples of many frames, none of them beyond ten thousand million."""
        return -(-(frames * (SAMPLE_RATE * self.fps.denominator)) // self.fps.numerator)

    def frame_at(self, sample: int) -> int:
        """Number of the frame that is shown at sample `sample`."""
        return (sample * self.fps.numerator) // (SAMPLE_RATE * self.fps.denominator)

    def snap(self, sample: int) -> int:
        """First sample of the frame that is shown at `sample`."""
        return self.first_sample(self.frame_at(sample))

    def next_frame(self, sample: int) -> int:
        """First sample of the frame after the one that is shown at `sample`."""
        return self.first_sample(self.frame_at(sample) + 1)

    def nearest_frame(self, sample: int) -> int:
        """Number of the frame whose first sample is nearest; of two the earlier."""
        frame = self.frame_at(sample)
        return frame + (self.first_sample(frame + 1) - sample < sample - self.first_sample(frame))

    @property
    def text(self) -> str:
        """The rate as people write it: `25`, `23.976`, `29.97 drop`."""
        number = f"{float(self.fps):.3f}".rstrip("0").rstrip(".")
        return f"{number} drop" if self.drop else number


FRAME_RATES: tuple[FrameRate, ...] = (
    FrameRate(Fraction(24000, 1001)),
    FrameRate(Fraction(24)),
    FrameRate(Fraction(25)),
    FrameRate(Fraction(30000, 1001)),
    FrameRate(Fraction(30000, 1001), drop=True),
    FrameRate(Fraction(30)),
    FrameRate(Fraction(50)),
    FrameRate(Fraction(60000, 1001)),
    FrameRate(Fraction(60000, 1001), drop=True),
    FrameRate(Fraction(60)),
)
"""The rates a production can have."""


def nearest_rate(fps: Fraction) -> FrameRate:
    """The production rate nearest to a measured one (never drop; a phone's 29.9 becomes 29.97)."""
    return min((rate for rate in FRAME_RATES if not rate.drop), key=lambda rate: abs(rate.fps - fps))
