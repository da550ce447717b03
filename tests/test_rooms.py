"""The rooms as a person meets them: empty, failing, typed into, in two windows, on a small screen."""

import re

import pytest
from playwright.sync_api import Browser, Page, Route, expect

from harness import (
    bring_in_film,
    choose_simulated,
    in_slot,
    look_at,
    new_production,
    read_one_take,
    state,
    type_script,
    until,
)
from probe import api, takes_of

pytestmark = pytest.mark.browser

OUTSIDE = """() => [...document.querySelectorAll('.shell button, .shell a, .shell input')]
  .filter(e => !e.closest('.page, .picture-side, .script-side, .takes-rows, .booth-words, .booth-choices'))
  .filter(e => !e.closest('.handover-body, .handover-list'))
  .map(e => [e.getBoundingClientRect(), e.getAttribute('aria-label') || e.textContent])
  .filter(([b]) => b.width && (b.left < -1 || b.top < -1 || b.right > innerWidth + 1 || b.bottom > innerHeight + 1))
  .map(([, name]) => name)"""
"""Names of what can be pressed and lies outside the window; what lies in a part that scrolls does not count."""

FIERY = """head => {
  const [red, green] = getComputedStyle(head).color.match(/[\\d.]+/g).map(Number)
  const { x, width } = head.getBoundingClientRect(), strip = head.parentElement.getBoundingClientRect()
  return red > green + 80 && x + width > strip.x && x < strip.right
}"""
"""Whether the playhead is red, and in sight."""


def test_an_empty_production_says_in_every_room_what_to_do(desk: Page):
    page = desk
    expect(page.get_by_text("Nothing here yet")).to_be_visible()
    new_production(page, "Empty")
    page.keyboard.press("2")
    expect(page.get_by_role("heading", name="No words yet")).to_be_visible()
    page.keyboard.press("3")
    expect(page.get_by_text("No lines to read yet")).to_be_visible()
    page.keyboard.press("4")
    expect(page.get_by_text("nothing to choose from")).to_be_visible()
    page.keyboard.press("6")
    expect(page.get_by_text("None of these lines has been read yet")).to_be_visible()
    expect(page.get_by_test_id("write")).to_be_disabled()
    page.get_by_text("Handed over", exact=True).click()
    expect(page.get_by_text("Nothing has been handed over yet")).to_be_visible()


def test_a_file_that_is_no_film_is_refused_in_words(desk: Page, tmp_path):
    page = desk
    new_production(page, "Hostile")
    path = tmp_path / "holiday.mp4"
    path.write_bytes(b"#EXTM3U\nfile:///etc/passwd\n" * 40)
    page.get_by_test_id("film-file").set_input_files(path)
    expect(page.get_by_role("alert")).to_contain_text("nothing that Fendo can read")
    expect(page.get_by_role("heading", name="No picture yet")).to_be_visible()


def test_recording_without_a_microphone_says_so_and_records_nothing(desk: Page, world):
    page = desk
    new_production(page, "No microphone")
    type_script(page, "A line.")
    page.keyboard.press("3")
    state(page, "Ready")
    page.keyboard.press("Enter")
    state(page, "No microphone is chosen")
    page.keyboard.press("Escape")
    state(page, "Ready")
    assert not list(world.data.glob("media/No microphone/*/*"))


def test_a_take_that_goes_on_is_not_left_out_of_sight(desk: Page):
    page = desk
    new_production(page, "Stay")
    type_script(page, "Stay here until it is said.")
    page.keyboard.press("3")
    choose_simulated(page)
    page.keyboard.press("Enter")
    state(page, "Recording")
    address = page.url
    for leave in (
        lambda: page.get_by_role("link", name="Takes").click(),
        lambda: page.get_by_title("all productions").click(),
        lambda: page.evaluate("history.back()"),
    ):
        leave()
        expect(page.get_by_text("A take goes on. Stop it first.")).to_be_visible()
        expect(page).to_have_url(address)
        state(page, "Recording")
        page.get_by_role("alert").get_by_role("button").first.click()
        expect(page.get_by_text("A take goes on. Stop it first.")).to_have_count(0)
    page.keyboard.press("Enter")
    state(page, "Saved")
    page.get_by_role("link", name="Takes").click()
    expect(page.locator("[data-take='1']")).to_be_visible()


def test_the_playhead_tells_that_it_records_with_two_hours_in_sight(desk: Page):
    """A point of the strip is six seconds then: the head's colour must not wait until it moves."""
    page = desk
    new_production(page, "Two hours")
    type_script(page, "A line.")
    api(page, "PATCH", f"/api/productions/{page.url.split('/')[4]}/", {"wanted_length": 7200 * 48_000})
    page.reload()
    page.get_by_role("link", name="Booth").click()
    choose_simulated(page)
    for _ in range(14):
        page.get_by_label("see more of the programme").click()
    page.locator("body").click(position={"x": 640, "y": 20})
    head = page.get_by_test_id("strip-head")
    assert not head.evaluate(FIERY)
    page.keyboard.press("Enter")
    state(page, "Recording")
    until(lambda: head.evaluate(FIERY))
    page.keyboard.press("Enter")
    state(page, "Saved")
    until(lambda: not head.evaluate(FIERY))


def test_a_count_in_that_is_called_off_leaves_nothing(desk: Page, world):
    page = desk
    new_production(page, "Called off")
    type_script(page, "A line.")
    page.keyboard.press("3")
    choose_simulated(page)
    page.keyboard.press("Enter")
    state(page, "take 1")
    page.wait_for_timeout(700)
    page.keyboard.press("Escape")
    state(page, "Ready")
    expect(page.get_by_test_id("booth-state")).not_to_contain_text("take")
    read_one_take(page, 1.0)
    expect(page.get_by_test_id("booth-state")).to_contain_text("take 1")
    assert len(list(world.data.glob("media/Called off/Narration/*"))) == 1


def test_a_real_microphone_records_through_the_same_doors(desk: Page, world):
    """Chromium's own made microphone stands for one from the desk: it beeps."""
    page = desk
    new_production(page, "Real microphone")
    type_script(page, "A line.")
    page.keyboard.press("3")
    page.get_by_role("combobox", name="microphone").click()
    page.get_by_role("option").first.click()
    page.locator("body").click(position={"x": 640, "y": 20})
    channels = page.get_by_role("radiogroup", name="input channel").get_by_role("radio")
    expect(channels).to_have_count(2)
    # The browser's own test microphone beeps: the levels of its channels move.
    until(lambda: "scaleX(0)" not in (channels.last.locator("i").get_attribute("style") or "scaleX(0)"))
    channels.last.click()
    expect(channels.last).to_be_checked()
    read_one_take(page, 2.0)
    page.keyboard.press("4")
    expect(page.locator("[data-take='1']")).to_contain_text("peak")
    assert len(list(world.data.glob("media/Real microphone/Narration/*.wav"))) == 1


def test_words_are_edited_in_place_undone_and_redone_across_a_reload(desk: Page):
    page = desk
    new_production(page, "Words")
    type_script(page, "First words.\nSecond words.")
    page.keyboard.press("Enter")
    page.get_by_label("words of line 1").fill("Other words, with [ and 5 and Delete in them.")
    page.keyboard.press("Enter")
    expect(page.get_by_label("words of line 1")).to_have_count(0)
    expect(page.get_by_test_id("page")).to_contain_text("Other words, with [ and 5")
    page.keyboard.press("ArrowDown")
    page.keyboard.press("Delete")
    expect(page.get_by_role("option")).to_have_count(1)
    page.reload()
    expect(page.get_by_role("option")).to_have_count(1)
    page.keyboard.press("Control+z")
    expect(page.get_by_role("option")).to_have_count(2)
    page.keyboard.press("Control+z")
    expect(page.get_by_test_id("page")).to_contain_text("First words.")
    page.keyboard.press("Control+Shift+z")
    expect(page.get_by_test_id("page")).to_contain_text("Other words")


def test_words_that_are_being_typed_outlive_a_reload(desk: Page):
    page = desk
    new_production(page, "Typing")
    type_script(page, "\n".join(f"Line number {n}." for n in range(1, 31)))
    page.get_by_test_id("page").locator("[data-line='3']").click()
    page.keyboard.press("Enter")
    page.get_by_label("words of line 3").fill("Half a sentence, and th")
    page.reload()
    words = page.get_by_label("words of line 3")
    expect(words).to_have_value("Half a sentence, and th")
    expect(words).to_be_in_viewport()
    words.press("End")
    words.press_sequentially("en the rest.")
    # Another room is gone to with the mouse, in the middle of typing.
    page.get_by_role("link", name="Booth").click()
    page.get_by_role("link", name="Script").click()
    expect(page.get_by_test_id("page")).to_contain_text("Half a sentence, and then the rest.")
    expect(page.get_by_label("words of line 3")).to_have_count(0)


def test_words_on_a_slow_connection_are_not_taken_up_twice_nor_lost_when_refused(desk: Page):
    page = desk
    new_production(page, "Slow")
    type_script(page, "First words.\nSecond words.")
    held: list[Route] = []
    page.route("**/edits/", lambda route: held.append(route))  # noqa: PLW0108 - a bound method of a list takes no wrapper

    def leave(words: str) -> Route:
        """Write, and leave the room and come back before the server has answered."""
        page.keyboard.press("Enter")
        page.get_by_label("words of line 1").fill(words)
        page.get_by_role("link", name="Booth").click()
        # Until the Booth is loaded the room is not left.
        expect(page).to_have_url(re.compile("/booth$"))
        page.get_by_role("link", name="Script").click()
        expect(page).to_have_url(re.compile("/script$"))
        expect(page.get_by_test_id("page")).to_be_visible()
        expect(page.get_by_label("words of line 1")).to_have_count(0)
        return held.pop()

    leave("Kept late.").continue_()
    expect(page.get_by_test_id("page")).to_contain_text("Kept late.")
    leave("Refused.").fulfill(status=503, body="")
    expect(page.get_by_role("alert")).to_be_visible()
    page.unroute("**/edits/")
    page.get_by_role("link", name="Booth").click()
    page.get_by_role("link", name="Script").click()
    expect(page.get_by_label("words of line 1")).to_have_value("Refused.")
    page.keyboard.press("Escape")
    expect(page.get_by_label("words of line 1")).to_have_count(0)
    expect(page.get_by_test_id("page")).to_contain_text("Refused.")


def test_two_windows_on_one_line_nothing_is_overwritten_silently(desk: Page):
    one = desk
    new_production(one, "Two windows")
    type_script(one, "First words.")
    two = one.context.new_page()
    two.goto(one.url)
    for page, text in ((one, "Mine."), (two, "Theirs.")):
        expect(page.get_by_test_id("page")).to_contain_text("First words.")
        page.keyboard.press("Enter")
        page.get_by_label("words of line 1").fill(text)
    two.keyboard.press("Enter")
    expect(two.get_by_label("words of line 1")).to_have_count(0)
    expect(two.get_by_test_id("page")).to_contain_text("Theirs.")
    one.get_by_label("words of line 1").press("Enter")
    expect(one.get_by_role("alert")).to_contain_text("changed in another window")
    expect(one.get_by_role("alert")).to_contain_text("Theirs.")
    expect(one.get_by_label("words of line 1")).to_have_value("Mine.")
    one.get_by_role("button", name="Write mine").click()
    expect(one.get_by_test_id("page")).to_contain_text("Mine.")


def test_slots_are_marked_while_the_picture_plays(desk: Page, own_film):
    page = desk
    new_production(page, "Marks")
    bring_in_film(page, own_film)
    type_script(page, "One.\nTwo.")
    first = page.get_by_test_id("page").locator("[data-line='1']")
    place = first.locator(".page-note").inner_text()
    page.keyboard.press("Space")
    page.wait_for_timeout(1200)
    page.keyboard.press("[")
    expect(first.locator(".page-note")).not_to_have_text(place)
    page.wait_for_timeout(800)
    page.keyboard.press("]")
    expect(page.get_by_test_id("page").locator("[data-line='2']")).to_have_attribute("aria-selected", "true")
    page.keyboard.press("Space")


@pytest.mark.parametrize(
    ("width", "height", "scheme"),
    [(1280, 800, "light"), (1280, 800, "dark"), (1024, 720, "dark"), (768, 1024, "light"), (640, 400, "light")],
)
def test_nothing_is_hidden_off_the_screen(browser: Browser, world, demo, width, height, scheme):
    """As on a desk, on a tablet held upright, and at 200 %: the words have room in each."""
    context = browser.new_context(viewport={"width": width, "height": height}, color_scheme=scheme)
    page = context.new_page()
    page.goto(world.link())
    page.get_by_text("The Tide Mill at Orsey").first.click()
    state(page, "Ready")
    rooms = {"1": "picture", "2": "script", "3": "booth", "4": "takes", "5": "polish"}
    for key in "12345" if width > 1000 else "234":
        page.keyboard.press(key)
        page.wait_for_url(f"**/{rooms[key]}")
        page.wait_for_timeout(400)
        assert page.evaluate(
            "document.documentElement.scrollWidth <= innerWidth && document.documentElement.scrollHeight <= innerHeight"
        )
        outside = page.evaluate(OUTSIDE)
        assert outside == [], f"room {key}"
        if key in "234":
            own = {"2": "[aria-selected=true] .page-words", "3": ".booth-line", "4": ".takes-line"}
            words = page.locator(own[key]).bounding_box()
            assert words["width"] >= 150 and 44 <= words["y"] < height - 40, (f"room {key}", words)
    context.close()


def test_takes_opens_where_a_pick_is_left_and_shows_the_takes_of_each_line(page: Page, world, demo):
    page.goto(world.link())
    page.get_by_text("The Tide Mill at Orsey").first.click()
    page.wait_for_url("**/productions/*/*")
    whole = api(page, "GET", f"/api/productions/{page.url.split('/')[4]}/")
    page.goto(page.url.rsplit("/", 1)[0] + "/takes")
    rows, lines = page.locator("[data-take]"), page.get_by_test_id("page")
    expect(rows.first).to_be_visible()
    # Asked once, by the page itself, before its scripts could ask.
    asked = page.evaluate(
        "name => performance.getEntriesByName(name).map((e) => e.initiatorType)",
        page.url.split("/productions")[0] + f"/api/productions/{page.url.split('/')[4]}/",
    )
    assert asked == ["link"]
    read = [line for line in whole["lines"] if line["tally"]]
    left = next(line for line in read if not line["pick"])
    expect(lines.locator(f"[data-line='{left['number']}']")).to_have_attribute("aria-selected", "true")
    expect(rows).to_have_count(len(left["tally"]))
    for line in read[:3]:
        lines.locator(f"[data-line='{line['number']}']").click()
        expect(rows).to_have_count(len(line["tally"]))
        if line["pick"]:
            expect(page.locator(f"[data-take='{line['voice']['takes'][0]}'].picked")).to_be_visible()


def test_all_keys_are_on_one_sheet_and_can_be_changed(desk: Page):
    page = desk
    new_production(page, "Keys")
    page.keyboard.press("?")
    sheet = page.get_by_role("dialog")
    expect(sheet).to_contain_text("begin a take; stop it")
    sheet.get_by_label("change the key: go to Takes").click()
    page.keyboard.press("t")
    expect(sheet.get_by_label("change the key: go to Takes")).to_have_text("T")
    page.keyboard.press("Escape")
    expect(sheet).not_to_be_visible()
    page.keyboard.press("t")
    expect(page).to_have_url(re.compile("/takes$"))


def test_shots_are_parted_joined_and_named_by_hand(desk: Page, own_film):
    page = desk
    new_production(page, "Shots")
    bring_in_film(page, own_film)
    shots = page.locator(".picture-shots li")
    shots.nth(1).get_by_role("button").click()
    expect(shots.nth(1)).to_have_attribute("aria-current", "true")
    page.keyboard.press("b")
    expect(page.get_by_text("begins here already")).to_be_visible()
    page.keyboard.press("Shift+ArrowRight")
    page.keyboard.press("b")
    expect(shots).to_have_count(4)
    expect(shots.nth(2)).to_have_attribute("aria-current", "true")
    page.keyboard.press("n")
    page.get_by_label("name of shot 3").fill("the bridge, closer")
    page.keyboard.press("Enter")
    expect(shots.nth(2)).to_contain_text("the bridge, closer")
    page.keyboard.press("j")
    expect(shots).to_have_count(3)
    # The first one had no name, so the joined shot has the second one's.
    expect(shots.nth(1)).to_contain_text("the bridge, closer")
    page.keyboard.press("Control+z")
    expect(shots).to_have_count(4)
    page.reload()
    look_at(page, "Shots")
    expect(shots).to_have_count(4)
    expect(shots.nth(2)).to_contain_text("the bridge, closer")


def test_productions_are_found_renamed_put_away_and_brought_back(desk: Page):
    page = desk
    names = [f"Evening {n}" for n in range(1, 8)]
    for name in names:
        api(page, "POST", "/api/productions/", {"name": name})
    page.goto(page.url.split("/productions")[0])
    rows = page.locator(".productions-list").first.locator("li")
    page.get_by_role("textbox", name="find a production").fill("ning 3")
    expect(rows).to_have_count(1)
    page.get_by_role("button", name="more of Evening 3").click()
    page.get_by_role("menuitem", name="Rename").click()
    page.get_by_role("textbox", name="Name", exact=True).fill("Morning")
    page.keyboard.press("Enter")
    page.get_by_role("textbox", name="find a production").fill("morning")
    expect(rows).to_contain_text("Morning")
    page.get_by_role("button", name="more of Morning").click()
    expect(page.get_by_text("on disk: media/Evening 3")).to_be_visible()
    page.get_by_role("menuitem", name="Put in the bin").click()
    expect(rows).to_have_count(0)
    page.get_by_text("In the bin: 1 production").click()
    page.get_by_role("button", name="more of Morning").click()
    page.get_by_role("menuitem", name="Bring back").click()
    expect(rows).to_have_count(1)
    expect(page.get_by_text("In the bin")).to_have_count(0)


def test_a_place_is_typed_and_jumped_to_by_keys(desk: Page):
    page = desk
    new_production(page, "Jump")
    type_script(page, "One line.")
    api(page, "PATCH", f"/api/productions/{page.url.split('/')[4]}/", {"wanted_length": 600 * 48_000})
    page.reload()
    timecode = page.get_by_test_id("timecode")
    for typed, shown in (
        ("1:30", "10:01:30:00"),
        ("+10", "10:01:40:00"),
        ("100005", "10:00:05:00"),
        ("-5f", "10:00:04:20"),
    ):
        expect(timecode).to_be_visible()
        page.keyboard.press("Shift+J")
        page.get_by_role("textbox", name="jump to").fill(typed)
        page.keyboard.press("Enter")
        expect(timecode).to_have_text(shown)
    page.keyboard.press("Shift+J")
    page.get_by_role("textbox", name="jump to").fill("noon")
    page.keyboard.press("Enter")
    expect(page.get_by_text("“noon” is no place in time")).to_be_visible()
    expect(timecode).to_have_text("10:00:04:20")


def test_what_one_window_does_the_other_shows_without_being_loaded_anew(desk: Page, world):
    page = desk
    in_slot(page, "Seen elsewhere")
    other = page.context.new_page()
    other.goto(page.url.replace("/booth", "/takes"))
    expect(other.get_by_text("This line has not been read yet.")).to_be_visible()
    read_one_take(page, 2.0)
    expect(other.locator("[data-take]")).to_have_count(1, timeout=20_000)
    # The file of the take is moved and renamed in one, seen in the other; the folder is renamed in sight.
    other.get_by_role("button", name="choose where takes land").click()
    other.get_by_role("menuitem", name="New folder").click()
    other.get_by_role("textbox", name="Name").fill("Kept")
    other.get_by_role("button", name="Make it, and let takes land there").click()
    expect(page.get_by_role("button", name="choose where takes land")).to_have_text("Kept", timeout=20_000)
    other.get_by_role("button", name="file of take 1").click()
    other.get_by_role("menuitem", name="Kept").click()
    other.get_by_role("button", name="file of take 1").click()
    expect(other.locator(".take-path")).to_contain_text("Seen elsewhere/Kept/")
    other.get_by_role("menuitem", name="Rename").click()
    other.get_by_role("textbox", name="Name").fill("The sea")
    other.get_by_role("button", name="Rename", exact=True).click()
    until(lambda: takes_of(page, page.url.split("/")[4])[0]["file"] == "The sea.wav")
    page.get_by_role("button", name="choose where takes land").click()
    page.get_by_role("menuitem", name="Rename this folder").click()
    page.get_by_role("textbox", name="Name").fill("The best")
    page.get_by_role("button", name="Rename", exact=True).click()
    expect(other.get_by_role("button", name="choose where takes land")).to_have_text("The best", timeout=20_000)
    assert next((world.data / "media" / "Seen elsewhere" / "The best").glob("*.wav")).name == "The sea.wav"
    other.close()
