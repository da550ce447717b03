"""Which language a column of a table, or a paragraph, is in: by its name, else by its commonest words."""

import re
from collections import Counter
from collections.abc import Sequence
from dataclasses import replace

from fendo_core.script.intake.inquiry import Inquiry
from fendo_core.script.intake.marks import BARE, BRACKETED, LABEL
from fendo_core.script.intake.paragraph import Paragraph

_NAMES = {
    "en": "english englisch anglais inglés ingles inglese engels inglês английский en eng uk us",
    "de": "german deutsch allemand alemán aleman tedesco duits alemão немецкий de deu ger",
    "fr": "french französisch français francais francés frances francese frans francês французский fr fra fre",
    "es": "spanish spanisch espagnol español espanol castellano spagnolo spaans espanhol испанский es spa esp",
    "it": "italian italienisch italien italiano italiaans итальянский it ita",
    "nl": "dutch niederländisch néerlandais neerlandés olandese nederlands голландский nl nld",
    "pt": "portuguese portugiesisch portugais portugués portoghese português portugees португальский pt por",
    "ru": "russian russisch russe ruso russo русский ru rus",
}
_COMMON = {
    "en": "the and of to is was in that it for with on as are his her they from by at",
    "de": "der die das und ist nicht ein eine mit von den dem im zu auf sie er es für wird",
    "fr": "le la les et est un une des dans que qui pour pas du au sur il elle ce avec",
    "es": "el la los las y es un una de que en por con no se del al su para como",
    "it": "il lo la gli e è un una di che in per con non si del della nel sono come",
    "nl": "de het een en is van in dat niet op te zijn met voor aan er om hij ze wordt",
    "pt": "o a os as e é um uma de que em por com não se do da no na para",
    "ru": "и в не на что он она это с как по но из у за от до был была к",
}
_NAMED = {name: tongue for tongue, names in _NAMES.items() for name in names.split()}
_WORDS = {tongue: frozenset(words.split()) for tongue, words in _COMMON.items()}
_SHARE, _FEWEST, _LOOKED_AT = 0.12, 3, 200


def named_in(header: str) -> str | None:
    """The language that the name of a column says, as a code of two letters."""
    return next((_NAMED[word] for word in re.findall(r"\w+", header.casefold()) if word in _NAMED), None)


_MOST_LETTERS = 200_000
"""Of a text by which its language is told."""
_ADDRESS = re.compile(r"[@/]|\w\.\w")
"""Of the web, or of mail: “.com” and “no-reply” are no words."""


def tongue_of(text: str) -> str | None:
    """The language of some sentences; None when their common words do not tell."""
    spoken = " ".join(word for word in text[:_MOST_LETTERS].casefold().split() if not _ADDRESS.search(word))
    said = Counter(re.findall(r"[^\W\d_]+", spoken))
    count = {tongue: sum(said[word] for word in words) for tongue, words in _WORDS.items()}
    first, second = sorted(count, key=lambda tongue: -count[tongue])[:2]
    sure = count[first] >= max(_FEWEST, _SHARE * said.total()) and count[first] > 1.3 * count[second]
    return first if sure else None


def in_one_tongue(found: Sequence[Paragraph], inquiry: Inquiry) -> list[Paragraph]:
    """Paragraphs of one language, where they say the same in several: with “EN:” or “Deutsch:” in front, on both sides of a
    slash, or one below the other.
    """
    slashed = [each.text.split(" / ", 2) for each in found]
    if len(found) > 1 and all(len(sides) == 2 for sides in slashed):
        rests = [sides[0][_front(sides[0]) :] for sides in slashed]
        others = [f"{each.text[: _front(each.text)]}{sides[1]}" for each, sides in zip(found, slashed, strict=True)]
        options = _two_tongues(rests, [sides[1] for sides in slashed])
        if options:
            read = _asked("on both sides of a slash", options, inquiry)
            if read == "both":
                return list(found)
            texts = [sides[0] for sides in slashed] if read == options[0][0] else others
            return [replace(each, text=text) for each, text in zip(found, texts, strict=True)]
    options = _two_tongues([each.text for each in found[::2]], [each.text for each in found[1::2]])
    if options and len(found) > 3 and len(found) % 2 == 0:
        read = _asked("one below the other", options, inquiry)
        return list(found if read == "both" else found[::2] if read == options[0][0] else found[1::2])
    return _named(found, inquiry)


def _front(text: str) -> int:
    """Where the words begin, behind a time or a name."""
    head = BRACKETED.match(text) or BARE.match(text) or LABEL.match(text)
    return head.end() if head else 0


def _two_tongues(one: Sequence[str], other: Sequence[str]) -> tuple[tuple[str, str], ...]:
    """The languages of two rows of texts, with their names; none where they are not two."""
    tongues = [tongue_of(" ".join(texts[:_LOOKED_AT])) for texts in (one, other)]
    # Names stand above words too, one by one.
    if any(2 * sum(not text.isupper() and len(text.split()) > 2 for text in texts) < len(texts) for texts in (one, other)):
        return ()
    if None in tongues or tongues[0] == tongues[1]:
        return ()
    if any(
        not _mostly_in(str(tongue), str(second), texts)
        for tongue, second, texts in zip(tongues, tongues[::-1], (one, other), strict=True)
    ):
        return ()
    return tuple((tongue, _NAMES[tongue].split()[0].capitalize()) for tongue in tongues if tongue)


def _mostly_in(tongue: str, other: str, texts: Sequence[str]) -> bool:
    """Whether no more than a few of the texts have common words of the other language rather than of this one."""
    words = [set(re.findall(r"[^\W\d_]+", text.casefold())) for text in texts[:_LOOKED_AT]]
    against = sum(len(each & _WORDS[other]) > len(each & _WORDS[tongue]) for each in words)
    return against <= 0.2 * len(words)


def _asked(where: str, options: tuple[tuple[str, str], ...], inquiry: Inquiry) -> str:
    own, there = inquiry.language[:2], [tongue for tongue, _ in options]
    asked = f"{' and '.join(name for _, name in options)} stand {where}; read is"
    return inquiry.ask("tongue", asked, (*options, ("both", "all as it stands")), own if own in there else there[0])


def _named(found: Sequence[Paragraph], inquiry: Inquiry) -> list[Paragraph]:
    heads = [LABEL.match(each.text) for each in found]
    names = [head[1].strip().casefold() if head else "" for head in heads]
    # Or the language stands in brackets: “Text (EN):”.
    extras = [(head[2] or "").strip(" ()").casefold() if head else "" for head in heads]
    names = [extra if extra in _NAMED else name for extra, name in zip(extras, names, strict=True)]
    tongues = [_NAMED.get(name) for name in names]
    there = [tongue for tongue in tongues if tongue]
    if len(there) < 4 or len(there) < 0.6 * len(found) or len(set(there)) < 2:
        return list(found)
    options = tuple((tongue, names[tongues.index(tongue)].upper()) for tongue in dict.fromkeys(there))
    read = _asked("one below the other", options, inquiry)
    if read == "both":
        return list(found)
    return [
        replace(each, text=each.text[head.end() :]) if head and tongue else each
        for each, head, tongue in zip(found, heads, tongues, strict=True)
        if tongue in (None, read)
    ]
