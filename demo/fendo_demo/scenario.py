"""“The Tide Mill at Orsey”: a six-minute museum film about an invented mill. People, places and firms are invented."""

from dataclasses import dataclass

from fendo_core.reader.narrator import Fault

NAME = "The Tide Mill at Orsey"
READER = "Maren Tull"
FOLDERS = ("Reel 1", "Pick-ups")
LANDING = "Narration"


@dataclass(frozen=True)
class Shot:
    """`scene` names a drawing in `scenes`; `seconds` is whole, so every cut lies on a frame."""

    scene: str
    seconds: int


SHOTS = (
    Shot("estuary_wide", 22),
    Shot("reeds", 14),
    Shot("estuary_low", 18),
    Shot("gates_wide", 24),
    Shot("gates_chain", 16),
    Shot("wheel_wide", 26),
    Shot("wheel_close", 18),
    Shot("gears", 20),
    Shot("stones", 26),
    Shot("ledger_wide", 22),
    Shot("ledger_close", 24),
    Shot("flour_chute", 22),
    Shot("sacks", 24),
    Shot("wheel_still", 18),
    Shot("night_wide", 30),
    Shot("night_window", 16),
    Shot("night_water", 20),
)


@dataclass(frozen=True)
class ScriptLine:
    """A line: its words, where its slot begins and how long it is, in tenths of a second, and how its takes were read."""

    text: str
    starts: int
    lasts: int
    takes: tuple[Fault, ...] = ()
    pick: int | None = None
    aside: tuple[int, ...] = ()
    notes: str = ""
    stress: tuple[int, ...] = ()


LINES = (
    ScriptLine(
        "Before there is any light, there is the sound of the creek filling.",
        40,
        52,
        ("late", "none", "none"),
        2,
        (1,),
        notes="barely above the water; the picture is still dark",
    ),
    ScriptLine("Nobody at Orsey has ever needed a clock to know the hour of the tide.", 130, 56, ("none", "none"), 1),
    ScriptLine(
        "The reeds lean one way in the morning, and the other way after noon.",
        236,
        54,
        ("none", "early", "none"),
        3,
        notes="replaces the old reading that is still in the film: sit where it sat",
    ),
    ScriptLine("This is the road that the mill was built beside: a road of water.", 390, 52, ("none", "long"), 1),
    ScriptLine(
        "Twice a day the sea climbs the creek, and twice a day it is asked to stay a while.",
        564,
        62,
        ("loud", "none"),
        2,
        (1,),
    ),
    ScriptLine("Behind these gates the water waits for the tide to turn its back.", 682, 54, ("none", "none"), 1),
    ScriptLine(
        "Then the keeper lifts one oak board, and the wheel remembers what to do.",
        796,
        58,
        ("silent", "none", "word left out", "late", "none", "long"),
        2,
        (1,),
    ),
    ScriptLine("Eleven tonnes of elm, moving no faster than a person walks.", 962, 40, ("none", "none", "early")),
    ScriptLine("Listen.", 1060, 28, ("none",), notes="leave it alone in the room"),
    ScriptLine("Under the floor the stones begin to speak to one another.", 1222, 52, ("none", "word left out")),
    ScriptLine("Wood drives iron, iron drives wood, and no two teeth meet twice in a day.", 1430, 66, ("none",)),
    ScriptLine(
        "The upper stone weighs as much as two horses, and floats on a film of grain.",
        1610,
        56,
        notes="the weight first, then lighter",
        stress=(8, 10),
    ),
    ScriptLine("The last keeper wrote down every tide for forty-one years.", 1884, 52),
    ScriptLine("Wind, water, weight. Never a word about himself, until one line in the spring of 1911.", 2090, 72),
    ScriptLine("Warm as bread, soft as ash: the flour falls whether anyone is watching or not.", 2334, 68),
    ScriptLine("Four sacks to a tide, and the hoist does the lifting.", 2560, 50),
    ScriptLine("When the water is spent, the mill simply stops, and the whole house holds its breath.", 2790, 62),
    ScriptLine("And out in the dark, the creek has already begun to fill.", 3300, 54),
)
SAYINGS = {"Orsey": "OR-zee"}


@dataclass(frozen=True)
class OldReading:
    """A reading that the film's own sound has already, to be replaced: of line `number`, with a pause of `pause` tenths of
    a second before word `word`; the water and the wind were lowered under it by so many dB."""

    number: int
    word: int
    pause: int
    voice: int
    seed: int
    lowered: float


OLD_READING = OldReading(number=3, word=8, pause=6, voice=0, seed=1911, lowered=-14.0)


@dataclass(frozen=True)
class Spot:
    """A text of an exact length without picture; `seconds` is what it is to last."""

    name: str
    reader: str
    seconds: int
    lines: tuple[ScriptLine, ...]
    sayings: dict[str, str]
    other_reader: str
    """Reads the last line."""


SPOT = Spot(
    name="Brindle & Fern, seed merchants",
    reader="Maren Tull",
    seconds=30,
    sayings={"Brindle": "BRIN-dul", "cosmos": "KOZ-moss"},
    other_reader="Osk Wend",
    lines=(
        ScriptLine(
            "This is what a garden sounds like in February.", 5, 32, ("none", "none"), 1, notes="dry, close, no smile yet"
        ),
        ScriptLine("Nothing.", 45, 14, ("none",), notes="let it stand"),
        ScriptLine("And this is a paper bag of seeds from Brindle and Fern.", 66, 38, ("none", "long"), stress=(5, 7)),
        ScriptLine("Sweet peas, marigolds, cosmos, 4 kinds of bean, and a poppy that nobody has named yet.", 112, 64),
        ScriptLine("You will need a window, a little dirt, and about 90 days.", 186, 46, notes="faster; it is easy"),
        ScriptLine("Brindle and Fern, seed merchants. Start with nothing.", 244, 48, notes="slow down again"),
    ),
)


@dataclass(frozen=True)
class Slide:
    """A slide: its title, the shape of its rope as turns of a curve, and what its notes say."""

    title: str
    loops: tuple[tuple[float, float], ...]
    notes: str


LESSON = "Knots for small boats"
LESSON_READER = "Osk Wend"
SLIDES = (
    Slide("Three knots are enough", ((0.3, 0.5), (0.7, 0.5)), "You can sail for a lifetime with three knots."),
    Slide(
        "The bowline",
        ((0.3, 0.7), (0.5, 0.25), (0.7, 0.6), (0.45, 0.75), (0.5, 0.35)),
        "The bowline makes a loop that holds any load, and never jams. Tie it where your life depends on the rope.",
    ),
    Slide(
        "The clove hitch",
        ((0.25, 0.3), (0.6, 0.3), (0.6, 0.7), (0.35, 0.7), (0.35, 0.35), (0.75, 0.7)),
        "Two turns around a post, the second tucked under itself. It is quick to make, quick to shift, and it slips.",
    ),
    Slide(
        "The sheet bend",
        ((0.2, 0.6), (0.45, 0.3), (0.6, 0.6), (0.4, 0.7), (0.55, 0.4), (0.8, 0.6)),
        "When one line is too short, tie on another. A sheet bend joins a thick rope to a thin one.",
    ),
    Slide("Now close your eyes", ((0.35, 0.6), (0.5, 0.3), (0.65, 0.6)), "Practise until your hands know them."),
)


@dataclass(frozen=True)
class Sentence:
    """What the speaker says, and what the interpreter reads."""

    original: str
    reading: str


TALK = "Lamps for nobody, a talk"
TALK_READER = "Maren Tull"
TALK_LANGUAGE = "eo"
SENTENCES = (
    Sentence("Bonan vesperon, karaj amikoj.", "Good evening, dear friends."),
    Sentence(
        "Hodiaŭ mi parolos pri lumturoj, kaj pri la homoj, kiuj ilin gardis.",
        "Today I will speak about lighthouses, and about the people who kept them.",
    ),
    Sentence(
        "Mia avino bruligis la lampon dum tridek jaroj, ĉiun nokton.",
        "My grandmother lit the lamp for thirty years, every night.",
    ),
    Sentence("Ŝi neniam vidis la ŝipojn, kiujn ŝi savis.", "She never saw the ships that she saved."),
    Sentence("Ŝi nur aŭdis ilin pasi.", "She only heard them pass."),
    Sentence("Kaj tio, ŝi diris, sufiĉas.", "And that, she said, is enough."),
)
