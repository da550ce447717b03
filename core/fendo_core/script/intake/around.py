"""What stands around the words and is not read: titles, headings, page marks, directions, the film’s own sound."""

import re
from collections import Counter
from collections.abc import Sequence
from dataclasses import replace

from fendo_core.script.intake.inquiry import NOTES_OR_WORDS, OUT_OR_LINES, Inquiry, counted
from fendo_core.script.intake.marks import (
    ALONE,
    ASIDE,
    BRACKETED,
    HEADING,
    LABEL,
    MUSIC,
    NUMBERED,
    RULE,
    SPEAKERS,
    begins_with_time,
    is_bite,
    is_bite_in_brackets,
    is_cue,
    is_heading,
    is_more,
    is_numbered,
    is_shouted_name,
    is_voice,
)
from fendo_core.script.intake.paragraph import LONGEST, SENTENCE_ENDS, Paragraph, at_end, mostly, noted, to_notes

_PAGE = re.compile(
    r"^(?:.{0,60}?[\s|–—-])?\W{0,3}(?:page|seite|p[áa]gina|pagina|стр(?:аница|\.)?|s\.|p\.)\s*\d{1,3}(?:\s*(?:of|/|"
    r"von|de|di|sur|van|из)\s*\d{1,3})?\W*$",
    re.IGNORECASE,
)


_ONE_PAGE = re.compile(
    r"^\W*(?:page|seite|p[áa]gina|pagina|стр(?:аница|\.)?)\s*#\s*(?:of|/|von|de|di|sur|van|из)\s*#\W*$", re.IGNORECASE
)
"""“Page 1 of 1” says what it is where it stands once, too."""
_FOLIO = re.compile(r"^[-–—]\s?\d{1,4}\s?[-–—]$")
"""“— 12 —”, at the foot of a page."""


def without_page_marks(found: Sequence[Paragraph], inquiry: Inquiry) -> list[Paragraph]:
    """Paragraphs without “Page 2 of 6”, with the title beside it, where these come again and differ by numbers alone."""
    marks: dict[str, list[int]] = {}
    alone = {place for place, each in enumerate(found) if _FOLIO.match(each.text)}
    for place, each in enumerate(found):
        if place not in alone and _PAGE.match(each.text):
            marks.setdefault(re.sub(r"\d+", "#", each.text), []).append(place)
    gone = alone | {
        place for mark, places in marks.items() if len(places) >= 2 or _ONE_PAGE.match(mark) for place in places
    }
    if not gone or len(gone) > 0.6 * len(found):
        return list(found)
    inquiry.doubt(f"left out {counted(len(gone), 'page mark', 'page marks')}, such as “{found[min(gone)].text[:40]}”")
    return [each for place, each in enumerate(found) if place not in gone]


_MEASURE = (
    r"(?:total )?(?:words|word ?count|duration|length|time|running time)|runtime|trt|wörter|wortzahl|dauer|länge|mots|"
    r"durée|palabras|duración|parole|durata|lengte|длительность|хронометраж"
)
"""What says how many words there are, or how long they last."""
_TOLD = re.compile(
    r"^(?:film|movie|client|customer|product|project|production|(?:working |film )?title|programme|program|series|season|"
    r"episode|date|"
    rf"version|draft|revision|rev\.?|status|{_MEASURE}|"
    r"agency|writer|written by|"
    r"author|producer|director|prepared (?:by|for)|job(?: no\.?| number)?|file(?: ?name)?|spot|language|format|"
    r"deadline|contact|copyright|kunde|projekt|titel|filmtitel|datum|fassung|stand|autor(?:in)?|sprache|"
    r"agentur|redaktion|regie|projet|titre|durée|auteur|langue|réalisat(?:eur|ion|rice)|cliente|proyecto|título|fecha|versión|"
    r"duración|idioma|progetto|titolo|data|versione|durata|autore|lingua|klant|opdrachtgever|datum|lengte|taal|клиент|"
    r"проект|название|дата|версия|длительность|хронометраж|автор|язык)\s*(?:#|no\.?)?\s*(?:[:：]|\s[-–—]\s|\t)\s*\S.{0,100}$|"
    r"^(?:brand|(?:vo|voice|voice[- ]?over) (?:artist|talent)|talent|studio|player|cast|read by|narrated by|"
    r"voiced by|read time)\s*[:：]\s*\S.{0,100}$|"
    r"^s[ck]ript\s*[:：]\s*[\"“„«].{1,80}[\"”“»].{0,20}$|"
    r"^(?:script|narration|voice[- ]?over(?: script)?|skript|sprechertext|guion|(?:text|texte|texto|testo)(?= (?:for|für|"
    r"pour|para|per) (?:the |die |den |le |la |el )?(?:voice|narr|sprech|voix|loc|speaker))) "
    r"(?:for|to|für|zu|pour|de|para|per) \S.{0,80}$|"
    r"^\(?\d[\d.,]* words?\b.{0,40}$|^\[[a-z]{2,6}:[^\[\]]*\]$",
    re.IGNORECASE,
)


def tells_of_it(name: str, value: str) -> bool:
    """Whether a name and what it names are of the script and not in it: client, date, version."""
    return bool(_TOLD.match(f"{name.strip(' :')}: {value.strip() or '-'}"))


_COUNTED = re.compile(
    rf"^(?:{_MEASURE})(?:\s*[:：=]\s*|\s+(?=\d))[\d.,:' ]+(?:words|min(?:utes)?\.?|s(?:ec)?\.?)?$",
    re.IGNORECASE,
)
"""Below the words: how many they are, or how long they last."""
_CALLED = re.compile(
    r"^(?:(?:final|shooting|narration|vo|voice[- ]?over|audio|recording) )?s[ck]ript\s*:?$|^sprechertext\s*:?$|"
    r"^gui[oó]n\s*:?$|^copione\s*:?$|^сценарий\s*:?$",
    re.IGNORECASE,
)
_DELIVERY = re.compile(
    r"^(?:tone|pace|style|mood|delivery|accent|sprechweise|sprechhaltung|stimmung|tempo|rythme|tono|ritmo|estilo|stile|stijl|тон|"
    r"темп)\s*[:：]\s*\S.{0,100}$|^please read\b.{0,80}$|"
    r"^(?:bitte|à|da|por favor)\b.{0,20}\b(?:lesen|sprechen|lire|leggere|leer)\b.{0,60}$",
    re.IGNORECASE,
)
"""Above the words: how they are to be read."""
_END = re.compile(
    r"^\W{0,12}(?:the end|end|ends|end of (?:script|film|programme|play|episode|recording)|ende|fin|fine|конец)\W*$",
    re.IGNORECASE,
)
_CREDIT = re.compile(r"^[^\W\d_][\w .]{1,30}:\s+[^\W\d_][^\s:]{0,30}(?:\s[^\s:.!?]{1,30}){0,4}$")
"""Above words with times: “Narrator: Mira”."""
MOST_TITLES, LONGEST_TITLE = 4, 70


def _is_told(text: str) -> bool:
    """“Client: …”, “Tone: …”, and “SCRIPT” by itself."""
    return bool(_TOLD.match(text) or _DELIVERY.match(text) or _CALLED.match(text))


def _is_credit(each: Paragraph, labels: Counter[str]) -> bool:
    """“Host: Mira”, where no host is named again: who reads, and nothing that is read."""
    head = LABEL.match(each.text)
    named = head and labels[head[1]] == 1 and SPEAKERS.fullmatch(head[1].strip())
    value = each.text[head.end() :].split() if head else []
    return bool(named) and 0 < len(value) <= 3 and all(word[0].isupper() and word[-1].isalnum() for word in value)


def without_end(found: Sequence[Paragraph], inquiry: Inquiry) -> Sequence[Paragraph]:
    """Paragraphs without “ENDS” at the last time, which is the end of what is said before it."""
    if len(found) < 3 or not found[-1].slot or not _END.match(found[-1].text):
        return found
    asked = f"“{found[-1].text}”, at the last time, is"
    return found if inquiry.ask("end", asked, OUT_OR_LINES, "out") == "lines" else found[:-1]


def without_titles(found: Sequence[Paragraph], inquiry: Inquiry) -> list[Paragraph]:
    """Paragraphs without what stands above the first that is read (title, client, version, date), and “The end”.

    With a time, a name, a direction or a heading the script has begun.
    """
    head, titles = 0, 0
    texts = Counter(each.text for each in found)
    labels = Counter(label[1] for label in (LABEL.match(each.text) for each in found) if label)
    timed = sum(begins_with_time(each.text) for each in found) >= max(2, 0.3 * len(found))
    # One heading above “Host: Mira” is the title.
    alone = sum((each.heading or is_heading(each.text)) for each in found) < 2
    tells = [
        _is_told(each.text) or (timed and bool(_CREDIT.match(each.text))) or _is_credit(each, labels) for each in found
    ]
    for each, below, told, tells_below in zip(found, [*found[1:], None], tells, [*tells[1:], False], strict=False):
        # A name in capitals stands right above its words, or comes again.
        above_words = bool(below and not below.fresh and below.text.endswith(SENTENCE_ENDS) and not LABEL.match(below.text))
        named = each.text.isupper() and len(each.text.split()) < 4 and (texts[each.text] > 1 or above_words)
        short = each.heading or (
            not named and len(each.text) <= LONGEST_TITLE and not each.text.rstrip('"”»“').endswith((*SENTENCE_ENDS, ">"))
        )
        titled = short and titles < MOST_TITLES and ((tells_below and alone) or not is_more(each.text))
        if each.slot or not (told or titled):
            break
        head, titles = head + 1, titles + (not told)
    if head > 1 and found[head - 1].heading and any(each.heading for each in found[head:]):
        # Under a title the first heading is like the others.
        head -= 1
    last = len(found)
    while last - head > 2 and (_END.match(found[last - 1].text) or _COUNTED.match(found[last - 1].text)):
        last -= 1
    more = [each.heading or is_more(each.text) for each in found[head:last]]
    rest = [
        each.text for each, is_one in zip(found[head:last], more, strict=True) if not is_one and not RULE.match(each.text)
    ]
    whole = sum(text.endswith(SENTENCE_ENDS) for text in rest)
    if whole < 0.8 * len(rest) and not any(more):
        # What is below is no running text: none of it is a title, unless what stands under it says so.
        head = max((place + 1 for place in range(head) if tells[place]), default=0)
    if len(found) - head < 2:
        head = 0
    around = [*found[:head], *found[last:]]
    if not around:
        return list(found)
    said = " / ".join(each.text for each in around)
    asked = f"“{said if len(said) < 40 else said[:39] + '…'}”, around the words, is"
    if inquiry.ask("titles", asked, OUT_OR_LINES, "out") == "lines":
        return list(found)
    how = [each.text for each in found[:head] if _DELIVERY.match(each.text)]
    kept = list(found[head:last])
    return [noted(kept[0], [*how, kept[0].notes]), *kept[1:]] if how else kept


_HOW = re.compile(
    r"(?:\d+(?:[.,]\d+)?\s?(?:s|secs?|seconds?|sek)\.?$|(?:long |short |slight |brief |little |dramatic )?(?:pauses?|"
    r"beat|breath|breathes?|sfx|fx|music|laugh(?:s|ing|ter)?|chuckles?|"
    r"click(?: to (?:advance|continue))?$|next slide$|advance$|"
    r"sighs?|sighing|whisper(?:s|ed|ing)?|soft(?:ly|er)?|slow(?:ly|er)?|quick(?:ly|er)?|quiet(?:ly|er)?|loud(?:ly|er)?|warm(?:ly|er)?|"
    r"smil(?:e|es|ing)|cheerful(?:ly)?|serious(?:ly)?|urgent(?:ly)?|excited(?:ly)?|gently|firmly|silence|emphasis|emphasi[sz]e|break|fade|"
    r"bright(?:ly|er)?|sad(?:ly)?|angr(?:y|ily)|stille|kurze pause|atempause|leise|laut|langsam|lächelnd|lacht|"
    r"flüsternd|musik|silence|doucement|lentement|souriant|rires?|musique|pausa|silencio|silenzio|piano|lentamente|sonriendo|"
    r"sorridendo|risas?|música|musica|пауза|тихо|медленно|смеётся|шёпотом|музыка)\b)",
    re.IGNORECASE,
)
_SAID_AS = re.compile(r"(?:[^\W\d_]+-)+[^\W\d_]+")
_INSIDE = re.compile(r"\s*(?:\[([^\[\]]{1,40})\]|\(([^()]{1,40})\)|<{1,2}([^<>]{1,40})>{1,2}|\{([^{}]{1,40})\})")
_IN_FRONT = re.compile(r"^\s*(?:\[([^\W\d_][^\[\].!?]{0,40})\]|\(([^\W\d_][^().!?]{0,40})\))\s+(?=[\"“„«'‘¿¡]*[^\W\d_])")
MOST_WORDS, LONGEST_WORD = 4, 60


def _directions(text: str) -> list[tuple[int, int, str, str]]:
    """Directions in a text: (first, last, what it says, the word before it)."""
    made: list[tuple[int, int, str, str]] = []
    if len(text) > LONGEST:
        return made
    front, whole = _IN_FRONT.match(text), len(text.rstrip())
    if front:
        said = front[1] or front[2]
        behind = text[front.end() :].lstrip("\"“„«'‘¿¡")
        small = said[0].islower() or said.isupper() or _HOW.match(said)
        # In square brackets what stands in front of a sentence is no part of it.
        if (front[1] or (small and len(said.split()) <= MOST_WORDS)) and behind[:1].upper() == behind[:1]:
            made.append((front.start(), front.end(), said, ""))
    for found in _INSIDE.finditer(text, made[0][1] if made else 0):
        square, round_, angled, curly = found.groups()
        said = (square or round_ or angled or curly).strip()
        shouted = not round_ and said.isupper() and len(said) > 2
        before = text[max(0, found.start() - LONGEST_WORD) : found.start()].split()
        parts = said.split("-")
        if round_ and before and _SAID_AS.fullmatch(said) and any(map(str.isupper, parts)) and any(map(str.islower, parts)):
            made.append((found.start(), found.end(), f"“{before[-1]}” is said {said}", ""))
        elif round_ and found.end() == whole and _is_behind(said, text[: found.start()]):
            made.append((found.start(), found.end(), said, ""))
        elif (_HOW.match(said) and len(said.split()) <= MOST_WORDS) or shouted:
            made.append((found.start(), found.end(), said, before[-1].strip(',.;:!?“”"') if before else ""))
    return made


def _is_behind(said: str, before: str) -> bool:
    """A few small words in brackets behind a sentence."""
    few = said[:1].islower() and len(said.split()) <= MOST_WORDS
    return few and before.rstrip("\"“”„»'’ ").endswith(SENTENCE_ENDS)


def without_directions(found: Sequence[Paragraph], inquiry: Inquiry) -> list[Paragraph]:
    """Paragraphs whose directions in brackets, “(softly)”, “[beat]”, became notes, each with the word before it."""
    told = [_directions(each.text) for each in found]
    first = next((each.text[one[0][0] : one[0][1]].strip() for each, one in zip(found, told, strict=True) if one), None)
    if first is None:
        return list(found)
    asked = f"{first}{' …' if sum(map(len, told)) > 1 else ''} in the words is"
    if inquiry.ask("directions", asked, NOTES_OR_WORDS, "notes") == "words":
        return list(found)
    made = []
    for each, inside in zip(found, told, strict=True):
        kept, at = "", 0
        for start, end, _, _ in inside:
            kept, at = f"{kept}{each.text[at:start]} ", end
        kept = re.sub(r"\s+([,.;:!?…])", r"\1", " ".join((kept + each.text[at:]).split()))
        if not inside or not any(letter.isalnum() for letter in kept):
            made.append(each)
            continue
        notes = [f"{said} after “{before}”" if before else said for _, _, said, before in inside]
        made.append(noted(replace(each, text=kept), [each.notes, *notes]))
    return made


_PAUSE = re.compile(
    r"^[\W_]{0,20}(?:long |short |kurze |lange |longue |courte )?(?:pauses?|pausa|silence|stille)\b"
    r"(?:\s+(?:of|for|von|de|di))?\s*"
    r"(?:\d{1,3}\s?(?:s|secs?|seconds?|sek(?:unden)?|secondes?|segundos|secondi|min(?:utes?)?)?)?[\W_]{0,20}$",
    re.IGNORECASE,
)
"""“... pause 5 seconds ...”."""
_GOES_ON = re.compile(r"^\((?:continued|cont.?d\.?|more|fortsetzung|suite)\)$", re.IGNORECASE)


def without_asides(found: Sequence[Paragraph], inquiry: Inquiry) -> list[Paragraph]:
    """Paragraphs that stand in brackets, or between notes of music, become notes for the reader."""

    def goes(text: str) -> bool:
        if len(text) > LONGEST:
            return False
        bare = re.sub(r"\s*\([^()]{1,30}\)$", "", text)
        told = ASIDE.match(text) or MUSIC.fullmatch(bare) or _PAUSE.match(text)
        return bool(told) and not ALONE.match(text) and not is_bite_in_brackets(text)

    asides = [each.text for each in found if goes(each.text)]
    if not asides or len(asides) > 0.7 * len(found):
        return list(found)
    asked = f"{asides[0][:40]}{' …' if len(asides) > 1 else ''} {'are' if len(asides) > 1 else 'is'}"
    if inquiry.ask("asides", asked, NOTES_OR_WORDS, "notes") == "words":
        return list(found)
    return to_notes([each for each in found if not _GOES_ON.match(each.text)], lambda each: goes(each.text))


def without_headings(found: Sequence[Paragraph], inquiry: Inquiry) -> list[Paragraph]:
    """“Slide 3”, “Scene 2: the bell” on rows of their own, and what a document calls headings, become notes of what stands
    below."""

    found = _with_times_apart(_with_implied(found))

    def goes(each: Paragraph) -> bool:
        return each.heading or is_heading(each.text)

    headings = [each.text for each in found if goes(each)]
    called = any(each.heading for each in found)
    # One that nothing stands above is a title.
    least = 1 if called or (len(found) > 2 and goes(found[0])) else 2
    if len(headings) < least or len(headings) > 0.6 * len(found):
        return list(found)
    shown = f"{headings[0][:30]} … {headings[-1][:30]} are" if len(headings) > 1 else f"{headings[0][:40]} is"
    if inquiry.ask("headings", shown, NOTES_OR_WORDS, "notes") == "words":
        return list(found)
    return to_notes(found, goes)


def _with_times_apart(found: Sequence[Paragraph]) -> list[Paragraph]:
    """Paragraphs with the times of headings above them: they are of what stands below."""
    made: list[Paragraph] = []
    for each in found:
        head = BRACKETED.match(each.text) if each.heading else None
        if head:
            made += [Paragraph(f"[{head[1]}]"), replace(each, text=each.text[head.end() :])]
        else:
            made.append(each)
    return made


def _with_implied(found: Sequence[Paragraph]) -> list[Paragraph]:
    """Paragraphs with those marked as headings that look like it: short, in capitals, without an end, above sentences."""

    texts = Counter(each.text for each in found)

    def implied(text: str) -> bool:
        # What comes again is a name.
        if texts[text] > 1 or SPEAKERS.fullmatch(text):
            return False
        words = [word for word in text.split() if len(word) > 3] or text.split()
        return len(text.split()) <= 6 and not text.endswith(SENTENCE_ENDS) and all(word[0].isupper() for word in words)

    marked = [
        each.fresh and implied(each.text) and below.text.endswith(SENTENCE_ENDS) and not is_more(each.text)
        for each, below in zip(found, found[1:], strict=False)
    ]
    marked += [False] * (len(found) - len(marked))
    others = [each.text.endswith(SENTENCE_ENDS) for each, is_one in zip(found, marked, strict=True) if not is_one]
    if sum(marked) < 2 or sum(marked) > 0.5 * len(found) or sum(others) < 0.9 * len(others):
        return list(found)
    return [replace(each, heading=each.heading or is_one) for each, is_one in zip(found, marked, strict=True)]


_BITE_AND_DASH = re.compile(r"[A-Z-]{3,}(?:\s*\([^()]{1,40}\)|\s+[A-ZÄÖÜ][\w. ]{1,30})?\s*[-–—]\s")
"""“SOT (Mara, fisher) - We used to go out.”"""


def without_bites(found: Sequence[Paragraph], inquiry: Inquiry) -> list[Paragraph]:
    """Paragraphs without what is heard in the film itself: “SOT Anna: …”, or all under such a row up to the next name."""
    gone: set[int] = set()
    below = in_brackets = False
    for place, each in enumerate(found):
        label = LABEL.match(each.text)
        bracketed = is_bite_in_brackets(each.text)
        called = bracketed or is_bite(each.text)
        # Between directions in brackets the film's own sound ends with the next one, which is a note by now.
        below = below and not (in_brackets and each.notes)
        in_brackets = bracketed or (below and in_brackets)
        alone = called and len(each.text) < 60 and not each.text.endswith((".", "!", "?", "…"))
        if (
            label
            or called
            or (place > 0 and is_shouted_name(each.text))
            or is_cue(each.text)
            or is_numbered(each.text)
            or HEADING.match(each.text)
            or each.heading
        ):
            rest = each.text[label.end() :].strip() if label else ""
            # “SYNC: HARBOUR MASTER” says who speaks, and what stands below is said in the film.
            below = alone and (not rest or rest.isupper())
        if (called and (label or alone or _BITE_AND_DASH.match(each.text))) or below:
            gone.add(place)
    if not gone or len(gone) > 0.8 * len(found):
        return list(found)
    asked = f"{found[min(gone)].text[:30]}{' …' if len(gone) > 1 else ''}, heard in the film, is"
    if inquiry.ask("bites", asked, OUT_OR_LINES, "out") == "lines":
        return list(found)
    inquiry.doubt(f"{counted(len(gone), 'paragraph', 'paragraphs')} of the film’s own sound left out")
    return [each for place, each in enumerate(found) if place not in gone]


def without_numbered(found: Sequence[Paragraph], inquiry: Inquiry) -> list[Paragraph]:
    """Paragraphs without “Text 1”, “Text 2” on rows of their own."""
    rows = [each.text for each in found if is_numbered(each.text)]
    if len(rows) < 2 or len(rows) > 0.6 * len(found):
        return list(found)
    if inquiry.ask("numbered", f"{rows[0]} … {rows[-1]} are", OUT_OR_LINES, "out") == "lines":
        return list(found)
    numbers = [NUMBERED.fullmatch(each.text.strip(" :.")) for each in found]
    # What stands in brackets behind a number is a note of what is below.
    bare = [replace(each, text=number[1] or "") if number else each for each, number in zip(found, numbers, strict=True)]
    heads = {id(each) for each, number in zip(bare, numbers, strict=True) if number}
    return to_notes(bare, lambda each: id(each) in heads)


_UNSAID = re.compile(
    r"[\[(–—-]?\s*(?:no (?:vo|v\.o\.|voice[- ]?over|narration|commentary|text|dialogue|speech|words)|"
    r"keine? (?:text|sprecher(?:text)?|kommentar|off|vo)|ohne (?:text|kommentar)|"
    r"sans (?:voix(?: off)?|texte|commentaire)|sin (?:voz|texto|locución)|"
    r"senza (?:voce|testo)|без (?:текста|слов))\s*[\])–—-]?\.?",
    re.IGNORECASE,
)


def without_unsaid(found: Sequence[Paragraph], inquiry: Inquiry) -> list[Paragraph]:
    """Paragraphs without those that say that nothing is said: “(no VO)”."""
    unsaid = [bool(_UNSAID.fullmatch(each.text)) for each in found]
    if not any(unsaid) or all(unsaid):
        return list(found)
    inquiry.doubt(f"{counted(sum(unsaid), 'place', 'places')} without words left out, with what is noted of them")
    return [each for each, is_one in zip(found, unsaid, strict=True) if not is_one]


_SLIDE = re.compile(r"^(?:slide|folie|diapositiv[ea]|dia|слайд)\s*#?\d{1,3}\b", re.IGNORECASE)
_NOTES = re.compile(r"^(?:notes|notizen|notas|notities|note|заметки)\s*[:：]\s*(?=\S)", re.IGNORECASE)


def with_notes_of_slides(found: Sequence[Paragraph], inquiry: Inquiry) -> list[Paragraph]:
    """Of slides written out, with “Notes: …” below what each shows, the notes: they are read, and what is shown is not."""
    slides = [bool(_SLIDE.match(each.text)) for each in found]
    notes = [_NOTES.match(each.text) for each in found]
    told = sum(map(bool, notes))
    if (
        told < 2
        or not slides[0]
        or abs(sum(slides) - told) > 1
        or any((label := LABEL.match(each.text)) and is_voice(label[1].strip()) for each in found)
    ):
        return list(found)
    if inquiry.ask("slide-notes", "what slides show above their notes is", NOTES_OR_WORDS, "notes") == "words":
        return list(found)
    shown, in_notes = set[int](), False
    for place, (slide, note) in enumerate(zip(slides, notes, strict=True)):
        in_notes = bool(note) or (in_notes and not slide)
        if not in_notes:
            shown.add(place)
    bare = [replace(each, text=each.text[note.end() :]) if note else each for each, note in zip(found, notes, strict=True)]
    ids = {id(bare[place]) for place in shown}
    return to_notes(bare, lambda each: id(each) in ids)


_GREETING = re.compile(
    r"^(?:hi|hello|hey|dear|good (?:morning|afternoon|evening)|hallo|lieber?|guten (?:tag|morgen)|bonjour|cher|chère|hola|"
    r"buenos días|estimad[oa]|ciao|buongiorno|gentile|olá|beste|привет|здравствуйте)\b[^.!?]{0,40}[,!.]?$",
    re.IGNORECASE,
)
_CLOSING = re.compile(
    r"^(?:(?:many |best |kind |warm )?(?:thanks|regards|wishes)|thank you|cheers|all the best|best|yours(?: sincerely)?|"
    r"(?:viele|beste|liebe|herzliche) grüße|mit freundlichen grüßen|lg|vg|danke|merci|cordialement|bien à vous|saludos|"
    r"gracias|un saludo|grazie|cordiali saluti|obrigad[oa]|groeten|с уважением|спасибо)\b[^.!?]{0,40}[,.!]?$",
    re.IGNORECASE,
)
_ABOUT = re.compile(
    r"\b(?:below|attached|script|anbei|unten|skript|ci-dessous|ci-joint|adjunto|abajo|guion|allegato|sotto|ниже|сценарий)\b",
    re.IGNORECASE,
)


_LONGEST_LETTER = 6
"""Paragraphs."""


def without_letter(found: Sequence[Paragraph], inquiry: Inquiry) -> list[Paragraph]:
    """Paragraphs without the letter that a script came in: its greeting and what is said of the script, and its closing."""
    if not found or not _GREETING.match(found[0].text):
        return list(found)
    first = 1
    while first < len(found) and (
        _ABOUT.search(found[first].text) or _CLOSING.match(found[first].text) or _CLOSING.match(found[first - 1].text)
    ):
        first += 1
    last = next((n for n in range(len(found) - 1, max(first, len(found) - 5), -1) if _CLOSING.match(found[n].text)), None)
    asked = f"“{found[0].text}” … around the words, is"
    rules = [n for n, each in enumerate(found) if RULE.match(each.text)]
    # A rule parts the letter from the script, and the script from the closing.
    if rules and rules[0] <= _LONGEST_LETTER:
        first = max(first, rules[0] + 1)
        last = next((n for n in reversed(rules) if first < n < (last or n + 1)), last)
    if last is None and first == 1:
        return list(found)
    if inquiry.ask("letter", asked, OUT_OR_LINES, "out") == "lines":
        return list(found)
    return list(found[first:last])


_ALTERNATIVE = re.compile(r"^alt(?:ernat(?:e|ive|ively))?\.?\s*\d{0,2}\s*[:：]\s*(?=\S)", re.IGNORECASE)


def without_alternatives(found: Sequence[Paragraph], inquiry: Inquiry) -> list[Paragraph]:
    """Paragraphs of which those with “ALT:” in front, other words for the same line, became notes of the line above."""
    heads = [_ALTERNATIVE.match(each.text) for each in found]
    told = [each.text for each, head in zip(found, heads, strict=True) if head]
    if not told or heads[0] or len(told) > 0.8 * len(found):
        return list(found)
    asked = f"“{told[0][:40]}”{' …' if len(told) > 1 else ''} is"
    if inquiry.ask("alternatives", asked, NOTES_OR_WORDS, "notes") == "words":
        return list(found)
    made: list[Paragraph] = []
    for each, head in zip(found, heads, strict=True):
        if head:
            made[-1] = noted(made[-1], [made[-1].notes, f"or: {each.text[head.end() :]}"])
        else:
            made.append(each)
    return made


_COUNT = r"~?\d[\d.,]{0,6}\s*(?:words?|wörter|worte|mots|palabras|parole|palavras|woorden|слов\w?|characters?|zeichen)"
_LASTS = r"~?\d{1,3}(?:[.,]\d)?\s?(?:''|[\"″”])"
_COUNT_AT_END = re.compile(rf"\s*[\[(]\s*(?:{_COUNT}\b[^()\[\]]{{0,20}}|{_LASTS})[\])]$", re.IGNORECASE)
_COUNT_ALONE = re.compile(
    rf"^[\[(]?(?:(?:total|sum|gesamt|summe)\s*[:=]?\s*{_COUNT}|{_COUNT}|(?:total|duration|length|time|word ?count|"
    r"words|dauer|länge|wörter|durée|duración|durata|duur|длительность)\s*[:=]\s*~?\d[\d:.,'’″”\"]*\s?(?:words?|min\w*|sec\w*|s)?)[\])]?\.?$",
    re.IGNORECASE,
)


def without_counts(found: Sequence[Paragraph], inquiry: Inquiry) -> list[Paragraph]:
    """Paragraphs without how many words they have and how long they last: “(12 words)” behind them, “Duration: 1:30”."""
    ends = [at_end(_COUNT_AT_END, each.text) for each in found]
    alone = [bool(_COUNT_ALONE.match(each.text)) for each in found]
    several = sum(map(bool, ends)) >= 2
    if (not several and sum(alone) < 2 and not any(alone[-1:])) or all(alone):
        return list(found)
    shown = next(
        end[0].strip() if end else each.text for each, end, count in zip(found, ends, alone, strict=True) if end or count
    )
    if inquiry.ask("counts", f"“{shown[:40]}” …, a count or a length, is", OUT_OR_LINES, "out") == "lines":
        return list(found)
    return [
        replace(each, text=each.text[: end.start()]) if several and end and end.start() else each
        for each, end, count in zip(found, ends, alone, strict=True)
        if not count
    ]


_BULLET = re.compile(r"^[-–—•*▪◦‣·►]\s+(?=\S)")
_STROKES = re.compile(r"\s+(?://?|\|\|?)$")
_PICTOGRAPHS = re.compile(r"^(?:[\u2600-\u2668\u2670-\u27bf\u2b00-\u2bff\U0001f000-\U0001faff][\ufe0f\u200d]*)+\s*(?=\S)")


def without_bullets(found: Sequence[Paragraph]) -> list[Paragraph]:
    """Paragraphs without the dashes or dots in front that most of them have, strokes behind them, and little pictures."""
    if sum(bool(_PICTOGRAPHS.match(each.text)) for each in found) >= 2:
        found = [replace(each, text=_PICTOGRAPHS.sub("", each.text)) for each in found]
    if sum(bool(at_end(_STROKES, each.text)) for each in found) >= max(2, 0.6 * len(found)):
        found = [replace(each, text=_STROKES.sub("", each.text)) for each in found]
    if not mostly(found, _BULLET):
        return list(found)
    return [replace(each, text=_BULLET.sub("", each.text)) for each in found]
