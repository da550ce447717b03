"""What is on the disk of a take that is being recorded."""

from collections.abc import Sequence

from fendo_core.audio import pcm, wav
from fendo_core.audio.speech import hear
from fendo_core.booth.run import WINDOW
from fendo_core.timebase import Span
from fendo_server.takes.models import Take
from fendo_server.voice.models import Recording
from fendo_server.voice.reading import samples_of


def on_disk(recording: Recording) -> int:
    """Samples of an unfinished recording that are safe."""
    try:
        return max(0, recording.part.stat().st_size - wav.HEADER_BYTES) // pcm.BYTES_A_SAMPLE
    except FileNotFoundError:
        # Closed on the disk, and then the database went away before it heard of it.
        return samples_of(recording.path) if recording.path.exists() else 0


def so_far(take: Take) -> tuple[Sequence[Span], int]:
    """Where somebody speaks in the last seconds of a take that is being recorded, and how much of it is on the disk;
    both in samples of the recording."""
    have = on_disk(take.recording)
    start = max(0, have - WINDOW)
    heard = hear(pcm.to_floats(pcm.to_integers(samples_so_far(take, start, have - start))))
    return [phrase.shifted(start) for phrase in heard.phrases], have


def samples_so_far(take: Take, start: int, most: int) -> bytes:
    """At most so many samples (s24le) of a take that is being recorded, from `start` on; none of one that is closed."""
    try:
        with take.recording.part.open("rb") as file:
            file.seek(wav.HEADER_BYTES + start * pcm.BYTES_A_SAMPLE)
            packed = file.read(most * pcm.BYTES_A_SAMPLE)
    except FileNotFoundError:
        return b""
    return packed[: len(packed) // pcm.BYTES_A_SAMPLE * pcm.BYTES_A_SAMPLE]
