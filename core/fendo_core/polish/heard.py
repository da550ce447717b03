"""What is heard of a mouth and a room in a take, told in a few words where takes are chosen."""

from collections import Counter
from collections.abc import Iterable, Mapping

from fendo_core.polish.scan import Place, PlaceKind

COUNTED: dict[PlaceKind, tuple[str, str]] = {
    "click": ("a click", "{} clicks"),
    "plosive": ("a plosive", "{} plosives"),
    "noise": ("a noise between the words", "{} noises between the words"),
    "rumble": ("rumble", "rumble {} times"),
}
"""One, and several."""
SURE = 0.7
"""Who chooses is told of what is so sure at the least: the rest is for the scan of Polish, where it is heard."""


def heard_in(places: Iterable[Place]) -> dict[str, float]:
    """How many there are of each kind that is told; of hum, how many dB it lies below the voice."""
    sure = [place for place in places if place.sure >= SURE]
    found: dict[str, float] = dict(Counter(place.kind for place in sure if place.kind in COUNTED))
    hum = next((place for place in sure if place.kind == "hum"), None)
    return found | ({"hum": hum.settings["below"]} if hum else {})


def told(heard: Mapping[str, float]) -> tuple[str, ...]:
    """The same in words."""
    counted = [(heard[kind], *words) for kind, words in COUNTED.items() if kind in heard]
    said = [one if count == 1 else several.format(round(count)) for count, one, several in counted]
    return (*said, f"hum {heard['hum']:.0f} dB below the voice") if "hum" in heard else tuple(said)
