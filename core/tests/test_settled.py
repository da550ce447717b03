"""Lines that are settled: whatever is done elsewhere, what was chosen for them stays."""

from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from fendo_core.production import edits
from fendo_core.production.refusal import EditRefused
from fendo_core.production.state import LineComp, State, TakeRef
from fendo_core.script.lines import Line
from fendo_core.takes.settled import hold
from fendo_core.takes.standing import comp_of, leading_take, standing
from fendo_core.timebase import SAMPLE_RATE, Span
from fendo_core.voice import Comp

SECOND = SAMPLE_RATE


def taken(name: str, line: int, number: int) -> TakeRef:
    at = (10 * line + 1) * SECOND
    return TakeRef(name, f"rec-{name}", "ada", number, at, speaks=SECOND, ends=3 * SECOND, last=4 * SECOND)


def made() -> State:
    """Three lines with two takes and a comp each; of the first a take is picked, of the second a comp, both settled."""
    lines = tuple(
        Line(f"l{n}", str(n + 1), f"Words {n}.", Span((10 * n + 2) * SECOND, (10 * n + 6) * SECOND), settled=n < 2)
        for n in range(3)
    )
    takes = {f"l{n}": (taken(f"l{n}a", n, 1), taken(f"l{n}b", n, 2)) for n in range(3)}
    comps = tuple(
        LineComp(f"c{n}", f"l{n}", "ada", "made", Comp.of_take(f"rec-l{n}b", Span(0, 4 * SECOND), None, 10 * n * SECOND))
        for n in range(3)
    )
    lengths = {ref.recording: 4 * SECOND for each in takes.values() for ref in each}
    return State(
        lines, {"l0": "l0a", "l1": "c1"}, takes=takes, comps=comps, lengths=lengths, reader="ada", wanted=60 * SECOND,
        readers={"ada": "Ada", "bea": "Bea"},
    )  # fmt: skip


VOICES = [f"l{n}{side}" for n in range(3) for side in "ab"] + [f"c{n}" for n in range(3)]
LINES = [f"l{n}" for n in range(3)]
EDITS = st.one_of(
    st.builds(edits.Pick, st.sampled_from(LINES), st.sampled_from(VOICES) | st.none()),
    st.builds(edits.SetAside, st.sampled_from(VOICES), st.booleans()),
    st.builds(edits.MoveVoice, st.sampled_from(VOICES), st.integers(-SECOND, SECOND)),
    st.builds(edits.MoveEnd, st.sampled_from(VOICES), st.sampled_from(["first", "last"]), st.integers(0, 30 * SECOND)),
    st.builds(edits.TakeApart, st.sampled_from([f"c{n}" for n in range(3)])),
    st.builds(edits.DropLine, st.sampled_from(LINES)),
    st.builds(edits.SetReader, st.lists(st.sampled_from(LINES), min_size=1, max_size=2), st.sampled_from(["bea", None])),
    st.builds(edits.NoteTake, st.sampled_from(VOICES[:6]), st.sampled_from(["keep", "no", "scratch"]), st.none()),
    st.builds(edits.SetWords, st.sampled_from(LINES), st.just("Other words.")),
    st.just(edits.PickProvisional(None)),
)


def chosen(state: State, line: str):
    """What sounds for a line, and how."""
    found = standing(state, next(each for each in state.lines if each.id == line))
    return found and (found, comp_of(state, found.voice))


@given(st.lists(EDITS, max_size=12))
def test_no_edit_changes_what_was_chosen_for_a_settled_line_and_others_go_on(done):
    state = made()
    wanted = {line: chosen(state, line) for line in ("l0", "l1")}
    assert all(wanted.values())
    for number, edit in enumerate(done):
        try:
            state, _ = edits.perform(state, edit, lambda number=number: f"new-{number}")
        except EditRefused as refused:
            if "settled" in str(refused):
                opened = replace(state, lines=tuple(replace(line, settled=False) for line in state.lines))
                after, _ = edits.perform(opened, edit, lambda: "new")
                assert after != opened, "only what would change something is refused for it"
            continue
        assert {line: chosen(state, line) for line in wanted} == wanted


def test_a_line_is_settled_by_its_pick_and_opened_again():
    state = made()
    with pytest.raises(EditRefused, match="Line 3 has no pick"):
        edits.perform(state, edits.Settle(("l2",)), lambda: "new")
    with pytest.raises(EditRefused, match="no longer there"):
        edits.perform(state, edits.Settle(("l2", "gone"), False), lambda: "new")
    with pytest.raises(EditRefused, match="Line 1 is settled"):
        edits.perform(state, edits.Pick("l0", "l0b"), lambda: "new")
    after, name = edits.perform(state, edits.Settle(("l0", "l1"), False), lambda: "new")
    assert name == "2 lines opened" and not any(line.settled for line in after.lines)
    after, _ = edits.perform(after, edits.Pick("l0", "l0b"), lambda: "new")
    after, name = edits.perform(after, edits.Settle(("l0",)), lambda: "new")
    assert name == "line 1 settled" and after.picks["l0"] == "l0b"


def test_a_settled_reading_goes_along_when_its_slot_moves_with_the_picture():
    state = made()
    by = 2 * SECOND
    line = state.lines[0]
    moved = replace(line, slot=Span(line.slot.start + by, line.slot.end + by))
    after = replace(state, lines=(moved, *state.lines[1:]), places={"l0a": state.takes["l0"][0].start + by})
    hold(state, after)
    with pytest.raises(EditRefused):
        hold(state, replace(after, lines=state.lines))


def test_of_a_comp_the_take_leads_of_which_most_is_heard():
    state = made()
    assert [leading_take(state, line).id for line in state.lines[:2]] == ["l0a", "l1b"]
    assert leading_take(replace(state, takes={}, comps=(), picks={}), state.lines[0]) is None
