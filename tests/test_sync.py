"""Takes lie where they were read: the short form of the sync probe. `bench/sync` is the long one.

What is exact on any machine is asserted always; what needs a machine that does not stand still is asserted of takes that
were healthy, and otherwise reported as inconclusive.
"""

import numpy as np
import pytest
from playwright.sync_api import Page, expect

import probe
from fendo_core.handover.order import Order
from harness import state, until
from measure import RATE, decoded, offset_of
from probe import LATE_SLOT, SLOT, burst, distribution, find, make_film, samples_of

pytestmark = pytest.mark.browser


@pytest.fixture(scope="module")
def films(tmp_path_factory):
    folder = tmp_path_factory.mktemp("probe films")
    return lambda rate: make_film(folder / f"flashes {rate.replace('/', ' ')}.mp4", rate)


def exact(taken: probe.Taken) -> None:
    """What went to the loudspeaker lies in the take to the sample, also on a machine that stands still."""
    print(f"\near {taken.rate}: {distribution(taken.errors)}; within {taken.within:.1f} ms, {taken.said}")
    assert taken.errors, "nothing of the film was heard"
    # A microphone whose queue grew while the machine stood still lies off, and says so itself.
    assert max(map(abs, taken.errors)) < (0.05 if taken.trusted else taken.within + 0.05)


def by_eye(taken: probe.Taken) -> None:
    """No take lies further off than 5 ms without saying so; a healthy one does not at all."""
    floor = max(taken.floor, default=0.0)
    print(
        f"\neye {taken.rate}: {distribution(taken.errors)}; raw {distribution(taken.raw)}; the probe's own {floor:.2f} ms; "
        f"within {taken.within:.1f} ms, {taken.said}, {taken.steal:.1f} s stolen"
    )
    off = max(map(abs, taken.errors), default=0.0)
    assert off <= 5.0 + floor or not taken.trusted
    if not taken.healthy:
        print("inconclusive: the machine stood still while this take was read")


def test_takes_lie_where_the_sound_was_heard(page: Page, world, films):
    """Film heard: a plain take, one with a pause, a pick-up, one past the end of the film in a tab in the background."""
    rate = "24000/1001"
    production = probe.prepare(page, world, films(rate), rate, True, "probe-ear")
    expect(page.get_by_test_id("loop")).to_contain_text("sync")
    probe.measure_loop(page)
    expect(page.get_by_test_id("loop")).to_contain_text(f"{probe.DELAY / 48:.1f} ms")
    exact(probe.record(page, world, production, rate, "ear"))
    held = probe.record(page, world, production, rate, "ear", hold=True)
    exact(held)
    assert len(held.errors) >= 5

    # A pick-up: the same line again from two seconds into its slot on.
    for _ in range(2):
        page.keyboard.press("Shift+ArrowRight")
    pickup = probe.record(page, world, production, rate, "ear", key="i", samples=3 * RATE)
    exact(pickup)
    sound, _ = samples_of(pickup.path)
    assert len(sound) < 6 * RATE
    rows = probe.takes_of(page, production)
    assert (
        any("pick-up, 2.0 s into the slot" in remark for remark in rows[-1]["remarks"])
        or "silent" in rows[-1]["faults"][-1]
    )

    page.keyboard.press("ArrowDown")
    expect(page.get_by_test_id("booth-line")).to_contain_text("And nothing else")

    def leave() -> None:
        page.evaluate("__probe.hidden = true")
        page.wait_for_timeout(2500)
        page.evaluate("__probe.hidden = false")

    late = probe.record(page, world, production, rate, "ear", samples=6 * RATE, during=leave)
    exact(late)
    sound, _ = samples_of(late.path)
    assert len(sound) > LATE_SLOT[1] - LATE_SLOT[0] + 4 * RATE, "the film ended, the recording did not"


def test_a_take_lies_right_in_a_reel_of_clips(page: Page, world, films):
    """The film parted after eight seconds, its end put first: what is heard of each clip lies where that clip lies."""
    rate = "25"
    production = probe.prepare(page, world, films(rate), rate, True, "probe-reel")
    moved = tuple(round(second + (7 if second < 8 else -8), 2) for second in probe.SHORT.at)
    reel = probe.Flashes(at=moved, slots=((4 * RATE, 13 * RATE),))

    def edit(kind: str, **values) -> dict:
        body = {"kind": kind, "revision": whole()["revision"], **values}
        return probe.api(page, "POST", f"/api/productions/{production}/edits/", body)

    def whole() -> dict:
        return probe.api(page, "GET", f"/api/productions/{production}/")

    first, second = edit("split_clip", at=8 * RATE)["picture"]["clips"]
    edit("move_clip", clip=second["id"], before=first["id"], follow=False)
    edit("set_slot", line=whole()["lines"][0]["id"], slot=reel.slots[0])
    page.reload()
    state(page, "Ready")
    probe.measure_loop(page)
    taken = probe.record(page, world, production, rate, "ear", film=reel)
    exact(taken)
    assert len(taken.errors) >= 5 and taken.missed == 0


def test_takes_lie_where_the_picture_was_seen(page: Page, world, films, tmp_path):
    """Film silent: who reads by the picture is placed by what was drawn; in playback and in the film handed over too."""
    rate = "25"
    production = probe.prepare(page, world, films(rate), rate, False, "probe-eye")
    probe.measure_loop(page)
    for attempt in range(3):
        taken = probe.record(page, world, production, rate, "eye", hold=attempt == 2)
        by_eye(taken)
        if taken.healthy and any(SLOT[0] < due < SLOT[0] + 2 * RATE - 400 for due in taken.places):
            break
    assert taken.errors

    # In the film handed over what is heard of the take lies where the take says.
    whole = probe.api(page, "GET", f"/api/productions/{production}/")
    line = whole["lines"][0]["id"]
    pick = {"kind": "pick", "line": line, "voice": taken.take, "revision": whole["revision"]}
    probe.api(page, "POST", f"/api/productions/{production}/edits/", pick)
    wanted = Order(parts=("film",)).as_row()
    wanted.pop("version")
    job = probe.api(page, "POST", f"/api/productions/{production}/handover/", wanted)["id"]

    def done():
        (own,) = [j for j in probe.api(page, "GET", f"/api/productions/{production}/jobs/") if j["id"] == job]
        assert own["state"] not in ("failed", "cancelled"), own["error"]
        return own["result"]["handover"] if own["state"] == "done" else None

    kept = until(done, each=0.4)
    rows = probe.api(page, "GET", f"/api/productions/{production}/handover/")["handovers"]
    (files,) = [one["files"] for one in rows if one["id"] == kept]
    number = next(n for n, one in enumerate(files) if one["path"].endswith(".mp4"))
    film = tmp_path / "film.mp4"
    film.write_bytes(page.request.get(f"{world.address}/api/handovers/{kept}/files/{number}/").body())
    heard = decoded(film)
    sound, _ = samples_of(taken.path)
    start = probe.api(page, "GET", f"/api/takes/{taken.take}/clock/")["pieces"][0]["programme"]
    row = next(t for t in probe.takes_of(page, production) if t["id"] == taken.take)
    first, last = row["voice"]["span"]
    part = sound[max(0, first - row["start"]) : last - row["start"]]
    loud = np.flatnonzero(np.abs(part) > 0.02)
    part, first = part[loud[0] : loud[-1]], max(first, row["start"]) + int(loud[0])
    off_by, alike = offset_of(part, heard, first, RATE // 10)
    assert alike > 0.5 and abs(off_by) <= 48, "the film says something else than the take"

    # In playback it lies there too: a pick-up is recorded while the take is its run-up, film and take are heard and come
    # back into the microphone, and a click of the take stands in the new recording where it stands in the old one.
    page.keyboard.press("h")
    expect(page.get_by_text("heard: everything")).to_be_visible()
    for _ in range(2):
        page.keyboard.press("Shift+ArrowRight")
    pickup = probe.record(page, world, production, rate, "ear", key="i", samples=2 * RATE)
    exact(pickup)
    again, _ = samples_of(pickup.path)
    begins = probe.api(page, "GET", f"/api/takes/{pickup.take}/clock/")["pieces"][0]["programme"]
    clicked = [round(due) for due in taken.places if begins < due < SLOT[0] + 2 * RATE - 400]
    if not clicked:
        pytest.skip("the machine stood still while each take was read: no click was answered in the run-up")
    old = find(sound, burst(probe.ANSWER), clicked[-1] - start, RATE // 10)
    new = find(again, burst(probe.ANSWER), clicked[-1] - begins, RATE // 10)
    assert old is not None and new is not None and abs((new + begins) - (old + start)) <= 1


def test_the_simulated_loop_is_found(page: Page, world, desk):
    """The shipped loop has a delay that is chosen here and that the application must find."""
    production = probe.api(page, "POST", "/api/productions/", {"name": "Loop"})["id"]
    probe.api(page, "POST", f"/api/productions/{production}/edits/", {"kind": "add_lines", "text": "Yes.", "revision": 0})
    page.goto(f"{world.address}/productions/{production}/booth")
    state(page, "Ready")
    page.get_by_role("combobox", name="microphone").click()
    page.get_by_role("option", name="Simulated loop").click()
    expect(page.get_by_test_id("loop")).to_have_text("sync not measured")
    for delay in ("87", "11"):
        page.get_by_role("combobox", name="delay of the simulated loop").click()
        page.get_by_role("option", name=f"{delay} ms").click()
        probe.measure_loop(page)
        expect(page.get_by_test_id("loop")).to_have_text(f"sync measured: {delay}.0 ms")
    # Remembered for the next visit, and said to be of an earlier one.
    page.reload()
    state(page, "Ready")
    expect(page.get_by_test_id("loop")).to_have_text("sync from an earlier visit: 11.0 ms")

    # Another headphone is another way: nothing is known of it yet.
    page.evaluate(
        "navigator.mediaDevices.enumerateDevices = async () =>"
        " [{ deviceId: 'default', kind: 'audiooutput', label: 'Other headphones', groupId: '' }]"
    )
    page.evaluate("navigator.mediaDevices.dispatchEvent(new Event('devicechange')); undefined")
    expect(page.get_by_test_id("loop")).to_have_text("sync not measured")
