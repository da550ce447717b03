"""A take's clock map: where the samples of the microphone lie against the samples of the programme.

What the reader answered to was heard `output_latency` after it was scheduled, and the answer arrived `input_latency`
after it was said. So the microphone sample captured at context frame c answers the programme of frame
c - output_latency - input_latency.
"""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any


@dataclass(frozen=True, slots=True)
class ClockMap:
    """All in samples (frames of the audio context and samples of the programme run at the same 48 kHz).

    Attributes:
        capture_frame: context frame of the first recorded sample.
        transport_frame: a context frame at which the transport was scheduled to be at `transport_position`.
        transport_position: programme sample of that moment; may be negative in a pre-roll before the beginning.
        output_latency: from schedule to ear.
        input_latency: from mouth to label.
        source: where the latencies come from: "none" (simulated), "browser" (its own figures), "measured" (a loop test).
        gaps: places in the recording, (sample, missing samples), that the capture found missing and filled with silence.
    """

    capture_frame: int
    transport_frame: int
    transport_position: int
    output_latency: int = 0
    input_latency: int = 0
    source: str = "browser"
    gaps: tuple[tuple[int, int], ...] = ()

    def __post_init__(self) -> None:
        if self.output_latency < 0 or self.input_latency < 0:
            raise ValueError("a latency can't be negative")
        if self.source not in ("none", "browser", "measured"):
            raise ValueError(f"latencies come from none, browser or measured, not {self.source!r}")

    @property
    def start(self) -> int:
        """Programme sample of the take's first sample."""
        return (
            self.transport_position + (self.capture_frame - self.transport_frame) - self.output_latency - self.input_latency
        )

    def programme_position(self, sample: int) -> int:
        """Programme sample of the take's sample `sample`."""
        return self.start + sample

    @classmethod
    def from_log(cls, log: Mapping[str, Any]) -> "ClockMap":
        """From what the browser logged.

        Raises:
            ValueError: when something is missing or no whole number.
        """
        try:
            return cls(
                capture_frame=int(log["capture_frame"]),
                transport_frame=int(log["transport_frame"]),
                transport_position=int(log["transport_position"]),
                output_latency=int(log.get("output_latency", 0)),
                input_latency=int(log.get("input_latency", 0)),
                source=str(log.get("source", "browser")),
                gaps=tuple((int(at), int(missing)) for at, missing in log.get("gaps", ())),
            )
        except (KeyError, TypeError) as error:
            raise ValueError(f"the clock log of the take is incomplete: {error}") from error
