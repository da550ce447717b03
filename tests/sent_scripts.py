"""Scripts as practitioners send them: some sixty kinds of files, each with the lines that its sender meant."""

import io
import random
import textwrap
import zipfile
from collections.abc import Callable
from fractions import Fraction
from xml.sax.saxutils import escape

import cairocffi

from fendo_core.script.intake import ScriptRefused, read_script
from fendo_core.script.intake.scores import Scores, as_meant
from fendo_core.script.lines import Draft
from fendo_core.timebase import SAMPLE_RATE, FrameRate, Span, format_timecode

RATE = FrameRate(Fraction(25))
START = 10 * 3600 * 25

SENTENCES = {
    "en": (
        "The first ferry leaves before the sun is over the harbour wall.",
        "Nobody in the village remembers when the bell was cast.",
        "For forty years she has wound the clock by hand, every Sunday.",
        "It takes two people to lift the gate, and a third to hold the rope.",
        "Salt is what remains when the wind has done its work.",
        "Then the rain comes, and the whole field turns to glass.",
        "What looks like a road from above is the bed of a river.",
        "He signs his work on the inside, where nobody will look.",
        "By noon the stalls are empty again, and the square belongs to the pigeons.",
        "Listen: the stones move when the tide turns.",
        "A single lamp is enough for the whole staircase.",
        "The letter arrived eleven years late, with the stamp still bright.",
    ),
    "de": (
        "Die erste Fähre fährt, bevor die Sonne über der Mauer steht.",
        "Niemand im Dorf weiß noch, wann die Glocke gegossen wurde.",
        "Seit vierzig Jahren zieht sie die Uhr von Hand auf.",
        "Salz bleibt übrig, wenn der Wind seine Arbeit getan hat.",
        "Dann kommt der Regen, und das Feld wird zu Glas.",
        "Gegen Mittag gehört der Platz wieder den Tauben.",
        "Größer wird der Hafen nur noch auf dem Papier.",
        "Er signiert seine Stücke innen, wo keiner hinsieht.",
    ),
    "fr": (
        "Le premier bac part avant que le soleil ne passe le mur du port.",
        "Personne au village ne sait plus quand la cloche a été fondue.",
        "Depuis quarante ans, elle remonte l’horloge à la main.",
        "Le sel, c’est ce qui reste quand le vent a fini son travail.",
        "Puis la pluie arrive, et le champ entier devient du verre.",
        "À midi, la place appartient de nouveau aux pigeons.",
        "Une seule lampe suffit pour tout l’escalier.",
        "La lettre est arrivée onze ans trop tard.",
    ),
    "es": (
        "El primer barco sale antes de que el sol pase el muro.",
        "Nadie en el pueblo recuerda cuándo se fundió la campana.",
        "Desde hace cuarenta años da cuerda al reloj a mano.",
        "La sal es lo que queda cuando el viento termina su trabajo.",
        "Después llega la lluvia y el campo entero se vuelve vidrio.",
        "A mediodía la plaza es otra vez de las palomas.",
        "Una sola lámpara basta para toda la escalera.",
        "La carta llegó once años tarde, señal de otro tiempo.",
    ),
    "it": (
        "Il primo traghetto parte prima che il sole superi il muro.",
        "Nessuno in paese ricorda quando fu fusa la campana.",
        "Da quarant’anni carica l’orologio a mano, ogni domenica.",
        "Il sale è ciò che resta quando il vento ha finito.",
        "Poi arriva la pioggia, e il campo diventa di vetro.",
        "A mezzogiorno la piazza è di nuovo dei piccioni.",
        "Una sola lampada basta per tutta la scala.",
        "La lettera è arrivata con undici anni di ritardo.",
    ),
    "ru": (
        "Первый паром уходит, пока солнце ещё за стеной порта.",
        "Никто в деревне не помнит, когда отлили этот колокол.",
        "Сорок лет она заводит часы вручную каждое воскресенье.",
        "Соль остаётся, когда ветер закончил свою работу.",
        "Потом приходит дождь, и всё поле становится стеклом.",
        "К полудню площадь снова принадлежит голубям.",
        "Одной лампы хватает на всю лестницу.",
        "Письмо пришло с опозданием на одиннадцать лет.",
    ),
    "el": (
        "Το πρώτο πλοίο φεύγει πριν ο ήλιος περάσει τον τοίχο.",
        "Κανείς στο χωριό δεν θυμάται πότε χύθηκε η καμπάνα.",
        "Εδώ και σαράντα χρόνια κουρδίζει το ρολόι με το χέρι.",
        "Το αλάτι είναι ό,τι μένει όταν ο άνεμος τελειώσει.",
        "Ύστερα έρχεται η βροχή και το χωράφι γίνεται γυαλί.",
        "Μια λάμπα αρκεί για όλη τη σκάλα.",
    ),
    "pl": (
        "Pierwszy prom odpływa, zanim słońce wzejdzie nad mur.",
        "Nikt we wsi nie pamięta, kiedy odlano ten dzwon.",
        "Od czterdziestu lat nakręca zegar ręcznie, co niedzielę.",
        "Sól zostaje, gdy wiatr skończy swoją pracę.",
        "Potem przychodzi deszcz i całe pole zamienia się w szkło.",
        "Jedna lampa wystarczy na całe schody.",
    ),
    "tr": (
        "İlk vapur, güneş duvarı aşmadan önce kalkar.",
        "Köyde kimse çanın ne zaman döküldüğünü hatırlamıyor.",
        "Kırk yıldır saati her pazar elle kuruyor.",
        "Rüzgâr işini bitirdiğinde geriye tuz kalır.",
        "Sonra yağmur gelir ve bütün tarla cama döner.",
        "Bütün merdiven için tek bir lamba yeterli.",
    ),
    "ja": (
        "最初の船は、日が昇る前に港を出ます。",
        "鐘がいつ作られたのか、村の誰も覚えていません。",
        "彼女は四十年間、毎週日曜日に時計を手で巻いています。",
        "風が仕事を終えたあとに、塩が残ります。",
        "やがて雨が降り、畑はガラスのようになります。",
    ),
    "zh": (
        "第一班渡船在太阳越过港墙之前出发。",
        "村里没有人记得那口钟是什么时候铸造的。",
        "四十年来，她每个星期天都亲手给钟上弦。",
        "风停了以后，留下来的是盐。",
        "然后下雨了，整片田野变成了玻璃。",
    ),
}
PICTURES = (
    "Wide of the harbour at dawn", "Hands on a rope, close", "The bell tower from below", "Drone over the salt pans",
    "Old photograph, slow push in", "Market square, time lapse", "Map with a moving line", "Archive: the flood",
)  # fmt: skip
NAMES = ("MAREN", "OSKAR", "ILSE", "TOBIAS")

Lines = list[Draft]
Sent = tuple[str, bytes, Lines]


class Sender:
    """Somebody with a script: so many lines in a language, with slots, one after another."""

    def __init__(self, seed: int, language: str = "en", count: int = 9, readers: int = 0) -> None:
        self.random = random.Random(f"{seed} {language} {count} {readers}")
        pick = self.random
        told = list(SENTENCES[language])
        pick.shuffle(told)
        frame = pick.randrange(10, 80)
        self.lines: Lines = []
        cast = pick.sample(NAMES, readers) if readers else []
        for number in range(min(count, len(told))):
            text = told[number] if pick.random() < 0.7 or number + 1 >= len(told) else f"{told[number]} {told[number - 1]}"
            length = int(max(30, len(text) / 15 * 25 * pick.uniform(0.9, 1.7)))
            slot = Span(RATE.first_sample(frame), RATE.first_sample(frame + length))
            reader = cast[number % len(cast)] if cast else ""
            self.lines.append(Draft(text, slot, reader=reader))
            frame += length + pick.randrange(5, 60)

    def tc(self, sample: int, start: int = START) -> str:
        return format_timecode(RATE.frame_at(sample) + start, RATE)

    def clock(self, sample: int, form: str = "m:s") -> str:
        """A running time on whole seconds, below it."""
        seconds = sample // SAMPLE_RATE
        if form == "h:m:s":
            return f"{seconds // 3600:02}:{seconds // 60 % 60:02}:{seconds % 60:02}"
        return f"{seconds // 60:02}:{seconds % 60:02}"

    def on_seconds(self) -> Lines:
        """The lines with slots on whole seconds."""
        made = []
        at = self.random.randrange(1, 6)
        for line in self.lines:
            length = max(2, round(len(line.text) / 13))
            made.append(Draft(line.text, Span(at * SAMPLE_RATE, (at + length) * SAMPLE_RATE), line.notes, line.reader))
            at += length + self.random.randrange(0, 4)
        return made

    def until_next(self, lines: Lines) -> Lines:
        """Slots as they are where only starts are written."""
        ends = [line.slot.start for line in lines[1:] if line.slot]
        made = []
        for n, line in enumerate(lines):
            assert line.slot
            slot = Span(line.slot.start, ends[n]) if n < len(ends) else None
            made.append(Draft(line.text, slot, line.notes, line.reader))
        return made


def bare(lines: Lines, readers: bool = False) -> Lines:
    """The words alone."""
    return [Draft(line.text, reader=line.reader if readers else "") for line in lines]


# Tables


def _csv(rows: list[list[str]], mark: str) -> str:
    def cell(text: str) -> str:
        quoted = text.replace('"', '""')
        return f'"{quoted}"' if any(c in text for c in (mark, '"', "\n")) else text

    return "\n".join(mark.join(map(cell, row)) for row in rows) + "\n"


HEADERS = {
    "en": ("TC In", "TC Out", "Duration", "Narration", "Notes"),
    "de": ("TC ein", "TC aus", "Dauer", "Sprechertext", "Anmerkung"),
    "fr": ("TC début", "TC fin", "Durée", "Voix off", "Remarques"),
    "es": ("Entrada", "Salida", "Duración", "Locución", "Observaciones"),
    "it": ("Inizio", "Fine", "Durata", "Testo", "Note"),
    "ru": ("Начало", "Конец", "Длительность", "Дикторский текст", "Примечание"),
}


def table(sender: Sender, head: tuple[str, ...], mark: str, ends: bool = True, length: bool = False) -> str:
    columns = [0, *([1] if ends else []), *([2] if length else []), 3]
    rows = [[head[n] for n in columns]]
    for line in sender.lines:
        assert line.slot
        seconds = line.slot.length / SAMPLE_RATE
        cells = [sender.tc(line.slot.start), sender.tc(line.slot.end), f"{seconds:.2f}", line.text]
        rows.append([cells[n] for n in columns])
    return _csv(rows, mark)


def tables_of_language(language: str, mark: str) -> Callable[[int], Sent]:
    def make(seed: int) -> Sent:
        sender = Sender(seed, language)
        return "script.csv", table(sender, HEADERS[language], mark).encode("utf-8-sig"), sender.lines

    return make


def start_and_length(language: str) -> Callable[[int], Sent]:
    def make(seed: int) -> Sent:
        sender = Sender(seed, language)
        return "script.csv", table(sender, HEADERS[language], ";", ends=False, length=True).encode(), sender.lines

    return make


def end_and_length(seed: int) -> Sent:
    sender = Sender(seed)
    return "script.csv", table(sender, HEADERS["en"], ",", length=True).encode(), sender.lines


def starts_only(seed: int) -> Sent:
    sender = Sender(seed)
    return "script.csv", table(sender, HEADERS["en"], ",", ends=False).encode(), sender.until_next(sender.lines)


def titles_above(seed: int) -> Sent:
    sender = Sender(seed, "de")
    text = "Das Salz;;\nFassung 3, Stand Mai;;\n;;\n" + table(sender, HEADERS["de"], ";")
    return "script.csv", text.encode(), sender.lines


def numbered_shots(seed: int) -> Sent:
    sender = Sender(seed)
    rows = [["#", "Shot", "In", "Out", "VO", "Direction"]]
    for number, line in enumerate(sender.lines, start=1):
        assert line.slot
        row = [str(number), PICTURES[number % 8], sender.tc(line.slot.start), sender.tc(line.slot.end), line.text, "warm"]
        rows.append(row)
    return "script.tsv", _csv(rows, "\t").encode(), [Draft(each.text, each.slot, "warm") for each in sender.lines]


def text_and_screen(seed: int) -> Sent:
    sender = Sender(seed)
    rows = [["Time", "On-screen text", "Narration"]]
    made = sender.on_seconds()
    for number, line in enumerate(made):
        assert line.slot
        rows.append([sender.clock(line.slot.start), f"Chapter title number {number} on the screen", line.text])
    return "script.csv", _csv(rows, ",").encode(), sender.until_next(made)


def frames_as_numbers(seed: int) -> Sent:
    sender = Sender(seed)
    rows = [["in", "out", "text"]]
    for line in sender.lines:
        assert line.slot
        rows.append([str(RATE.frame_at(line.slot.start)), str(RATE.frame_at(line.slot.end)), line.text])
    return "script.csv", _csv(rows, ",").encode(), sender.lines


def seconds_as_numbers(seed: int) -> Sent:
    sender = Sender(seed)
    rows = [["from", "to", "words"]]
    made = sender.on_seconds()
    for line in made:
        assert line.slot
        rows.append([str(line.slot.start // SAMPLE_RATE), str(line.slot.end // SAMPLE_RATE), line.text])
    return "script.csv", _csv(rows, ";").encode(), made


def minutes_and_seconds_with_a_point(seed: int) -> Sent:
    sender = Sender(seed)
    rows = [["Start", "End", "Script"]]
    made = sender.on_seconds()
    for line in made:
        assert line.slot
        rows.append(
            [sender.clock(line.slot.start).replace(":", "."), sender.clock(line.slot.end).replace(":", "."), line.text]
        )
    return "script.tsv", _csv(rows, "\t").encode(), made


def another_start(hour: int) -> Callable[[int], Sent]:
    def make(seed: int) -> Sent:
        sender = Sender(seed)
        rows = [["TC IN", "TC OUT", "TEXT"]]
        for line in sender.lines:
            assert line.slot
            start = hour * 3600 * 25
            rows.append([sender.tc(line.slot.start, start), sender.tc(line.slot.end, start), line.text])
        return "script.csv", _csv(rows, ",").encode(), sender.lines

    return make


def range_in_a_cell(seed: int) -> Sent:
    sender = Sender(seed)
    rows = [["Timecode", "Text"]]
    for line in sender.lines:
        assert line.slot
        rows.append([f"{sender.tc(line.slot.start)} - {sender.tc(line.slot.end)}", line.text])
    return "script.csv", _csv(rows, ",").encode(), sender.lines


def many_commas(seed: int) -> Sent:
    """Semicolons part the cells, and the words have more commas than that."""
    sender = Sender(seed, "de")
    sender.lines = [Draft(f"Erst, dann, danach, zuletzt: {line.text}", line.slot) for line in sender.lines]
    return "script.csv", table(sender, HEADERS["de"], ";").encode("cp1252"), sender.lines


def who_reads(seed: int) -> Sent:
    sender = Sender(seed, readers=2)
    rows = [["Character", "In", "Out", "Line"]]
    for line in sender.lines:
        assert line.slot
        rows.append([line.reader, sender.tc(line.slot.start), sender.tc(line.slot.end), line.text])
    return "script.csv", _csv(rows, ",").encode(), sender.lines


def no_header(seed: int) -> Sent:
    sender = Sender(seed)
    rows = []
    for line in sender.lines:
        assert line.slot
        rows.append([sender.tc(line.slot.start), sender.tc(line.slot.end), line.text])
    return "script.txt", _csv(rows, "\t").encode(), sender.lines


def in_encoding(language: str, encoding: str, form: str) -> Callable[[int], Sent]:
    def make(seed: int) -> Sent:
        sender = Sender(seed, language)
        if form == "txt":
            text = "\n".join(line.text for line in sender.lines)
            return "script.txt", text.encode(encoding), bare(sender.lines)
        if form == "srt":
            return "script.srt", subrip(sender.lines).encode(encoding), sender.lines
        return "script.csv", table(sender, ("in", "out", "", "text", ""), ";").encode(encoding), sender.lines

    return make


# Subtitles


def _stamp(sample: int, mark: str = ",") -> str:
    thousandths = sample * 1000 // SAMPLE_RATE
    seconds = thousandths // 1000
    return f"{seconds // 3600:02}:{seconds // 60 % 60:02}:{seconds % 60:02}{mark}{thousandths % 1000:03}"


def subrip(lines: Lines, dress: Callable[[str], str] = lambda text: "\n".join(textwrap.wrap(text, 38))) -> str:
    cues = []
    for number, line in enumerate(lines, start=1):
        assert line.slot
        cues.append(f"{number}\n{_stamp(line.slot.start)} --> {_stamp(line.slot.end)}\n{dress(line.text)}\n")
    return "\n".join(cues)


def subrip_with_tags(seed: int) -> Sent:
    sender = Sender(seed)
    return "film.srt", subrip(sender.lines, lambda text: f"{{\\an8}}<i>{text}</i>").encode(), sender.lines


def webvtt(seed: int) -> Sent:
    sender = Sender(seed, readers=2)
    cues = ["WEBVTT - narration\n"]
    for number, line in enumerate(sender.lines):
        assert line.slot
        name = line.reader.title()
        times = f"{_stamp(line.slot.start, '.')} --> {_stamp(line.slot.end, '.')} line:0 position:20%"
        cues.append(f"scene-{number}\n{times}\n<v.loud {name}>{escape(line.text)}</v>\n")
    return "film.vtt", "\n".join(cues).encode(), [Draft(x.text, x.slot, reader=x.reader.title()) for x in sender.lines]


def substation(seed: int) -> Sent:
    sender = Sender(seed)
    rows = ["[Script Info]", "ScriptType: v4.00+", "", "[Events]", "Format: Layer, Start, End, Style, Name, MarginL, Text"]
    for line in sender.lines:
        assert line.slot
        times = [
            f"{int(s // 3600)}:{int(s // 60 % 60):02}:{s % 60:05.2f}"
            for s in (x / SAMPLE_RATE for x in (line.slot.start, line.slot.end))
        ]
        rows.append(f"Dialogue: 0,{times[0]},{times[1]},Default,,0,{{\\an2\\fs20}}{line.text}")
    return "film.ass", "\n".join(rows).encode(), sender.lines


# Running text


def wrapped(width: int, language: str = "en") -> Callable[[int], Sent]:
    def make(seed: int) -> Sent:
        sender = Sender(seed, language)
        made = [f"{a.text} {b.text}" for a, b in zip(sender.lines, sender.lines[1:], strict=False)]
        return (
            "script.txt",
            "\n\n".join(textwrap.fill(each, width) for each in made).encode(),
            [Draft(each) for each in made],
        )

    return make


def one_a_row(seed: int) -> Sent:
    sender = Sender(seed, count=12)
    return "script.txt", "\n".join(line.text for line in sender.lines).encode(), bare(sender.lines)


def short_rows(seed: int) -> Sent:
    """Rows that are lines on purpose: short sentences, one below the other."""
    made = [sentence.split(",")[0].rstrip(".") + "." for sentence in SENTENCES["en"]]
    random.Random(seed).shuffle(made)
    return "script.txt", "\n".join(made).encode(), [Draft(each) for each in made]


def name_and_colon(seed: int) -> Sent:
    sender = Sender(seed, readers=2)
    text = "\n\n".join(f"{line.reader}: {line.text}" for line in sender.lines)
    return "script.txt", text.encode(), bare(sender.lines, readers=True)


def name_with_extra(seed: int) -> Sent:
    sender = Sender(seed, readers=2)
    text = "\n".join(f"{line.reader} (V.O.): {line.text}" for line in sender.lines)
    return "script.txt", text.encode(), bare(sender.lines, readers=True)


def screenplay(seed: int) -> Sent:
    sender = Sender(seed, readers=1)
    parts = ["EXT. HARBOUR - DAWN", PICTURES[0] + "."]
    reference: Lines = []
    notes = ["EXT. HARBOUR - DAWN", PICTURES[0] + "."]
    for number, line in enumerate(sender.lines):
        parts.append(f"{line.reader} (V.O.)\n{line.text}")
        reference.append(Draft(line.text, None, "\n".join(notes), line.reader))
        notes = []
        if number % 3 == 2 and number + 1 < len(sender.lines):
            parts.append(PICTURES[number % 8] + ".")
            notes = [PICTURES[number % 8] + "."]
    return "script.txt", "\n\n".join(parts).encode(), reference


def seconds_in_brackets(seed: int) -> Sent:
    sender = Sender(seed)
    made = sender.on_seconds()
    text = "\n".join(f"[{sender.clock(line.slot.start)}] {line.text}" for line in made if line.slot)
    return "script.txt", text.encode(), sender.until_next(made)


def brackets_inside(seed: int) -> Sent:
    """Times in brackets in one running text."""
    sender = Sender(seed)
    made = sender.on_seconds()
    text = " ".join(f"[{sender.clock(line.slot.start, 'h:m:s')}] {line.text}" for line in made if line.slot)
    return "script.txt", text.encode(), sender.until_next(made)


def time_rows(dash: str) -> Callable[[int], Sent]:
    def make(seed: int) -> Sent:
        sender = Sender(seed)
        parts = [f"{sender.tc(x.slot.start)}{dash}{sender.tc(x.slot.end)}\n{x.text}" for x in sender.lines if x.slot]
        return "script.txt", "\n\n".join(parts).encode(), sender.lines

    return make


def time_and_name(seed: int) -> Sent:
    sender = Sender(seed, readers=2)
    made = sender.on_seconds()
    parts = [f"{x.reader.title()}  {sender.clock(x.slot.start, 'h:m:s')}\n{x.text}" for x in made if x.slot]
    reference = [Draft(x.text, x.slot, reader=x.reader.title()) for x in sender.until_next(made)]
    return "transcript.txt", "\n\n".join(parts).encode(), reference


def bare_times(seed: int) -> Sent:
    sender = Sender(seed)
    made = sender.on_seconds()
    text = "\n".join(f"{sender.clock(line.slot.start)} {line.text}" for line in made if line.slot)
    return "script.txt", text.encode(), sender.until_next(made)


def times_in_the_words(seed: int) -> Sent:
    """Clock times that are said."""
    sender = Sender(seed)
    made = [Draft(line.text) for line in sender.lines]
    made[2] = Draft("At 10:30 the second ferry leaves, and 12:45 is the last one.")
    made[4] = Draft("The result is 3:2 after extra time.")
    return "script.txt", "\n".join(line.text for line in made).encode(), made


def colons_in_the_words(seed: int) -> Sent:
    """Colons that name nobody."""
    sender = Sender(seed)
    made = [Draft(line.text) for line in sender.lines]
    made[1] = Draft("Remember: the tide comes twice.")
    made[3] = Draft("One thing is certain: nobody leaves before noon.")
    made[5] = Draft("His answer: never.")
    return "script.txt", "\n".join(line.text for line in made).encode(), made


def numbered(seed: int) -> Sent:
    sender = Sender(seed)
    text = "\n".join(f"{n}. {line.text}" for n, line in enumerate(sender.lines, start=1))
    return "script.txt", text.encode(), bare(sender.lines)


def video_and_audio(seed: int) -> Sent:
    sender = Sender(seed)
    parts = [f"VIDEO: {PICTURES[n % 8]}\nAUDIO: {line.text}" for n, line in enumerate(sender.lines)]
    reference = [Draft(line.text, None, PICTURES[n % 8]) for n, line in enumerate(sender.lines)]
    return "script.txt", "\n\n".join(parts).encode(), reference


def markdown(seed: int) -> Sent:
    sender = Sender(seed)
    parts = [f"**{line.text[:4].strip()}**{line.text[len(line.text[:4].strip()) :]}" for line in sender.lines]
    return "script.md", "\n\n".join(parts).encode(), bare(sender.lines)


# Documents

_W = 'xmlns:w="http://schemas.openxmlformats.org/wordprocessingml/2006/main"'
_MC = 'xmlns:mc="http://schemas.openxmlformats.org/markup-compatibility/2006"'


def docx(body: str, **parts: str) -> bytes:
    """A Word document of that body; other parts by their names."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("word/document.xml", f"<w:document {_W} {_MC}><w:body>{body}</w:body></w:document>")
        for name, xml in parts.items():
            archive.writestr(f"word/{name}.xml", f"<w:{name} {_W}>{xml}</w:{name}>")
    return out.getvalue()


def run(text: str, says: str = "") -> str:
    return f'<w:r><w:rPr>{says}</w:rPr><w:t xml:space="preserve">{escape(text)}</w:t></w:r>'


def par(*runs: str) -> str:
    return f"<w:p>{''.join(runs)}</w:p>"


def word_table(rows: list[list[str]]) -> str:
    cells = ["".join(f"<w:tc>{par(run(cell))}</w:tc>" for cell in row) for row in rows]
    return f"<w:tbl>{''.join(f'<w:tr>{each}</w:tr>' for each in cells)}</w:tbl>"


def word_plain(seed: int) -> Sent:
    sender = Sender(seed)
    return "script.docx", docx("".join(par(run(line.text)) for line in sender.lines)), bare(sender.lines)


def word_timed(seed: int) -> Sent:
    sender = Sender(seed)
    rows = [["TC in", "TC out", "Text"]]
    rows += [[sender.tc(x.slot.start), sender.tc(x.slot.end), x.text] for x in sender.lines if x.slot]
    body = par(run("The Salt Road, version 4")) + word_table(rows)
    return "script.docx", docx(body), sender.lines


def word_picture_and_sound(head: tuple[str, str] | None) -> Callable[[int], Sent]:
    def make(seed: int) -> Sent:
        sender = Sender(seed)
        rows = [list(head)] if head else []
        rows += [[PICTURES[n % 8], line.text] for n, line in enumerate(sender.lines)]
        return "script.docx", docx(word_table(rows)), bare(sender.lines)

    return make


def word_numbered_cells(seed: int) -> Sent:
    sender = Sender(seed)
    rows = [["Nr.", "Bild", "Zeit", "Sprechertext"]]
    made = sender.on_seconds()
    rows += [[str(n), PICTURES[n % 8], sender.clock(x.slot.start), x.text] for n, x in enumerate(made, start=1) if x.slot]
    return "skript.docx", docx(word_table(rows)), sender.until_next(made)


def word_text_box(seed: int) -> Sent:
    sender = Sender(seed)
    one, *rest = sender.lines
    box = f"<w:txbxContent>{par(run(one.text))}</w:txbxContent>"
    ways = f"<mc:Choice>{box}</mc:Choice><mc:Fallback><w:pict>{box}</w:pict></mc:Fallback>"
    twice = f"<mc:AlternateContent>{ways}</mc:AlternateContent>"
    body = par(f"<w:r>{twice}</w:r>") + "".join(par(run(line.text)) for line in rest)
    return "script.docx", docx(body), bare(sender.lines)


def word_struck(seed: int) -> Sent:
    sender = Sender(seed)
    body = ""
    for number, line in enumerate(sender.lines):
        gone = run(" never said", "<w:strike/>" if number % 2 else "<w:vanish/>")
        body += par(run(line.text), gone)
    return "script.docx", docx(body), bare(sender.lines)


def word_comments(seed: int) -> Sent:
    sender = Sender(seed)
    body, comments = "", ""
    for number, line in enumerate(sender.lines):
        mark = f'<w:r><w:commentReference w:id="{number}"/></w:r>' if number % 2 else ""
        comments += f'<w:comment w:id="{number}">{par(run(f"slower here {number}"))}</w:comment>' if number % 2 else ""
        body += par(run(line.text), mark)
    reference = [Draft(x.text, None, f"slower here {n}" if n % 2 else "") for n, x in enumerate(sender.lines)]
    return "script.docx", docx(body, comments=comments), reference


def word_names(seed: int) -> Sent:
    sender = Sender(seed, readers=2)
    body = "".join(par(run(f"{line.reader}:", "<w:b/>"), run(f" {line.text}")) for line in sender.lines)
    return "script.docx", docx(body), bare(sender.lines, readers=True)


_ODF = "urn:oasis:names:tc:opendocument:xmlns:"


def odt(body: str) -> bytes:
    """An OpenDocument text of that body."""
    names = " ".join(f'xmlns:{name}="{_ODF}{name}:1.0"' for name in ("office", "text", "table", "style"))
    style = '<style:style style:name="S"><style:text-properties style:text-line-through-style="solid"/></style:style>'
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        archive.writestr("mimetype", "application/vnd.oasis.opendocument.text")
        archive.writestr(
            "content.xml",
            f"<office:document-content {names}><office:automatic-styles>{style}</office:automatic-styles>"
            f"<office:body><office:text>{body}</office:text></office:body></office:document-content>",
        )
    return out.getvalue()


def open_text(seed: int) -> Sent:
    sender = Sender(seed, "fr")
    body = "".join(
        f'<text:p>{escape(x.text[:9])}<text:span text:style-name="S">raté</text:span>{escape(x.text[9:])}</text:p>'
        for x in sender.lines
    )
    return "script.odt", odt(body), bare(sender.lines)


def open_table(seed: int) -> Sent:
    sender = Sender(seed, "es")
    rows = [["Imagen", "Texto"], *([PICTURES[n % 8], x.text] for n, x in enumerate(sender.lines))]
    cells = ["".join(f"<table:table-cell><text:p>{escape(c)}</text:p></table:table-cell>" for c in row) for row in rows]
    body = f"<table:table>{''.join(f'<table:table-row>{c}</table:table-row>' for c in cells)}</table:table>"
    return "guion.odt", odt(body), bare(sender.lines)


def rich_text(seed: int) -> Sent:
    sender = Sender(seed, "de")

    def spelled(text: str) -> str:
        return "".join(c if ord(c) < 128 else f"\\u{ord(c)}?" for c in text)

    body = "".join(f"\\pard {spelled(line.text)}\\par\n" for line in sender.lines)
    head = r"{\rtf1\ansi\ansicpg1252{\fonttbl{\f0 Sans;}}{\colortbl;\red0\green0\blue0;}\f0\fs24 "
    return "script.rtf", (head + body + "}").encode(), bare(sender.lines)


def rich_table(seed: int) -> Sent:
    sender = Sender(seed)
    rows = [
        ["TC in", "TC out", "Narration"],
        *([sender.tc(x.slot.start), sender.tc(x.slot.end), x.text] for x in sender.lines if x.slot),
    ]
    body = "".join(r"\trowd" + "".join(f"\\intbl {cell}\\cell " for cell in row) + "\\row\n" for row in rows)
    return "script.rtf", (r"{\rtf1\ansi " + body + r"\pard}").encode(), sender.lines


def sheet(seed: int) -> Sent:
    sender = Sender(seed)
    made = sender.on_seconds()
    rows = [["Start", "End", "Narration"]]
    return "script.xlsx", xlsx(rows, [[x.slot.start, x.slot.end, x.text] for x in made if x.slot], 86_400), made


def sheet_of_minutes(seed: int) -> Sent:
    """Typed as 0:12, which a spreadsheet keeps as twelve minutes past midnight."""
    sender = Sender(seed)
    made = sender.on_seconds()
    rows = [["In", "Out", "Text"]]
    return "script.xlsx", xlsx(rows, [[x.slot.start, x.slot.end, x.text] for x in made if x.slot], 1_440), made


def xlsx(head: list[list[str]], rows: list[list[int | str]], day: int) -> bytes:
    """A workbook; integers are samples, kept as times of which a day has so many seconds."""

    def cell(place: str, value: int | str) -> str:
        if isinstance(value, int):
            return f'<c r="{place}" s="1"><v>{value / SAMPLE_RATE / day:.12f}</v></c>'
        return f'<c r="{place}" t="inlineStr"><is><t>{escape(value)}</t></is></c>'

    held = "".join(
        f'<row r="{r}">' + "".join(cell(f"{'ABCDEFG'[c]}{r}", value) for c, value in enumerate(row)) + "</row>"
        for r, row in enumerate([*head, *rows], start=1)
    )
    main = 'xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"'
    rel = "http://schemas.openxmlformats.org/officeDocument/2006/relationships"
    package = "http://schemas.openxmlformats.org/package/2006"
    kind = "application/vnd.openxmlformats-officedocument.spreadsheetml"
    relations = f'<Relationships xmlns="{package}/relationships">'
    book = f'<workbook {main} xmlns:r="{rel}"><sheets><sheet name="Script" sheetId="1" r:id="r1"/></sheets></workbook>'
    formats = '<cellXfs count="2"><xf numFmtId="0"/><xf numFmtId="46" applyNumberFormat="1"/></cellXfs>'
    files = {
        "[Content_Types].xml": f'<Types xmlns="{package}/content-types">'
        '<Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/>'
        f'<Override PartName="/xl/workbook.xml" ContentType="{kind}.sheet.main+xml"/>'
        f'<Override PartName="/xl/worksheets/sheet1.xml" ContentType="{kind}.worksheet+xml"/>'
        f'<Override PartName="/xl/styles.xml" ContentType="{kind}.styles+xml"/></Types>',
        "_rels/.rels": f'{relations}<Relationship Id="r1" Type="{rel}/officeDocument" '
        'Target="xl/workbook.xml"/></Relationships>',
        "xl/workbook.xml": book,
        "xl/_rels/workbook.xml.rels": f'{relations}<Relationship Id="r1" Type="{rel}/worksheet" '
        f'Target="worksheets/sheet1.xml"/><Relationship Id="r2" Type="{rel}/styles" Target="styles.xml"/></Relationships>',
        "xl/styles.xml": f"<styleSheet {main}>{formats}</styleSheet>",
        "xl/worksheets/sheet1.xml": f"<worksheet {main}><sheetData>{held}</sheetData></worksheet>",
    }
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        for name, text in files.items():
            archive.writestr(name, text)
    return out.getvalue()


def printed(seed: int) -> Sent:
    """Pages with a title at the head and a number at the foot."""
    sender = Sender(seed, count=12)
    made = [f"{a.text} {b.text}" for a, b in zip(sender.lines, sender.lines[1:], strict=False)]
    out = io.BytesIO()
    surface = cairocffi.PDFSurface(out, 400, 400)
    context = cairocffi.Context(surface)
    context.set_font_size(10)
    left, page = list(made), 0
    while left:
        page += 1
        context.move_to(40, 30)
        context.show_text("The Salt Road")
        y = 60
        while left and y < 300:
            for row in textwrap.wrap(left.pop(0), 60):
                context.move_to(40, y)
                context.show_text(row)
                y += 14
            y += 12
        context.move_to(200, 380)
        context.show_text(str(page))
        context.show_page()
    surface.finish()
    return "script.pdf", out.getvalue(), [Draft(each) for each in made]


KINDS: dict[str, Callable[[int], Sent]] = {
    **{
        f"table in {language}": tables_of_language(language, mark)
        for language, mark in zip(HEADERS, ",;;\t;;", strict=True)
    },
    **{f"start and length in {language}": start_and_length(language) for language in ("en", "de", "fr")},
    "start, end and length": end_and_length,
    "starts only": starts_only,
    "titles above": titles_above,
    "shots, numbers, directions": numbered_shots,
    "two columns of words": text_and_screen,
    "frames as numbers": frames_as_numbers,
    "seconds as numbers": seconds_as_numbers,
    "minutes.seconds": minutes_and_seconds_with_a_point,
    "programme from 1 h": another_start(1),
    "programme from 0 h": another_start(0),
    "ranges in cells": range_in_a_cell,
    "semicolons among commas": many_commas,
    "a column of readers": who_reads,
    "no header, as text": no_header,
    "Cyrillic, Windows": in_encoding("ru", "cp1251", "csv"),
    "Cyrillic, KOI8": in_encoding("ru", "koi8-r", "txt"),
    "Greek": in_encoding("el", "cp1253", "txt"),
    "Central European": in_encoding("pl", "cp1250", "srt"),
    "Turkish": in_encoding("tr", "cp1254", "txt"),
    "Shift JIS": in_encoding("ja", "cp932", "srt"),
    "GBK": in_encoding("zh", "gbk", "txt"),
    "Western": in_encoding("fr", "cp1252", "srt"),
    "SubRip with tags": subrip_with_tags,
    "WebVTT with names and voices": webvtt,
    "SubStation": substation,
    "wrapped at 72": wrapped(72),
    "wrapped at 45": wrapped(45, "de"),
    "one line a row": one_a_row,
    "short rows": short_rows,
    "NAME:": name_and_colon,
    "NAME (V.O.):": name_with_extra,
    "screenplay": screenplay,
    "[00:12]": seconds_in_brackets,
    "[00:00:12] inside": brackets_inside,
    "TC - TC": time_rows(" - "),
    "TC–TC": time_rows("–"),
    "Name 00:00:12": time_and_name,
    "00:12 words": bare_times,
    "clock times that are said": times_in_the_words,
    "colons that name nobody": colons_in_the_words,
    "numbers in front": numbered,
    "VIDEO: and AUDIO:": video_and_audio,
    "Markdown": markdown,
    "Word": word_plain,
    "Word table with timecodes": word_timed,
    "Word, picture and sound": word_picture_and_sound(("Picture", "Sound")),
    "Word, two columns without names": word_picture_and_sound(None),
    "Word, numbers, picture, time": word_numbered_cells,
    "Word, a box of text": word_text_box,
    "Word, hidden and struck": word_struck,
    "Word, comments": word_comments,
    "Word, NAME:": word_names,
    "OpenDocument": open_text,
    "OpenDocument table": open_table,
    "rich text": rich_text,
    "rich text table": rich_table,
    "spreadsheet": sheet,
    "spreadsheet, minutes as hours": sheet_of_minutes,
    "PDF": printed,
}


def score(kind: str, seed: int) -> Scores:
    """How much of one file comes out as it was meant."""
    name, data, reference = KINDS[kind](seed)
    try:
        found = read_script(name, data, RATE, START).drafts
    except ScriptRefused:
        found = ()
    return as_meant(reference, found, RATE)
