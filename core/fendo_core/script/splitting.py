"""Long paragraphs into lines, where a reader would breathe."""

import re

LONGEST = 220
"""Characters of a line unless told otherwise: some fifteen seconds of calm reading, what an eye takes in at once."""
SHORTEST_LONGEST = 20

_ABBREVIATIONS = frozenset(
    {
        "mr",
        "mrs",
        "ms",
        "dr",
        "prof",
        "st",
        "no",
        "nos",
        "vs",
        "etc",
        "approx",
        "fig",
        "figs",
        "ca",
        "cf",
        "al",
        "jan",
        "feb",
        "mar",
        "apr",
        "jun",
        "jul",
        "aug",
        "sep",
        "sept",
        "oct",
        "nov",
        "dec",
        "mon",
        "tue",
        "wed",
        "thu",
        "fri",
        "sat",
        "sun",
        "inc",
        "ltd",
        "co",
        "dept",
        "est",
        "min",
        "max",
        "vol",
        "pp",
        "ed",
        "eds",
        "rev",
        "hr",
        "sr",
        "jr",
        "mt",
        "ft",
        "bzw",
        "usw",
        "vgl",
        "nr",
        "str",
    }
)
_STOP = re.compile(r"(?P<word>\S*?)(?P<mark>[.!?…]+)(?P<close>[\"”’»)\]]*)\s+")
_CLAUSE = re.compile(r"(?<=[;:,–—])\s+|\s+(?=[–—]\s)")
_BEFORE = re.compile(
    r"\s+(?=(?:and|but|or|so|yet|because|which|who|that|while|when|where|until|before|after|although|if|as|und|aber|oder|weil)\s)"
)


def sentences(text: str) -> list[str]:
    """The sentences of a paragraph. A full stop inside a number, after an abbreviation, an initial, or a number of one or
    two digits ends none; nor does any mark that a small letter follows (“Listen!” she said)."""
    found, begin = [], 0
    for stop in _STOP.finditer(text):
        word = stop["word"].lstrip('"“‘«([')
        last = word.rsplit(maxsplit=1)[-1] if word else ""
        following = text[stop.end() : stop.end() + 1]
        if following.islower():
            continue
        if stop["mark"] == "." and not stop["close"]:
            short = last.lower() in _ABBREVIATIONS or len(last) == 1 or "." in last
            if short or (last.isdigit() and len(last) <= 2):
                continue
        found.append(text[begin : stop.end()].strip())
        begin = stop.end()
    if text[begin:].strip():
        found.append(text[begin:].strip())
    return found


def split(text: str, longest: int = LONGEST) -> list[str]:
    """A paragraph as lines of at most `longest` characters.

    Whole sentences are put together while they fit; a sentence that is too long is parted at the mark between clauses that
    lies nearest to its middle, then before a joining word, then between words. A word longer than a line stays whole. The
    lines put together again with spaces are the paragraph.

    Raises:
        ValueError: for a length below `SHORTEST_LONGEST`.
    """
    if longest < SHORTEST_LONGEST:
        raise ValueError(f"a line of fewer than {SHORTEST_LONGEST} characters is none")
    lines: list[str] = []
    for sentence in sentences(" ".join(text.split())):
        for part in _parted(sentence, longest):
            if lines and len(lines[-1]) + 1 + len(part) <= longest and part == sentence:
                lines[-1] = f"{lines[-1]} {part}"
            else:
                lines.append(part)
    return lines


def _parted(sentence: str, longest: int) -> list[str]:
    if len(sentence) <= longest:
        return [sentence]
    for gap in (_CLAUSE, _BEFORE, re.compile(r"\s+")):
        places = [match for match in gap.finditer(sentence) if match.start() > 0 and match.end() < len(sentence)]
        # A clause of a word or two is no breath.
        calm = [m for m in places if m.start() >= longest // 6 and len(sentence) - m.end() >= longest // 6]
        if calm:
            middle = min(calm, key=lambda match: abs(match.start() - len(sentence) // 2))
            return [
                *_parted(sentence[: middle.start()].rstrip(), longest),
                *_parted(sentence[middle.end() :].lstrip(), longest),
            ]
    places = list(re.finditer(r"\s+", sentence))
    if not places:
        return [sentence]
    middle = min(places, key=lambda match: abs(match.start() - len(sentence) // 2))
    return [*_parted(sentence[: middle.start()], longest), *_parted(sentence[middle.end() :], longest)]
