"""The recordings alone bring back what the database knew of them."""

import shutil

import numpy as np
import pytest
from django.core.management import call_command
from django.core.management.base import CommandError

from fendo_core.audio import pcm
from fendo_core.timebase import SAMPLE_RATE
from fendo_server.booth import capture
from fendo_server.booth.rescue import rescue
from fendo_server.productions.models import Production
from fendo_server.takes.models import Pick, Take
from testing import clock_of, record, voice

FIELDS = (
    "id", "line_id", "line__number", "line__text", "line__slot_start", "line__slot_end", "line__production_id", "number",
    "file_name", "folder__path", "reader__name", "cut_off", "input", "cue", "start", "length", "clock", "within", "doubts",
    "speech_start", "speech_end", "peak", "loudness", "clipped", "state",
)  # fmt: skip


def known():
    return list(Take.objects.order_by("id").values(*FIELDS))


def forget_everything():
    """As if the database were gone."""
    Pick.objects.all().delete()
    Take.objects.all().delete()
    Production.objects.all().delete()


@pytest.fixture
def recorded(production):
    """Four takes of two lines, one of them past a change of the slot, one a cut-off pick-up, one never finished."""
    first, second, _ = production.lines.all()
    record(first, voice(3.0, 1))
    record(first, voice(4.0, 2), cut_off=True)
    take = capture.begin(second, "Größter “Mikrofon” <1>", cue=7 * SAMPLE_RATE)
    capture.append(take, 0, pcm.from_integers(voice(2.5, 3)))
    log = {**clock_of(6 * SAMPLE_RATE), "source": "measured", "latency": 1987, "gaps": [[5, 128]]}
    capture.finish(take, int(2.5 * SAMPLE_RATE), [log], cut_off=False)
    growing = capture.begin(second, "mic")
    capture.append(
        growing, 0, pcm.from_integers(voice(2.0, 4)), '{"capture": [[0, 0]], "transport": [[0, 240000]], "source": "none"}'
    )
    return growing


def test_everything_that_stands_in_the_headers_is_there_again(production, recorded, ada, own_data):
    before = {row["id"]: row for row in known()}
    name, rate, start = production.name, production.rate, production.start_frame
    files = {path: path.read_bytes() for path in own_data.glob("media/*/*/*.wav")}
    forget_everything()
    report = rescue(ada, own_data / "media")
    assert (report.productions, report.lines, report.takes, report.unfinished) == ([name], 2, 4, 1)
    again = Production.objects.get()
    assert (again.id, again.name, again.rate, again.start_frame) == (production.id, name, rate, start)
    assert again.landing.path == "Narration" and again.reader.name == "Narrator"
    for row in known():
        if row["id"] == recorded.id:
            assert row["state"] == "finished" and row["cut_off"] and row["start"] == 240_000
            assert row["length"] == 2 * SAMPLE_RATE
        else:
            assert row == before[row["id"]]
    assert {path: path.read_bytes() for path in files} == files, "a recording was changed"
    assert rescue(ada, own_data / "media").known == 4
    assert Take.objects.count() == 4


def test_a_folder_from_elsewhere_is_copied_and_made_anew(production, recorded, ada, stranger, own_data, tmp_path_factory):
    elsewhere = tmp_path_factory.mktemp("backup") / "an old disk"
    shutil.copytree(own_data / "media" / production.directory, elsewhere)
    forget_everything()
    (elsewhere / "Narration" / "notes.wav").write_bytes(b"RIFFxxxxWAVEfmt nothing")
    (elsewhere / "Handover").mkdir(exist_ok=True)
    shutil.copy(next(elsewhere.glob("Narration/*t01.wav")), elsewhere / "Handover" / "copy.wav")
    report = rescue(stranger, elsewhere)
    assert report.takes == 4 and report.refused[0].startswith("notes.wav")
    made = Production.objects.get()
    assert made.owner == stranger and made.directory == "The Tide Mill (2)"
    assert all(take.path.exists() and "(2)" in str(take.path) for take in Take.objects.all())
    sound = capture.read_sound(Take.objects.get(number=1, line__number="1").path)
    assert np.array_equal(pcm.from_floats(sound), voice(3.0, 1))


def test_the_command_says_what_it_did_and_what_it_can_not_do(production, recorded, own_data, capsys):
    forget_everything()
    call_command("rescue", str(own_data / "media" / production.directory), account="ada")
    said = capsys.readouterr().out
    assert "Rebuilt “The Tide Mill”: 2 lines, 4 takes, 1 of them cut off, for ada." in said and "pick again" in said
    call_command("rescue", str(own_data / "media"), account="ada")
    assert "known already and left alone: 4 takes" in capsys.readouterr().out
    with pytest.raises(CommandError, match="no folder"):
        call_command("rescue", "/nowhere/at/all")
