"""Timelines in: an EDL by hand, OTIO by its own library, and both held against one another."""

from fractions import Fraction
from urllib.parse import quote, unquote

import opentimelineio as otio
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from opentimelineio import opentime

from fendo_core.picture import timeline
from fendo_core.picture.reel import Source
from fendo_core.picture.timeline import Event, TimelineRefused
from fendo_core.production import edits
from fendo_core.production.state import State
from fendo_core.timebase import FRAME_RATES, FrameRate, format_timecode

PAL = FrameRate(Fraction(25))
EDL = b"""TITLE: CREEK
FCM: NON-DROP FRAME

001  AX       V     C        01:00:02:00 01:00:04:00 10:00:00:00 10:00:02:00
* FROM CLIP NAME: creek.mp4
002  AX       A     C        01:00:02:00 01:00:04:00 10:00:00:00 10:00:02:00
* FROM CLIP NAME: not this.wav
003  BL       V     C        00:00:00:00 00:00:01:00 10:00:02:00 10:00:03:00
004  AX       V     D    012 00:00:00:10 00:00:01:10 10:00:04:00 10:00:05:00
* FROM CLIP NAME: gate.mov
"""


def test_an_edl_gives_clips_holes_and_the_start():
    found = timeline.read(EDL, PAL)
    assert found.start == 10 * 3600 * 25
    assert found.events == (
        Event("creek.mp4", (3600 + 2) * 25, 50, True, ("AX",)),
        Event("", 0, 56),
        Event("gate.mov", 16, 19, True, ("AX",)),
    )
    assert found.remarks == ("the dissolve of event 004 is a cut in its middle", "1 event of sound is left out")


def test_a_programme_that_fades_in_from_black_begins_with_it():
    fades = (
        b"001  BL V C        00:00:00:00 00:00:00:00 10:00:00:00 10:00:00:00\n"
        b"001  AX V D    024 00:00:05:00 00:00:08:00 10:00:00:00 10:00:03:00\n* TO CLIP NAME: b.mov\n"
        b"002  AX V C        00:00:08:00 00:00:08:00 10:00:03:00 10:00:03:00\n"
        b"002  BL V D    050 00:00:00:00 00:00:02:00 10:00:03:00 10:00:05:00\n* FROM CLIP NAME: b.mov\n"
    )
    found = timeline.read(fades, PAL)
    assert found.start == 10 * 3600 * 25
    assert found.events == (Event("", 0, 12), Event("b.mov", 137, 88, True, ("AX",)), Event("", 0, 25))


def test_the_background_of_a_key_is_seen_where_nothing_else_is():
    keyed = (
        b"001  AX V K B      00:00:05:00 00:00:08:00 10:00:00:00 10:00:03:00\n* FROM CLIP NAME: under.mov\n"
        b"001  BX V K    025 00:00:05:00 00:00:08:00 10:00:00:00 10:00:03:00\n* FROM CLIP NAME: over.mov\n"
    )
    found = timeline.read(keyed, PAL)
    assert found.start == 10 * 3600 * 25 and [event.medium for event in found.events] == ["under.mov"]


def test_media_are_known_by_name_counted_from_their_hour_and_left_as_cards_when_missing():
    state = State(sources={"c": Source("c", "Creek.MP4", frames=90), "x": Source("x", "other.mp4", frames=9)}, rate=PAL)
    count = iter(range(100))
    after, said = edits.perform(state, edits.LayTimeline(timeline.read(EDL, PAL).events), lambda: f"n{next(count)}")
    told = [(clip.source, clip.first, clip.length, clip.name) for clip in after.clips]
    # Of the creek there are two seconds less a little: the rest is a card with its name.
    assert told == [
        ("c", 50, 40, ""),
        (None, 0, 10, "creek.mp4"),
        (None, 0, 56, ""),
        (None, 0, 19, "gate.mov"),
    ]
    assert said == "timeline"


rates = st.sampled_from([rate for rate in FRAME_RATES if not rate.drop])
clips = st.tuples(st.sampled_from(["a.mp4", "b.mp4", "c d.mov", ""]), st.integers(0, 500), st.integers(1, 60))
tracks_of = st.lists(st.lists(clips, min_size=1, max_size=6), min_size=1, max_size=3)


def seen(tracks):
    """Frame by frame what is seen: the upper track that shows something. A second reading, as slow as it is plain."""
    length = max(sum(clip[2] for clip in track) for track in tracks)
    shown = [("", 0)] * length
    for track in tracks:
        at = 0
        for name, first, count in track:
            for n in range(count):
                if name:
                    shown[at + n] = (name, first + n)
            at += count
    return shown


def frames_of(events):
    return [(e.medium, e.first + n) if e.medium else ("", 0) for e in events for n in range(e.length)]


def otio_of(tracks, fps, **more):
    whole = opentime.TimeRange(opentime.RationalTime(0, fps), opentime.RationalTime(10_000, fps))
    written = otio.schema.Timeline("T")
    for track in tracks:
        made = otio.schema.Track(kind=otio.schema.TrackKind.Video)
        for name, first, length in track:
            span = opentime.TimeRange(opentime.RationalTime(first, fps), opentime.RationalTime(length, fps))
            medium = otio.schema.ExternalReference(f"file:///media/{quote(name)}", whole)
            made.append(otio.schema.Clip("x", medium, span) if name else otio.schema.Gap(source_range=span))
        written.tracks.append(made)
    return written


def bytes_of(written):
    return otio.adapters.write_to_string(written, "otio_json").encode()


def edl_of(tracks, rate):
    rows, number = ["TITLE: T"], 0
    for height, track in enumerate(tracks, start=1):
        at = 0
        for name, first, length in track:
            number += 1
            code = [format_timecode(frame, rate) for frame in (first, first + length, at, at + length)]
            if name:
                rows += [f"{number:03}  AX  V{height}  C  {' '.join(code)}", f"* FROM CLIP NAME: {name}"]
            at += length
    return "\n".join(rows).encode()


@settings(max_examples=300, deadline=None)
@given(rates, tracks_of)
def test_edl_and_otio_show_each_frame_as_a_second_reading_does(rate, drawn):
    drawn[0].append(("end.mp4", 5, max(sum(clip[2] for clip in track) for track in drawn)))
    wanted = seen(drawn)
    by_otio = timeline.read(bytes_of(otio_of(drawn, float(rate.fps))), rate)
    assert frames_of(by_otio.events) == wanted
    by_edl = timeline.read(edl_of(drawn, rate), rate)
    first = next(n for n, (name, _) in enumerate(wanted) if name)
    last = next(n for n in range(len(wanted), 0, -1) if wanted[n - 1][0])
    assert frames_of(by_edl.events) == wanted[first:last] and by_edl.start == first


@settings(max_examples=100, deadline=None)
@given(tracks_of, st.integers(0, 30), st.integers(1, 200))
def test_nested_and_trimmed_stacks_are_as_the_library_flattens_them(drawn, start, length):
    whole = otio_of(drawn, 25.0)
    total = max(sum(clip[2] for clip in track) for track in drawn)
    start = min(start, total - 1)
    length = min(length, total - start)
    outer = otio.schema.Timeline("T")
    track = otio.schema.Track(kind=otio.schema.TrackKind.Video)
    nested = whole.tracks.deepcopy()
    nested.source_range = opentime.TimeRange(opentime.RationalTime(start, 25), opentime.RationalTime(length, 25))
    track.append(nested)
    lead = opentime.TimeRange(opentime.RationalTime(7, 25), opentime.RationalTime(9, 25))
    track.insert(0, otio.schema.Clip("lead.mp4", source_range=lead))
    outer.tracks.append(track)
    wanted = [("lead.mp4", 7 + n) for n in range(9)] + seen(drawn)[start : start + length]
    flat = otio.algorithms.flatten_stack(whole.tracks)
    told = []
    for item in flat:
        span = item.trimmed_range()
        name = unquote(item.media_reference.target_url.rpartition("/")[2]) if isinstance(item, otio.schema.Clip) else ""
        told += [(name, round(span.start_time.value) + n) if name else ("", 0) for n in range(round(span.duration.value))]
    assert told[: len(seen(drawn))] == seen(drawn)[: len(told)]
    try:
        events = timeline.read(bytes_of(outer), PAL).events
    except TimelineRefused:
        assert not any(name for name, _ in wanted)
    else:
        assert frames_of(events) == wanted


def test_three_hundred_clips_at_another_rate_gain_and_lose_no_frame():
    for fps, rate in ((24, PAL), (30000 / 1001, PAL), (25, FrameRate(Fraction(24000, 1001))), (59.94, PAL)):
        drawn = [[("a.mp4", 3 * n, 1 + n % 37) for n in range(300)]]
        events = timeline.read(bytes_of(otio_of(drawn, fps)), rate).events
        exact = min((each.fps for each in FRAME_RATES), key=lambda each: abs(float(each) - fps))
        seconds = sum(clip[2] for clip in drawn[0]) / exact
        assert abs(sum(event.length for event in events) - seconds * rate.fps) <= Fraction(1, 2)
        edges = [Fraction(sum(clip[2] for clip in drawn[0][: n + 1])) / exact * rate.fps for n in range(300)]
        ends = [sum(event.length for event in events[: n + 1]) for n in range(len(events))]
        assert all(min(abs(edge - end) for end in ends) <= 1 for edge in edges)


def test_a_dissolve_has_two_clips_and_is_cut_in_its_middle():
    edl = b"""FCM: NON-DROP FRAME
001  AX V C 00:00:00:00 00:00:02:00 10:00:00:00 10:00:02:00
* FROM CLIP NAME: one.mov
002  AX V C 00:00:02:00 00:00:02:00 10:00:02:00 10:00:02:00
002  BX V D 020 00:00:05:00 00:00:08:00 10:00:02:00 10:00:05:00
* FROM CLIP NAME: one.mov
* TO CLIP NAME: two.mov
003  BX V C 00:00:30:00 00:00:31:00 10:00:05:00 10:00:06:00
* FROM CLIP NAME: one.mov
"""
    found = timeline.read(edl, PAL)
    told = [(e.medium, e.first, e.length) for e in found.events]
    assert told == [("one.mov", 0, 60), ("two.mov", 135, 65), ("one.mov", 750, 25)]
    assert found.remarks == ("the dissolve of event 002 is a cut in its middle",)


def test_speed_keys_overlaps_and_damaged_rows_are_said_with_their_numbers():
    edl = b"""001  AX V C 00:00:00:00 00:00:04:00 10:00:00:00 10:00:02:00
M2   AX       050.0                00:00:00:00
* FROM CLIP NAME: slow.mov
002  BX V C 00:00:00:00 00:00:00:01 10:00:02:00 10:00:04:00
M2   BX       000.0                00:00:00:00
* FROM CLIP NAME: still.mov
003  CX V C 00:00:00:00 00:00:02:00 10:00:0x:00 10:00:06:00
004  DX V K B 00:00:00:00 00:00:02:00 10:00:06:00 10:00:08:00
* FROM CLIP NAME: under.mov
004  EX V K 000 00:00:00:00 00:00:02:00 10:00:06:00 10:00:08:00
* FROM CLIP NAME: title.png
005  FX V C 00:01:00:00 00:01:01:00 10:00:07:00 10:00:08:00
* SOURCE FILE: C:\\cards\\A001.MOV
"""
    found = timeline.read(edl, PAL)
    assert [(e.medium, e.first, e.length, e.names) for e in found.events] == [
        ("slow.mov", 0, 50, ("AX",)),
        ("still.mov", 0, 50, ("BX",)),
        ("", 0, 50, ()),
        ("under.mov", 0, 25, ("DX",)),
        ("A001.MOV", 1500, 25, ("FX",)),
    ]
    said = " | ".join(found.remarks)
    for part in (
        "row 003 can't be read", "event 004 is keyed", "event 001 plays at 200 %", "event 002 stands still",
        "1 event lies under others",
    ):  # fmt: skip
        assert part in said, said


@pytest.mark.parametrize("encoding", ["utf-8", "utf-8-sig", "utf-16", "latin-1"])
def test_names_come_from_every_encoding(encoding):
    edl = "001  AX V C 00:00:00:00 00:00:02:00 10:00:00:00 10:00:02:00\n* FROM CLIP NAME: M\xfchle.mov\n"
    assert timeline.read(edl.encode(encoding), PAL).events[0].medium == "M\xfchle.mov"


def test_drop_frame_is_said_once_above_and_midnight_is_passed():
    film = FrameRate(Fraction(30000, 1001), True)
    row = "001  AX V C 00:00:00:00 00:00:02:00 {} {}\n"
    colons = timeline.read(f"FCM: DROP FRAME\n{row.format('01:00:59:00', '01:01:01:02')}".encode(), film)
    semicolons = timeline.read(row.format("01:00:59;00", "01:01:01;02").encode(), film)
    assert colons.events == semicolons.events and colons.start == semicolons.start
    # Two numbers are left out at the minute.
    assert colons.events[0].length == 60
    night = b"""001  AX V C 00:00:00:00 00:00:02:00 23:59:59:00 00:00:01:00
002  BX V C 23:59:59:00 00:00:01:00 00:00:01:00 00:00:03:00
"""
    found = timeline.read(night, PAL)
    assert [(e.medium, e.length) for e in found.events] == [("AX", 50), ("BX", 50)]
    assert found.start == (24 * 3600 - 1) * 25


def test_media_know_their_own_timecode_and_what_is_guessed_is_said():
    def lay(**source):
        sources = {"a": Source("a", "A001.mov", frames=500, **source)}
        edl = b"001  A001 V C 14:03:10:00 14:03:12:00 10:00:00:00 10:00:02:00\n"
        events = timeline.read(edl, PAL).events
        count = iter(range(9))
        clips = timeline.clips_of(events, sources, PAL, lambda: f"n{next(count)}")
        return [(p.source, p.first, p.length) for p in clips], timeline.read_from(events, sources, PAL)

    begins = (14 * 3600 + 3 * 60 + 5) * 25
    assert lay(begins=begins) == ([("a", 125, 50)], [])
    told, said = lay()
    assert told == [("a", 0, 50)] and "earliest event" in said[0]
    assert timeline.begins_at("14:03:05:00", PAL, PAL) == begins
    assert timeline.begins_at("01:00:00;00", FrameRate(Fraction(30000, 1001)), PAL) == round(107_892 * Fraction(1001, 1200))
    assert timeline.begins_at("", PAL, PAL) is None and timeline.begins_at("10:00:00:99", PAL, PAL) is None


def test_clips_without_a_length_time_warps_and_switched_off_ones_are_said():
    written = otio.schema.Timeline("T")
    track = otio.schema.Track(kind=otio.schema.TrackKind.Video)
    span = opentime.TimeRange(opentime.RationalTime(0, 25), opentime.RationalTime(20, 25))
    track.append(otio.schema.Clip("no length"))
    track.append(
        otio.schema.Clip("fast", source_range=span, effects=[otio.schema.LinearTimeWarp(name="w", time_scalar=2.0)])
    )
    track.append(otio.schema.Clip("off", source_range=span))
    track[-1].enabled = False
    track.append(otio.schema.Transition(in_offset=opentime.RationalTime(2, 25), out_offset=opentime.RationalTime(8, 25)))
    track.append(otio.schema.Clip("last", source_range=span))
    written.tracks.append(track)
    found = timeline.read(bytes_of(written), PAL)
    assert [(e.medium, e.length) for e in found.events] == [("fast", 20), ("", 20), ("last", 20)]
    said = " | ".join(found.remarks)
    for part in ("“no length” says no length", "“fast” plays at 200%", "switched off and left out: off"):
        assert part in said, said


@pytest.mark.parametrize(
    "spoilt",
    [
        '{"OTIO_SCHEMA": "Timeline.1", "tracks": {"OTIO_SCHEMA": "Track.1"}}',
        '{"OTIO_SCHEMA": "Timeline.1", "tracks": {"OTIO_SCHEMA": "Stack.1", "children": [{"OTIO_SCHEMA": "Clip.1", '
        '"source_range": {"OTIO_SCHEMA": "TimeRange.1", "duration": 3, '
        '"start_time": {"OTIO_SCHEMA": "RationalTime.1", "value": 1, "rate": 0}}}]}}',
        '{"OTIO_SCHEMA": "Timeline.1", "x": NaN}',
        '{"a":' * 100_000,
        '{"OTIO_SCHEMA": "Timeline.1", "tracks": ' + '{"OTIO_SCHEMA": "Stack.1", "children": [' * 60 + "]}" * 60 + "}",
    ],
)
def test_spoilt_timelines_are_refused_in_words(spoilt):
    with pytest.raises(TimelineRefused):
        timeline.read(spoilt.encode(), PAL)


@pytest.mark.parametrize(
    ("data", "said"),
    [
        (b"", "no timeline that Fendo"),
        (b"just words\n" * 50, "no timeline that Fendo"),
        (b'{"OTIO_SCHEMA": "Timeline.1"', "damaged"),
        (otio.adapters.write_to_string(otio.schema.Clip("x"), "otio_json").encode(), "no timeline"),
        (EDL.replace(b"10:00:00:00", b"10:00:00:29"), "can't be read at 25"),
        (b"\xff\xfe\x00" * 4000, "no timeline that Fendo"),
    ],
)
def test_what_is_no_timeline_says_so(data, said):
    with pytest.raises(TimelineRefused, match=said):
        timeline.read(data, PAL)


@given(st.binary(max_size=400) | st.text(max_size=400).map(str.encode))
def test_nothing_upsets_the_reader(data):
    try:
        timeline.read(data, PAL)
    except TimelineRefused:
        return


@settings(max_examples=400, deadline=None)
@given(st.integers(0, 4000), st.integers(0, 12), st.binary(max_size=8), st.booleans())
def test_a_spoilt_file_is_read_or_refused(at, gone, put, as_edl):
    drawn = [[("a.mp4", 3, 20), ("", 0, 5), ("b.mp4", 0, 9)], [("", 0, 10), ("c d.mov", 4, 6)]]
    whole = edl_of(drawn, PAL) if as_edl else bytes_of(otio_of(drawn, 25.0))
    at %= len(whole)
    try:
        found = timeline.read(whole[:at] + put + whole[at + gone :], PAL)
    except TimelineRefused as refused:
        assert len(str(refused)) > 20
    else:
        assert found.events and all(event.length > 0 and event.first >= 0 for event in found.events)
