"""What is to leave: which lines, as what, under which names. A preset keeps such an order, a handover records it."""

from collections.abc import Mapping
from dataclasses import asdict, dataclass
from typing import Any, Literal, TypeAlias, get_args

from fendo_core.handover.forms import FILM_KEYS, FORM_KEYS, FilmKey, FormKey
from fendo_core.handover.names import DEFAULT_NAMES, check_names
from fendo_core.voice.level import LOUDEST, QUIETEST

Part: TypeAlias = Literal[
    "lines",
    "voice",
    "readers",
    "folders",
    "film",
    "slides",
    "mix",
    "bed",
    "subtitles",
    "script",
    "timeline",
    "takes",
    "sources",
]
PARTS: tuple[Part, ...] = get_args(Part)
"""What can leave: each line as a file, the whole voice as one, or one for each reader or each folder of takes, the film
with it, each slide as a film of its own, the mix and the bed as sound, subtitles, the script, timelines for the next
program, every take with the production's record, and what was brought in. The take sheet always comes with it."""
Stems: TypeAlias = Literal["readers", "folders"]
STEMS: tuple[Stems, ...] = get_args(Stems)
"""Parts that are the whole voice in several files, all of the programme's length."""
Which: TypeAlias = Literal["all", "picked", "marked", "folder", "reader", "shots", "chosen", "changed"]
WHICH: tuple[Which, ...] = get_args(Which)
Sound: TypeAlias = Literal["treated", "recorded"]
SOUNDS: tuple[Sound, ...] = get_args(Sound)
Edges: TypeAlias = Literal["voice", "handles", "slot"]
EDGES: tuple[Edges, ...] = get_args(Edges)
Between: TypeAlias = Literal["silence", "room tone"]
BETWEENS: tuple[Between, ...] = get_args(Between)
VERSION = 1


class OrderRefused(ValueError):
    """An order that can't be carried out; the message says why."""


@dataclass(frozen=True, slots=True)
class Order:
    """What is to leave.

    Attributes:
        name: what its folder and its preset are called.
        parts: see `PARTS`.
        which: which lines; `of` says which folders, readers or lines (identities), which marks of their takes, which shots
            (numbers, from 1).
        sound: `treated`: as it sounds in the programme, mended, treated, at the wanted level; `recorded`: as it was read.
        edges: where a line's file begins and ends: with the `voice` and its breath; with the `handles`, all that was
            recorded for it; or with its `slot`, to the sample.
        between: what lies between the lines where a file is as long as the programme.
        form: how voice files are written.
        film: how films are written.
        channels: 1, or 2 for one voice on two channels.
        names: the pattern of the lines' names.
        level: LUFS (dual mono) of the speech in what leaves as it sounds; all else keeps its distance from it. None: as in
            the production.
    """

    name: str = "Handover"
    parts: tuple[Part, ...] = ("lines",)
    which: Which = "all"
    of: tuple[str, ...] = ()
    sound: Sound = "treated"
    edges: Edges = "voice"
    between: Between = "silence"
    form: FormKey = "wav 48/24"
    film: FilmKey = "mp4"
    channels: int = 1
    names: str = DEFAULT_NAMES
    level: float | None = None

    def __post_init__(self) -> None:
        if not self.parts:
            raise OrderRefused("Nothing is chosen. Tick what is to leave.")
        known = set(self.parts) <= set(PARTS) and self.which in WHICH and self.sound in SOUNDS and self.edges in EDGES
        known = known and self.between in BETWEENS and self.film in FILM_KEYS
        if not known or self.form not in FORM_KEYS or self.channels not in (1, 2):
            raise OrderRefused("This order asks for something that this Fendo does not know.")
        check_names(self.names)
        if self.level is not None and not QUIETEST <= self.level <= LOUDEST:
            raise OrderRefused(f"Speech can leave at {QUIETEST:.0f} to {LOUDEST:.0f} LUFS.")

    def as_row(self) -> dict[str, Any]:
        """Plain values; `from_row` reads them back."""
        return {"version": VERSION, **asdict(self), "parts": list(self.parts), "of": list(self.of)}

    @staticmethod
    def from_row(row: Mapping[str, Any]) -> "Order":
        """An order that was kept.

        Raises:
            OrderRefused: when it is none, or of a later version.
        """
        if row.get("version", VERSION) > VERSION:
            raise OrderRefused("This order was made by a newer Fendo.")
        try:
            values = {name: row[name] for name in Order.__slots__ if name in row}
            return Order(**{**values, "parts": tuple(values["parts"]), "of": tuple(values.get("of", ()))})
        except (TypeError, KeyError) as error:
            raise OrderRefused("This is no order that can be read.") from error


PRESETS: tuple[Order, ...] = (
    Order("Client", ("film", "lines", "subtitles"), which="picked", names="{line} {words}"),
    Order("Editor", ("lines", "voice", "timeline"), sound="recorded", edges="handles"),
    Order("Course", ("lines", "subtitles", "script"), form="mp3", channels=2, edges="slot", names="{slide} {words}"),
    Order("Archive", ("lines", "voice", "script", "takes", "sources"), sound="recorded", edges="handles"),
)
"""What ships. A person adds their own."""
