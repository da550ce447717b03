"""The sound of a comp, at an address that contains its key: made once, kept, and thrown away by age.

A comp of one untouched segment is not made at all: the recording's own samples go out.
"""

import io
import json
import logging
import os
import time
import uuid
import wave as wave_file
from collections.abc import Callable, Iterator
from dataclasses import asdict, dataclass, replace
from datetime import timedelta
from functools import cached_property
from pathlib import Path
from typing import Any

import numpy as np
import soundfile
from django.conf import settings
from django.db.models import Q
from django.utils import timezone

from fendo_core.audio import levels, pcm
from fendo_core.takes.measures import BLOCK, Measures, measure_blocks
from fendo_core.timebase import SAMPLE_RATE, Span
from fendo_core.voice import Comp, Read, key, render
from fendo_core.voice.chain import Chain
from fendo_core.voice.repair import Repair
from fendo_server.productions.models import Production
from fendo_server.voice import reading
from fendo_server.voice.models import Recording
from fendo_server.work import running

log = logging.getLogger("fendo")

MADE_AT_ONCE = 20 * SAMPLE_RATE
"""A comp as short as this is made in the request that asks for it; a longer one by a job."""
KEPT_DAYS = 14
"""What nobody asked for in so long is thrown away; it can be made again."""


class NotMadeYet(Exception):
    """A long comp that a job is making."""


@dataclass(frozen=True)
class Sounding:
    """A comp of a production that is to sound."""

    production: Production
    comp: Comp
    repairs: tuple[Repair, ...] = ()

    @cached_property
    def key(self) -> str:
        """The name of its sound."""
        return key(self.comp, self.repairs)

    @cached_property
    def is_plain(self) -> bool:
        """Whether the recording's own samples are its sound."""
        return self.comp.is_plain and not any(
            one.sounds and one.span.meets(each.source) and one.recording == each.recording
            for one in self.repairs
            for each in self.comp.segments
        )

    def _kept(self, ending: str) -> Path:
        name = self.key
        return settings.DERIVED / "voice" / name[:2] / f"{name}{ending}"

    @property
    def file(self) -> Path:
        """Where its made sound is kept."""
        return self._kept(".flac")

    def blocks(self, span: Span | None = None, block: int = BLOCK, read: Read | None = None) -> Iterator[np.ndarray]:
        """Its samples, block after block; `read` gives those of its recordings, if somebody has looked for them already."""
        if self.comp.treatment and self.comp.treatment.working:
            # Treated from its first sample on: made once, not again for each stretch.
            yield from self._treated(span or Span(0, self.comp.length), block)
            return
        yield from self._rendered(span, block, read)

    def _rendered(self, span: Span | None, block: int, read: Read | None = None) -> Iterator[np.ndarray]:
        samples = read or reading.reader_for(self.production, self.comp.recordings)
        return render(self.comp, samples, span, self.repairs, block)

    def _treated(self, span: Span, block: int) -> Iterator[np.ndarray]:
        self.make()
        with soundfile.SoundFile(self.file) as file:
            file.seek(span.start)
            for start in range(span.start, span.end, block):
                yield file.read(min(block, span.end - start), dtype="float32")

    def make(self, progress: Callable[[float], None] = lambda share: None) -> None:
        """Make its sound, its waveform and its measures, unless they are there; none is seen before it is whole."""
        if self._kept(".json").exists() and self.file.exists():
            return
        self.file.parent.mkdir(parents=True, exist_ok=True)
        making = self.file.with_name(f".{self.key}.{uuid.uuid4().hex}.flac")
        try:
            with soundfile.SoundFile(making, "w", SAMPLE_RATE, 1, "PCM_24", format="FLAC") as file:

                def written() -> Any:
                    done = 0
                    for block in self._rendered(None, BLOCK):
                        file.write(pcm.from_floats(block) << 8)
                        done += len(block)
                        progress(done / self.comp.length)
                        yield block

                found, wave = measure_blocks(written())
            os.replace(making, self.file)
            self._publish(".wave", wave.tobytes())
            self._publish(".json", json.dumps(_as_row(found)).encode())
        finally:
            making.unlink(missing_ok=True)

    def _publish(self, ending: str, data: bytes) -> None:
        target = self._kept(ending)
        making = target.with_name(f".{target.name}.{uuid.uuid4().hex}")
        making.write_bytes(data)
        os.replace(making, target)

    def _made(self) -> None:
        """See to it that it is made.

        Raises:
            NotMadeYet: when that takes longer than a request may; a job does it then.
        """
        if not (self._kept(".json").exists() and self.file.exists()):
            self._kept(".json").unlink(missing_ok=True)
            if self.comp.length > MADE_AT_ONCE:
                self._ask()
                raise NotMadeYet
            self.make()
        for ending in (".flac", ".wave", ".json"):
            os.utime(self._kept(ending))

    def _ask(self) -> None:
        name = self.key
        going = self.production.jobs.filter(kind=MAKE, state__in=("waiting", "running"), arguments__key=name)
        if not going.exists():
            running.start(self.production, MAKE, key=name, **self._as_row())

    def _as_row(self) -> dict[str, Any]:
        chain = self.comp.treatment
        return {
            "comp": self.comp.as_row(),
            "chain": chain.as_row() if chain else None,
            "repairs": {one.id: one.as_row() for one in self.repairs},
        }

    @staticmethod
    def _from_row(production: Production, row: dict[str, Any]) -> "Sounding":
        chain = Chain.from_row(row["chain"]) if row.get("chain") else None
        repairs = tuple(Repair.from_row(key, one) for key, one in row.get("repairs", {}).items())
        return Sounding(production, replace(Comp.from_row(row["comp"]), treatment=chain), repairs)

    def wav(self, start: int, end: int) -> bytes:
        """Samples start..end of it as a plain 24-bit WAV file; bit for bit those of the recording where it is untouched.

        Raises:
            NotMadeYet: see `_made`.
        """
        if self.is_plain:
            return wav_of(self._packed(start, end))
        self._made()
        with soundfile.SoundFile(self.file) as file:
            file.seek(start)
            return wav_of(pcm.from_integers(file.read(end - start, dtype="int32") >> 8))

    def _packed(self, start: int, end: int) -> bytes:
        one = self.comp.segments[0]
        return reading.packed(self._recording().path, one.source.start + start, one.source.start + end)

    def _recording(self) -> Recording:
        """The recording of a comp of one segment."""
        one = self.comp.segments[0]
        rows = Recording.objects.select_related("production", "folder")
        found = rows.filter(pk=one.recording, production=self.production).first()
        if found is None:
            raise FileNotFoundError(f"recording {one.recording} is not there")
        return found

    def wave(self) -> bytes:
        """Peak and average of each 10 ms, as `levels.overview` gives them.

        Raises:
            NotMadeYet: see `_made`.
        """
        if self.is_plain and self.comp.length <= MADE_AT_ONCE:
            samples = pcm.to_floats(pcm.to_integers(self._packed(0, self.comp.length)))
            return levels.overview(samples).tobytes()
        if self.is_plain:
            # Of a long recording what was drawn when it was measured: its columns may lie up to 10 ms beside.
            one = self.comp.segments[0]
            first, count = round(one.source.start / levels.OVERVIEW_BLOCK), -(-self.comp.length // levels.OVERVIEW_BLOCK)
            whole = np.fromfile(self._recording().wave, dtype=np.uint8).reshape(-1, 2)
            return whole[first : first + count].tobytes()
        self._made()
        return self._kept(".wave").read_bytes()

    def measured(self) -> dict[str, Any] | None:
        """The same where it was made already; None where it was not, and then nothing is made."""
        try:
            found: dict[str, Any] = json.loads(self._kept(".json").read_bytes())
        except FileNotFoundError:
            return None
        return found

    def measures(self) -> dict[str, Any] | None:
        """Levels of a made comp: peak, true_peak, loudness, noise, clipped (samples of the comp); None while it is made."""
        try:
            self._made()
        except NotMadeYet:
            return None
        found: dict[str, Any] = json.loads(self._kept(".json").read_bytes())
        return found


def _as_row(found: Measures) -> dict[str, Any]:
    row = asdict(found)
    return {name: row[name] for name in ("peak", "true_peak", "loudness", "noise")} | {
        "clipped": [[span.start, span.end] for span in found.clipped]
    }


def wav_of(samples: bytes) -> bytes:
    """Packed 24-bit samples as a plain mono WAV file."""
    out = io.BytesIO()
    with wave_file.open(out, "wb") as plain:
        plain.setnchannels(1)
        plain.setsampwidth(pcm.BYTES_A_SAMPLE)
        plain.setframerate(SAMPLE_RATE)
        plain.writeframes(samples)
    return out.getvalue()


MAKE = "make a voice"


@running.handles(MAKE, "quick")
def make_voice(progress: running.Progress) -> dict[str, Any]:
    """Make the sound of a long comp."""
    sounding = Sounding._from_row(progress.job.production, progress.job.arguments)
    sounding.make(progress.part(0.0, 1.0, "putting the takes together"))
    return {}


def forget_old(days: float = KEPT_DAYS) -> int:
    """Throw away what nobody asked for in so many days; how many files."""
    oldest, gone = time.time() - days * 86_400, 0
    for path in (settings.DERIVED / "voice").glob("*/*"):
        try:
            if path.stat().st_mtime < oldest:
                path.unlink(missing_ok=True)
                gone += 1
        except OSError:
            log.exception("a made voice can't be thrown away now")
    return gone


MAKE_ALL = "treat the voices"
_AGAIN_AFTER = timedelta(seconds=20)


def make_missing(production: Production) -> None:
    """Have a job make what sounds for all lines, unless one is at it, has just ended, or was stopped since the edit."""
    recent = timezone.now() - _AGAIN_AFTER
    at_it = Q(state__in=("waiting", "running")) | Q(made__gt=recent)
    stopped = Q(state__in=("cancelled", "failed"), arguments__revision=production.revision)
    if not production.jobs.filter(kind=MAKE_ALL).filter(at_it | stopped).exists():
        running.start(production, MAKE_ALL, revision=production.revision)
