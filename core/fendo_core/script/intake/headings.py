"""What the columns of a script are called in English, German, French, Spanish, Italian, Dutch, Portuguese, Russian,
Swedish, Danish, Norwegian, Finnish, Polish, Czech, Slovak, Hungarian, Turkish, Greek, Ukrainian, Japanese, Chinese and
Korean."""

import re
import unicodedata
from typing import Literal, TypeAlias

Holds: TypeAlias = Literal["start", "end", "length", "words", "notes", "reader", "picture", "number"]

_NAMES: dict[Holds, str] = {
    "start": (
        "start, start time, in cue, starts at, begin, begins, beginning, in, in point, cue in, tc in, tcin, tc-in, "
        "time in, timecode in, timecode start, start timecode, start tc, tcr in, tcr, smpte in, smpte, time code in, "
        "in time, in-zeit, from, timecode, time code, tc, time, cue, at, timestamp, von, anfang, beginn, startzeit, "
        "zeit, einstieg, tc ein, tc start, tc von, ab, début, debut, entrée, entree, tc début, tc debut, temps, de, "
        "départ, heure, inicio, entrada, comienzo, desde, tiempo, tc entrada, tc inicio, código de tiempo, inizio, "
        "entrata, da, tempo, tc inizio, início, tc início, van, tijd, aanvang, tc van, начало, вход, время, "
        "тайм-код, таймкод, от, starttid, tid, tidkod, tidskod, börjar, från, tidskode, fra, begynder, aika, alkaa, "
        "alku, aikakoodi, mistä, czas, czas od, od, początek, kod czasowy, začátek, čas, čas od, začiatok, időkód, "
        "kezdet, idő, kezdete, zaman, başlangıç, zaman kodu, giriş, χρόνος, έναρξη, αρχή, час, початок, тайм код, "
        "開始, 开始, 時間, 时间, 時刻, タイムコード, タイム, 时间码, 入点, 시작, 시간, 타임코드"
    ),
    "end": (
        "end, end time, out cue, ends at, ends, out, out point, cue out, tc out, tcout, tc-out, time out, "
        "timecode out, timecode end, end timecode, end tc, tcr out, smpte out, time code out, out time, out-zeit, "
        "to, until, stop, finish, bis, ende, endzeit, ausstieg, tc aus, tc ende, tc bis, fin, sortie, tc fin, à, "
        "jusqu'à, final, salida, hasta, tc salida, fine, uscita, a, tc fine, fim, saída, até, einde, uit, tot, "
        "tc uit, tc tot, конец, выход, окончание, до, sluttid, slutar, slut, till, slutter, til, loppuu, loppu, "
        "mihin, czas do, do, koniec, konec, čas do, vége, befejezés, bitiş, son, λήξη, τέλος, кінець, 終了, 结束, "
        "結束, 出点, 종료, 끝"
    ),
    "length": (
        "duration, length, dur, len, runtime, running time, trt, est time, est. time, estimated time, est. duration, "
        "read time, reading time, dauer, länge, laenge, lesezeit, sprechzeit, durée, duree, longueur, "
        "temps de lecture, duración, duracion, tiempo de lectura, durata, duração, duur, lengte, длительность, "
        "продолжительность, хронометраж, längd, varaktighet, varighed, varighet, længde, lengde, kesto, pituus, "
        "czas trwania, długość, trvání, délka, dĺžka, időtartam, hossz, süre, uzunluk, διάρκεια, тривалість, 長さ, "
        "尺, 时长, 時長, 길이"
    ),
    "words": (
        "words, narration, narration text, voice over, voiceover, voice-over, vo, v.o., vo text, vo script, "
        "narrator text, spoken text, spoken, script, text, dialogue, dialog, speech, copy, commentary, audio, sound, "
        "line, lines, transcript, translation, subtitle, prompt, prompt text, message, announcement, phrase, "
        "sentence, spoken words, voice over text, voiceover text, vo copy, narration script, sprechertext, "
        "sprechtext, sprecher text, kommentartext, off-text, text (off), kommentar, ton, texte, texte lu, "
        "texte narration, voix off, voix-off, commentaire, dialogues, son, texto, narración, narracion, locución, "
        "locucion, voz en off, diálogo, guion, testo, narrazione, voce fuori campo, voce off, dialogo, "
        "testo speaker, locução, narração, tekst, commentaar, voice-overtekst, ingesproken tekst, текст, "
        "дикторский текст, закадровый текст, реплика, слова, звук, berättartext, speakertext, berättarröst, "
        "speaker text, talad text, speak, speaktekst, fortællertekst, fortellerstemme, kommentartekst, speakertekst, "
        "spiikki, selostus, kertoja, teksti, tekst lektora, lektor, narracja, komentář, text komentáře, komentár, "
        "vyprávění, narráció, szöveg, alámondás, seslendirme, seslendirme metni, dış ses, metin, anlatım, αφήγηση, "
        "κείμενο, εκφώνηση, закадровий текст, дикторський текст, озвучення, ナレーション, 台本, セリフ, 原稿, 旁白, "
        "解说, 解說, 解说词, 配音, 台词, 文案, 내레이션, 대사, 원고"
    ),
    "notes": (
        "notes, note, direction, directions, remarks, remark, comment, comments, instructions, delivery, tone, "
        "pronunciation, context, situation, emotion, mood, intention, "
        "hinweis, hinweise, anmerkung, anmerkungen, bemerkung, bemerkungen, regie, regieanweisung, "
        "remarque, remarques, indications, consignes, ton voulu, notas, observaciones, indicaciones, comentarios, "
        "acotaciones, indicazioni, osservazioni, commenti, note di regia, observações, opmerking, opmerkingen, "
        "notities, aanwijzing, примечание, примечания, заметки, комментарий, комментарии, anteckningar, anmärkning, "
        "kommentarer, bemærkninger, merknader, noter, huomautukset, huomio, uwagi, notatki, poznámka, poznámky, "
        "megjegyzés, not, notlar, açıklama, σημειώσεις, παρατηρήσεις, примітки, 備考, 注意, 备注, 備註, 비고"
    ),
    "reader": (
        "reader, speaker, voice, role, character, artist, talent, narrator, who, actor, person, sprecher, "
        "sprecherin, rolle, stimme, figur, wer, lecteur, locuteur, voix, personnage, rôle, narrateur, qui, locutor, "
        "locutora, voz, personaje, narrador, lettore, voce, personaggio, narratore, ruolo, chi, personagem, stem, "
        "spreker, rol, personage, диктор, голос, роль, персонаж, спикер, кто, röst, berättare, stemme, fortæller, "
        "forteller, ääni, lukija, głos, hlas, vypravěč, hang, narrátor, ses, anlatıcı, konuşmacı, φωνή, αφηγητής, "
        "話者, 声, 角色, 说话人, 화자"
    ),
    "picture": (
        "picture, pictures, video, visual, visuals, image, images, shot, shots, scene, screen, on screen, on-screen, "
        "on-screen text, onscreen text, graphics, action, description, b-roll, slide, footage, bild, bilder, szene, "
        "einstellung, bildinhalt, bildbeschreibung, plan, visuel, images à l'écran, séquence, imagen, vídeo, plano, "
        "escena, pantalla, immagine, immagini, scena, inquadratura, imagem, beeld, scène, изображение, картинка, "
        "видео, кадр, план, сцена, billede, billeder, bilde, scen, scener, kuva, kohtaus, obraz, ujęcie, záběr, "
        "scéna, kép, jelenet, görüntü, sahne, ekran, εικόνα, σκηνή, зображення, 映像, 画面, カット, シーン, 场景, "
        "畫面, 镜头, 화면"
    ),
    "number": (
        "#, no, no., nr, nr., number, num, id, line no, line number, n°, nº, nummer, numéro, número, numero, №, "
        "номер, pos, item, file, file name, filename, wav, audio file, prompt name, key, line id, lineid, string id, "
        "cue no, word count, wordcount, words count, character count, char count, wortzahl, zeichenzahl, "
        "nombre de mots, cue number, chapter, paragraph, section, segment, module, page, slide no, slide number, "
        "scene no, scene number, kapitel, absatz, abschnitt, seite, chapitre, paragraphe, capítulo, párrafo, "
        "capitolo, paragrafo, löpnummer, numer, lp, lp., číslo, č., č, szám, sorszám, sıra, sıra no, αριθμός, 番号, "
        "序号, 序號, 编号, 번호"
    ),
}


def _folded(name: str) -> str:
    # startTime is two words.
    name = re.sub(r"(?<=[a-z])(?=[A-Z][a-z])", " ", name)
    plain = unicodedata.normalize("NFKD", name.casefold())
    plain = "".join(letter for letter in plain if not unicodedata.combining(letter))
    return " ".join(re.sub(r"[_:*\"“”]+", " ", plain).split())


_KNOWN: dict[Holds, list[str]] = {
    kind: list(dict.fromkeys(_folded(name) for name in names.split(","))) for kind, names in _NAMES.items()
}
_LOOSE = {
    "in",
    "a",
    "de",
    "da",
    "at",
    "to",
    "ab",
    "от",
    "до",
    "von",
    "van",
    "tot",
    "who",
    "wer",
    "qui",
    "chi",
    "кто",
    "fra",
    "til",
    "till",
    "do",
    "od",
    "tid",
    "son",
    "ses",
    "not",
    "slut",
    "hang",
    "č",
    "lp",
    "cue",
    "line",
    "lines",
}
"""Names that count alone and not inside of longer ones."""


_INSIDE: dict[Holds, re.Pattern[str]] = {
    kind: re.compile(
        rf"(?<!\w)(?:{'|'.join(re.escape(name) for name in names if name not in _LOOSE and len(name) > 1)})(?!\w)"
    )
    for kind, names in _KNOWN.items()
}
"""The names as parts of longer ones."""

_NEWER = re.compile(
    r"\b(?:final|approved|revised|corrected|latest|endfassung|freigegeben|korrigiert|d[ée]finitif|definitiv[oa])\b"
)
_OLDER = re.compile(r"\b(?:old|previous|first draft|outdated|alt|vorher|ancien|anterior|vecchio)\b")
"""Beside a name: of two columns that are called so the one that counts, and the one that does not."""


_IN_FILM = re.compile(
    r"\b(?:last|previous|preceding|outgoing|incoming) (?:words?|dialogue|line)\b|"
    r"\b(?:words?|dialogue) (?:heard|before|cue)\b|"
    r"\b(?:letzte|vorherige) worte?\b|\bdernier(?:s|e)? (?:mots?|parole)\b|\búltimas palabras\b"
)
"""What is heard in the film beside the words: by it a reader knows when to begin."""


def is_of_the_film(cell: str) -> bool:
    """“Last words heard”."""
    return bool(_IN_FILM.search(_folded(cell)))


def column_names(cell: str) -> list[tuple[Holds, int]]:
    """What a heading may name, the surest first: (what the column holds, rank; the smaller, the surer)."""
    folded = _folded(cell)
    if not folded or len(folded) > 40 or _IN_FILM.search(folded):
        return []
    bare = " ".join(re.sub(r"\([^()]*\)|\[[^\[\]]*\]", " ", folded).split())
    few = len(bare.split()) <= 4
    newer, older = bool(_NEWER.search(folded)), bool(_OLDER.search(folded))
    found: list[tuple[Holds, int]] = []
    for kind, names in _KNOWN.items():
        for form, far in ((folded, 0), (bare, 100)):
            if form in names:
                found.append((kind, far + names.index(form)))
                break
        else:
            parts = [names.index(part[0]) for part in _INSIDE[kind].finditer(bare)] if few else []
            if parts:
                found.append((kind, 200 + min(parts)))
    if any(rank < 100 for _, rank in found):
        # “On-screen text” is what is seen, and no text.
        found = [(kind, rank) for kind, rank in found if rank < 200]
    held = dict(found)
    if 200 <= held.get("reader", 0) < held.get("words", 0):
        # “Text Sprecher” is what a speaker says.
        found = [(kind, held["reader"] - 1 if kind == "words" else rank) for kind, rank in found]
    return sorted(((kind, rank - 500 * newer + 500 * older) for kind, rank in found), key=lambda each: each[1])
