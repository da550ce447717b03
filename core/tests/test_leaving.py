"""What leaves: forms, names, checks, lists and timelines, read back by others than those that wrote them."""

import csv
import io
import os
from dataclasses import replace
from fractions import Fraction
from itertools import pairwise

import numpy as np
import opentimelineio
import pytest
import soundfile
from hypothesis import given, settings
from hypothesis import strategies as st
from wavinfo import WavInfoReader

from fendo_core.audio import wav
from fendo_core.booth.naming import NameParts, PatternError
from fendo_core.handover import forms
from fendo_core.handover.between import Around, rooms_between
from fendo_core.handover.checks import Finding, Read, check
from fendo_core.handover.forms import FORMS, edged
from fendo_core.handover.listing import Listed, csv_list, sheet, subtitles
from fendo_core.handover.mix import Placed, voice_block
from fendo_core.handover.names import LineParts, names_of
from fendo_core.handover.order import PRESETS, Order, OrderRefused
from fendo_core.handover.returning import Handed, returned
from fendo_core.handover.slides import slides_of
from fendo_core.handover.timelines import VoiceClip, edl, otio, tracks
from fendo_core.picture import codec, timeline
from fendo_core.picture.laid import CUT_FADE
from fendo_core.picture.reel import Clip, Source
from fendo_core.script.lines import Line
from fendo_core.timebase import SAMPLE_RATE, FrameRate, Span, format_timecode, parse_timecode
from fendo_core.voice.tone import Lasting

PAL = FrameRate(Fraction(25))
DROP = FrameRate(Fraction(30000, 1001), True)
TAGS = wav.Tags("Orsey", "Handover", "7", 2, "Sam", "Nobody; needs a <clock>.", 48_000 * 36_000, "2026-11-28 10:00:00")


def tone(hertz: float, seconds: float, level: float = 0.5) -> np.ndarray:
    return (level * np.sin(2 * np.pi * hertz * np.arange(int(seconds * SAMPLE_RATE)) / SAMPLE_RATE)).astype(np.float32)


@pytest.mark.parametrize("key", ["wav 48/24", "wav 44.1/16", "wav 96/24"])
@pytest.mark.parametrize("channels", [1, 2])
def test_a_wav_of_every_shape_is_read_by_two_others_with_its_marks_and_its_time(tmp_path, key, channels):
    sound, path = tone(997.0, 2.0), tmp_path / "line.wav"
    shape = replace(FORMS[key].shape, channels=channels)
    marks, samples = wav.marks([(shape.of_programme(24_000), "line 7")]), shape.of_programme(len(sound))
    tags = replace(TAGS, coding="A=PCM\r\n", loud=wav.Loud(-16.25, -1.5))
    body = b"".join(forms.packed(np.array_split(sound, 7), len(sound), shape))
    path.write_bytes(wav.header(tags, samples, shape, len(marks)) + body + marks)
    read, rate = soundfile.read(path, always_2d=True)
    assert (rate, read.shape) == (shape.rate, (samples, channels))
    assert channels == 1 or np.array_equal(read[:, 0], read[:, 1])
    t = np.arange(samples) / rate
    # Against the tone itself at the new rate: nothing moved, nothing louder.
    inside = slice(rate // 10, -rate // 10)
    apart = read[inside, 0] - 0.5 * np.sin(2 * np.pi * 997.0 * t[inside])
    assert np.max(np.abs(apart)) < (2.5 / 32_768 if shape.bits == 16 else 3e-6)
    info = WavInfoReader(str(path))
    assert info.fmt.bits_per_sample == shape.bits
    assert info.bext.time_reference == shape.rate * 36_000
    assert (round(info.bext.loudness_value, 2), round(info.bext.max_true_peak, 2)) == (-16.25, -1.5)
    assert info.bext.coding_history.startswith("A=PCM")
    assert info.cues.cues[0].position == shape.of_programme(24_000)
    assert info.cues.labels[0].text == "line 7"


def test_a_wav_beyond_four_gigabytes_is_one_that_others_read_to_its_last_sample(tmp_path):
    """Written with a hole in it: most of its 9 hours of stereo lie nowhere on the disk."""
    shape, samples, path = wav.Shape(channels=2), 9 * 3600 * SAMPLE_RATE + 1, tmp_path / "whole.wav"
    last = wav.marks([(samples - 480, "line 99"), (1 << 32, "cannot be marked")])
    start = wav.header(TAGS, samples, shape, len(last))
    assert wav.header(TAGS, 9 * 3600 * SAMPLE_RATE // 4, shape)[:4] == b"RIFF"
    end = b"".join(forms.packed([tone(997.0, 0.01)], 480, shape))
    with path.open("wb") as file:
        file.write(start)
        file.seek(len(start) + samples * shape.frame - len(end))
        file.write(end + last)
    with soundfile.SoundFile(path) as sound:
        assert (sound.frames, sound.channels, sound.samplerate) == (samples, 2, SAMPLE_RATE)
        sound.seek(samples - 480)
        assert np.max(np.abs(sound.read(480)[:, 1] - tone(997.0, 0.01))) < 3e-6
    told = codec.probe(path, "wav")
    assert float(told["format"]["duration"]) == pytest.approx(samples / SAMPLE_RATE, abs=1e-4)
    info = WavInfoReader(str(path))
    assert info.bext.time_reference == SAMPLE_RATE * 36_000
    assert (info.cues.cues[0].position, len(info.cues.cues)) == (samples - 480, 1)
    assert os.stat(path).st_blocks * 512 < 1 << 20


def test_sixteen_bits_are_dithered_so_that_less_than_a_step_is_still_heard():
    """A tone of a third of a step would be silence without dither; with it it stands out of the noise at its place."""
    shape = wav.Shape(SAMPLE_RATE, 16)
    quiet = tone(1000.0, 4.0, 0.33 / 32_768)
    steps = np.frombuffer(b"".join(forms.packed([quiet], len(quiet), shape)), "<i2")
    spectrum = np.abs(np.fft.rfft(steps * np.hanning(len(steps))))
    assert spectrum[4000] > 5 * np.median(spectrum)
    assert abs(float(np.mean(steps))) < 0.02


@settings(max_examples=60, deadline=None)
@given(st.integers(-50, 150), st.integers(1, 200), st.lists(st.integers(1, 99), max_size=4), st.integers(0, 20))
def test_a_sound_cut_to_a_span_has_its_length_and_its_place_wherever_blocks_are_cut(first, length, cuts, fade):
    sound = np.arange(1, 101, dtype=np.float32)
    blocks = np.split(sound, sorted(set(cuts)))
    found = np.concatenate(list(edged(blocks, first, length, fade)))
    assert len(found) == length
    plain = np.concatenate([np.zeros(50, np.float32), sound, np.zeros(300, np.float32)])[50 + first :][:length]
    inner = slice(fade, max(fade, length - fade))
    assert np.array_equal(found[inner], plain[inner])
    assert np.all(np.abs(found) <= np.abs(plain) + 1e-6)


def parts(line: str, words: str, take: str = "2", slide: int = 0) -> LineParts:
    return LineParts(take, NameParts("Orsey", "Narration", line, words, "Sam", "2026-11-28", 1), "the creek", slide)


def test_names_are_filled_safe_and_never_twice():
    rows = [parts("1", "Who? Me", slide=3), parts("2", "a/b", "1+3", 3), parts("2A", "a b")]
    named = names_of("{slide} {words}", rows, ".wav")
    assert [one.name for one in named] == ["03 Who Me.wav", "03 a b.wav", "no slide a b.wav"]
    assert [one.name for one in names_of("{line} t{take} {shot}", rows, ".mp3")][1] == "002 t01+03 the creek.mp3"
    assert [one.name for one in names_of("{count} {reader}", rows, "")] == ["01 Sam", "02 Sam", "03 Sam"]
    twice = names_of("{production}", rows, ".wav")
    assert [(one.name, one.clash) for one in twice[:2]] == [("Orsey.wav", False), ("Orsey (2).wav", True)]
    assert [one.changed for one in names_of("{line}: {words}", rows, "")] == [True, True, True]
    for bad in ("{nothing}", "{line", "", "   "):
        with pytest.raises(PatternError):
            names_of(bad, rows, "")


def test_an_order_comes_back_from_its_row_and_refuses_what_it_does_not_know():
    for order in PRESETS:
        assert Order.from_row(order.as_row()) == order
    for wrong in (
        {"parts": []},
        {"parts": ["everything"]},
        {"form": "wax"},
        {"channels": 3},
        {"version": 99},
        {"parts": 7},
    ):
        with pytest.raises(OrderRefused):
            Order.from_row(Order().as_row() | wrong)


LINES = [Line(str(n), str(n), f"Words of line {n}.", Span(n * 100_000, n * 100_000 + 90_000)) for n in range(1, 6)]


def spoken(n: int, start: int = 0, end: int = 80_000, **more) -> Read:
    return Read(LINES[n - 1], Span(n * 100_000 + start, n * 100_000 + end), words=LINES[n - 1].text, **more)


def test_nothing_is_said_where_nothing_is_wrong_and_each_thing_where_it_is():
    fine = [spoken(n) for n in range(1, 6)]
    assert check(LINES, fine, pictured=True, treated=True) == []
    wild = replace(LINES[4], slot=None)

    def kinds(read, lines=LINES):
        return [(one.kind, one.lines) for one in check(lines, read, True, True)]

    assert kinds(fine[1:]) == [("no take", ("1",))]
    assert kinds([replace(fine[0], speech=None), *fine[1:]]) == [("silent", ("1",))]
    assert kinds([replace(fine[0], provisional=True), replace(fine[1], provisional=True), *fine[2:]]) == [
        ("not picked", ("1", "2"))
    ]
    assert kinds([replace(fine[0], words="Words of another line."), *fine[1:]]) == [("other words", ("1",))]
    assert kinds([replace(fine[0], words="words of LINE 1"), *fine[1:]]) == [], "a comma is no other word"
    assert kinds([spoken(1, 0, 95_000), *fine[1:]]) == [("over", ("1",))]
    assert kinds([spoken(1, 0, 110_000), *fine[1:]]) == [("overlaps", ("1", "2")), ("over", ("1",))]
    assert kinds([replace(fine[0], clipped=2), *fine[1:]]) == [("clipped", ("1",))]
    assert kinds([replace(fine[0], doubts=("x",), cut_off=True), *fine[1:]]) == [("cut off", ("1",)), ("doubtful", ("1",))]
    assert kinds([*fine[:4], replace(fine[4], line=wild)]) == [("wild", ("5",))]
    assert kinds([replace(fine[0], treated=False), *fine[1:]]) == [("not treated", ("1",))]
    assert check(LINES, fine[1:], True, True)[0].says == "Line 1 has not been read and will be silent."
    assert "lines have not been read" in check(LINES, fine[2:], True, True)[0].says


def listed(n: int, **more) -> Listed:
    base = Listed(
        str(n),
        f"Words {n} & <more>",
        "1",
        "Sam",
        Span(n * 48_000, n * 48_000 + 24_000),
        False,
        f"Lines/{n}.wav",
        n * 48_000 - 100,
        30_000,
        -16.04,
        -1.2,
    )
    return replace(base, **more)


def test_list_sheet_and_subtitles_tell_what_leaves_and_hold_no_formula_and_no_markup():
    rows = [listed(2, words='=HYPERLINK("x")', provisional=True), listed(1)]
    table = list(csv.DictReader(io.StringIO(csv_list(rows, PAL, 10 * 3600 * 25))))
    assert [row["line"] for row in table] == ["1", "2"]
    assert table[0]["starts at"] == "10:00:00:24" and table[0]["first sample"] == "47900" and table[0]["picked"] == "yes"
    assert table[1]["words"].startswith("'=") and table[1]["picked"] == "no" and table[0]["LUFS (dual mono)"] == "-16.0"
    page = sheet("Orsey <1>", ["Two lines."], rows, [Finding("clipped", "Line 2 is clipped & loud.", "takes")], PAL, 0)
    assert "Words 1 &amp; &lt;more&gt;" in page and "not picked" in page and "clipped &amp; loud" in page
    assert "<more>" not in page and "Orsey <1>" not in page
    told = subtitles([*rows, listed(9, speech=None), listed(3, speech=Span(-9_000, 24_000))], PAL)
    assert "00:00:01,000 --> 00:00:01,500\nWords 1 & <more>" in told
    assert "00:00:00,000 --> 00:00:00,500\nWords 3" in told and "Words 9" not in told


@pytest.mark.parametrize("rate", [PAL, DROP, FrameRate(Fraction(24000, 1001))], ids=["25", "29.97 drop", "23.976"])
def test_timelines_come_back_where_they_were_read_by_others(rate):
    start = parse_timecode("10:00:00;00" if rate.drop else "10:00:00:00", rate)
    reel = (Clip("p", 100, "film", first=30), Clip("q", 50, None, name="a card"), Clip("r", 70, "film", first=0))
    sources = {"film": Source("film", "mill walk.mp4", frames=400)}
    clips = [
        VoiceClip("1 one", "Lines/1.wav", -4_000, 60_000, "One."),
        VoiceClip("2 two", "Lines/2.wav", 50_000, 60_000, "Two."),
        VoiceClip("3 three", "Lines/3.wav", 130_123, 9_000, "Three."),
    ]
    assert [[clip.name[0] for clip in track] for track in tracks(clips)] == [["1", "3"], ["2"]]
    for text in (otio("Orsey", clips, reel, sources, rate, start), edl("Orsey", clips, reel, sources, rate, start)):
        back = timeline.read(text.encode(), rate)
        found = [(event.medium, event.first, event.length) for event in back.events]
        assert back.start == start
        assert [length for _, _, length in found] == [100, 50, 70]
        assert found[0][:2] == ("mill walk.mp4", 30) and found[1][0] == "" and found[2][:2] == ("mill walk.mp4", 0)
    whole = opentimelineio.adapters.read_from_string(otio("Orsey", clips, reel, sources, rate, start), "otio_json")
    placed = {}
    for track in whole.tracks:
        if track.kind == "Audio":
            for clip in track.find_clips():
                placed[clip.name] = round(clip.range_in_parent().start_time.rescaled_to(SAMPLE_RATE).value)
                assert clip.media_reference.target_url.startswith("Lines/")
    assert placed == {"1 one": 0, "2 two": 50_000, "3 three": 130_123}
    rows = [row.split() for row in edl("Orsey", clips, reel, sources, rate, start).splitlines() if " C " in row]
    events = sorted((row for row in rows if row[2] != "V"), key=lambda row: row[6])
    for clip, event in zip(sorted(clips, key=lambda one: one.start), events, strict=True):
        said = rate.first_sample(parse_timecode(event[6], rate) - start)
        assert abs(said - max(0, clip.start)) <= SAMPLE_RATE / rate.fps / 2 + 1, "to the nearest frame"
        assert event[4] == event[6], "the file's own time code is where it lies"


def handed_over(clips: list[VoiceClip]) -> dict[str, Handed]:
    return {
        clip.file: Handed(f"l{clip.name}", clip.name, f"t{clip.name}", clip.start, clip.start, clip.length)
        for clip in clips
    }


@settings(max_examples=60, deadline=None)
@given(
    st.sampled_from([PAL, DROP, FrameRate(Fraction(24000, 1001))]),
    st.lists(st.tuples(st.integers(-20_000, 40_000_000), st.integers(2_000, 900_000)), min_size=1, max_size=8),
    st.data(),
)
def test_what_was_moved_in_a_timeline_comes_back_moved_by_as_much(rate, places, data):
    """Written, moved, written again: told to the sample by an OTIO, to the frame by an EDL, and nothing else moves."""
    clips = [VoiceClip(f"{n}", f"Lines/{n}.wav", at, length) for n, (at, length) in enumerate(places)]
    clips = [clip for clip in clips if clip.start + clip.length > 4_000]
    starts, files = rate.nearest_frame(36_000 * SAMPLE_RATE), handed_over(clips)
    frames = {clip.name: data.draw(st.one_of(st.just(0), st.integers(-900, 900)), clip.name) for clip in clips}
    then = {clip.file: rate.nearest_frame(clip.start) for clip in clips}
    by = {
        clip.name: rate.first_sample(then[clip.file] + frames[clip.name]) - rate.first_sample(then[clip.file])
        for clip in clips
    }
    later = [replace(clip, start=clip.start + by[clip.name]) for clip in clips]
    later = [clip for clip in later if clip.start + clip.length > 4_000 and clip.start > -24_000]
    known = (starts, 41_000_000)
    if not later:
        return
    exact = returned(otio("Orsey", later, (), {}, rate, starts).encode(), files, rate, *known)
    assert {one.number: moved for one, moved in exact.moved} == {clip.name: by[clip.name] for clip in later}
    from_zero = data.draw(st.booleans())
    told = returned(moved_edl(clips, frames, rate, starts, from_zero).encode(), files, rate, *known)
    for one, moved in told.moved:
        assert moved == by[one.number] or (from_zero and one.start < 0)


def moved_edl(clips: list[VoiceClip], frames: dict[str, int], rate: FrameRate, starts: int, from_zero: bool) -> str:
    """The EDL of some clips whose events were moved by frames; the sources' own times stay, or are counted from zero."""

    def told(row: str) -> str:
        if " C " not in row:
            return row
        words, name = row.split(), names.pop(0)
        length = parse_timecode(words[5], rate) - parse_timecode(words[4], rate)
        first = parse_timecode(words[6], rate) + frames[name]
        taken = 0 if from_zero else parse_timecode(words[4], rate)
        codes = (taken, taken + length, first, first + length)
        return " ".join([*words[:4], *(format_timecode(code, rate) for code in codes)])

    names = [clip.name for track in tracks(clips) for clip in track]
    return "\n".join(map(told, edl("Orsey", clips, (), {}, rate, starts).splitlines()))


def test_a_timeline_that_came_back_says_what_is_odd_in_it():
    clips = [VoiceClip(str(n), f"Lines/{n}.wav", n * 96_000, 90_000) for n in range(1, 6)]
    whole = opentimelineio.adapters.read_from_string(otio("Orsey", clips, (), {}, PAL, 0), "otio_json")
    track = whole.tracks[0]
    time, span = opentimelineio.opentime.RationalTime, opentimelineio.opentime.TimeRange
    found = {clip.name: clip for clip in track.find_clips()}
    found["2"].source_range = span(time(9_600, SAMPLE_RATE), time(70_000, SAMPLE_RATE))  # cut at both ends: 3 to 5 follow
    found["3"].media_reference.target_url = "file:///elsewhere/3.mp3"  # another form of the same file
    found["4"].media_reference.target_url, found["4"].name = "music.wav", "a tune"
    apart = [opentimelineio.schema.Gap(source_range=span(time(0, 24), time(12, 24))), found["5"].deepcopy()]
    track.extend(apart)
    whole.global_start_time = time(90_000 * 9, 25)  # made to begin at nine hours
    text = opentimelineio.adapters.write_to_string(whole, "otio_json")
    back = returned(text.encode(), handed_over(clips), PAL, 25 * 36_000, 10 * 96_000)
    assert [(one.number, by) for one, by in back.moved] == [("1", 0), ("2", -9_600), ("3", -20_000)]
    assert back.remarks == (
        "line 5 was cut into parts that lie apart, and was left alone",
        "line 2 was shortened; here it was only moved",
        "line 4 is not in it, and was left alone",
        "not from here, and left out: music.wav",
    )
    for wrong in (b"", b"words", b'{"OTIO_SCHEMA": "Clip.1"}', edl("Orsey", (), (), {}, PAL, 0).encode()):
        with pytest.raises(timeline.TimelineRefused):
            returned(wrong, handed_over(clips), PAL, 0, 96_000)
    with pytest.raises(timeline.TimelineRefused, match="None of the sounds"):
        returned(text.encode(), {"Lines/9.wav": handed_over(clips)["Lines/1.wav"]}, PAL, 0, 96_000)


@settings(max_examples=150, deadline=None)
@given(
    st.lists(st.tuples(st.integers(-1_000, 60_000), st.integers(3 * CUT_FADE, 20_000)), min_size=1, max_size=6), st.data()
)
def test_room_tone_lies_wherever_no_line_sounds_and_nowhere_else(places, data):
    """Lines and rooms of constant ones add up to one, at all joints, wherever blocks are cut."""
    length = 70_000
    spans = [Span(at, at + long) for at, long in places]
    lines, covered = [], -2_000
    for span in sorted(spans):
        if span.start >= covered:  # lines that sound at once are another matter
            lines.append(span)
            covered = span.end + 2 * CUT_FADE
    one = Lasting(np.ones(9_000, np.float32))
    has = [data.draw(st.booleans()) for _ in lines]
    room = (lambda: one) if any(has) else None

    def ones(start: int, end: int) -> np.ndarray:
        return np.ones(end - start, np.float32)

    around = [Around(span, room if some else None) for span, some in zip(lines, has, strict=True)]
    rooms = rooms_between(length, around)
    cuts = sorted({0, length, *data.draw(st.lists(st.integers(1, length - 1), max_size=5))})
    sound = [voice_block(Span(a, b), [*(Placed(span, ones) for span in lines), *rooms], length) for a, b in pairwise(cuts)]
    inside = slice(CUT_FADE, length - CUT_FADE)
    voiced = np.zeros(length, bool)
    for span in lines:
        voiced[max(0, span.start) : max(0, span.end)] = True
    if room:
        # The loop's own seam adds powers: of two ones up to the root of two.
        assert np.all(np.concatenate(sound)[inside] > 0.999) and np.all(np.concatenate(sound)[inside] < 1.4143)
    else:
        assert not rooms and not np.concatenate(sound)[~voiced].any()


def test_one_room_becomes_the_next_in_the_middle_of_a_pause_at_one_level():
    rng = np.random.default_rng(3)
    rooms = [Lasting(rng.standard_normal(60_000).astype(np.float32)) for _ in range(2)]
    lines = [Around(Span(0, 9_600), lambda: rooms[0]), Around(Span(200_000, 210_000), lambda: rooms[1], gain=6.0)]
    found = voice_block(Span(9_600, 200_000), rooms_between(210_000, lines), 210_000)
    level = [float(np.sqrt(np.mean(block**2))) for block in np.array_split(found, 20)]
    assert np.allclose(level[:7], 1.0, atol=0.05) and np.allclose(level[-7:], 2.0, atol=0.1)
    assert all(0.95 < one < 2.05 for one in level)
    assert np.array_equal(found[: 60_000 - 4_800], rooms[0](9_600, 9_600 + 55_200))


def test_slides_are_numbered_by_their_place_in_the_reel():
    reel = (Clip("a", 50, "film"), Clip("b", 25, "deck", page=1), Clip("c", 25), Clip("d", 75, None, name="The end?"))
    sources = {"film": Source("film", "walk.mp4", frames=99), "deck": Source("deck", "Knots.pdf", kind="slides")}
    found = slides_of(reel, sources, PAL, ".mp4")
    assert [(one.number, one.name) for one in found] == [(2, "02 Knots.mp4"), (4, "04 The end.mp4")]
    assert found[1].span == Span(100 * 1_920, 175 * 1_920)
