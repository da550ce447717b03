"""The reel by the real interface: clips, slides, an original, a hole; and what is shown at every cut."""

import math
import struct
import time
from fractions import Fraction
from pathlib import Path

import numpy as np
import pypdfium2
import pytest
import soundfile
from PIL import Image
from playwright.sync_api import Page, expect
from pypdfium2 import raw

import numbered
from harness import Wire, bring_in, choose_simulated, hand_over, look_at, new_production, read_one_take, type_script, until
from probe import api, takes_of

pytestmark = pytest.mark.browser
S = 48_000
PAL = S // 25


@pytest.fixture(scope="module")
def footage(tmp_path_factory) -> list[Path]:
    """Four films that say where they come from: of one rate, of another, in another codec, and long enough to be cut."""
    folder = tmp_path_factory.mktemp("footage")
    return [
        numbered.make(folder / "1 creek.mp4", 1000, 60),
        numbered.make(folder / "2 bridge.mp4", 2000, 75, rate="30"),
        numbered.make(folder / "3 gate.mpg", 3000, 50, codec="mpeg2video"),
        numbered.make(folder / "4 mill.webm", 4000, 80, codec="libvpx"),
    ]


def production(page: Page) -> dict:
    return api(page, "GET", f"/api/productions/{page.url.split('/')[4]}/")


def clips(page: Page) -> list[dict]:
    return production(page)["picture"]["clips"]


CLIPS = {
    "1 creek.mp4": (1000, 60, 25),
    "2 bridge.mp4": (2000, 75, 30),
    "3 gate.mpg": (3000, 50, 25),
    "4 mill.webm": (4000, 80, 25),
}
"""First number, frames, and frames a second."""


def expected(whole: dict) -> list[int]:
    """By a second account, what each frame of the programme must show; 0 on a card."""
    names, found = {source["id"]: source["name"] for source in whole["picture"]["sources"]}, []
    for clip in whole["picture"]["clips"]:
        for frame in range(clip["span"][0] // PAL, clip["span"][1] // PAL):
            if clip["source"] is None:
                found.append(0)
                continue
            first, count, rate = CLIPS[names[clip["source"]]]
            into = frame - clip["span"][0] // PAL + clip["first"] // PAL
            # The last one is held where the programme asks for half a frame more than there is.
            found.append(first + min(count - 1, math.floor((into + Fraction(1, 2)) * rate / 25)))
    return found


def settled(page: Page, number: int) -> None:
    """The canvas shows a number, and goes on showing it."""
    try:
        until(lambda: numbered.shown(page) == number, 20)
    except AssertionError:
        raise AssertionError(f"{numbered.shown(page)} is shown, not {number}") from None


def to_frame(page: Page, frame: int) -> None:
    """The position put on a frame of the programme, by the strip and the arrow keys."""
    now = page.get_by_test_id("timecode").inner_text().split(":")
    here = int(now[2]) * 25 + int(now[3]) + int(now[1]) * 1500
    second, rest = divmod(abs(frame - here), 25)
    way = "ArrowRight" if frame > here else "ArrowLeft"
    for _ in range(second):
        page.keyboard.press(f"Shift+{way}")
    for _ in range(rest):
        page.keyboard.press(way)


def test_clips_are_ordered_trimmed_split_closed_up_read_against_and_handed_over(
    desk: Page, footage, tmp_path, world, complaints
):
    page = desk
    new_production(page, "Four clips")
    bring_in(page, *footage)
    rows = page.get_by_role("list", name="clips").locator(".picture-row")
    expect(rows).to_have_count(4)
    assert [clip["span"][0] // PAL for clip in clips(page)] == [0, 60, 123, 173]
    look_at(page, "Files")
    expect(page.get_by_test_id("prepare-job")).to_have_count(0, timeout=60_000)
    look_at(page, "Reel")

    # The mill goes before the bridge; it begins later and ends earlier; the gate loses its middle.
    rows.nth(3).click()
    for _ in range(2):
        page.keyboard.press("Alt+ArrowUp")
    expect(rows.nth(1)).to_contain_text("4 mill.webm")
    to_frame(page, 60 + 20)
    page.keyboard.press("[")
    until(lambda: clips(page)[1]["span"] == [60 * PAL, 120 * PAL])
    to_frame(page, 100)
    page.keyboard.press("]")
    until(lambda: clips(page)[1]["span"] == [60 * PAL, 100 * PAL])
    rows.nth(3).click()
    gate = clips(page)[3]["span"][0] // PAL
    to_frame(page, gate + 10)
    page.keyboard.press("s")
    expect(rows).to_have_count(5)
    to_frame(page, gate + 30)
    page.keyboard.press("s")
    expect(rows).to_have_count(6)
    rows.nth(4).click()
    page.get_by_role("button", name="drop, close up").hover()
    expect(page.get_by_role("status").filter(has_text="0.80 s shorter")).to_be_visible()
    page.keyboard.press("Delete")
    expect(rows).to_have_count(5)
    page.keyboard.press("Control+z")
    expect(rows).to_have_count(6)
    page.keyboard.press("Control+Shift+z")
    expect(rows).to_have_count(5)

    whole = production(page)
    due = expected(whole)
    cuts = [clip["span"][0] // PAL for clip in whole["picture"]["clips"]]
    assert len(due) == whole["picture"]["length"] // PAL
    for cut in cuts[1:]:
        for frame in (cut - 1, cut):
            to_frame(page, frame)
            settled(page, due[frame])

    # Played over every cut: nothing is seen that is not in the reel, and nothing out of its order.
    to_frame(page, 0)
    settled(page, due[0])
    page.evaluate(
        """read => {
          const canvas = document.querySelector('[data-testid=picture]'), look = eval(read), seen = (window.__seen = [])
          const tick = () => { const n = look(canvas); if (n !== seen.at(-1)) seen.push(n); requestAnimationFrame(tick) }
          tick()
        }""".replace("eval(read)", numbered.READ),
        None,
    )
    page.keyboard.press("Space")
    until(lambda: numbered.shown(page) == due[-1], 60)
    seen = page.evaluate("window.__seen")
    places, at = [], 0
    for number in seen:
        at = due.index(number, at)
        places.append(at)
    assert places == sorted(places)
    assert len(places) > 60

    type_script(page, "Watch the water turn.")
    page.keyboard.press("3")
    choose_simulated(page)
    read_one_take(page, 2.0)
    page.keyboard.press("4")
    page.get_by_role("button", name="pick", exact=True).click()
    expect(page.locator("[data-take='1']")).to_contain_text("picked")
    film = hand_over(page, tmp_path)
    frames = numbered.written(film)
    assert len(frames) == len(due)
    # A clip of another rate may come a frame of its own earlier or later; all others come as they were shown.
    off = [got - want for got, want in zip(frames, due, strict=True)]
    assert all(abs(by) <= (1 if 2000 <= want < 3000 else 0) for by, want in zip(off, due, strict=True)), off
    assert complaints == []


def test_a_hole_is_left_and_filled_later_and_words_go_with_their_picture(desk: Page, footage):
    page = desk
    new_production(page, "A hole")
    bring_in(page, footage[0], footage[3])
    rows = page.get_by_role("list", name="clips").locator(".picture-row")
    expect(rows).to_have_count(2)
    type_script(page, "One.\nTwo.")
    page.get_by_test_id("page").locator("[data-line='2']").click()
    # There is none until the first edit is answered.
    slot = lambda: production(page)["lines"][1]["slot"] or [None]  # noqa: E731
    to_frame(page, 75)
    page.keyboard.press("[")
    until(lambda: slot()[0] == 75 * PAL)
    page.keyboard.press("1")
    to_frame(page, 60)
    settled(page, 4000)
    page.keyboard.press("c")
    expect(rows).to_have_count(3)
    until(lambda: slot()[0] == 150 * PAL)
    expect(page.get_by_text("picture missing in one place")).to_be_visible()
    to_frame(page, 61)
    settled(page, 0)
    rows.nth(1).click()
    look_at(page, "Files")
    page.get_by_label("what to do with 1 creek.mp4").click()
    page.get_by_role("menuitem", name="in the place of the chosen clip").click()
    until(lambda: [clip["span"][1] // PAL for clip in clips(page)] == [60, 120, 135, 215])
    look_at(page, "Reel")
    page.locator("body").click(position={"x": 640, "y": 20})
    to_frame(page, 119)
    settled(page, 1059)
    assert slot()[0] == 150 * PAL
    # Read against what was put in later, the take lies where its line lies.
    page.keyboard.press("3")
    expect(page.get_by_test_id("booth-line")).to_contain_text("Two.")
    choose_simulated(page)
    read_one_take(page, 1.5)
    (take,) = takes_of(page, production(page)["id"])
    assert abs(take["voice"]["speech"][0] - slot()[0]) < S
    page.keyboard.press("1")
    expect(rows.first).to_be_visible()
    for _ in range(2):
        page.keyboard.press("Control+z")
    expect(rows).to_have_count(2)
    until(lambda: slot()[0] == 75 * PAL)


def test_clips_are_trimmed_and_moved_by_hand_on_the_strip(desk: Page, footage):
    page = desk
    new_production(page, "By hand")
    bring_in(page, footage[0], footage[3])
    until(lambda: len(clips(page)) == 2)
    box = page.get_by_test_id("strip").bounding_box()
    y = box["y"] + 36

    def x(frame: int) -> float:
        # The strip begins a second before the programme at the scale that it opens with.
        return box["x"] + (frame * PAL + S) / 2400

    def drag(start: float, end: float) -> None:
        page.mouse.move(start, y)
        page.mouse.down()
        page.mouse.move(end, y, steps=5)
        expect(
            page.get_by_role("status").filter(has_text="s shorter").or_(page.get_by_text("Nothing else moves"))
        ).to_be_visible()
        page.mouse.up()

    drag(x(60) - 1, x(40))
    until(lambda: abs(clips(page)[0]["span"][1] // PAL - 40) <= 2)
    cut = clips(page)[0]["span"][1] // PAL
    assert clips(page)[1]["span"][0] // PAL == cut
    page.mouse.click(x(20), y)
    drag(x(20), x(cut + 70))
    until(lambda: clips(page)[0]["first"] == 0 and clips(page)[0]["span"][1] == 80 * PAL)
    page.keyboard.press("Control+z")
    until(lambda: clips(page)[0]["span"][1] // PAL == cut)


def test_a_file_goes_on_where_the_connection_was_cut(desk: Page, world, tmp_path):
    page, wire = desk, Wire(world.port)
    film = numbered.make(tmp_path / "long walk.mp4", 100, 50)
    with film.open("ab") as file:
        file.write(struct.pack(">I4s", 8 + (12 << 20), b"free") + np.random.default_rng(3).bytes(12 << 20))
    try:
        page.goto(f"http://127.0.0.1:{wire.port}")
        new_production(page, "Thin wire to a film")
        wire.rate = 4e6
        wire.hang_up()
        page.get_by_test_id("film-file").set_input_files(film)
        sent = page.get_by_role("list", name="files on their way")
        arrived = lambda: sum(path.stat().st_size for path in world.data.glob("arriving/*"))  # noqa: E731
        until(lambda: arrived() >= 4 << 20)
        wire.break_off()
        expect(sent).to_contain_text("the connection is away; it goes on when that is back")
        time.sleep(3)
        kept = arrived()
        wire.cut, wire.carried = False, 0
        expect(sent).to_have_count(0, timeout=60_000)
        expect(page.get_by_role("list", name="clips").locator(".picture-row")).to_have_count(1)
        # Nothing that had arrived is sent again: at most the clip that was on its way, and what requests need.
        assert wire.carried < film.stat().st_size - kept + (1 << 20)
        settled(page, 100)
    finally:
        wire.close()


def lesson(path: Path) -> Path:
    """Three slides, two of them with notes for the speaker."""
    colours = [(200, 40, 40), (40, 160, 60), (40, 60, 190)]
    sheets = [Image.new("RGB", (320, 180), colour) for colour in colours]
    sheets[0].save(path, "PDF", save_all=True, append_images=sheets[1:])
    document = pypdfium2.PdfDocument(path)
    for number, words in ((0, "The bowline holds and never jams."), (2, "Pull the long end, and it is made.")):
        page = document[number]
        noted = raw.FPDFPage_CreateAnnot(page.raw, raw.FPDF_ANNOT_TEXT)
        wide = (raw.FPDF_WCHAR * (len(words) + 1))(*words.encode("utf-16-le")[::2], 0)
        raw.FPDFAnnot_SetStringValue(noted, b"Contents", wide)
        raw.FPDFPage_CloseAnnot(noted)
    made = path.with_name(f"made {path.name}")
    document.save(made)
    document.close()
    return made


def test_the_notes_of_slides_become_lines_in_the_time_of_their_slides(desk: Page, tmp_path):
    page = desk
    new_production(page, "A lesson")
    bring_in(page, lesson(tmp_path / "knots.pdf"))
    rows = page.get_by_role("list", name="clips").locator(".picture-row")
    expect(rows).to_have_count(3)
    look_at(page, "Files")
    expect(page.get_by_test_id("prepare-job")).to_have_count(0, timeout=60_000)
    page.get_by_label("what to do with made knots.pdf").click()
    page.get_by_role("menuitem", name="Make a line of each page’s notes").click()
    lines = until(lambda: production(page)["lines"])
    found = clips(page)
    assert [line["text"] for line in lines] == ["The bowline holds and never jams.", "Pull the long end, and it is made."]
    for line, n in zip(lines, (0, 2), strict=True):
        start, end = found[n]["span"]
        assert start < line["slot"][0] < line["slot"][1] < end
        assert line["fit"] in ("fits", "tight")
    assert found[1]["span"][1] - found[1]["span"][0] == 5 * S
    # Words that name slides are laid over them, and the preview says so.
    page.locator("body").click(position={"x": 640, "y": 20})
    page.keyboard.press("2")
    page.get_by_role("radiogroup", name="what is set here").get_by_text("Script").click()
    more = b"Slide 2: The loop\n\nThis is the loop.\n\nSlide 3\n\nNow it is tight.\n"
    page.locator(".bring-in input[type=file]").set_input_files(
        {"name": "more.txt", "mimeType": "text/plain", "buffer": more}
    )
    preview = page.get_by_test_id("script-preview")
    expect(preview).to_contain_text("2 lines from plain text (utf-8), 2 with a slot")
    asked = preview.get_by_role("combobox", name="the lines are laid over the slides of")
    expect(asked).to_have_value("slides as they are")
    page.get_by_test_id("make-lines").click()
    loop = until(lambda: next((one for one in production(page)["lines"] if one["text"] == "This is the loop."), None))
    start, end = clips(page)[1]["span"]
    assert start < loop["slot"][0] < loop["slot"][1] < end and loop["notes"] == "Slide 2: The loop"
    page.keyboard.press("Control+z")
    until(lambda: len(production(page)["lines"]) == 2)
    page.locator("body").click(position={"x": 640, "y": 20})
    page.keyboard.press("3")
    expect(page.get_by_test_id("booth-line")).to_contain_text("The bowline")
    page.keyboard.press("ArrowDown")
    expect(page.get_by_test_id("booth-line")).to_contain_text("Pull the long end")
    middle = "c => [...c.getContext('2d').getImageData(c.width / 2, c.height / 2, 1, 1).data]"
    until(lambda: np.argmax(page.get_by_test_id("picture").evaluate(middle)[:3]) == 2)
    choose_simulated(page)
    read_one_take(page, 2.0)
    # A machine that stands still measures a take late.
    heard = lambda: [one for one in takes_of(page, production(page)["id"]) if one["voice"]["speech"]]  # noqa: E731
    (take,) = until(heard)
    assert abs(take["voice"]["speech"][0] - lines[1]["slot"][0]) < S


def test_an_original_is_listened_to_alone_and_one_of_its_channels_is_taken(desk: Page, tmp_path, complaints):
    page = desk
    new_production(page, "A talk")
    t = np.arange(8 * S) / S
    soundfile.write(tmp_path / "talk.wav", np.stack([np.sin(600 * t), np.sin(900 * t)], axis=1) * 0.2, S)
    bring_in(page, tmp_path / "talk.wav")
    look_at(page, "Sound")
    until(lambda: production(page)["picture"]["laid"])
    (laid,) = production(page)["picture"]["laid"]
    assert (laid["original"], laid["bed"], laid["span"]) == (True, "full", [0, 8 * S])
    page.get_by_role("combobox", name="channel").click()
    page.get_by_role("option", name="left alone").click()
    until(lambda: production(page)["picture"]["laid"][0]["channel"] == "left")
    page.get_by_text("the original alone").click()
    until(lambda: production(page)["monitor"] == "original")
    type_script(page, "What the speaker said.")
    page.keyboard.press("3")
    choose_simulated(page)
    page.get_by_role("switch", name="headphones").click()
    read_one_take(page, 2.0)
    assert sum(len(line["tally"]) for line in production(page)["lines"]) == 1
    assert complaints == []
