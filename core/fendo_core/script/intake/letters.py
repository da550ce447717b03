"""How the letters of a file are written, found by a detector, with the choice in sight."""

import unicodedata

import chardet

from fendo_core.script.intake.inquiry import Inquiry, ScriptRefused, counted

ENCODINGS = {
    "cp1252": "Windows, Western",
    "mac_roman": "Macintosh, Western",
    "iso8859-15": "ISO, Western",
    "cp1250": "Windows, Central European",
    "iso8859-2": "ISO, Central European",
    "cp1251": "Windows, Cyrillic",
    "koi8-r": "KOI8, Russian",
    "koi8-u": "KOI8, Ukrainian",
    "cp866": "DOS, Cyrillic",
    "cp1253": "Windows, Greek",
    "iso8859-7": "ISO, Greek",
    "cp1254": "Windows, Turkish",
    "cp1257": "Windows, Baltic",
    "cp932": "Shift JIS, Japanese",
    "euc_jp": "EUC, Japanese",
    "gb18030": "GBK, Chinese simplified",
    "big5": "Big5, Chinese traditional",
    "cp949": "EUC and Windows, Korean",
    "utf-8": "UTF-8, with what is damaged left out",
}
"""What may be chosen, by Python's names."""
_SAME = {
    "iso8859-1": "cp1252", "windows-1252": "cp1252", "windows-1250": "cp1250", "windows-1251": "cp1251",
    "windows-1253": "cp1253", "windows-1254": "cp1254", "windows-1257": "cp1257", "macroman": "mac_roman",
    "iso8859-9": "cp1254", "shift_jis": "cp932", "shift_jis_2004": "cp932", "gbk": "gb18030", "gb2312": "gb18030",
    "euc_kr": "cp949", "euc_jis_2004": "euc_jp", "ibm866": "cp866",
}  # fmt: skip
_SNIFFED = 8192
_SAMPLE = 256 << 10
_MARKS = (
    (b"\xef\xbb\xbf", "utf-8-sig"),
    (b"\xff\xfe\x00\x00", "utf-32"),
    (b"\x00\x00\xfe\xff", "utf-32"),
    (b"\xff\xfe", "utf-16"),
    (b"\xfe\xff", "utf-16"),
)
_USUAL = "“”„‘’‚–—…£€«»¡¿°·•©®™½¼¾§×"


def is_text(data: bytes) -> bool:
    """Whether bytes may be text: no zero bytes but those of UTF-16 and UTF-32."""
    return (
        b"\0" not in data[:_SNIFFED]
        or data.startswith((b"\xff\xfe", b"\xfe\xff", b"\x00\x00\xfe\xff"))
        or _utf16_without_mark(data) is not None
    )


def _utf16_without_mark(data: bytes) -> str | None:
    """UTF-16 that does not say so: of mostly Latin text every second byte is zero."""
    sample = data[:_SNIFFED]
    half = max(1, len(sample) // 2)
    even, odd = sample[::2].count(0) / half, sample[1::2].count(0) / half
    if odd > 0.4 and even < 0.1:
        return "utf-16-le"
    return "utf-16-be" if even > 0.4 and odd < 0.1 else None


def decode(data: bytes, inquiry: Inquiry) -> tuple[str, str]:
    """Text of a file in any encoding met in practice: (text, name of the encoding).

    A byte order mark decides, then UTF-8 if it is valid, then UTF-16 by its zero bytes. Else a detector (chardet) tells the
    likeliest; where few letters are not ASCII, Western encodings are weighed by what those letters would be. It is asked.
    """
    marked = next((name for mark, name in _MARKS if data.startswith(mark)), None) or _utf16_without_mark(data)
    if marked:
        text = data.decode(marked, "replace")
        _say_torn(text, inquiry)
        return text, marked
    try:
        text = data.decode("utf-8")
    except UnicodeDecodeError:
        pass
    else:
        if "\x1b$" not in text:
            return text, "utf-8"
        # ISO-2022-JP is ASCII with escapes.
        return data.decode("iso2022_jp_ext", "replace"), "iso2022_jp"
    likeliest = _likeliest(data)
    options = [(name, f"{said} ({name})") for name, said in ENCODINGS.items()]
    if likeliest not in ENCODINGS:
        options.append((likeliest, likeliest))
    chosen = inquiry.ask("letters", "letters are written in", options, likeliest)
    text = data.decode(chosen, "replace")
    inquiry.doubt(
        f"the file does not say how its letters are written; they were read as {ENCODINGS.get(chosen, chosen)}: "
        "look whether the words are right"
    )
    _say_torn(text, inquiry)
    return text, chosen


def _likeliest(data: bytes) -> str:
    sample = data[:_SAMPLE]
    found = chardet.detect(sample)["encoding"] or "cp1252"
    name = found.lower().replace("iso-8859", "iso8859")
    name = _SAME.get(name, name)
    try:
        "".encode(name)
    except LookupError:
        name = "cp1252"
    high = sum(byte > 127 for byte in sample)
    letters = sum(byte > 127 or chr(byte).isalpha() for byte in sample)
    # Few letters say little about a language, and a detector guesses: what would they be in Western text?
    if high <= 0.06 * letters or name == "utf-8":
        western = {each: _oddness(sample, each) for each in ("cp1252", "mac_roman")}
        best = min(western, key=lambda each: western[each])
        if name not in ENCODINGS or name == "utf-8" or western[best] <= _oddness(sample, name):
            return best
    return name


def _oddness(sample: bytes, name: str) -> int:
    """How many letters beyond ASCII would look out of place: no letter in a word, and no usual mark."""
    text = sample.decode(name, "replace")
    odd = 0
    for at, letter in enumerate(text):
        if letter < "\x80" or letter in _USUAL or letter == "\xa0":
            continue
        before, behind = text[at - 1 : at], text[at + 1 : at + 2]
        beside = [each for each in (before, behind) if each.isalpha()]
        in_word = letter.isalpha() and bool(beside) and all(_kin(letter, each) for each in beside)
        # A capital in the middle of small letters is another letter read wrong.
        odd += not in_word or (letter.isupper() and before.islower())
    return odd


def _kin(one: str, other: str) -> bool:
    return unicodedata.name(one, "?").split()[0] == unicodedata.name(other, "?").split()[0]


def _say_torn(text: str, inquiry: Inquiry) -> None:
    count = text.count("\ufffd")
    if count:
        inquiry.doubt(
            f"{counted(count, 'letter', 'letters')} could not be read and {'stands' if count == 1 else 'stand'} as \ufffd"
        )


_LINKS = ("gdoc", "gsheet", "gslides", "url", "webloc", "desktop")


def refuse_by_name(data: bytes, name: str) -> None:
    """Refuse what is known and no script, and say what to do with it.

    Raises:
        ScriptRefused: for kinds that are recognised but not read.
    """
    head = data[:2048].lstrip(b"\xef\xbb\xbf \t\r\n").lower()
    ending = name.rpartition(".")[2].lower()
    if data.startswith(b"\xd0\xcf\x11\xe0"):
        if "EncryptedPackage".encode("utf-16-le") in data:
            raise ScriptRefused("This file is locked with a password. Save it without one, and bring that in.")
        if "__properties_version1.0".encode("utf-16-le") in data:
            raise ScriptRefused("This is a mail saved as .msg. Save it as .eml, or its text, and bring that in.")
        old = {"xls": "an Excel workbook of the old kind", "ppt": "a presentation of the old kind (.ppt)"}
        what = old.get(ending, "a Word document of the old kind (.doc)")
        raise ScriptRefused(f"This is {what}. Open it, save it as .docx, .xlsx, .pptx or plain text, and bring that in.")
    if data[3:11] in (b"STL25.01", b"STL30.01", b"STL24.01"):
        raise ScriptRefused("These are subtitles of broadcasters in EBU STL (.stl). Ask for them as .srt, .vtt or .ttml.")
    if head.startswith(b"scenarist_scc"):
        raise ScriptRefused("These are captions in codes (.scc). Ask for them as .srt, .vtt or .ttml.")
    if ending in _LINKS:
        raise ScriptRefused("This is a link to a document, not the document. Open it, save it as .docx, and bring that in.")
    for mark, what, instead in (
        ((b"<?xml", b"<tt "), "an XML file", "Save the script as .docx, .srt, .csv or plain text"),
        ((b"%!ps",), "a PostScript file", "Save it as PDF or plain text"),
        ((b"\x89png", b"\xff\xd8\xff", b"gif8"), "a picture", "Type the words, or bring in the text it was made from"),
        ((b"riff", b"id3", b"flac", b"oggs"), "a sound file", "Takes from elsewhere come in through the Booth"),
    ):
        if head.startswith(mark) or data.startswith(mark):
            raise ScriptRefused(f"This is {what}, which is not read as a script. {instead}.")
    if ending in ("yaml", "yml", "po", "tex"):
        what = {"po": "a translator’s catalogue (.po)", "tex": "a TeX file (.tex)"}.get(ending, "a YAML file (.yaml)")
        raise ScriptRefused(f"This is {what}, which is not read as a script. Save the script as .docx, .csv or plain text.")
