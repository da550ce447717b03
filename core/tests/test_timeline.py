"""Timelines in: an EDL by hand, OTIO by its own library, and both held against one another."""

from fractions import Fraction

import opentimelineio as otio
import pytest
from hypothesis import given
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


def test_an_edl_gives_pieces_holes_and_the_start():
    found = timeline.read(EDL, PAL)
    assert found.start == 10 * 3600 * 25
    assert found.events == (
        Event("creek.mp4", (3600 + 2) * 25, 50, True),
        Event("", 0, 25, True),
        Event("", 0, 25),
        Event("gate.mov", 10, 25, True),
    )
    assert found.remarks == ("1 dissolve or wipes are taken as cuts", "1 event of sound is left out")


def test_media_are_known_by_name_counted_from_their_hour_and_left_as_cards_when_missing():
    state = State(sources={"c": Source("c", "Creek.MP4", frames=90), "x": Source("x", "other.mp4", frames=9)}, rate=PAL)
    count = iter(range(100))
    after, said = edits.perform(state, edits.LayTimeline(timeline.read(EDL, PAL).events), lambda: f"n{next(count)}")
    told = [(piece.source, piece.first, piece.length, piece.name) for piece in after.pieces]
    # Of the creek there are two seconds less a little: the rest is a card with its name.
    assert told == [
        ("c", 50, 40, ""),
        (None, 0, 10, "creek.mp4"),
        (None, 0, 25, ""),
        (None, 0, 25, ""),
        (None, 0, 25, "gate.mov"),
    ]
    assert said == "timeline"


lengths = st.lists(st.tuples(st.sampled_from(["a.mp4", "b.mp4", ""]), st.integers(0, 500), st.integers(1, 300)), max_size=8)


@given(st.sampled_from([rate for rate in FRAME_RATES if not rate.drop]), lengths)
def test_edl_and_otio_say_the_same(rate, wanted):
    wanted = [*wanted, ("end.mp4", 5, 9)]
    rows, at = ["TITLE: T"], 0
    track = otio.schema.Track(kind=otio.schema.TrackKind.Video)
    fps = float(rate.fps)
    for n, (name, first, length) in enumerate(wanted, start=1):
        code = [format_timecode(frame, rate) for frame in (first, first + length, at, at + length)]
        rows.append(f"{n:03}  {'AX' if name else 'BL'}  V  C  {' '.join(code)}")
        span = opentime.TimeRange(opentime.RationalTime(first, fps), opentime.RationalTime(length, fps))
        if name:
            rows.append(f"* FROM CLIP NAME: {name}")
            whole = opentime.TimeRange(opentime.RationalTime(0, fps), opentime.RationalTime(10_000, fps))
            medium = otio.schema.ExternalReference(f"file:///media/{name}", whole)
            track.append(otio.schema.Clip("x", medium, span))
        else:
            track.append(otio.schema.Gap(source_range=span))
        at += length
    written = otio.schema.Timeline("T")
    written.tracks.append(track)
    by_otio = timeline.read(otio.adapters.write_to_string(written, "otio_json").encode(), rate).events
    by_edl = timeline.read("\n".join(rows).encode(), rate).events
    assert [(e.medium, e.length) for e in by_edl] == [(e.medium, e.length) for e in by_otio]
    assert [e.first for e in by_edl if e.medium] == [e.first for e in by_otio if e.medium]


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
