"""What is done in Picture, as edits: clips of the reel, sounds laid under them, shots, and lines that slides give."""

from collections.abc import Callable
from dataclasses import dataclass, replace

from fendo_core.picture import laid, reel, shots, timeline
from fendo_core.picture.laid import Channel, LaidSound
from fendo_core.picture.layers import Event
from fendo_core.picture.narrated import Narrated, laid_over
from fendo_core.picture.reel import BedMode, Clip, Edge, NewId
from fendo_core.production.edit import Done
from fendo_core.production.following import follow
from fendo_core.production.refusal import EditRefused
from fendo_core.production.state import State
from fendo_core.script import lines
from fendo_core.script.lines import Draft
from fendo_core.timebase import SAMPLE_RATE, Span


@dataclass(frozen=True, slots=True)
class Shown:
    """What is to be seen: a source (one of its pages, or all of them), or a card with words. `length` in samples is for all
    but films; 0: as long as such a thing usually stands.
    """

    source: str | None = None
    page: int | None = None
    length: int = 0
    words: str = ""
    colour: str = reel.COLOURS[0]


@dataclass(frozen=True, slots=True)
class AddClips:
    """New clips in the reel before the frame at sample `at` (None: at its end)."""

    clips: tuple[Shown, ...]
    at: int | None = None
    follow: bool = True

    def on_state(self, state: State, new_id: NewId) -> Done:
        made = [clip for each in self.clips for clip in _made_clips(state, each, new_id)]
        place = None if self.at is None else state.rate.frame_at(self.at)
        name = f"{len(made)} clips put in" if len(made) != 1 else "a card left" if not made[0].source else "picture"
        return _reeled(state, reel.insert(state.clips, made, place, new_id), self.follow), name


@dataclass(frozen=True, slots=True)
class SplitClip:
    """The clip at sample `at` parted there."""

    at: int

    def on_state(self, state: State, new_id: NewId) -> Done:
        return _reeled(state, reel.split(state.clips, state.rate.frame_at(self.at), new_id), False), "clip split"


@dataclass(frozen=True, slots=True)
class TrimClip:
    """One end of a clip moved to the frame at sample `at`; what follows closes up, or a hole is left."""

    clip: str
    edge: Edge
    at: int
    close: bool = True
    follow: bool = True

    def on_state(self, state: State, new_id: NewId) -> Done:
        frame = state.rate.frame_at(self.at)
        new = reel.trim(state.clips, self.clip, self.edge, frame, self.close, new_id, state.sources)
        return _reeled(state, new, self.follow), f"{self.edge} of a clip"


@dataclass(frozen=True, slots=True)
class DropClip:
    """A clip out of the reel; what follows closes up, or a hole is left."""

    clip: str
    close: bool = True
    follow: bool = True

    def on_state(self, state: State, new_id: NewId) -> Done:
        return _reeled(state, reel.drop(state.clips, self.clip, self.close, new_id), self.follow), "clip dropped"


@dataclass(frozen=True, slots=True)
class MoveClip:
    """A clip put before another (None: at the end)."""

    clip: str
    before: str | None = None
    follow: bool = True

    def on_state(self, state: State, new_id: NewId) -> Done:
        return _reeled(state, reel.move(state.clips, self.clip, self.before), self.follow), "clip moved"


@dataclass(frozen=True, slots=True)
class FillClip:
    """A shot in the place of a clip, keeping its length; the shot begins at sample `first` of its source."""

    clip: str
    shown: Shown
    first: int = 0

    def on_state(self, state: State, new_id: NewId) -> Done:
        if self.shown.source is None:
            raise EditRefused("Choose a film, a still or a page to put in the place of this clip.")
        made = _made_clips(state, self.shown, new_id)[0]
        if state.sources[self.shown.source].kind == "film":
            made = replace(made, first=state.rate.frame_at(self.first))
        return _reeled(state, reel.fill(state.clips, self.clip, made, state.sources, new_id), False), "place filled"


@dataclass(frozen=True, slots=True)
class SetClip:
    """What a clip is called or says, its ground, and how its own sound is heard; None stays."""

    clip: str
    name: str | None = None
    colour: str | None = None
    bed: BedMode | None = None
    level: float | None = None

    def on_state(self, state: State, new_id: NewId) -> Done:
        old = state.clips[reel.find(state.clips, self.clip)]
        changed = replace(
            old,
            name=old.name if self.name is None else _words(self.name),
            colour=_ground(self.colour or old.colour),
            bed=self.bed or old.bed,
            level=old.level if self.level is None else laid.checked_level(self.level),
        )
        return _with_clip(state, changed), "clip"


@dataclass(frozen=True, slots=True)
class LayTimeline:
    """The reel as a timeline says: its events in order, media known by their names, cards for those that are missing."""

    events: tuple[Event, ...]

    def on_state(self, state: State, new_id: NewId) -> Done:
        return _reeled(state, timeline.clips_of(self.events, state.sources, state.rate, new_id), False), "timeline"


@dataclass(frozen=True, slots=True)
class LaySound:
    """The sound of a source laid under the programme from sample `at` on."""

    source: str
    at: int
    original: bool = False

    def on_state(self, state: State, new_id: NewId) -> Done:
        length = state.sounds.get(self.source, 0)
        if not length:
            raise EditRefused("This file has no sound to be laid. Choose one that has.")
        span = Span(max(0, self.at), max(0, self.at) + length)
        sound = LaidSound(new_id(), self.source, span, original=self.original, bed="full" if self.original else "ducked")
        others = tuple(replace(each, original=each.original and not self.original) for each in state.laid)
        return replace(state, laid=(*others, sound)), "sound laid"


@dataclass(frozen=True, slots=True)
class SetSound:
    """A laid sound moved, trimmed, or heard another way; None stays."""

    sound: str
    span: Span | None = None
    channel: Channel | None = None
    level: float | None = None
    bed: BedMode | None = None
    original: bool | None = None

    def on_state(self, state: State, new_id: NewId) -> Done:
        new = laid.change(
            state.laid, self.sound, state.sounds, self.span, self.channel, self.level, self.bed, self.original
        )
        return replace(state, laid=new), "laid sound"


@dataclass(frozen=True, slots=True)
class DropSound:
    """A laid sound taken away."""

    sound: str

    def on_state(self, state: State, new_id: NewId) -> Done:
        index = laid.find(state.laid, self.sound)
        return replace(state, laid=(*state.laid[:index], *state.laid[index + 1 :])), "laid sound taken away"


@dataclass(frozen=True, slots=True)
class LinesFromNotes:
    """What the pages of slides say becomes lines, each in the slot of its page; with `fit` a page stands as long as its
    words are expected to take.
    """

    source: str
    fit: bool = True

    def on_state(self, state: State, new_id: NewId) -> Done:
        noted = _noted(state, self.source)
        count = len(noted.words)
        return laid_over(state, noted, self.fit, new_id), f"{count} line{'s' if count != 1 else ''} from slides"


@dataclass(frozen=True, slots=True)
class PartShot:
    """A new shot begins at sample `at`."""

    at: int

    def on_state(self, state: State, new_id: NewId) -> Done:
        number = _shot_here(state, self.at)[0] + 1
        return _part_shot(state, self.at), f"shot {number} parted"


@dataclass(frozen=True, slots=True)
class JoinShots:
    """The shot at sample `at` and the one before it made one."""

    at: int

    def on_state(self, state: State, new_id: NewId) -> Done:
        number = _shot_here(state, self.at)[0] + 1
        return _join_shots(state, self.at), f"shots {number - 1} and {number} joined"


@dataclass(frozen=True, slots=True)
class NameShot:
    """The shot at sample `at` called something, or nothing."""

    at: int
    called: str

    def on_state(self, state: State, new_id: NewId) -> Done:
        return _name_shot(state, self.at, self.called), f"name of shot {_shot_here(state, self.at)[0] + 1}"


def _shot_here(state: State, at: int) -> tuple[int, reel.ReelShot, Clip, int]:
    """The shot at a sample: its index, itself, the clip shown there, and the sample of its source."""
    frame = state.rate.frame_at(at)
    index = reel.clip_at(state.clips, frame)
    clip = state.clips[index]
    first = reel.starts(state.clips)[index]
    found = state.reel_shots
    number = next((n for n, shot in enumerate(found) if at < shot.span.end), len(found) - 1)
    return number, found[number], clip, state.rate.first_sample(frame - first + clip.first)


def _with_shots(state: State, clip: Clip, change: Callable[[tuple[shots.Shot, ...]], tuple[shots.Shot, ...]]) -> State:
    """The state with the shots of a clip's film changed."""
    source = state.sources.get(clip.source or "")
    if source is None or not source.shots:
        raise EditRefused("Only a film has shots of its own. A still, a page and a card are one shot each.")
    return replace(state, sources={**state.sources, source.id: replace(source, shots=change(source.shots))})


def _with_clip(state: State, clip: Clip) -> State:
    return replace(state, clips=tuple(clip if each.id == clip.id else each for each in state.clips))


def _part_shot(state: State, at: int) -> State:
    number, shot, clip, inside = _shot_here(state, at)
    first = state.rate.first_sample(reel.starts(state.clips)[reel.find(state.clips, clip.id)])
    here = state.rate.snap(at)
    if here == first and not clip.opens:
        return _with_clip(state, replace(clip, opens=True))
    if here == shot.span.start:
        raise EditRefused(f"Shot {number + 1} begins here already. Move to the frame on which the new one begins.")
    return _with_shots(state, clip, lambda cut: shots.part(cut, inside, state.rate))


def _join_shots(state: State, at: int) -> State:
    number, shot, _, _ = _shot_here(state, at)
    if number == 0:
        raise EditRefused("This is the first shot: there is none before it to join it with.")
    _, _, clip, inside = _shot_here(state, shot.span.start)
    first = state.rate.first_sample(reel.starts(state.clips)[reel.find(state.clips, clip.id)])
    if shot.span.start == first:
        return _with_clip(state, replace(clip, opens=False))
    return _with_shots(state, clip, lambda cut: shots.join(cut, inside))


def _name_shot(state: State, at: int, text: str) -> State:
    _, shot, _, _ = _shot_here(state, at)
    _, _, clip, inside = _shot_here(state, shot.span.start)
    source = state.sources.get(clip.source or "")
    if source is None or not source.shots:
        return _with_clip(state, replace(clip, name=shots.checked_name(text)))
    return _with_shots(state, clip, lambda cut: shots.name(cut, inside, text))


def _made_clips(state: State, shown: Shown, new_id: NewId) -> list[Clip]:
    """The clips of what is to be shown: one, or all pages of slides."""
    if shown.length > reel.LONGEST_SECONDS * SAMPLE_RATE:
        raise EditRefused("A clip lasts a day at most.")
    usual = (reel.STILL_SECONDS if shown.source else reel.CARD_SECONDS) * SAMPLE_RATE
    frames = max(1, round((shown.length or usual) * state.rate.fps / SAMPLE_RATE))
    if shown.source is None:
        return [Clip(new_id(), frames, name=_words(shown.words), colour=_ground(shown.colour))]
    source = state.sources.get(shown.source)
    if source is None:
        raise EditRefused("This file is not one of the production's. Bring it in first.")
    pages = range(source.pages) if shown.page is None else (shown.page,)
    return [reel.whole(source, new_id(), frames, page) for page in pages]


def _ground(colour: str) -> str:
    if colour not in reel.COLOURS:
        raise EditRefused(f"A card is {', '.join(reel.COLOURS)}, not “{colour}”.")
    return colour


def _words(text: str) -> str:
    words = " ".join(text.split())
    if len(words) > reel.LONGEST_NAME:
        raise EditRefused(f"A card holds {reel.LONGEST_NAME} letters at most, and these are {len(words)}.")
    return words


def _noted(state: State, source: str) -> Narrated:
    """The notes of the pages of slides, in the order in which the reel shows them, each page once."""
    found = state.sources.get(source)
    if found is None or not any(found.notes):
        raise EditRefused("There are no notes and no words on these pages.")
    shown = dict.fromkeys(clip.page for clip in state.clips if clip.source == source and clip.page < len(found.notes))
    texts = {page: " ".join(lines.paragraphs(found.notes[page])) for page in shown}
    return Narrated(found, [(page, Draft(text)) for page, text in texts.items() if text])


def _reeled(state: State, clips: reel.Reel, follows: bool) -> State:
    """The state with another reel; lines and their takes go with their picture if they are to."""
    after = replace(state, clips=clips)
    return follow(state, after) if follows else after
