"""What is made of ffprobe's answers: ordinary, odd and hostile ones."""

from fractions import Fraction

import pytest
from hypothesis import given
from hypothesis import strategies as st

from fendo_core.picture import codec, film, pages
from fendo_core.timebase import SAMPLE_RATE


def answer(*more, duration="10.0", **video):
    """ffprobe's JSON for a plain film, with changes."""
    stream = {
        "codec_type": "video",
        "codec_name": "h264",
        "pix_fmt": "yuv420p",
        "width": 640,
        "height": 360,
        "avg_frame_rate": "25/1",
        "r_frame_rate": "25/1",
        "disposition": {"attached_pic": 0},
        **video,
    }
    return {"streams": [stream, *more], "format": {"duration": duration}}


SOUND = {"codec_type": "audio", "codec_name": "aac", "disposition": {}}


def judged(found, kind="mov"):
    return film._judged(kind, found)


def test_a_plain_film_is_ready_as_it_is():
    found = judged(answer(SOUND))
    assert (found.frames, found.length) == (250, 10 * SAMPLE_RATE)
    assert found.has_sound and found.ready_as_is and found.copyable and found.plays_in_browser
    assert found.remarks == ()


@pytest.mark.parametrize(
    ("change", "kind"),
    [
        ({"codec_name": "prores"}, "mov"),
        ({"pix_fmt": "yuv422p"}, "mov"),
        ({"width": 1920, "height": 1080}, "mov"),
        ({"has_b_frames": 2}, "mov"),
        ({"avg_frame_rate": "2997/125", "r_frame_rate": "30/1"}, "mov"),
        ({"side_data_list": [{"rotation": -90}]}, "mov"),
        ({}, "matroska"),
    ],
)
def test_what_does_not_step_well_gets_a_proxy(change, kind):
    assert not judged(answer(**change), kind).ready_as_is


def test_what_is_odd_is_taken_and_said():
    varying = judged(answer(avg_frame_rate="2983/100", r_frame_rate="90000/1"))
    assert varying.rate.fps == Fraction(30000, 1001)
    assert "treated as 29.97" in varying.remarks[0]
    assert not varying.copyable
    assert "2 sounds" in judged(answer(SOUND, SOUND)).remarks[0]


def test_a_film_tells_the_timecode_of_its_first_frame():
    assert judged(answer(tags={"timecode": "14:03:05:00"})).timecode == "14:03:05:00"
    track = {"codec_type": "data", "codec_name": "bin_data", "disposition": {}, "tags": {"TIMECODE": "01:00:00;02"}}
    assert judged(answer(track)).timecode == "01:00:00;02"
    assert judged(answer(tags={"timecode": "soon"})).timecode == "" == judged(answer()).timecode


def test_a_cover_picture_makes_no_film_of_a_sound():
    found = judged(answer(SOUND, disposition={"attached_pic": 1}))
    assert (found.frames, found.has_sound, found.plays_in_browser) == (0, True, False)


def test_an_interlaced_film_says_so_and_gets_a_proxy():
    found = judged(answer(field_order="tt"))
    assert found.interlaced
    assert not found.ready_as_is
    assert "interlaced" in found.remarks[0]


@pytest.mark.parametrize(
    ("found", "said"),
    [
        (answer(duration="1000000000"), "longer than eight hours"),
        (answer(duration="0"), "how long it is"),
        ({**answer(), "format": {}}, "how long it is"),
        (answer(width=40_000, height=40_000), "can't be shown"),
        (answer(width=1, height=1), "can't be shown"),
        (answer(width=0, height=0), "can't be shown"),
        ({"streams": [], "format": {}}, "neither picture nor sound"),
    ],
)
def test_what_asks_for_too_much_or_says_too_little_is_refused(found, said):
    with pytest.raises(film.FilmRefused, match=said):
        judged(found)


@given(st.binary(max_size=500))
def test_no_beginning_of_a_file_upsets_the_sniffer(start):
    assert film.sniff(start) in {None, *codec.DEMUXERS, *pages.STILLS, "pdf"}


@given(
    st.sampled_from(
        ["24000/1001", "24/1", "25/1", "30000/1001", "30/1", "50/1", "60000/1001", "60/1", "12/1", "1000/1", "0/0"]
    ),
    st.integers(1, 20_000),
)
def test_a_films_length_is_whole_frames_of_its_rate(rate, frames):
    fps = Fraction(*map(int, rate.split("/"))) if rate != "0/0" else Fraction(25)
    found = judged(answer(avg_frame_rate=rate, r_frame_rate=rate, duration=f"{float(frames / fps):.6f}"))
    assert found.length == found.rate.first_sample(found.frames)
    if found.rate.fps == fps:
        assert abs(found.frames - frames) <= 1
