"""Handing over by the interface, and what leaves, read by other programs."""

import csv
import hashlib
import io
import json
import subprocess
import zipfile
from pathlib import Path

import opentimelineio
import pytest
import soundfile
from playwright.sync_api import Page, expect
from wavinfo import WavInfoReader

from fendo_core.handover.order import PRESETS
from harness import handed_over, in_slot, order, read_one_take, state, until
from launcher import serve
from measure import RATE
from probe import api, takes_of

pytestmark = pytest.mark.browser
MIDNIGHT = 10 * 3600 * RATE


def unpacked(page: Page, tmp_path: Path, name: str) -> Path:
    """The newest handover, downloaded whole."""
    with page.expect_download(timeout=120_000) as waited:
        page.get_by_test_id("handover").first.get_by_test_id("download").click()
    waited.value.save_as(tmp_path / f"{name}.zip")
    with zipfile.ZipFile(tmp_path / f"{name}.zip") as archive:
        archive.extractall(tmp_path / name)
    (folder,) = (tmp_path / name).iterdir()
    return folder


def come_back(page: Page, timeline: Path, folder: Path) -> None:
    """The timeline with its second reading half a second later, brought back; then undone."""
    whole = opentimelineio.adapters.read_from_file(str(timeline))
    voices = next(track for track in whole.tracks if track.kind == "Audio")
    gap = [child for child in voices if isinstance(child, opentimelineio.schema.Gap)][1]
    time = opentimelineio.opentime
    later = gap.source_range.duration + time.RationalTime(24_000, RATE)
    gap.source_range = time.TimeRange(gap.source_range.start_time, later)
    opentimelineio.adapters.write_to_file(whole, str(folder / "moved.otio"))
    production = page.url.split("/")[4]

    def spans():
        lines = api(page, "GET", f"/api/productions/{production}/")["lines"]
        return {line["number"]: line["voice"]["span"][0] for line in lines if line["voice"]}

    before = spans()
    page.locator("input[type=file]").set_input_files(folder / "moved.otio")
    told = page.get_by_test_id("returned")
    expect(told).to_contain_text(f"{len(before) - 1} readings moved, 1 as before")
    expect(told.get_by_role("listitem").first).to_contain_text("0.500 s later")
    assert spans() == {number: at + (24_000 if number != "1" else 0) for number, at in before.items()}
    page.keyboard.press("Control+z")
    until(lambda: spans() == before, seconds=30)


@pytest.mark.parametrize("name", [one.name for one in PRESETS])
def test_the_demo_leaves_in_every_preset_and_others_read_all_of_it(page: Page, world, demo, tmp_path, name):
    page.goto(world.link())
    page.get_by_text("The Tide Mill at Orsey").first.click()
    state(page, "Ready")
    page.keyboard.press("6")
    page.get_by_role("button", name=name, exact=True).click()
    expect(page.get_by_role("button", name=name, exact=True)).to_have_attribute("aria-pressed", "true")
    handed_over(page)
    folder = unpacked(page, tmp_path, name)
    for row in (folder / "checksums.sha256").read_text().splitlines():
        digest, path = row.split("  ", 1)
        assert hashlib.sha256((folder / path).read_bytes()).hexdigest() == digest
    listed = list(csv.DictReader(io.StringIO((folder / "Files.csv").read_text("utf-8-sig"))))
    lines = {line["number"]: line for line in api(page, "GET", f"/api/productions/{page.url.split('/')[4]}/")["lines"]}
    assert len(listed) == sum(1 for line in lines.values() if line["voice"] and (name != "Client" or line["pick"]))
    for row in listed:
        path = folder / row["file"]
        shown = subprocess.run(
            ["ffprobe", "-v", "error", "-show_streams", "-of", "json", path], capture_output=True, check=True
        )
        (stream,) = json.loads(shown.stdout)["streams"]
        if name == "Course":
            assert stream["codec_name"] == "mp3" and abs(float(stream["duration"]) - float(row["seconds"])) < 0.08
            continue
        assert stream["codec_name"] == "pcm_s24le"
        assert abs(float(stream["duration"]) - float(row["seconds"])) < 0.001
        assert WavInfoReader(str(path)).bext.time_reference == MIDNIGHT + int(row["first sample"])
        assert abs(soundfile.info(path).frames - float(row["seconds"]) * RATE) <= RATE / 1000
    if name == "Editor":
        (timeline,) = folder.glob("*.otio")
        whole = opentimelineio.adapters.read_from_file(str(timeline))
        clips = [clip for track in whole.tracks if track.kind == "Audio" for clip in track.find_clips()]
        starts = {clip.media_reference.target_url: clip.range_in_parent().start_time.value for clip in clips}
        assert starts == {row["file"]: max(0, int(row["first sample"])) for row in listed}
        come_back(page, timeline, tmp_path)
    if name == "Course":
        for form, codec in (("srt", "subrip"), ("vtt", "webvtt")):
            (titles,) = folder.glob(f"*.{form}")
            command = ["ffprobe", "-v", "error", "-count_packets", "-show_streams", "-of", "json", titles]
            (stream,) = json.loads(subprocess.run(command, capture_output=True, check=True).stdout)["streams"]
            assert (stream["codec_name"], int(stream["nb_read_packets"])) == (codec, len(listed))
    if name == "Client":
        (film,) = folder.glob("*.mp4")
        shown = subprocess.run(
            ["ffprobe", "-v", "error", "-show_format", "-of", "json", film], capture_output=True, check=True
        )
        assert abs(float(json.loads(shown.stdout)["format"]["duration"]) - 360) < 0.1
    if name == "Archive":
        assert (folder / "Production/production.json").exists() and len(list(folder.rglob("Production/**/*.wav"))) >= 20
    assert "Take sheet.html" in {path.name for path in folder.iterdir()}


def test_an_order_is_ticked_named_kept_and_only_what_changed_leaves_again(page: Page, world, demo):
    page.goto(world.link())
    page.get_by_text("The Tide Mill at Orsey").first.click()
    state(page, "Ready")
    order(page, "Each line as a file", which="lines that I tick")
    plan = page.get_by_test_id("plan")
    page.get_by_role("checkbox", name="line 2", exact=True).check()
    page.get_by_role("checkbox", name="line 4", exact=True).check()
    names = page.get_by_role("textbox", name="Names of the lines")
    names.fill("{count} {reader} {line}")
    expect(plan.locator("[data-leaves='true']").first).to_contain_text("01 ")
    names.fill("{nobody}")
    expect(page.get_by_role("alert")).to_contain_text("There is no field {nobody}")
    expect(page.get_by_test_id("write")).to_be_disabled()
    names.fill("{line} {words}")
    page.get_by_role("button", name="Keep as a preset").click()
    page.get_by_role("textbox", name="name of the preset").fill("Two for a friend")
    page.keyboard.press("Enter")
    kept = page.get_by_role("button", name="Two for a friend", exact=True)
    expect(kept).to_be_visible()
    page.locator("body").click(position={"x": 640, "y": 20})
    page.get_by_test_id("write").wait_for()
    handed_over(page)
    expect(page.get_by_test_id("handover").first).to_contain_text("2 lines")
    order(page, "Each line as a file")
    handed_over(page)
    order(page, "Each line as a file", which="what has changed since the last time")
    expect(page.get_by_test_id("findings")).to_contain_text("Nothing has changed since")
    expect(page.get_by_test_id("write")).to_be_disabled()
    kept.click()
    page.get_by_role("button", name="remove Two for a friend").click()
    expect(kept).to_have_count(0)


FORGET = """
from fendo_server.productions.models import Production
from fendo_server.takes.models import Pick, Take
from fendo_server.voice.models import Comp, Recording
one = Production.objects.get(pk="{0}")
for rows in (Pick.objects.filter(line__production=one), Comp.objects.filter(production=one)):
    rows.delete()
Take.objects.filter(line__production=one).delete()
Recording.objects.filter(production=one).delete()
one.delete()
"""


def test_an_archive_that_was_downloaded_is_opened_where_the_production_is_not(desk: Page, world, tmp_path):
    page = desk
    in_slot(page, "Weir")
    read_one_take(page)
    production = page.url.split("/")[4]
    before = api(page, "GET", f"/api/productions/{production}/")
    page.keyboard.press("6")
    page.get_by_role("button", name="Archive", exact=True).click()
    handed_over(page)
    unpacked(page, tmp_path, "weir")
    page.goto(world.address)
    sending = page.get_by_role("list", name="files on their way")
    page.locator("input[type=file]").set_input_files(tmp_path / "weir.zip")
    expect(sending).to_contain_text("“Weir” is here already", timeout=60_000)
    sending.get_by_role("button", name="Close").click()
    serve.manage("shell", "-c", FORGET.format(production), env=world.env)
    page.reload()
    page.locator("input[type=file]").set_input_files(tmp_path / "weir.zip")
    expect(sending).to_contain_text("“Weir” opened from “weir.zip”, with 1 take.", timeout=60_000)
    sending.get_by_role("link", name="Go to it").click()
    expect(page.locator("[data-take]")).to_have_count(1)
    after = api(page, "GET", f"/api/productions/{production}/")
    assert [(line["text"], line["slot"], line["tally"]) for line in after["lines"]] == [
        (line["text"], line["slot"], line["tally"]) for line in before["lines"]
    ]
    (take,) = takes_of(page, production)
    assert take["state"] == "finished" and take["voice"]
