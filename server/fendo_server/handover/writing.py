"""The files of a handover, each written whole into the folder that is being made."""

import os
import shutil
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import replace
from datetime import datetime
from pathlib import Path

import numpy as np

from fendo_core.audio import wav
from fendo_core.audio.ceiling import Ceiling
from fendo_core.audio.levels import DUAL_MONO, Levels, Meter
from fendo_core.handover import forms, timelines
from fendo_core.handover.between import rooms_between
from fendo_core.handover.forms import FILM_FORMS, FORMS, Form, edged
from fendo_core.handover.listing import Listed, csv_list, sheet, subtitles
from fendo_core.handover.mix import mixdown, voice_blocks
from fendo_core.handover.slides import slides_of
from fendo_core.picture import codec
from fendo_core.picture.laid import CUT_FADE
from fendo_core.script.words_out import words_out
from fendo_core.timebase import SAMPLE_RATE, Span
from fendo_core.voice import shifted
from fendo_server.handover import reel_out
from fendo_server.handover.plan import Leaving, Plan, comp_that_leaves
from fendo_server.handover.programme import all_placed, placed, programme_sound
from fendo_server.handover.rooms import RoomsAround
from fendo_server.picture.models import Source
from fendo_server.productions import record
from fendo_server.productions.models import Production
from fendo_server.voice.models import Recording
from fendo_server.voice.polish import Polish
from fendo_server.voice.reading import reader_for
from fendo_server.work import running

Share = Callable[[float], None]


class Writer:
    """Writes the parts of a plan into a folder, and remembers what it wrote."""

    def __init__(self, production: Production, plan: Plan, folder: Path) -> None:
        self.production, self.plan, self.order, self.folder = production, plan, plan.order, folder
        self.form: Form = FORMS[plan.order.form]
        self.polish = Polish(production, plan.present)
        self.ceilings: list[Ceiling] = []
        self.levels: dict[str, Levels] = {}
        self.stamp = datetime.now().strftime("%Y-%m-%d %H:%M:%S")

    def path(self, name: str) -> Path:
        """A file of the folder; its own folder is there."""
        target = self.folder / name
        target.parent.mkdir(parents=True, exist_ok=True)
        return target

    def _ceiling(self) -> Ceiling:
        self.ceilings.append(Ceiling())
        return self.ceilings[-1]

    @property
    def limited(self) -> dict[str, float]:
        """How hard the ceiling had to work where it worked hardest; nothing where there was none."""
        worked = [ceiling.worked for ceiling in self.ceilings]
        if not worked:
            return {}
        return {"share": round(max(one.share for one in worked), 5), "deepest": min(one.deepest for one in worked)}

    # --- voices ---------------------------------------------------------------------------------------------------

    def line(self, one: Leaving) -> None:
        """A line's file."""
        spoken, length = one.spoken, one.span.length
        comp = comp_that_leaves(spoken, self.order)
        read = reader_for(self.production, comp.recordings)
        blocks: Iterator[np.ndarray]
        if self.order.sound == "treated":
            # Mixed alone, from its own first sample on: faded and limited as it is in the film.
            own = replace(spoken, comp=shifted(comp, -comp.at), sounding=self.polish.sounding(comp, spoken.line.id))
            mixed = mixdown(comp.length, [placed(own, read)], [], ceiling=self._ceiling())
            blocks = (block[:, 0] for block in mixed)
        else:
            blocks = self.polish.bare(comp).blocks(read=read)
        if self.order.edges == "slot":
            blocks = edged(blocks, one.span.start - comp.at, length, CUT_FADE)
        speech = spoken.speech
        inside = speech is not None and 0 <= speech.start - one.span.start < length
        marks = [(speech.start - one.span.start, f"line {spoken.line.number}")] if speech and inside else []
        take = spoken.take
        tags = self._tags(
            spoken.line.text,
            one.span.start,
            folder=spoken.folder,
            line=spoken.line.number,
            take=take.number if take else 0,
            reader=self.plan.present.reader_name(spoken.line),
            FENDO_LINE=spoken.line.id,
            FENDO_TAKES=spoken.takes,
            FENDO_PROGRAMME_START=str(one.span.start),
        )
        self.levels[spoken.line.id] = self._voice_file(one.path, blocks, length, tags, marks)

    def _tags(
        self,
        words: str,
        start: int = 0,
        folder: str = "Handover",
        line: str = "",
        take: int = 0,
        reader: str = "",
        **notes: str,
    ) -> wav.Tags:
        """What a file says of itself whose first sample lies at a sample of the programme."""
        production, rate = self.production, self.production.rate
        return wav.Tags(
            production=production.name,
            folder=folder,
            line=line,
            take=take,
            reader=reader,
            words=words,
            time_reference=max(0, rate.first_sample(production.start_frame) + start),
            origination=self.stamp,
            timecode_rate=f"{rate.fps.numerator}/{rate.fps.denominator}",
            drop=rate.drop,
            notes={"FENDO_PRODUCTION": str(production.id), **notes},
        )

    def whole_voice(self, name: str, leaving: Sequence[Leaving], reader: str, report: Share) -> None:
        """The voice of some lines as one file of the programme's length; as recorded nothing limits it."""
        production, read, length = self.production, [one.spoken for one in leaving], self.plan.length
        tags = self._tags(f"The voice of {len(read)} line{'s' if len(read) != 1 else ''}", reader=reader)
        recorded = self.order.sound == "recorded"
        if recorded:
            read = [replace(one, sounding=self.polish.bare(one.comp), gain=0.0) for one in read]
        placed_voices = all_placed(production, read)
        if self.order.between == "room tone":
            placed_voices += rooms_between(length, RoomsAround(production, self.polish, recorded).of(read))
        if recorded:
            blocks = voice_blocks(length, placed_voices)
        else:
            mixed = mixdown(length, placed_voices, [], ceiling=self._ceiling())
            blocks = (block[:, 0] for block in mixed)
        marks = [(max(0, one.speech.start), f"line {one.line.number}") for one in read if one.speech]
        self._voice_file(name, _told(blocks, length, report), length, tags, sorted(marks))

    def _voice_file(
        self, name: str, blocks: Iterable[np.ndarray], length: int, tags: wav.Tags, marks: list[tuple[int, str]]
    ) -> Levels:
        """A mono voice in the order's form; its levels as they came out."""
        meter, target = Meter(clipping=False), self.path(name)

        def metered() -> Iterator[np.ndarray]:
            for block in blocks:
                meter.add(block)
                yield block

        if self.form.shape is None:
            _encode(target, metered(), length, 1, self.order.channels, self.form, tags)
            return meter.read()
        shape = replace(self.form.shape, channels=self.order.channels)
        mode = "mono" if shape.channels == 1 else "dual mono"
        tags = replace(tags, coding=f"A=PCM,F={shape.rate},W={shape.bits},M={mode},T=Fendo\r\n")
        after = wav.marks([(shape.of_programme(at), label) for at, label in marks])
        with target.open("wb") as file:
            samples = shape.of_programme(length)
            file.write(wav.header(tags, samples, shape, len(after)))
            for piece in forms.packed(metered(), length, shape):
                file.write(piece)
            file.write(b"\0" * (samples * shape.frame & 1) + after)
            found = meter.read()
            # What it says of its loudness is that of the file as it is: one channel is heard as one.
            own = None if found.loudness is None else found.loudness - (DUAL_MONO if shape.channels == 1 else 0.0)
            file.seek(0)
            file.write(wav.header(replace(tags, loud=wav.Loud(own, found.true_peak)), samples, shape, len(after)))
        return found

    # --- programme ------------------------------------------------------------------------------------------------

    def film(self, name: str, report: running.Progress, first: float, last: float) -> None:
        """The picture with the voices in place, and its own sound lowered under them."""
        present, form = self.plan.present, FILM_FORMS[self.order.film]
        target, length, seconds = self.path(name), present.length, present.length // SAMPLE_RATE
        try:
            middle = first + (last - first) * reel_out.DRAWN
            picture = reel_out.picture(present, self._sources(), form, target, report, first, middle)
            arguments = [*picture.inputs, *_SOUND_IN, "-map", "0:v:0", "-map", "1:a:0", *picture.options, *form.sound]
            mixing = report.part(middle if picture.drawn else first, last, "mixing the voice into the film")
            feed = _floats(self._mixed())
            codec.transcode(arguments, target, seconds * 1_000_000, mixing, 300 + seconds * 6, feed=feed)
            found = codec.probe(target, form.kind)
        finally:
            shutil.rmtree(reel_out.folder_of(target), ignore_errors=True)
        came, wanted = float(found["format"]["duration"]), length / SAMPLE_RATE
        if abs(came - wanted) > 0.2:
            raise running.JobFailed(
                f"The film came out {came:.1f} s long instead of {wanted:.1f} s, so nothing was kept. Try again."
            )

    def slides(self, names: Sequence[str], report: running.Progress, first: float, last: float) -> None:
        """Each slide as a film of its own, as long as it is shown, with what of the mix sounds there."""
        present, form, sources = self.plan.present, FILM_FORMS[self.order.film], self._sources()
        size, rate = reel_out.size_of(sources.values()), present.rate
        wanted = slides_of(present.clips, present.sources, rate, f".{self.order.film}")
        mixed = Cursor(self._mixed())
        for count, (name, slide) in enumerate(zip(names, wanted, strict=True)):
            begin, end = (first + (last - first) * number / len(wanted) for number in (count, count + 1))
            drawing = report.part(begin, end, f"writing slide {count + 1} of {len(wanted)}")
            target, seconds = self.path(name), slide.span.length // SAMPLE_RATE
            drawn = target.with_name(f".{slide.number}.png")
            try:
                arguments = reel_out.still(slide.clip, sources.get(slide.clip.source or ""), rate, size, drawn)
                arguments += [*_SOUND_IN, "-map", "0:v:0", "-map", "1:a:0"]
                # Counted by the filter: ffmpeg ends the sound, too, where it is told to stop after so many frames.
                arguments += ["-vf", f"{reel_out.fitted(size)},trim=end_frame={slide.clip.length}"]
                arguments += [*form.picture, *form.still, *form.sound]
                feed = _floats(mixed.span(slide.span))
                codec.transcode(arguments, target, seconds * 1_000_000, drawing, 300 + seconds * 6, feed=feed)
            finally:
                drawn.unlink(missing_ok=True)

    def _sources(self) -> dict[str, Source]:
        return {str(source.id): source for source in self.production.sources.all()}

    def _mixed(self, voiced: bool = True) -> Iterator[np.ndarray]:
        """The whole programme's sound, with the voices that leave or with the bed alone, which gives way to them."""
        read = [one.spoken for one in self.plan.leaving]
        return programme_sound(self.production, self.plan.present, read, self._ceiling(), voiced, self.plan.lift)

    def programme(self, name: str, voiced: bool, report: Share) -> None:
        """The mix, or the bed that gives way to the voice, as a stereo WAV of the programme's length."""
        length, shape = self.plan.present.length, wav.Shape(channels=2)
        tags = self._tags("The mix" if voiced else "All sound but the voice")
        tags = replace(tags, coding="A=PCM,F=48000,W=24,M=stereo,T=Fendo\r\n")
        with self.path(name).open("wb") as file:
            file.write(wav.header(tags, length, shape))
            for piece in forms.packed(_told(self._mixed(voiced), length, report), length, shape):
                file.write(piece)

    # --- what goes with it ----------------------------------------------------------------------------------------

    def listed(self) -> list[Listed]:
        """The lines that leave, as the list and the sheet tell them."""
        made = []
        for one in self.plan.leaving:
            spoken, level = one.spoken, self.levels.get(one.spoken.line.id)
            take, remarks = spoken.take, list[str]()
            if take and take.clipped:
                remarks.append(f"clipped at {len(take.clipped)} place{'s' if len(take.clipped) > 1 else ''}")
            if take:
                remarks += [words for _, words in take.recording.doubts[:3]]
            made.append(
                Listed(
                    line=spoken.line.number,
                    words=spoken.line.text,
                    take=spoken.takes,
                    reader=self.plan.present.reader_name(spoken.line),
                    speech=spoken.speech,
                    provisional=spoken.provisional,
                    file=one.path if "lines" in self.order.parts else "",
                    start=one.span.start,
                    length=one.span.length,
                    loudness=level.loudness if level else None,
                    true_peak=level.true_peak if level else None,
                    remarks=tuple(remarks),
                )
            )
        return made

    def subtitles(self, srt: str, vtt: str) -> None:
        """What was said, when it was said."""
        listed, rate = self.listed(), self.production.rate
        self.path(srt).write_text(subtitles(listed, rate), encoding="utf-8")
        self.path(vtt).write_text(subtitles(listed, rate, "vtt"), encoding="utf-8")

    def script(self, table: str, text: str) -> None:
        """The script as it is now."""
        production, present = self.production, self.plan.present
        rows = words_out(present.lines, "csv", production.rate, production.start_frame, present.readers)
        self.path(table).write_bytes(rows.encode("utf-8-sig"))
        self.path(text).write_text(words_out(present.lines, "txt", production.rate, 0), encoding="utf-8")

    def timelines(self, otio: str, edl: str) -> None:
        """The timelines; they name the lines' files, which lie beside them."""
        production, present = self.production, self.plan.present
        clips = [
            timelines.VoiceClip(
                f"{one.spoken.line.number} {one.spoken.line.text}"[:60], one.path, one.span.start, one.span.length,
                one.spoken.line.text,
            )
            for one in self.plan.leaving
        ]  # fmt: skip
        known = (present.clips, present.sources, production.rate, production.start_frame)
        self.path(otio).write_text(timelines.otio(production.name, clips, *known), encoding="utf-8")
        self.path(edl).write_bytes(timelines.edl(production.name, clips, *known).encode("ascii"))

    def sources(self, report: Share) -> None:
        """What was brought in, as it was brought in."""
        there = [one for one in self.production.sources.order_by("made") if one.original.is_file()]
        for count, one in enumerate(there):
            shutil.copyfile(one.original, self.path(f"Production/{one.file}"))
            report((count + 1) / len(there))

    def takes(self, report: Share) -> None:
        """Every finished recording as it is, in its folder, and the production's record."""
        rows = Recording.objects.select_related("production", "folder").filter(production=self.production)
        finished = list(rows.filter(state=Recording.State.FINISHED).order_by("made"))
        for count, one in enumerate(finished):
            shutil.copyfile(one.path, self.path(f"Production/{one.folder.path}/{one.file_name}"))
            report((count + 1) / len(finished))
        self.path(f"Production/{record.NAME}").write_bytes(record.packed(self.production))

    def papers(self, told: list[str]) -> None:
        """The take sheet and the list."""
        production, listed = self.production, self.listed()
        findings = [one for one in self.plan.findings if not one.stops]
        known = (production.rate, production.start_frame)
        page = sheet(f"{production.name}: take sheet", told, listed, findings, *known)
        self.path("Take sheet.html").write_text(page, encoding="utf-8")
        self.path("Files.csv").write_bytes(csv_list(listed, *known).encode("utf-8-sig"))


def _told(blocks: Iterable[np.ndarray], length: int, report: Share) -> Iterator[np.ndarray]:
    done = 0
    for block in blocks:
        yield block
        done += len(block)
        report(done / max(1, length))


_SOUND_IN = ["-protocol_whitelist", "pipe", "-f", "f32le", "-ar", str(SAMPLE_RATE), "-ac", "2", "-i", "pipe:0"]


class Cursor:
    """Blocks of sound that are read once, from the first to the last, span after span."""

    def __init__(self, blocks: Iterator[np.ndarray]) -> None:
        self._blocks, self._at, self._left = blocks, 0, np.zeros((0, 2), np.float32)

    def span(self, wanted: Span) -> Iterator[np.ndarray]:
        """The samples of a span that lies behind all that was read before."""
        while self._at < wanted.end:
            if not len(self._left):
                self._left = next(self._blocks)
            cut = min(len(self._left), (wanted.start if self._at < wanted.start else wanted.end) - self._at)
            piece, self._left = self._left[:cut], self._left[cut:]
            self._at += cut
            if self._at > wanted.start:
                yield piece


def _floats(blocks: Iterable[np.ndarray]) -> Iterator[bytes]:
    for block in blocks:
        yield block.astype("<f4").tobytes()


def _encode(
    target: Path, blocks: Iterable[np.ndarray], length: int, given: int, channels: int, form: Form, tags: wav.Tags
) -> None:
    """A file that a codec makes; it says what it is as far as its kind can."""
    arguments = ["-protocol_whitelist", "pipe", "-f", "f32le", "-ar", str(SAMPLE_RATE), "-ac", str(given), "-i", "pipe:0"]
    arguments += ["-ac", str(channels)]
    said = {"title": tags.words, "artist": tags.reader, "album": tags.production, "track": tags.line}
    for name, text in said.items():
        arguments += ["-metadata", f"{name}={''.join(c for c in text if c.isprintable())[:1000]}"]
    seconds = 60 + length // SAMPLE_RATE
    codec.transcode([*arguments, *form.codec], target, 1, lambda share: None, seconds, feed=_floats(blocks))


def synced(folder: Path) -> None:
    """Everything in a folder is on the disk, and can be read by others."""
    for path in folder.rglob("*"):
        if path.is_file():
            with path.open("rb") as file:
                os.fsync(file.fileno())
            path.chmod(0o644)
