"""Words laid over slides: the page that each of them is of, and how long the pages then stand."""

from bisect import bisect_left
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from fendo_core.picture import reel
from fendo_core.picture.reel import NewId, Source
from fendo_core.production.following import follow
from fendo_core.production.refusal import EditRefused
from fendo_core.production.state import State
from fendo_core.script import lines
from fendo_core.script.intake.inquiry import Inquiry, Question
from fendo_core.script.lines import Draft
from fendo_core.timebase import SAMPLE_RATE, Span

PAGE_LEAD = SAMPLE_RATE // 2
"""A page is seen this long before its words begin, and after they end."""
_OVER = (("fit", "each slide as long as its words"), ("keep", "slides as they are"), ("no", "not laid over them"))


@dataclass(frozen=True, slots=True)
class Narrated:
    """Words for the pages of slides in the reel.

    Attributes:
        slides: the source.
        words: in order, each with its page (from 0; None: of no page that the reel shows).
    """

    slides: Source
    words: Sequence[tuple[int | None, Draft]]


def narrated(state: State, drafts: Sequence[Draft]) -> Narrated | None:
    """The slides in the reel that drafts name page by page; what follows below is of the same page.

    Of several slides those are meant whose number of pages is the nearest. None: no page is named, a draft has a slot
    already, or pages are named that there are not, or not in their order.
    """
    named: list[int | None] = []
    for draft in drafts:
        named.append(draft.page - 1 if draft.page else named[-1] if named else None)
    pages = [page for page in named if page is not None]
    if not pages or pages != sorted(pages) or any(draft.slot for draft in drafts):
        return None
    shown = {clip.source for clip in state.clips}
    fitting = [s for s in state.sources.values() if s.kind == "slides" and s.id in shown and s.pages > pages[-1]]
    if not fitting:
        return None
    slides = min(fitting, key=lambda source: source.pages)
    seen = {clip.page for clip in state.clips if clip.source == slides.id}
    if seen.isdisjoint(pages):
        return None
    return Narrated(slides, [(page if page in seen else None, draft) for page, draft in zip(named, drafts, strict=True)])


def over_slides(state: State, what: Narrated, choices: Mapping[str, str]) -> Question:
    """Whether words are laid over the slides that they name, as the preview of their file asks it.

    Slides that lines lie over already stay as long as they are, if nobody says otherwise.
    """
    inquiry = Inquiry(choices)
    begun = sorted(line.slot.start for line in state.lines if line.slot and not line.dropped)
    over = [
        bisect_left(begun, span.start) < bisect_left(begun, span.end)
        for clip, span in zip(state.clips, reel.spans(state.clips, state.rate), strict=True)
        if clip.source == what.slides.id
    ]
    label = f"the lines are laid over the slides of “{what.slides.name}”"
    inquiry.ask("over", label, _OVER, "keep" if any(over) else "fit")
    return inquiry.questions[0]


def laid_over(state: State, what: Narrated, fit: bool, new_id: NewId) -> State:
    """The state with words as lines behind the last one, each in the time of its page.

    Args:
        fit: whether a page then stands as long as its words are expected to take at the reader's pace.

    Raises:
        EditRefused: when the reel shows none of the pages.
    """
    of_page: dict[int | None, list[int]] = {}
    for n, (page, _) in enumerate(what.words):
        of_page.setdefault(page, []).append(n)
    # A page that comes again has its words where it comes first.
    firsts = {clip.page: clip.id for clip in reversed(state.clips) if clip.source == what.slides.id}
    said = {firsts[page]: words for page, words in of_page.items() if page is not None and page in firsts}
    if not said:
        raise EditRefused("None of the pages that say something is in the reel. Put them in first.")
    rate, drafts = state.rate, [draft for _, draft in what.words]
    needs = [max(1, state.expected(draft.text)) for draft in drafts]
    clips = state.clips
    if fit:
        lengths = {key: rate.frame_at(sum(needs[n] for n in each) + 2 * PAGE_LEAD) + 1 for key, each in said.items()}
        clips = tuple(replace(clip, length=lengths.get(clip.id, clip.length)) for clip in clips)
    after = follow(state, replace(state, clips=clips))
    for clip, span in zip(clips, reel.spans(clips, rate), strict=True):
        if clip.id not in said:
            continue
        lead = min(PAGE_LEAD, span.length // 4)
        inner = Span(rate.snap(span.start + lead), rate.snap(span.end - lead))
        words = said[clip.id]
        for n, slot in zip(words, lines.shared(inner, [needs[n] for n in words], rate), strict=True):
            drafts[n] = replace(drafts[n], slot=slot)
    names = {name.casefold(): key for key, name in state.readers.items()}
    last = next((line.id for line in reversed(after.lines) if not line.dropped), None)
    return replace(after, lines=lines.add_drafts(after.lines, last, drafts, rate, names, new_id, after.recorded))
