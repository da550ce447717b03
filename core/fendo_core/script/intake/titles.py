"""What stands above and below the words and tells of the script: titles, client and date, a letter, marks of pages."""

import re
from collections import Counter
from collections.abc import Sequence
from dataclasses import replace

from fendo_core.script.intake.inquiry import OUT_OR_LINES, OUT_OR_READ, Inquiry, counted
from fendo_core.script.intake.marks import (
    COUNTED_HEAD,
    LABEL,
    NUMBERED_HEAD,
    RULE,
    SPEAKERS,
    begins_with_time,
    is_heading,
    is_more,
    is_shouted_name,
    is_voice,
)
from fendo_core.script.intake.paragraph import SENTENCE_ENDS, Paragraph, noted

_CALLED_PAGE, _OF = r"page|seite|p[áa]gina|pagina|стр(?:аница|\.)?", r"of|/|von|de|di|sur|van|из"
_PAGE = re.compile(
    rf"^(?:.{{0,60}}?[\s|–—-])?\W{{0,3}}(?:{_CALLED_PAGE}|s\.|p\.)\s*\d{{1,3}}(?:\s*(?:{_OF})\s*\d{{1,3}})?\W*$",
    re.IGNORECASE,
)
_ONE_PAGE = re.compile(rf"^\W*(?:{_CALLED_PAGE})\s*#\s*(?:{_OF})\s*#\W*$", re.IGNORECASE)
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
    r"^(?:film|movie|client|customer|product|project|production|"
    r"(?:working |film |video |programme |module )?(?:title|duration|length)|programme|program|series|season|"
    r"episode|date|"
    rf"version|draft|revision|rev\.?|status|{_MEASURE}|"
    r"agency|station|market|campaign|sender|kampagne|writer|written by|"
    r"author|producer|director|prepared (?:by|for)|job(?: no\.?| number)?|file(?: ?name)?|spot|language|format|"
    r"deadline|contact|copyright|kunde|projekt|titel|filmtitel|datum|fassung|stand|autor(?:in)?|sprache|"
    r"agentur|redaktion|regie|projet|titre|durée|auteur|langue|réalisat(?:eur|ion|rice)|cliente|proyecto|título|fecha|versión|"
    r"duración|idioma|progetto|titolo|data|versione|durata|autore|lingua|klant|opdrachtgever|datum|lengte|taal|клиент|"
    r"проект|название|дата|версия|длительность|хронометраж|автор|язык|"
    r"czas|czas trwania|tytuł|klient|projekt|wersja|autor|reżyseria|język|název|délka|čas|verze|režie|jazyk|názov|dĺžka|"
    r"cím|hossz|megrendelő|változat|dátum|nyelv|längd|kund|version|datum|regi|språk|længde|kunde|titel|dato|sprog|tittel|"
    r"språk|kesto|asiakas|nimi|versio|päiväys|kieli|süre|başlık|müşteri|tarih|sürüm|dil|τίτλος|διάρκεια|πελάτης|γλώσσα|"
    r"назва|тривалість|замовник|мова|タイトル|クライアント|日付|尺|标题|標題|客户|客戶|日期|时长|時長|제목|길이|날짜)\s*(?:#|no\.?)?\s*(?:[:：]|\s[-–—]\s|\t)\s*\S.{0,100}$|"
    r"^(?:slug|runs|air ?date|out ?cue|brand)\s*[:：]\s*\S.{0,100}$|"
    r"^(?:(?:vo|voice|voice[- ]?over) (?:artist|talent)|talent|studio|player|cast|read by|narrated by|"
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
    r"темп)\s*[:：]\s*\S.{0,100}$|"
    r"^(?:voice(?: type| style)?|stimme|voix|voz|voce)\s*[:：]\s*[^,.!?]{1,40},[^.!?]{1,60}$|^please read\b.{0,80}$|"
    r"^(?:bitte|à|da|por favor)\b.{0,20}\b(?:lesen|sprechen|lire|leggere|leer)\b.{0,60}$",
    re.IGNORECASE,
)
"""Above the words: how they are to be read."""
_END = re.compile(
    r"^\W{0,12}(?:the end|end|ends|script ends|end script|"
    r"end of (?:the )?(?:script|film|programme|play|episode|recording)|ende|fin|fine|конец)\W*$|"
    r"^(?:automatically )?(?:transcri\w{1,6}|exported|generated|created|made) (?:by|with|from|using|in) .{0,80}(?:https?://|www\.)\S{1,80}$",
    re.IGNORECASE,
)
_CREDIT = re.compile(r"^[^\W\d_][\w .]{1,30}:\s+[^\W\d_][^\s:]{0,30}(?:\s[^\s:.!?]{1,30}){0,4}$")
"""Above words with times: “Narrator: Mira”."""
_BEHIND_TITLE = re.compile(r"\s+[\[(][^()\[\]]{0,30}[\])]$")
"""“(draft)”, which ends no sentence."""
MOST_TITLES, LONGEST_TITLE = 4, 70


def _is_told(text: str) -> bool:
    """“Client: …”, “Tone: …”, and “SCRIPT” by itself."""
    return bool(_TOLD.match(text) or _DELIVERY.match(text) or _CALLED.match(text))


def _is_loud_title(text: str, labels: Counter[str]) -> bool:
    """“MEDITATION: THE SHORE”, where nobody is called so."""
    label = LABEL.match(text)
    name = label[1].strip() if label else ""
    return bool(label and text.isupper() and labels[label[1]] == 1 and not SPEAKERS.fullmatch(name) and not is_voice(name))


_OF_NEWS = re.compile(r"reporter(?:in)?|correspondent|anchor|korrespondent(?:in)?|journaliste|periodista", re.IGNORECASE)


def _is_credit(each: Paragraph, labels: Counter[str]) -> bool:
    """“Host: Mira”, where no host is named again: who reads, and nothing that is read."""
    head = LABEL.match(each.text)
    named = head and labels[head[1]] == 1 and SPEAKERS.fullmatch(head[1].strip())
    value = each.text[head.end() :].split() if head else []
    known = named or bool(head and labels[head[1]] == 1 and _OF_NEWS.fullmatch(head[1].strip()))
    return bool(known) and 0 < len(value) <= 3 and all(word[0].isupper() and word[-1].isalnum() for word in value)


def goes_as_end(text: str, inquiry: Inquiry) -> bool:
    """Whether a text at the last time is “ENDS”, which is the end of what is said before it: asked."""
    return bool(_END.match(text)) and inquiry.ask("end", f"“{text}”, at the last time, is", OUT_OR_LINES, "out") == "out"


def without_end(found: Sequence[Paragraph], inquiry: Inquiry) -> Sequence[Paragraph]:
    """Paragraphs without “ENDS” at the last time."""
    ends = len(found) > 2 and found[-1].slot is not None and goes_as_end(found[-1].text, inquiry)
    return found[:-1] if ends else found


def without_titles(found: Sequence[Paragraph], inquiry: Inquiry) -> list[Paragraph]:
    """Paragraphs without what stands above the first that is read (title, client, version, date), and “The end”.

    With a time, a name, a direction or a heading the script has begun.
    """
    head, titles = 0, 0
    texts = Counter(each.text for each in found)
    labels = Counter(label[1] for label in (LABEL.match(each.text) for each in found) if label)
    timed = sum(begins_with_time(each.text) for each in found) >= max(2, 0.3 * len(found))
    numbers = {row[1] for row in (NUMBERED_HEAD.match(each.text) for each in found) if row}
    series = Counter(head[1] for head in (COUNTED_HEAD.fullmatch(each.text) for each in found if each.heading) if head)
    shouts = sum(each.text.isupper() for each in found)
    # One heading above “Host: Mira” is the title.
    alone = sum(each.heading or is_heading(each.text) for each in found) < 2
    tells = [
        _is_told(each.text) or (timed and bool(_CREDIT.match(each.text))) or _is_credit(each, labels) for each in found
    ]
    for each, below, told, tells_below in zip(found, [*found[1:], None], tells, [*tells[1:], False], strict=False):
        # A name in capitals stands right above its words, or comes again.
        above_words = bool(below and not below.fresh and below.text.endswith(SENTENCE_ENDS) and not LABEL.match(below.text))
        bare = _BEHIND_TITLE.sub("", each.text[: LONGEST_TITLE + 1]) or each.text
        named = bare.isupper() and len(bare.split()) < 4 and (texts[each.text] > 1 or above_words)
        ended = bare.rstrip('"”»“').endswith((*SENTENCE_ENDS, ">"))
        short = each.heading or (not named and len(each.text) <= LONGEST_TITLE and not ended)
        loud = head == 0 and shouts < 0.5 * len(found) and _is_loud_title(each.text, labels)
        titled = short and titles < MOST_TITLES and (loud or (tells_below and alone) or not is_more(each.text))
        # “Read 1” is none where “Read 2” stands below.
        counted_up, numbered = COUNTED_HEAD.fullmatch(each.text), NUMBERED_HEAD.match(each.text)
        of_several = (counted_up and series[counted_up[1]] > 1) or (numbered and numbered[1] == "1" and "2" in numbers)
        titled = titled and not of_several
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
        each.text
        for each, is_one in zip(found[head:last], more, strict=True)
        if not is_one and not RULE.match(each.text) and not (is_shouted_name(each.text) and texts[each.text] > 1)
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


_STAMP = re.compile(
    r"^[\[(]?(?:\d{1,2}[:.]\d{2}(?:[:.]\d{2})?(?:\s?[ap]\.?m\.?)?,?\s+\d{1,4}[./-]\d{1,2}[./-]\d{2,4}|"
    r"\d{1,4}[./-]\d{1,2}[./-]\d{2,4},?\s+\d{1,2}[:.]\d{2}(?:[:.]\d{2})?(?:\s?[ap]\.?m\.?)?)[\])]?\s*[-–—:]?\s*(?=\S)",
    re.IGNORECASE,
)
"""“[09:41, 03/05/2026] ”: when somebody wrote it."""


def without_stamps(found: Sequence[Paragraph], inquiry: Inquiry) -> list[Paragraph]:
    """Paragraphs without the day and the hour that a conversation has in front of each."""
    stamps = [_STAMP.match(each.text) for each in found]
    first = next((stamp[0].strip() for stamp in stamps if stamp), "")
    if sum(map(bool, stamps)) < max(2, 0.5 * len(found)):
        return list(found)
    if inquiry.ask("stamps", f"{first} …, in front, is", OUT_OR_READ, "out") == "in":
        return list(found)
    return [
        replace(each, text=each.text[stamp.end() :]) if stamp else each for each, stamp in zip(found, stamps, strict=True)
    ]


_START = re.compile(
    r"^\W{0,12}(?:(?:start|beginning) of (?:the )?script|(?:the )?script (?:starts|begins)(?: here)?|"
    r"(?:begin|start) script)\W*$",
    re.IGNORECASE,
)
_LATEST_START = 20
"""Paragraphs."""


def without_what_is_above(found: Sequence[Paragraph], inquiry: Inquiry) -> list[Paragraph]:
    """Paragraphs below “SCRIPT STARTS”, where one says so."""
    start = next((n for n, each in enumerate(found[:_LATEST_START]) if _START.match(each.text)), None)
    if start is None or start + 1 == len(found):
        return list(found)
    asked = f"“{found[start].text[:40]}”, with what stands above it, is"
    return list(found if inquiry.ask("start", asked, OUT_OR_LINES, "out") == "lines" else found[start + 1 :])


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
    r"\b(?:below|attached|script|here(?: is|’s|'s| are)|anbei|unten|skript|hier (?:ist|sind|kommt|der|die|das)|"
    r"ci-dessous|ci-joint|"
    r"voici|adjunto|abajo|guion|aquí (?:está|tienes)|allegato|sotto|ecco|ниже|сценарий)\b",
    re.IGNORECASE,
)


_FIELD = re.compile(
    r"^(?:re|aw|fwd?|wg|subject|betreff|objet|asunto|oggetto|from|von|to|an|cc|date|sent|gesendet)\s*:\s*\S", re.IGNORECASE
)
"""Above the greeting of a letter."""
_MOST_FIELDS = 6
_NUMBERED_ROW = re.compile(r"\d{1,3}[.):]\s")
_LONGEST_LETTER = 6
"""Paragraphs."""


def without_letter(found: Sequence[Paragraph], inquiry: Inquiry) -> list[Paragraph]:
    """Paragraphs without the letter that a script came in: its greeting and what is said of the script, and its closing."""
    above = next((n for n, each in enumerate(found[:_MOST_FIELDS]) if not _FIELD.match(each.text)), 0)
    if not found or not _GREETING.match(found[above].text):
        return list(found)
    first = above + 1
    while first < len(found) and (
        _ABOUT.search(found[first].text) or _CLOSING.match(found[first].text) or _CLOSING.match(found[first - 1].text)
    ):
        first += 1
    last = next((n for n in range(len(found) - 1, max(first, len(found) - 9), -1) if _CLOSING.match(found[n].text)), None)
    if last is not None and any(len(each.text) > LONGEST_TITLE for each in found[last + 1 :]):
        # Below it who wrote, and where from.
        last = None
    asked = f"“{found[above].text}” … around the words, is"
    rules = [n for n, each in enumerate(found) if RULE.match(each.text)]
    # A rule parts the letter from the script, and the script from the closing.
    if rules and rules[0] <= _LONGEST_LETTER:
        first = max(first, rules[0] + 1)
        last = next((n for n in reversed(rules) if first < n < (last or n + 1)), last)
    if last is None and first == above + 1:
        return list(found)
    numbers = [n for n, each in enumerate(found[first:last], start=first) if _NUMBERED_ROW.match(each.text)]
    if len(numbers) > 1 and numbers[0] <= first + 1 and numbers == list(range(numbers[0], numbers[-1] + 1)):
        # Around a list there may be what is said of it and of its files.
        first, last = numbers[0], numbers[-1] + 1
    if inquiry.ask("letter", asked, OUT_OR_LINES, "out") == "lines":
        return list(found)
    return list(found[first:last])
