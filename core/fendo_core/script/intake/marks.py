"""What a row of a script looks like: a time, a name, a heading, a direction, what is heard in the film."""

import re

from fendo_core.script.intake.times import RANGE

TIME = (
    r"\d{1,2}(?:[:.]\d{2}){2}[:;.,]\d{2,3}|\d{1,2}:\d{2}:\d{2}|\d{1,3}:\d{2}(?:[.,]\d{1,3})?"
    r"|\d{1,2}\s?['′’]\s?\d{2}(?:\s?(?:''|’’|[\"″”]))?|\d{1,2}\s?m(?:in)?\s?\d{1,2}\s?s(?:ec)?"
)
SPAN = rf"(?:{TIME})(?:{RANGE.pattern}(?:{TIME}))?"
ALONE = re.compile(rf"^\W{{0,40}}(?:(?:tc|timecode|time|in)\b[:\s]*)?({SPAN})[\s\])>:.*=_~#|–—-]*$", re.IGNORECASE)
"""A time on a row of its own."""
BRACKETED = re.compile(rf"^[\[(<{{]{{1,2}}\s*({SPAN})\s*[\])>}}]{{1,2}}\s*[:–—-]?\s*(?=\S)")
"""A time in brackets before the words."""
BARE = re.compile(rf"^({SPAN})\s*(?:[|:–—-]{{1,3}}\s*|\s)(?=[^\W\d_]|[\"“„«'‘(\[¿¡])")
"""A time before the words."""
_NAME = r"([^\W\d_][\w .'’#-]{0,38}?)"
NAMED_ALONE = re.compile(
    rf"^([^\W\d_][\w .'’#-]{{0,38}}?(?:\s*\((?!\s*(?:{SPAN})\s*\))[^()]{{1,30}}\))?)"
    rf"\s*[-–—,@|]?\s*[\[(]?({SPAN})[\])]?\s*:?$"
)
"""A name with a time, and nothing else."""
TITLED_ALONE = re.compile(rf"^{_NAME}\s*:\s*({SPAN})$")
"""“Track 2: 0:09 - 0:14”."""
HEADING = re.compile(
    r"^(?:slide|screen|frame|topic|lesson|module|panel|folie|bildschirm|écran|pantalla|schermata|diapositive|diapositiva|dia|слайд|page|seite|scene|szene|sc[eè]ne|escena|scena|сцена|cena|scen|sahne|scéna|kohtaus|jelenet|shot|einstellung|chapter|"
    r"kapitel|chapitre|cap[ií]tulo|capitolo|глава|ch(?:ap)?\.|kap\.|cap\.|sc\.|sz\.|se[qk]\.?|segment|block|bloc|bloque|blocco|unit|"
    r"paragraph|absatz|paragraphe|p[áa]rrafo|paragrafo|"
    r"episode|épisode|folge|episodio|beat|part|teil|partie|parte|часть|section|act|akt|acte|s[ée]quence|sequenz|secuencia|sequenza|"
    r"step|schritt|étape|paso|passo|шаг|lektion|leçon|lección|lezione|stop|station|stopp|spread|doppelseite|reel|rolle|bobine|track|exhibit|room|raum|arrêt|salle|parada|sala|tappa|announcement|message|durchsage|annonce|anuncio|annuncio)\s*#?\s*"
    r"(?:\d{1,3}(?:\.\d{1,3}){0,3}\b(?!\.\d)|[ivx]{1,4}\b|(?:one|two|three|four|five|six|seven|eight|nine|ten|eins|zwei|drei|"
    r"vier|un|deux|trois|quatre|uno|dos|tres|cuatro|due|tre|quattro)(?=\s*(?:[:–—-]|$)))"
    r"(?:(?:[^.!?]|\b(?:pp?|int|ext|approx|ca|max|min|sec|no|nr)\.){0,60}|\s*[:–—-][^.!?]{0,60}[!?])$|"
    r"^(?:part|section|block|teil|partie|parte|version|variante?|option|fassung|versión|versione)"
    r" [a-h](?:\s*[:–—-].{0,60})?$|"
    r"^s\d{1,3}\s+[-–—|]\s[^.!?]{1,60}$|"
    r"^(?:promo|spot|trailer|teaser|version|tag|radio|tv)\b[^.!?:]{0,20}\s:\d{2}$|"
    r"^(?:场景|場景|场|镜头|鏡頭|シーン|スライド|幻灯片|씬)\s*[一二三四五六七八九十\d]{1,3}(?:[^。！？.!?]){0,40}$",
    re.IGNORECASE,
)
"""“Slide 3: the bell”."""
COUNTED_HEAD = re.compile(
    r"([^\W\d_]{3,20}(?: [^\W\d_]{3,20})?) #?(\d{1,3})(?:\s*[\[(][^()\[\]]{1,40}[\])]|\s*[-–—:]\s*[^.!?]{0,50})?\s*:?"
)
"""“Read 2 (shorter)”, “Announcement 3 - thanks”."""
NUMBERED_HEAD = re.compile(r"(\d{1,4}|\d{1,2}(?:\.\d{1,2}){1,3})\s+[^\W\d_][^.!?:]{0,60}$")
"""“101 The harbour”, “1.2 People”."""
LONE_NUMBER = re.compile(r"#?\s?(\d{1,4})(?:[.)]|\s?(?:/|of|von|de|di|sur)\s?\d{1,4})?")
"""A number that counts what stands below it, on a row of its own."""
RULE = re.compile(r"^(?:(?:[-*_=~–—•·#+]\s*){3,}|#\s?#)$")
"""A row that only parts others."""
SECTION = re.compile(
    r"(?:intro(?:duction)?|outro|hook|body|main(?: (?:part|body|section))?|"
    r"set-?up|offer|proof|pay-?off|reveal|opening|closing|conclusion|cta|call[- ]to[- ]action|"
    r"teaser|beginning|middle|ending|"
    r"cold open|(?:opening |main )?titles?(?: sequence)?|(?:opening|end|closing) credits|(?:commercial|ad) break|"
    r"end of (?:act|part|scene) \w{1,9}|(?:the )?(?:problem|solution)|summary|recap|einleitung|einstieg|hauptteil|schluss|"
    r"fazit|abspann|vorspann|accroche|développement|apertura|cierre|introducci[óo]n|desarrollo|conclusi[óo]n|introduzione|chiusura|inleiding|"
    r"вступление|заключение)(?: #?\d{1,2})?",
    re.IGNORECASE,
)
"""What the parts of a short film are called."""


def is_heading(text: str) -> bool:
    """“Slide 3: the bell”, “Intro:”."""
    if HEADING.match(text):
        return True
    return len(text) <= _LONGEST_SECTION and bool(SECTION.fullmatch(_LASTING.sub("", text).rstrip(" :")))


_LONGEST_SECTION = 60
_LASTING = re.compile(r"\s*\(\d[^()]{0,20}\)$")


COUNTED = (
    r"line|zeile|ligne|take|loop|prompt|ad|vo|v\.o\.|cue|shot|nr\.?|no\.?|text|off|[ck]omm\.?|kommentar|commentary|"
    r"commentaire|narration|voix off|voice[- ]?over|passage"
)
"""What is counted where it is read."""
NUMBERED = re.compile(
    rf"(?:{COUNTED})\s*#?\s*\d{{1,4}}(?:\s*[\[(]([^()\[\]]{{1,60}})[\])])?",
    re.IGNORECASE,
)
"""“VO 3”, with what stands in brackets behind it."""
_EXTRA = rf"\s*\((?!\s*(?:{SPAN})\s*\))(?:[^()]{{1,30}})\)"
_EXTRAS = rf"(?:{_EXTRA}){{1,2}}"
LABEL = re.compile(
    rf"^([^\W\d_](?:[\w .'’/&#-]|\bv\.o\.){{0,38}}?)({_EXTRAS})?\s*(?:[\[(]({SPAN})[\])]\s*)?[:：]\s*(?=\S|$)"
)
"""A name and a colon before the words, with what stands in brackets behind it and a time."""
CUE = re.compile(rf"^([^\W\d_][\w .'’/&#-]{{0,38}}?)({_EXTRAS})?$")
"""A name above its words."""
SPOKEN_EXTRA = re.compile(
    r"\(\s*(?:v\.?\s*o\.?|o\.?\s*s\.?|o\.?\s*c\.?|off|voix off|cont.?d\.?|continued|narr\w*)\s*\)", re.I
)
"""Behind a name: the voice is off the picture."""
SPEAKERS = re.compile(
    r"(?:narrator|narr|anncr|[fm]vo|speaker|reader|voice|host|guest|moderator|presenter|announcer|interviewer|interviewee|man|woman|sprecher(?:in)?|erz[äa]hler(?:in)?"
    r"|narrateur|narratrice|locuteur|lecteur|narrador|narradora|locutora?|narratore|speakerin|verteller|диктор|рассказчик|"
    r"berättare|fortæller|forteller|kertoja|spiikkeri|lektor|vypravěč|narrátor|anlatıcı|αφηγητής)"
    r"(?:\s*#?\s*(?:\d{1,2}|[a-z]|one|two|three))?",
    re.IGNORECASE,
)
"""Words for somebody who speaks."""
VOICE = re.compile(
    r"(?:(?:speaker|presenter|narrator|narration|lecture|trainer)(?:’s|'s)? notes?|(?:sprecher|referenten)notizen|"
    r"say|vo|v\.o\.|voice[- ]?over|narration|audio|sound|text|script|dialogue|commentary|ton|sprechertext|off|"
    r"voix off|loc off|"
    r"(?:audio|voice|voice[- ]?over|vo|narration|narrator|spoken)[- ](?:script|text|copy)|[ck]omm\.?|"
    r"commentaire|texte|narraci[oó]n|locuci[oó]n|loc|locu[cç][aã]o|voz en off|"
    r"komentář|komentár|narracja|seslendirme|dış ses|narráció|speak|testo|narrazione|"
    r"voce(?: f\.? ?c\.?| off| fuori campo)?|tekst|текст|旁白|解说|解說|画外音|ナレーション|내레이션)",
    re.IGNORECASE,
)
"""Words for what is read."""
PICTURE = re.compile(
    r"(?:do|click|"
    r"video|picture|pictures|visual|visuals|image|images|vision|shot|on[- ]screen(?: text)?|(?:text )?on[- ]screen|"
    r"screen(?: text)?|super|"
    r"graphic|graphics|gfx|sfx|fx|atmos?|music|fade (?:in|out|to [a-z]{2,9})|(?:smash |match |jump )?cut to|"
    r"dissolve to|back to|bild|bilder|insert|musik|ger[äa]usch|visuel|musique|imagen|v[íi]deo|"
    r"m[úu]sica|immagine|immagini|musica|beeld|muziek|"
    r"(?:in|out)[- ]?cue|stichwort|(?:(?!speaker|presenter|narrator|narration|lecture|trainer)"
    r"[^\W\d_]+(?:’s|'s)? )?notes?|(?:screen )?directions?|scene|int|ext|"
    r"(?:slide |screen )?title|notes? (?:to|for) (?:the )?"
    r"(?:vo|voice(?: artist)?|narrator|reader|talent|speaker|artist|actor)|"
    r"animations?|interactions?|navigation|developer|(?:title|end|text) cards?|lower thirds?|chyron|captions?|"
    r"cards?|(?:end )?logo|pack ?shot|"
    r"supers|ekran|görüntü|kuva|bilde?|billede|obraz|kép|lettering|画面|字幕|映像|екран|εικ[όο]να|"
    r"regie(?:anweisung)?|anweisung|hinweise?|anmerkung(?:en)?|einblendung|bauchbinde|bildschirmtext|text im bild|"
    r"consignes?|indications?|(?:texte )?[àa] l[’']écran|incrustation|synthé|(?:texto )?en pantalla|r[óo]tulo|acotaci[óo]n|"
    r"auf dem bildschirm|im bild|na tela|"
    r"notas?|indicaciones|(?:testo )?(?:a|sullo) schermo|(?:tekst )?in beeld|(?:текст )?на экране|титр)",
    re.IGNORECASE,
)
"""Words for what is seen, or heard beside the voice."""
MUSIC = re.compile(
    r"(?:(?:intro|outro|theme|title|closing|opening|background) )?"
    r"(?:music|musik|musique|música|musica|atmo|sfx|nat(?:ural)? sound|nats|logo|pack ?shot)"
    r"(?: (?:only|bed|sting|under|up|out|in|and|fades?|continues|swells|allein|nur))*[.!]?",
    re.IGNORECASE,
)
"""Music and other sound that goes on alone."""
ASIDE = re.compile(r"^(?:<{1,2}[^<>]{1,40}>{1,2}|//.*|\{[^{}]*\}|\([^()]*\)|\[[^\[\]]*\]|[♪♫][^♪♫]*[♪♫]?)[.:]?$")
"""What stands in brackets, or between notes of music."""
SCENE = re.compile(
    r"^(?i:(?:scene|szene|scène|escena|scena)\s*\d{1,3}[a-z]?[.:–— -]+)?(?i:int|ext|int\./ext|i/e)[. ]|"
    r"^SCENE \d{1,3}\b[^a-z]{3,80}$|"
    r"^(?:>\s*)?(?:(?:FADE|CUT|DISSOLVE|SMASH CUT|MATCH CUT)\b[^a-z.:]{0,30}|TITLES?|CREDITS)[.:]?$"
)
"""A scene, or how one goes over into another."""


NO_BRACKETS = str.maketrans("[]", "()")
"""For what is put into square brackets."""


def in_brackets(row: str) -> str:
    """A row that nobody says, in brackets; a scene is told without them."""
    return row if SCENE.match(row) or ASIDE.match(row) else f"[{row.translate(NO_BRACKETS)}]"


def stands_alone(row: str) -> bool:
    """A time, a name with a time, or a name, on a row of its own."""
    return bool(ALONE.match(row) or NAMED_ALONE.match(row) or is_cue(row))


def names_somebody(row: str) -> bool:
    """A name in capitals, or a word for a speaker, before a colon."""
    found = LABEL.match(row)
    name = found[1].strip() if found else ""
    return bool(name and (name.isupper() or SPEAKERS.fullmatch(name) or PICTURE.fullmatch(name) or VOICE.fullmatch(name)))


def is_cue(row: str) -> bool:
    """A name on a row of its own, above what it says."""
    if row.endswith(":") and len(row) < 40:
        return bool(LABEL.match(row))
    found = CUE.match(row)
    off = found and found[2] and SPOKEN_EXTRA.search(found[2])
    return bool(found and off and (found[1].isupper() or "narr" in found[2].casefold()))


def is_shouted_name(row: str) -> bool:
    """A few words in capitals on a row of their own."""
    return bool(CUE.match(row)) and row.isupper() and len(row.split()) <= 4


def is_shouted_cue(row: str) -> bool:
    """The same, with anything in brackets behind it."""
    found = CUE.match(row.strip())
    return found is not None and is_shouted_name(found[1])


def is_speaker(text: str) -> bool:
    """Whether a text names who speaks: “Narrator”, “Speaker 2”."""
    return bool(SPEAKERS.fullmatch(text.strip(" :")))


def begins_with_time(text: str) -> bool:
    """A time before the words, or alone."""
    return bool(BRACKETED.match(text) or BARE.match(text) or ALONE.match(text))


def is_more(text: str) -> bool:
    """A time, a name, a direction or a heading: no title."""
    begun = (
        begins_with_time(text)
        or NAMED_ALONE.match(text)
        or ASIDE.match(text)
        or is_heading(text)
        or SCENE.match(text)
        or is_bite(text)
    )
    return bool(begun or names_somebody(text) or is_cue(text) or is_numbered(text))


_BITE = re.compile(
    r"^(?:sot|o-?t[oö]ne?|originalton|itw|sync|bite|sound ?bite|actuality|grab|vox pops?|interview|intervista|entrevista|"
    r"total(?=\s*\()|maz|einspieler|sonora|quote|zuspieler|синхрон|интершум)\b",
    re.IGNORECASE,
)
"""What somebody says in the film."""


def is_bite(text: str) -> bool:
    """Whether a row begins like that, with nothing behind it but a name, up to a colon or the end of the row."""
    found = _BITE.match(text)
    if not found:
        return False
    # “SYNC Otto Brand, baker:” says what somebody is, too.
    name = re.split(r"[:：(,]" if text.endswith((":", "：", ")")) else r"[:：(]", text[found.end() :], maxsplit=1)[
        0
    ].split()
    return len(name) <= 6 and all(not word[0].islower() for word in name)


def is_bite_in_brackets(text: str) -> bool:
    """“(SOT :15)” on a row of its own."""
    # As above words: what somebody is may stand behind the name.
    return bool(ASIDE.match(text)) and is_bite(f"{text.strip('()[]')}:")


def is_numbered(text: str) -> bool:
    """“Text 3” or “VO 3” on a row of its own."""
    return bool(NUMBERED.fullmatch(text.strip(" :.")))


def is_voice(name: str) -> bool:
    """Whether a name says that what follows is read, and not who reads."""
    return bool(VOICE.fullmatch(re.sub(r"\s*#?\s*\d{1,4}$", "", name)) or NUMBERED.fullmatch(name))
